import { useMutation } from "@tanstack/react-query"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useChannelTitle } from "../../parts/channels"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { Moment } from "../../parts/Time"
import { ConversationTags } from "./ConversationTags"

/** Who writes, and what is known of them. */
export function ContactCard({
  conversation: c,
  onEdit,
}: {
  conversation: Schemas["Conversation"]
  onEdit: () => void
}) {
  const channelTitle = useChannelTitle()
  const save = useMutation({ mutationFn: () => api.saveAsRehearsal(c.id) })
  return (
    <aside
      aria-label="Contact"
      className="hidden w-64 shrink-0 overflow-y-auto border-l border-line bg-sheet p-4 xl:block"
    >
      <h3 className="font-semibold">{c.who}</h3>
      <p className="mb-4 text-sm break-all text-soft">
        On {channelTitle(c.channel)}, since <Moment at={c.opened_at} />
      </p>
      <ConversationTags conversation={c} />
      <h4 className="mb-1 font-semibold">Memory</h4>
      {!c.facts?.length && (
        <p className="text-sm text-soft">
          Nothing is known yet. What the contact says of themselves is kept here.
        </p>
      )}
      <dl className="mb-3 space-y-2">
        {c.facts?.map(f => (
          <div key={f.field}>
            <dt className="text-sm text-soft">{f.label}</dt>
            <dd className="break-words">{f.value}</dd>
            <dd className="text-sm text-soft">
              {f.verified ? (
                <span className="text-leaf">verified by {channelTitle(f.verified_by ?? "")}</span>
              ) : (
                "as they said"
              )}
              , <Moment at={f.learnt_at} />
            </dd>
          </div>
        ))}
      </dl>
      <div className="flex flex-wrap items-center gap-3">
        <Button onClick={onEdit}>Change</Button>
        <Link className="text-sm text-sea underline" to={"/contacts/" + c.contact}>
          All that is known
        </Link>
      </div>
      {!!c.questions?.length && (
        <>
          <h4 className="mt-4 mb-1 font-semibold">Asked in this talk</h4>
          <ol className="space-y-2 text-sm">
            {c.questions.map((q, i) => (
              <li key={i} className="break-words">
                {q.question}
                <span className={q.answer ? "line-clamp-2 text-soft" : "block text-scarlet"}>
                  {q.answer || "not answered by the bot"}
                </span>
              </li>
            ))}
          </ol>
        </>
      )}
      <h4 className="mt-4 mb-1 font-semibold">Rehearsal</h4>
      {save.data ? (
        <Link className="text-sm text-sea underline" to={"/rehearsals/" + save.data.name}>
          Saved. Open it
        </Link>
      ) : (
        <Button look="quiet" className="!px-0" disabled={save.isPending} onClick={() => save.mutate()}>
          Save this conversation as one
        </Button>
      )}
      <Wrong error={save.error} />
    </aside>
  )
}
