import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { filledByWebhook } from "../../parts/yaml"

/** What other systems posted to a flow: what did not fit can be played again once it does. */
export function Posted({ flow }: { flow: Schemas["Flow"] }) {
  const queries = useQueryClient()
  const now = useNow(30)
  const list = useQuery({ queryKey: ["posted", flow.name], queryFn: () => api.posted(flow.name) })
  const again = useMutation({
    mutationFn: api.playAgain,
    onSettled: () => {
      void queries.invalidateQueries({ queryKey: ["posted"] })
      void queries.invalidateQueries({ queryKey: ["runs"] })
    },
  })
  const keep = useMutation({
    mutationFn: async ({ field, path }: { field: string; path: string }) => {
      const draft = await api.flow(flow.name)
      const text = filledByWebhook(draft.text, field, path)
      await api.putDocument("flows", flow.name, text, draft.version)
      return `The draft takes ${path} as the contact’s ${field}. Put it live when it is right.`
    },
    onSettled: () => {
      void queries.invalidateQueries({ queryKey: ["flows"] })
      void queries.invalidateQueries({ queryKey: ["flow"] })
    },
  })
  return (
    <div className="min-h-0 flex-1 rounded-lg border border-line bg-sheet p-4 lg:overflow-y-auto">
      <p className="mb-3">
        Other systems post JSON to <span className="font-mono text-sm break-all">{flow.address}</span> of this
        service. Of what came, choose a value to copy what the flow calls it, or keep it as a field of the
        contact.
      </p>
      <Wrong error={list.error ?? again.error ?? keep.error} />
      {keep.data && (
        <p role="status" className="mb-2 text-leaf">
          {keep.data}
        </p>
      )}
      {list.data?.items.length === 0 && <p className="text-soft">Nothing has come yet.</p>}
      <ul className="space-y-3">
        {list.data?.items.map(p => (
          <li key={p.id}>
            <p className="flex flex-wrap items-center gap-2">
              <span className={p.error ? "text-scarlet" : "text-leaf"}>{p.error || "fitted"}</span>
              <span className="text-sm text-soft">{ago(p.at, now)}</span>
              <Button look="quiet" className="ml-auto !py-0 text-sm" onClick={() => again.mutate(p.id)}>
                Play it again
              </Button>
            </p>
            <Picked body={p.body} onKeep={(field, path) => keep.mutate({ field, path })} />
          </li>
        ))}
      </ul>
    </div>
  )
}

type Leaf = { name: string; path: string; value: string }

/** A posted body, value by value: choosing one copies what the flow calls it, or keeps it of the contact. */
function Picked({ body, onKeep }: { body: string; onKeep: (field: string, path: string) => void }) {
  const [copied, setCopied] = useState("")
  const fields = useQuery({ queryKey: ["declared"], queryFn: api.declared, staleTime: 60_000 }).data?.fields
  let leaves: Leaf[]
  try {
    leaves = leavesOf(JSON.parse(body), "event.body", "body").slice(0, 60)
  } catch {
    return <pre className="max-h-40 overflow-auto rounded-md bg-sunk p-2 font-mono text-sm">{body}</pre>
  }
  return (
    <ul className="max-h-56 overflow-auto rounded-md bg-sunk p-1 text-sm">
      {leaves.map(l => (
        <li key={l.path} className="flex items-center gap-2 rounded px-1 hover:bg-sheet">
          <button
            title="Copy what the flow calls it"
            onClick={() => void navigator.clipboard?.writeText(l.name).then(() => setCopied(l.name))}
            className="flex min-w-0 flex-1 gap-3 text-left font-mono"
          >
            <span className="text-sea">{l.name}</span>
            <span className="min-w-0 flex-1 break-all">{l.value}</span>
            {copied === l.name && <span className="font-sans text-leaf">copied</span>}
          </button>
          <select
            aria-label={`Keep ${l.name} as`}
            value=""
            onChange={e => e.target.value && onKeep(e.target.value, l.path)}
            className="shrink-0 rounded border border-line bg-sheet text-sm"
          >
            <option value="">Keep as…</option>
            {fields?.map(f => (
              <option key={f.field} value={f.field}>
                the contact’s {f.label}
              </option>
            ))}
          </select>
        </li>
      ))}
    </ul>
  )
}

/** What stands at the ends of a body: what expressions call it, and where it stands in the body. */
function leavesOf(value: unknown, name: string, path: string): Leaf[] {
  if (Array.isArray(value)) return value.flatMap((v, i) => leavesOf(v, `${name}[${i}]`, `${path}.${i}`))
  if (value !== null && typeof value === "object")
    return Object.entries(value).flatMap(([key, v]) =>
      leavesOf(
        v,
        /^[A-Za-z_]\w*$/.test(key) ? `${name}.${key}` : `${name}[${JSON.stringify(key)}]`,
        `${path}.${key}`,
      ),
    )
  return [{ name, path, value: JSON.stringify(value) }]
}
