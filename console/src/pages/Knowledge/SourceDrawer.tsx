import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Area, Day } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"
import { Every } from "./AddSource"

/** A source with its pages and passages, and when it is read and holds. */
export function SourceDrawer({ source, onClose }: { source?: Schemas["Source"]; onClose: () => void }) {
  return (
    <Drawer title={source?.title ?? ""} open={!!source} onClose={onClose}>
      {source && <Body source={source} />}
    </Drawer>
  )
}

function Body({ source }: { source: Schemas["Source"] }) {
  const pages = useQuery({ queryKey: ["sources", source.id, "pages"], queryFn: () => api.pages(source.id) })
  const passages = useQuery({
    queryKey: ["sources", source.id, "passages"],
    queryFn: () => api.passages(source.id),
  })
  const failed = pages.data?.items.filter(p => p.error) ?? []
  return (
    <div className="space-y-5">
      <Wrong error={pages.error ?? passages.error} />
      <Times source={source} />
      {source.pages > 1 && (
        <p className="text-soft">
          {source.pages} pages from <span className="font-mono">{source.address || source.name}</span>
        </p>
      )}
      {failed.length > 0 && (
        <ul className="rounded-md bg-saffron-wash px-3 py-2 text-saffron">
          {failed.map(p => (
            <li key={p.address}>
              <span className="font-mono text-sm break-all">{p.address}</span>: {p.error}
            </li>
          ))}
        </ul>
      )}
      <ol className="space-y-3">
        {passages.data?.items.map((p, i) => (
          <li key={p.id}>
            {p.address && p.address !== passages.data.items[i - 1]?.address && (
              <p className="mb-1 font-mono text-sm break-all text-soft">{p.address}</p>
            )}
            <div className="rounded-md border border-line p-3">
              <p className="text-sm text-soft">{p.question || p.trail?.join(" › ")}</p>
              <p className="whitespace-pre-line">{p.text}</p>
              <Asked passage={p} source={source.id} />
            </div>
          </li>
        ))}
      </ol>
    </div>
  )
}

/** The questions that a passage answers, in customers' words: written by a model, or by people. */
function Asked({ passage: p, source }: { passage: Schemas["Passage"]; source: string }) {
  const queries = useQueryClient()
  const [text, setText] = useState<string | null>(null)
  const save = useMutation({
    mutationFn: (questions: string[]) => api.putQuestions(p.id, questions),
    onSuccess: () => {
      setText(null)
      void queries.invalidateQueries({ queryKey: ["sources", source, "passages"] })
    },
  })
  if (text !== null)
    return (
      <form
        className="mt-2 space-y-2"
        onSubmit={e => {
          e.preventDefault()
          save.mutate(text.split("\n").filter(line => line.trim()))
        }}
      >
        <Area
          label="Questions that this answers, one a line"
          rows={4}
          most={4000}
          value={text}
          onChange={setText}
        />
        <Wrong error={save.error} />
        <div className="flex justify-end gap-2">
          <Button onClick={() => setText(null)}>Cancel</Button>
          <Button type="submit" look="main" disabled={save.isPending}>
            Keep them
          </Button>
        </div>
      </form>
    )
  return (
    <div className="mt-2 flex flex-wrap items-baseline gap-x-2 text-sm text-soft">
      {!!p.asked?.length && <span>Found by: {p.asked.map(q => `“${q}”`).join(", ")}</span>}
      <button className="text-sea underline" onClick={() => setText((p.asked ?? []).join("\n"))}>
        {p.asked?.length ? "Change" : "Add questions that it answers"}
      </button>
    </div>
  )
}

function Times({ source }: { source: Schemas["Source"] }) {
  const queries = useQueryClient()
  const [every, setEvery] = useState(source.every_minutes)
  const [from, setFrom] = useState(source.valid_from)
  const [until, setUntil] = useState(source.valid_until)
  const save = useMutation({
    mutationFn: () =>
      api.changeSource(source.id, { every_minutes: every, valid_from: from, valid_until: until }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  })
  const changed = every !== source.every_minutes || from !== source.valid_from || until !== source.valid_until
  return (
    <form
      className="grid items-end gap-4 sm:grid-cols-3"
      onSubmit={e => {
        e.preventDefault()
        save.mutate()
      }}
    >
      {source.address && <Every value={every} onChange={setEvery} />}
      <Day label="Holds from" value={from} onChange={setFrom} />
      <Day label="Holds until" value={until} onChange={setUntil} />
      {changed && (
        <Button type="submit" look="main" disabled={save.isPending} className="justify-center">
          Keep these times
        </Button>
      )}
      <Wrong error={save.error} />
    </form>
  )
}
