import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

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
  return (
    <div className="min-h-0 flex-1 rounded-lg border border-line bg-sheet p-4 lg:overflow-y-auto">
      <p className="mb-3">
        Other systems post JSON to <span className="font-mono text-sm break-all">{flow.address}</span> of this
        service.
      </p>
      <Wrong error={list.error ?? again.error} />
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
            <Picked body={p.body} />
          </li>
        ))}
      </ul>
    </div>
  )
}

/** A posted body, value by value: choosing one copies what the flow calls it. */
function Picked({ body }: { body: string }) {
  const [copied, setCopied] = useState("")
  let leaves: [string, string][]
  try {
    leaves = leavesOf(JSON.parse(body), "event.body").slice(0, 60)
  } catch {
    return <pre className="max-h-40 overflow-auto rounded-md bg-sunk p-2 font-mono text-sm">{body}</pre>
  }
  return (
    <ul className="max-h-56 overflow-auto rounded-md bg-sunk p-1 font-mono text-sm">
      {leaves.map(([path, value]) => (
        <li key={path}>
          <button
            title="Copy what the flow calls it"
            onClick={() => void navigator.clipboard?.writeText(path).then(() => setCopied(path))}
            className="flex w-full gap-3 rounded px-1 text-left hover:bg-sheet"
          >
            <span className="text-sea">{path}</span>
            <span className="min-w-0 flex-1 break-all">{value}</span>
            {copied === path && <span className="font-sans text-leaf">copied</span>}
          </button>
        </li>
      ))}
    </ul>
  )
}

function leavesOf(value: unknown, path: string): [string, string][] {
  if (Array.isArray(value)) return value.flatMap((v, i) => leavesOf(v, `${path}[${i}]`))
  if (value !== null && typeof value === "object")
    return Object.entries(value).flatMap(([key, v]) => leavesOf(v, `${path}.${key}`))
  return [[path, JSON.stringify(value)]]
}
