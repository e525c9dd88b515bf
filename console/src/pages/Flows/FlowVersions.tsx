import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { diffLines } from "diff"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The versions of a flow: who wrote which, what differs, and the way back. */
export function FlowVersions({ flow }: { flow: Schemas["Flow"] }) {
  const [chosen, choose] = useInAddress("version")
  const now = useNow(30)
  const queries = useQueryClient()
  const list = useQuery({
    queryKey: ["versions", "flows", flow.name, flow.version],
    queryFn: () => api.versions("flows", flow.name),
  })
  const live = useMutation({
    mutationFn: (version: number) => api.goLive(flow.name, version),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["flows"] }),
  })
  const items = list.data?.items ?? []
  const at = items.findIndex(v => String(v.version) === chosen)
  const shown = items[at < 0 ? 0 : at]
  const before = shown && items[items.indexOf(shown) + 1]
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 lg:flex-row">
      <ul className="shrink-0 rounded-lg border border-line bg-sheet p-1 lg:w-64 lg:overflow-y-auto">
        {items.map(v => (
          <li key={v.version}>
            <button
              onClick={() => choose(String(v.version))}
              aria-current={v === shown || undefined}
              className="w-full rounded-md px-3 py-1.5 text-left hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:text-sea"
            >
              <span className="font-semibold">Version {v.version}</span>
              {v.version === flow.live && <span className="text-leaf"> · live</span>}
              {v.version === flow.version && <span className="text-soft"> · draft</span>}
              <span className="block text-sm text-soft">
                {ago(v.at, now)}
                {v.author && ` by ${v.author}`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {shown && (
        <section
          aria-label={`Version ${shown.version}`}
          className="flex min-h-0 min-w-0 flex-1 flex-col rounded-lg border border-line bg-sheet"
        >
          <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
            <h3 className="mr-auto font-semibold">
              {before ? `What version ${shown.version} changed` : `Version ${shown.version}`}
            </h3>
            {shown.version !== flow.live && (
              <Button onClick={() => live.mutate(shown.version)} disabled={live.isPending}>
                Put this version live
              </Button>
            )}
          </div>
          <Wrong error={live.error ?? list.error} />
          <pre className="min-h-0 flex-1 overflow-auto py-2 font-mono text-sm leading-relaxed">
            {diffLines(before?.text ?? shown.text, shown.text).map((part, i) => (
              <span
                key={i}
                className={`block px-4 ${part.added ? "bg-leaf-wash text-leaf" : part.removed ? "bg-scarlet-wash text-scarlet line-through" : ""}`}
              >
                {part.value.replace(/\n$/, "")}
              </span>
            ))}
          </pre>
        </section>
      )}
    </div>
  )
}
