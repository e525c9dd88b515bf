import { ArrowUpTrayIcon, TrashIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"
import { api, ProblemError, type Schemas } from "../../api/client"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The sources, and a place to add files. */
export function SourceList() {
  const queries = useQueryClient()
  const now = useNow(30)
  const sources = useQuery({ queryKey: ["sources"], queryFn: api.sources })
  const [shown, setShown] = useState<Schemas["Source"] | null>(null)
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
          accept=".md,.markdown,.html,.htm,.txt,.csv"
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
        <p className="text-soft">
          Markdown, HTML, plain text, or CSV with the columns question and answer. You can also drop them
          here.
        </p>
      </div>
      <Wrong error={sources.error ?? add.error ?? remove.error} />
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
                <th className="px-4 py-2 text-right font-semibold">Passages</th>
                <th className="hidden px-4 py-2 text-right font-semibold sm:table-cell">Size</th>
                <th className="hidden px-4 py-2 font-semibold sm:table-cell">Read</th>
                <th className="w-0 px-2 py-2">
                  <span className="sr-only">Remove</span>
                </th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line">
              {items.map(s => (
                <tr key={s.id} className="hover:bg-sunk">
                  <td className="px-4 py-2">
                    <button
                      className="text-left font-semibold text-sea hover:underline"
                      onClick={() => setShown(s)}
                    >
                      {s.title}
                    </button>
                    <span className="block font-mono text-sm text-soft">{s.name}</span>
                    {s.error && <span className="block text-sm text-scarlet">{s.error}</span>}
                  </td>
                  <td className="px-4 py-2 text-right tabular-nums">{s.passages}</td>
                  <td className="hidden px-4 py-2 text-right whitespace-nowrap tabular-nums sm:table-cell">
                    {(s.bytes / 1000).toFixed(1)} kB
                  </td>
                  <td className="hidden px-4 py-2 whitespace-nowrap sm:table-cell">{ago(s.read_at, now)}</td>
                  <td className="px-2 py-2">
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
      <Passages source={shown} onClose={() => setShown(null)} />
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

function Passages({ source, onClose }: { source: Schemas["Source"] | null; onClose: () => void }) {
  const passages = useQuery({
    queryKey: ["sources", source?.id, "passages"],
    queryFn: () => api.passages(source!.id),
    enabled: !!source,
  })
  return (
    <Drawer title={source?.title ?? ""} open={!!source} onClose={onClose}>
      <Wrong error={passages.error} />
      <ol className="space-y-3">
        {passages.data?.items.map(p => (
          <li key={p.id} className="rounded-md border border-line p-3">
            <p className="text-sm text-soft">{p.question || p.trail?.join(" › ")}</p>
            <p className="whitespace-pre-line">{p.text}</p>
          </li>
        ))}
      </ol>
    </Drawer>
  )
}
