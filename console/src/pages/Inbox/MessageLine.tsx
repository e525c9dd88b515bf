import type { Schemas } from "../../api/client"
import { Moment } from "../../parts/Time"
import { CameWith } from "./CameWith"
import { Held } from "./Held"
import { Sources } from "../../parts/Sources"

const looks: Record<string, string> = {
  customer: "self-start bg-sheet border border-line",
  automated: "self-start bg-sunk border border-line text-soft",
  bot: "self-end bg-blue-wash",
  person: "self-end bg-sea-wash",
}

const states: Record<string, string> = {
  made: "on its way",
  failed: "could not be delivered",
  withdrawn: "not sent",
}

/** One message, or what happened in line with the messages. */
export function MessageLine({
  message: m,
  keys,
  onWhy,
}: {
  message: Schemas["Message"]
  /** It is the first that is held: keys judge it. */
  keys?: boolean
  onWhy: (turn: string) => void
}) {
  if (m.author === "event") {
    return (
      <p className="self-center text-center text-sm text-soft">
        {m.text} · <Moment at={m.at} />
      </p>
    )
  }
  const trouble = m.state && states[m.state]
  return (
    <article
      className={`max-w-[85%] rounded-lg px-3.5 py-2 ${m.state === "held" ? "self-end border border-saffron bg-saffron-wash" : m.state === "withdrawn" ? "self-end border border-dashed border-line text-soft" : looks[m.author]}`}
      aria-label={`${m.name || m.author} wrote`}
    >
      <p className="whitespace-pre-line [overflow-wrap:anywhere]">{m.text}</p>
      <CameWith message={m} />
      <Sources citations={m.citations} />
      <p className="mt-1 flex flex-wrap gap-x-2 text-sm text-soft">
        {(m.author !== "customer" || m.name) && <span>{m.name || m.author}</span>}
        <Moment at={m.at} />
        {trouble && <span className={m.state === "failed" ? "text-scarlet" : ""}>{trouble}</span>}
        {m.author === "bot" && m.turn && (
          <button className="text-blue underline" onClick={() => onWhy(m.turn!)}>
            Why?
          </button>
        )}
      </p>
      {m.state === "held" && <Held message={m} keys={keys} />}
    </article>
  )
}
