import { useQuery } from "@tanstack/react-query"
import { Link, useParams } from "react-router"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { DocumentEditor } from "../../parts/DocumentEditor"
import { Empty, Head, Wrong } from "../../parts/Says"
import { readYAML } from "../../parts/yaml"
import { Trial } from "./Trial"

const titleOf = (b: Schemas["Document"]) => String(readYAML(b.text).title ?? b.name)

/** A bot's brief on one side, a trial conversation on the other. */
export default function Bots() {
  const bots = useQuery({ queryKey: ["documents", "bots"], queryFn: () => api.documents("bots") })
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = kinds.data?.items.find(k => k.plural === "bots")
  const { name } = useParams()
  const bot = name ? bots.data?.items.find(b => b.name === name) : bots.data?.items[0]
  // What is being written is tried before it is kept.
  const [draft, setDraft] = useState<string | null>(null)
  return (
    <>
      <Head title="Bots">
        {(bots.data?.items.length ?? 0) > 1 &&
          bots.data?.items.map(b => (
            <Link
              key={b.name}
              to={"/bots/" + b.name}
              className={`rounded-md px-3 py-1.5 ${b === bot ? "bg-sea-wash font-semibold text-sea" : "hover:bg-sunk"}`}
            >
              {titleOf(b)}
            </Link>
          ))}
      </Head>
      <Wrong error={bots.error} />
      {bots.isSuccess && !bot && name && (
        <Empty title={`There is no bot called ${name}`}>
          <Link className="text-sea underline" to="/bots">
            Show those that are there
          </Link>
        </Empty>
      )}
      {bots.isSuccess && !bot && !name && (
        <Empty title="There is no bot yet">
          <Link className="text-sea underline" to="/settings/bots?new=1">
            Write its brief
          </Link>
          ; you begin from an example.
        </Empty>
      )}
      {bot && (
        <div
          key={bot.name}
          className="grid min-h-0 flex-1 gap-4 overflow-y-auto max-lg:auto-rows-max px-4 pb-4 lg:grid-cols-2 lg:overflow-hidden lg:px-6"
        >
          {kind && (
            <DocumentEditor
              kind={kind}
              document={bot}
              title={`the brief of ${bot.name}`}
              changedNote="Changes that are not live yet; the trial uses them"
              onDraft={setDraft}
            />
          )}
          <Trial bot={bot.name} draft={draft} />
        </div>
      )}
    </>
  )
}
