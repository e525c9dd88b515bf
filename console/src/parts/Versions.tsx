import { useQuery } from "@tanstack/react-query"
import { diffLines } from "diff"
import { api, type Schemas } from "../api/client"
import { useInAddress } from "./address"
import { Button } from "./Button"
import { Wrong } from "./Says"
import { ago, useNow } from "./Time"

/** The versions of a document: who wrote which, what differs, and the way back. */
export function Versions(props: {
  plural: string
  name: string
  /** The newest version, and the one that is in use. */
  version: number
  live: number
  /** What going back to a version is called, and does. */
  act: string
  onAct: (version: Schemas["Version"]) => void
  error?: unknown
  busy?: boolean
}) {
  const [chosen, choose] = useInAddress("version")
  const now = useNow(30)
  const list = useQuery({
    queryKey: ["versions", props.plural, props.name, props.version],
    queryFn: () => api.versions(props.plural, props.name),
  })
  const items = list.data?.items ?? []
  const at = items.findIndex(v => String(v.version) === chosen)
  const shown = items[at < 0 ? 0 : at]
  const before = shown && items[items.indexOf(shown) + 1]
  return (
    <div className="@container flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-0 flex-1 flex-col gap-3 @2xl:flex-row">
        <ul className="max-h-44 shrink-0 overflow-y-auto rounded-lg border border-line bg-sheet p-1 @2xl:max-h-none @2xl:w-64">
          {items.map(v => (
            <li key={v.version}>
              <button
                onClick={() => choose(String(v.version))}
                aria-current={v === shown || undefined}
                className="w-full rounded-md px-3 py-1.5 text-left hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:text-sea"
              >
                <span className="font-semibold">Version {v.version}</span>
                {v.version === props.live && <span className="text-leaf"> · live</span>}
                {v.version === props.version && v.version !== props.live && (
                  <span className="text-soft"> · draft</span>
                )}
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
              {shown.version !== props.live && (
                <Button onClick={() => props.onAct(shown)} disabled={props.busy}>
                  {props.act}
                </Button>
              )}
            </div>
            <Wrong error={props.error ?? list.error} />
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
    </div>
  )
}
