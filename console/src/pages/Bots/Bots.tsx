import { PlusIcon } from "@heroicons/react/20/solid"
import { useQuery } from "@tanstack/react-query"
import { Link, useNavigate, useParams } from "react-router"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Drafts, useDraftsApart } from "../../parts/Drafts"
import { DocumentEditor } from "../../parts/DocumentEditor"
import { NoneHere } from "../../parts/NoneHere"
import { Head, Wrong } from "../../parts/Says"
import { duplicate, readYAML, underFreeName } from "../../parts/yaml"
import { NewBot } from "./NewBot"
import { Notes } from "./Notes"
import { Missing, Powers } from "./Powers"
import { Trial } from "./Trial"

const titleOf = (b: Schemas["Document"]) => String(readYAML(b.text).title ?? b.name)

/** A bot's brief on one side, a trial conversation on the other. */
export default function Bots() {
  const bots = useQuery({ queryKey: ["documents", "bots"], queryFn: () => api.documents("bots") })
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = kinds.data?.items.find(k => k.plural === "bots")
  const { name } = useParams()
  const navigate = useNavigate()
  const [fresh] = useInAddress("new")
  const [like] = useInAddress("like")
  const [goesOn] = useInAddress("draft")
  const taken = bots.data?.items.map(b => b.name) ?? []
  const apart = useDraftsApart("bots", taken)
  const begins = bots.data?.items.find(b => b.name === like)
  const named = name ? bots.data?.items.find(b => b.name === name) : bots.data?.items[0]
  const bot = fresh ? undefined : named
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
        <Drafts plural="bots" taken={taken} to={draft => "/bots?new=1&draft=" + encodeURIComponent(draft)} />
        {!fresh && (
          <Button onClick={() => void navigate("/bots?new=choose")}>
            <PlusIcon className="size-4" />
            New bot
          </Button>
        )}
      </Head>
      <Wrong error={bots.error} />
      {bots.isSuccess && !named && !fresh && (
        <NoneHere
          plural="bots"
          name={name}
          title="There is no bot yet"
          to="/bots?new=choose"
          act="Make the first one"
        />
      )}
      {fresh === "choose" && kind && bots.isSuccess && (
        <NewBot
          kind={kind}
          taken={taken}
          onMade={made => void navigate("/bots/" + made)}
          onBlank={() => void navigate("/bots?new=1")}
        />
      )}
      {fresh && fresh !== "choose" && kind && bots.isSuccess && (!goesOn || apart.length > 0) && (
        <div className="flex min-h-0 flex-1 flex-col overflow-y-auto px-4 pb-4 lg:overflow-hidden lg:px-6">
          <DocumentEditor
            key={goesOn || begins?.name}
            kind={kind}
            document={{
              kind: "bot",
              name: "",
              text:
                apart.find(d => d.name === goesOn)?.text ??
                (begins ? duplicate(begins.text, "bot", taken) : underFreeName(kind.example, "bot", taken)),
              version: 0,
              updated_at: "",
            }}
            title="the brief of a new bot"
            note={text => <Missing bot="" text={text} />}
            more={[
              {
                name: "Notes",
                show: (text, onText) => <Notes bot="" kind={kind} text={text} onText={onText} />,
              },
              { name: "Powers", show: text => <Powers bot="" text={text} /> },
            ]}
            onKept={d => void navigate("/bots/" + d.name, { replace: true })}
          />
        </div>
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
              note={text => <Missing bot={bot.name} text={text} />}
              more={[
                {
                  name: "Notes",
                  show: (text, onText) => <Notes bot={bot.name} kind={kind} text={text} onText={onText} />,
                },
                { name: "Powers", show: text => <Powers bot={bot.name} text={text} /> },
              ]}
            >
              <Button
                look="quiet"
                onClick={() => void navigate("/bots?new=1&like=" + encodeURIComponent(bot.name))}
              >
                Duplicate
              </Button>
              <Link className="text-sm text-sea underline" to={"/settings/bots/" + bot.name}>
                Used by, rename, remove
              </Link>
            </DocumentEditor>
          )}
          <Trial bot={bot.name} draft={draft} />
        </div>
      )}
    </>
  )
}
