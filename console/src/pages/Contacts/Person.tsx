import { ArrowLeftIcon, TrashIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { type ReactNode, useState } from "react"
import { Link, useNavigate } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useChannelTitle, useSayingAddress } from "../../parts/channels"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Tick } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"
import { ago, Moment, useNow } from "../../parts/Time"
import { ContactForm } from "./ContactForm"
import { Forget } from "./Forget"
import { MergeDrawer } from "./MergeDrawer"

/** All that is known of one contact, and what can be done with it. */
export function Person(props: { id: string; declared: Schemas["Declared"]; back: string }) {
  const channelTitle = useChannelTitle()
  const sayingAddress = useSayingAddress()
  const { id, declared } = props
  const queries = useQueryClient()
  const navigate = useNavigate()
  const now = useNow(60)
  const [act, setAct] = useInAddress("act")
  const contact = useQuery({ queryKey: ["contact", id], queryFn: () => api.contact(id) })
  const changed = () => {
    for (const key of ["contact", "contacts", "twins"]) void queries.invalidateQueries({ queryKey: [key] })
  }
  const set = useMutation({
    mutationFn: (change: Schemas["ContactChange"]) => api.changeContact(id, change),
    onSettled: changed,
  })
  const undo = useMutation({ mutationFn: api.undoMerge, onSettled: changed })
  const c = contact.data
  return (
    <section
      aria-label="Contact"
      className="min-w-0 flex-1 rounded-lg border border-line bg-sheet lg:overflow-y-auto"
    >
      <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
        <button
          aria-label="Back to the list"
          className="rounded p-1 hover:bg-sunk"
          onClick={() => void navigate(props.back)}
        >
          <ArrowLeftIcon className="size-5" />
        </button>
        <h2 className="mr-auto text-lg font-semibold">{c?.who ?? "Contact"}</h2>
        {c && (
          <>
            <Button onClick={() => setAct("change")}>Change</Button>
            <Button onClick={() => setAct("join")}>Join with another</Button>
            <a
              className="rounded-md border border-line bg-sheet px-3 py-1.5 font-semibold hover:bg-sunk"
              href={`/api/v1/contacts/${id}/export`}
              download={`contact-${id.slice(-12)}.json`}
            >
              Export
            </a>
            <Button look="stop" onClick={() => setAct("forget")}>
              Forget
            </Button>
          </>
        )}
      </div>
      <Wrong error={contact.error ?? set.error ?? undo.error} />
      {c && (
        <div className="grid gap-x-8 gap-y-5 p-4 xl:grid-cols-2">
          <Part title="Known">
            {c.facts.length === 0 && (
              <p className="text-soft">Nothing yet. What they say of themselves is kept here.</p>
            )}
            <dl className="space-y-2">
              {c.facts.map(f => (
                <div key={f.field}>
                  <dt className="text-sm text-soft">{f.label}</dt>
                  <dd className="break-words">{f.value}</dd>
                  <dd className="text-sm text-soft">
                    {f.verified ? (
                      <span className="text-leaf">verified by {channelTitle(f.verified_by ?? "")}</span>
                    ) : (
                      "as they said, not verified"
                    )}
                    , <Moment at={f.learnt_at} />
                  </dd>
                </div>
              ))}
            </dl>
            <p className="mt-2 text-sm text-soft">
              {[declared.stages.find(s => s.stage === c.stage)?.label ?? c.stage, ...c.tags]
                .filter(Boolean)
                .join(" · ") || "No stage and no tags"}
            </p>
          </Part>
          <Part title="Where they write from">
            {c.handles.length === 0 && <p className="text-soft">They have not written yet.</p>}
            <ul>
              {c.handles.map(h => (
                <li key={h.channel + h.address} className="break-all">
                  <span className="text-soft">{channelTitle(h.channel)}: </span>
                  {sayingAddress(h.channel) ? h.address : "in a browser"}
                </li>
              ))}
            </ul>
            <div className="mt-3 space-y-2">
              <Tick on={!c.no_bots} onChange={on => set.mutate({ no_bots: !on })}>
                Bots may write to them
              </Tick>
              <Tick on={c.blocked} onChange={on => set.mutate({ blocked: on })}>
                Blocked: nobody answers, no flow starts
              </Tick>
            </div>
            {c.merges.map(m => (
              <p key={m.id} className="mt-2 flex flex-wrap items-center gap-2 text-sm text-soft">
                Joined with another contact by {m.by} {ago(m.at, now)}
                <Button look="quiet" disabled={undo.isPending} onClick={() => undo.mutate(m.id)}>
                  Take apart again
                </Button>
              </p>
            ))}
          </Part>
          <Notes contact={c} onChanged={changed} />
          <Part title="Conversations">
            {c.conversations.length === 0 && <p className="text-soft">None yet.</p>}
            <ul className="space-y-1">
              {c.conversations.map(talk => (
                <li key={talk.id}>
                  <Link to={"/inbox/" + talk.id} className="-mx-2 block rounded-md px-2 py-1 hover:bg-sunk">
                    <span className="block truncate">{talk.preview}</span>
                    <span className="text-sm text-soft">
                      {channelTitle(talk.channel)} · {ago(talk.updated_at, now)}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          </Part>
          {c.runs.length > 0 && (
            <Part title="Flows">
              <ul className="space-y-1">
                {c.runs.map(r => (
                  <li key={r.id}>
                    <Link className="text-sea underline" to={`/flows/${r.flow}?tab=runs&run=${r.id}`}>
                      {r.title}
                    </Link>
                    <span className="text-sm text-soft">
                      {" "}
                      {r.status} · {ago(r.started_at, now)}
                    </span>
                  </li>
                ))}
              </ul>
            </Part>
          )}
        </div>
      )}
      {c && (
        <>
          <Drawer title={c.who} open={act === "change"} onClose={() => setAct("")}>
            <ContactForm
              contact={c}
              declared={declared}
              onDone={() => setAct("")}
              onCancel={() => setAct("")}
            />
          </Drawer>
          <MergeDrawer contact={c} open={act === "join"} onClose={() => setAct("")} />
          <Forget
            contact={c}
            open={act === "forget"}
            onClose={() => setAct("")}
            onGone={() => void navigate(props.back, { replace: true })}
          />
        </>
      )}
    </section>
  )
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="min-w-0">
      <h3 className="mb-1 font-semibold">{title}</h3>
      {children}
    </div>
  )
}

/** What people noted, and a line for one more. */
function Notes({ contact: c, onChanged }: { contact: Schemas["ContactDetail"]; onChanged: () => void }) {
  const [text, setText] = useState("")
  const add = useMutation({
    mutationFn: () => api.addNote(c.id, text),
    onSuccess: () => {
      setText("")
      onChanged()
    },
  })
  const remove = useMutation({
    mutationFn: (note: string) => api.removeNote(c.id, note),
    onSettled: onChanged,
  })
  return (
    <Part title="Notes">
      <form
        className="mb-2 flex gap-2"
        onSubmit={e => {
          e.preventDefault()
          add.mutate()
        }}
      >
        <input
          aria-label="A note"
          placeholder="A note for your colleagues"
          maxLength={4000}
          value={text}
          onChange={e => setText(e.target.value)}
          className="w-full min-w-0 rounded-md border border-line bg-paper px-3 py-1.5"
        />
        <Button type="submit" disabled={!text.trim() || add.isPending}>
          Note it
        </Button>
      </form>
      <Wrong error={add.error ?? remove.error} />
      <ul className="space-y-2">
        {c.notes.map(n => (
          <li key={n.id} className="flex items-start gap-2">
            <span className="min-w-0 flex-1">
              <span className="block break-words whitespace-pre-line">{n.text}</span>
              <span className="text-sm text-soft">
                {n.author}, <Moment at={n.at} />
              </span>
            </span>
            <button
              aria-label="Remove this note"
              className="rounded p-1 text-soft hover:bg-sunk hover:text-scarlet"
              onClick={() => remove.mutate(n.id)}
            >
              <TrashIcon className="size-4" />
            </button>
          </li>
        ))}
      </ul>
    </Part>
  )
}
