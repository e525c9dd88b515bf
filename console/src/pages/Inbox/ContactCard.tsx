import type { Schemas } from "../../api/client"
import { Moment } from "../../parts/Time"
import { who } from "./who"

const names: Record<string, string> = { name: "Name", email: "E-mail", phone: "Telephone" }

/** Who writes, and what is known of them. */
export function ContactCard({ conversation: c }: { conversation: Schemas["Conversation"] }) {
  return (
    <aside
      aria-label="Contact"
      className="hidden w-64 shrink-0 overflow-y-auto border-l border-line bg-sheet p-4 xl:block"
    >
      <h3 className="font-semibold">{who(c)}</h3>
      <p className="mb-4 text-sm break-all text-soft">
        {c.channel === "website" ? "On the website" : c.address}, since <Moment at={c.opened_at} />
      </p>
      <h4 className="mb-1 font-semibold">Memory</h4>
      {!c.facts?.length && (
        <p className="text-sm text-soft">
          Nothing is known yet. What the contact says of themselves is kept here.
        </p>
      )}
      <dl className="space-y-2">
        {c.facts?.map(f => (
          <div key={f.detail}>
            <dt className="text-sm text-soft">{names[f.detail] ?? f.detail}</dt>
            <dd className="break-words">{f.value}</dd>
            <dd className="text-sm text-soft">
              {f.verified ? "verified" : "as they said"}, <Moment at={f.learnt_at} />
            </dd>
          </div>
        ))}
      </dl>
    </aside>
  )
}
