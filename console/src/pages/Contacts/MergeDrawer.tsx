import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { useChannelTitle } from "../../parts/channels"
import { Drawer } from "../../parts/Drawer"
import { Wrong } from "../../parts/Says"

/** Joins a contact with another: who, what would become of them, and then it is done. */
export function MergeDrawer(props: {
  contact: Schemas["ContactDetail"]
  open: boolean
  onClose: () => void
  /** Whom it is joined with, if that is known. */
  other?: string
}) {
  const { contact: c } = props
  const channelTitle = useChannelTitle()
  const [search, setSearch] = useState("")
  const [chosen, setChosen] = useState("")
  const other = props.other ?? chosen
  const found = useQuery({
    queryKey: ["contacts", { search, for: "merge" }],
    queryFn: () => api.contacts({ search }),
    enabled: props.open && !other && search.trim().length > 1,
  })
  return (
    <Drawer
      title={`Join ${c.who} with another contact`}
      open={props.open}
      onClose={() => {
        setChosen("")
        props.onClose()
      }}
    >
      {other ? (
        <Preview
          kept={c.id}
          gone={other}
          onBack={() => setChosen("")}
          onDone={() => {
            setChosen("")
            props.onClose()
          }}
        />
      ) : (
        <div className="space-y-3">
          <p className="text-soft">
            Where one person has two entries: what belongs to the other becomes that of {c.who}. It can be
            undone.
          </p>
          <input
            type="search"
            autoFocus
            aria-label="Search the other contact"
            placeholder="Search the other contact"
            value={search}
            onChange={e => setSearch(e.target.value)}
            className="w-full rounded-md border border-line bg-paper px-3 py-2"
          />
          <Wrong error={found.error} />
          <ul className="divide-y divide-line">
            {found.data?.items
              .filter(o => o.id !== c.id)
              .map(o => (
                <li key={o.id}>
                  <button
                    className="w-full px-2 py-2 text-left hover:bg-sunk"
                    onClick={() => setChosen(o.id)}
                  >
                    <span className="font-semibold">{o.who}</span>
                    <span className="block text-sm text-soft">
                      {[o.channel && channelTitle(o.channel), ...o.facts.map(f => f.value)]
                        .filter(Boolean)
                        .join(", ")}
                    </span>
                  </button>
                </li>
              ))}
          </ul>
          {found.data?.items.filter(o => o.id !== c.id).length === 0 && (
            <p className="text-soft">Nobody else fits that.</p>
          )}
        </div>
      )}
    </Drawer>
  )
}

function Preview(props: { kept: string; gone: string; onBack: () => void; onDone: () => void }) {
  const queries = useQueryClient()
  const channelTitle = useChannelTitle()
  const preview = useQuery({
    queryKey: ["merge", props.kept, props.gone],
    queryFn: () => api.previewMerge(props.kept, props.gone),
  })
  const merge = useMutation({
    mutationFn: () => api.mergeContacts(props.kept, props.gone),
    onSuccess: () => {
      for (const key of ["contact", "contacts", "twins", "conversations", "conversation"])
        void queries.invalidateQueries({ queryKey: [key] })
      props.onDone()
    },
  })
  const p = preview.data
  return (
    <div className="space-y-3">
      <Wrong error={preview.error ?? merge.error} />
      {p && (
        <>
          <p>
            What belongs to {p.gone.who} ({p.gone.channel ? channelTitle(p.gone.channel) : "has not written"})
            goes to the entry of {p.kept.who}
            {p.conversations > 0 &&
              `, with ${p.conversations === 1 ? "one conversation" : `${p.conversations} conversations`}`}
            . This is known then:
          </p>
          <Facts facts={p.facts} />
          {p.lost.length > 0 && (
            <>
              <p>
                Of two that differ the verified one holds, or else the one that was learnt later. So this does
                not hold any more:
              </p>
              <Facts facts={p.lost} />
            </>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={props.onBack}>Choose another</Button>
            <Button look="main" disabled={merge.isPending} onClick={() => merge.mutate()}>
              Join them
            </Button>
          </div>
        </>
      )}
    </div>
  )
}

function Facts({ facts }: { facts: Schemas["Fact"][] }) {
  if (facts.length === 0) return <p className="text-soft">Nothing is known.</p>
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 rounded-md border border-line p-3">
      {facts.map(f => (
        <div key={f.field + f.value} className="contents">
          <dt className="text-soft">{f.label}</dt>
          <dd className="break-words">
            {f.value} {f.verified && <span className="text-sm text-leaf">verified</span>}
          </dd>
        </div>
      ))}
    </dl>
  )
}
