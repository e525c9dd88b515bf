import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
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
            <pre className="max-h-40 overflow-auto rounded-md bg-sunk p-2 font-mono text-sm">{p.body}</pre>
          </li>
        ))}
      </ul>
    </div>
  )
}
