import type { Schemas } from "../api/client"
import { confidence } from "./confidence"

/** A passage that was weighed for a question, and how it fared. */
export function Weighed({ passage: p }: { passage: Schemas["Weighed"] }) {
  const percent = Math.round(p.confidence * 100)
  return (
    <li className={`rounded-md border p-3 ${p.quoted ? "border-leaf bg-leaf-wash" : "border-line bg-sheet"}`}>
      <div className="mb-1 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm">
        <span className="font-mono">{p.source}</span>
        {p.question && <span className="text-soft">{p.question}</span>}
        {!!p.trail?.length && <span className="text-soft">{p.trail.join(" › ")}</span>}
        {p.quoted && <span className="font-semibold text-leaf">quoted</span>}
        {p.offered && <span className="font-semibold text-saffron">offered</span>}
      </div>
      <p className="mb-2 line-clamp-4 whitespace-pre-line">
        <Marked text={p.text} quote={p.quote} />
      </p>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm text-soft">
        <span className="flex items-center gap-2">
          <span className="h-1.5 w-20 overflow-hidden rounded bg-line" aria-hidden>
            <span className="block h-full bg-sea" style={{ width: percent + "%" }} />
          </span>
          confidence {confidence(p.confidence)}
        </span>
        <span>words {Math.round(p.coverage * 100)}%</span>
        {p.meaning > 0 && <span>meaning {Math.round(p.meaning * 100)}%</span>}
        {!!p.sure && <span>checked {Math.round(p.sure * 100)}%</span>}
        {p.lacks && <span className="text-saffron">nothing for “{p.lacks}”</span>}
        {!!p.missing?.length && (
          <span className="text-saffron">not in its words: {p.missing.join(", ")}</span>
        )}
      </div>
    </li>
  )
}

/** A passage's text with the sentences that answer marked in it. */
function Marked({ text, quote }: { text: string; quote?: string }) {
  const at = quote ? text.indexOf(quote) : -1
  const lines = (s: string) => s.replace(/\n+/g, "\n")
  if (!quote || at < 0) return <>{lines(text)}</>
  return (
    <>
      {lines(text.slice(0, at))}
      <mark className="rounded bg-leaf-wash text-ink">{lines(quote)}</mark>
      {lines(text.slice(at + quote.length))}
    </>
  )
}
