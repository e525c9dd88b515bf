import { ArrowPathIcon, ArrowUpTrayIcon, TrashIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"
import { api, ProblemError, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { AddSource } from "./AddSource"
import { SourceDrawer } from "./SourceDrawer"

/** The sources, and a place to add files. */
export function SourceList() {
  const queries = useQueryClient()
  const now = useNow(30)
  const sources = useQuery({
    queryKey: ["sources"],
    queryFn: api.sources,
    // What is being read, or encoded, shows how far it is.
    refetchInterval: q =>
      q.state.data?.items.some(s => s.state === "reading" || s.state === "waiting" || s.encoding > 0)
        ? 1000
        : false,
  })
  const [shown, setShown] = useInAddress("source")
  const [adding, setAdding] = useInAddress("add")
  const [removing, setRemoving] = useState<Schemas["Source"] | null>(null)
  const [over, setOver] = useState(false)
  const chooser = useRef<HTMLInputElement>(null)
  const add = useMutation({
    mutationFn: async (files: File[]) => {
      const refused: string[] = []
      for (const file of files) {
        try {
          await api.addSource(file)
        } catch (e) {
          // One that cannot be read is named; the rest is still added.
          if (e instanceof ProblemError && e.status === 422) refused.push(e.message)
          else throw e
        }
      }
      if (refused.length) throw new Error(refused.join("\n"))
    },
    onSettled: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  })
  const remove = useMutation({
    mutationFn: (s: Schemas["Source"]) => api.removeSource(s.id),
    onSettled: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  })
  const read = useMutation({
    mutationFn: (s: Schemas["Source"]) => api.readSource(s.id),
    onSettled: () => queries.invalidateQueries({ queryKey: ["sources"] }),
  })
  const items = sources.data?.items ?? []
  return (
    <div
      onDragOver={e => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={e => {
        e.preventDefault()
        setOver(false)
        add.mutate([...e.dataTransfer.files])
      }}
      className={over ? "rounded-lg outline-2 outline-sea outline-dashed" : ""}
    >
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <input
          ref={chooser}
          type="file"
          multiple
          accept=".md,.markdown,.html,.htm,.txt,.csv,.jsonl,.pdf,.docx,.xlsx,.srt,.vtt,.zip"
          aria-label="Files to add"
          className="sr-only"
          tabIndex={-1}
          onChange={e => {
            add.mutate([...(e.target.files ?? [])])
            e.target.value = ""
          }}
        />
        <Button look="main" disabled={add.isPending} onClick={() => chooser.current?.click()}>
          <ArrowUpTrayIcon className="size-4" />
          {add.isPending ? "Reading…" : "Add files"}
        </Button>
        <Button onClick={() => setAdding("web")}>Read a website</Button>
        <Button onClick={() => setAdding("text")}>Type a text</Button>
        <p className="hidden text-soft xl:block">
          Files can be dropped here: Markdown, HTML, text, PDF, Word, Excel, CSV, subtitles, ZIP.
        </p>
      </div>
      <Wrong error={sources.error ?? add.error ?? remove.error ?? read.error} />
      {sources.isSuccess && items.length === 0 && (
        <Empty title="There is no knowledge yet">
          Bots answer only from what stands here. Add your questions and answers, or the pages of your
          handbook.
        </Empty>
      )}
      {items.length > 0 && (
        <div className="overflow-x-auto rounded-lg border border-line bg-sheet">
          <table className="w-full text-left">
            <thead className="border-b border-line text-sm text-soft">
              <tr>
                <th className="px-4 py-2 font-semibold">Source</th>
                <th className="px-4 py-2 font-semibold">State</th>
                <th className="px-4 py-2 text-right font-semibold">Passages</th>
                <th className="hidden px-4 py-2 font-semibold sm:table-cell">Read</th>
                <th className="hidden px-4 py-2 font-semibold sm:table-cell">Again</th>
                <th className="w-0 px-2 py-2">
                  <span className="sr-only">Read again, remove</span>
                </th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line">
              {items.map(s => (
                <tr key={s.id} className="hover:bg-sunk">
                  <td className="px-4 py-2">
                    <button
                      className="text-left font-semibold text-sea hover:underline"
                      onClick={() => setShown(s.id)}
                    >
                      {s.title}
                    </button>
                    <span className="block font-mono text-sm text-soft">{s.name}</span>
                    {s.error && (
                      <span
                        className={`block max-w-xl text-sm ${s.state === "failed" ? "text-scarlet" : "text-saffron"}`}
                      >
                        {s.error}
                      </span>
                    )}
                  </td>
                  <td className="px-4 py-2 whitespace-nowrap">
                    <State source={s} />
                  </td>
                  <td className="px-4 py-2 text-right tabular-nums">{s.passages}</td>
                  <td className="hidden px-4 py-2 whitespace-nowrap sm:table-cell">
                    {s.read_at ? ago(s.read_at, now) : "not yet"}
                  </td>
                  <td className="hidden px-4 py-2 whitespace-nowrap sm:table-cell">
                    {s.next_at ? until(s.next_at, now) : "by hand"}
                  </td>
                  <td className="px-2 py-2 whitespace-nowrap">
                    {s.address && (
                      <button
                        aria-label={"Read again now: " + s.name}
                        disabled={s.state === "reading"}
                        className="rounded p-1.5 text-soft hover:bg-sea-wash hover:text-sea disabled:opacity-40"
                        onClick={() => read.mutate(s)}
                      >
                        <ArrowPathIcon className="size-4" />
                      </button>
                    )}
                    <button
                      aria-label={"Remove " + s.name}
                      className="rounded p-1.5 text-soft hover:bg-scarlet-wash hover:text-scarlet"
                      onClick={() => setRemoving(s)}
                    >
                      <TrashIcon className="size-4" />
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <SourceDrawer source={items.find(s => s.id === shown)} onClose={() => setShown("")} />
      <AddSource kind={adding === "web" || adding === "text" ? adding : null} onClose={() => setAdding("")} />
      <Ask
        title={`Remove ${removing?.name}?`}
        act="Remove it"
        open={!!removing}
        onClose={() => setRemoving(null)}
        onAct={() => remove.mutate(removing!)}
      >
        Its {removing?.passages === 1 ? "passage is" : `${removing?.passages} passages are`} no longer
        answered from. Add the file again to bring it back.
      </Ask>
    </div>
  )
}

/** The state of a source in a word or two. */
function State({ source: s }: { source: Schemas["Source"] }) {
  if (s.state === "reading" && s.progress)
    return (
      <span className="text-sea">
        reading {s.progress.read} of {s.progress.found}
      </span>
    )
  if (s.state === "failed") return <span className="text-scarlet">failed</span>
  if (s.encoding > 0) return <span className="text-sea">encoding {s.encoding}</span>
  const now = Date.now()
  if (s.valid_until && Date.parse(s.valid_until) < now) return <span className="text-soft">over</span>
  if (s.valid_from && Date.parse(s.valid_from) > now) return <span className="text-soft">holds later</span>
  return <span className={s.state === "ready" ? "text-leaf" : "text-soft"}>{s.state}</span>
}

function until(at: string, now: number): string {
  const minutes = Math.round((Date.parse(at) - now) / 60_000)
  if (minutes < 1) return "now"
  if (minutes < 90) return `in ${minutes} min`
  const hours = Math.round(minutes / 60)
  return hours < 48 ? `in ${hours} h` : `in ${Math.round(hours / 24)} days`
}
