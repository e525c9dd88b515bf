import { PlayIcon, PlusIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery } from "@tanstack/react-query"
import { Link, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { DocumentEditor } from "../../parts/DocumentEditor"
import { Drawer } from "../../parts/Drawer"
import { SideList } from "../../parts/SideList"
import { Empty, Head, Wrong } from "../../parts/Says"

/** Scripted conversations that are played against bots and flows before a change goes live. */
export default function Rehearsals() {
  const { name } = useParams()
  const [fresh] = useInAddress("new")
  const navigate = useNavigate()
  const list = useQuery({ queryKey: ["documents", "rehearsals"], queryFn: () => api.documents("rehearsals") })
  const kind = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data?.items.find(
    k => k.plural === "rehearsals",
  )
  const play = useMutation({ mutationFn: () => api.rehearse({}) })
  const [last, setLast] = useInAddress("last")
  const reports = play.data?.items ?? []
  const items = list.data?.items ?? []
  const chosen = items.find(d => d.name === name) ?? items[0]
  const reportOf = (d: Schemas["Document"]) => reports.find(r => r.rehearsal === titleOf(d))
  const failed = reports.filter(r => !r.passed).length
  return (
    <>
      <Head title="Rehearsals">
        {play.isSuccess && (
          <span className={failed ? "text-scarlet" : "text-leaf"}>
            {reports.length - failed} of {reports.length} passed
          </span>
        )}
        <Button onClick={() => setLast("50")}>Play the last 50 conversations again</Button>
        <Button onClick={() => void navigate("/rehearsals?new=1")}>
          <PlusIcon className="size-4" />
          New rehearsal
        </Button>
        <Button look="main" disabled={play.isPending || items.length === 0} onClick={() => play.mutate()}>
          <PlayIcon className="size-4" />
          Play them all
        </Button>
      </Head>
      <Wrong error={list.error ?? play.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <SideList
          label="Rehearsals"
          items={items}
          chosen={fresh ? undefined : chosen}
          to={d => "/rehearsals/" + d.name}
          title={titleOf}
          about={d => {
            const report = reportOf(d)
            return (
              report && (
                <span className={`block text-sm ${report.passed ? "text-leaf" : "text-scarlet"}`}>
                  {report.passed ? "passed" : "failed"} in {report.took.toFixed(0)} ms
                </span>
              )
            )
          }}
        />
        {fresh && kind ? (
          <div className="flex min-h-0 min-w-0 flex-1 flex-col">
            <DocumentEditor
              kind={kind}
              document={{ kind: "rehearsal", name: "", text: kind.example, version: 0, updated_at: "" }}
              title="a new rehearsal"
              act="Keep it"
              onKept={d => void navigate("/rehearsals/" + d.name, { replace: true })}
            />
          </div>
        ) : chosen && kind ? (
          <div
            key={chosen.name}
            className="flex min-h-0 min-w-0 flex-1 flex-col gap-3 lg:flex-row lg:overflow-hidden"
          >
            <div className="flex min-h-0 min-w-0 flex-1 flex-col">
              <DocumentEditor kind={kind} document={chosen} title={titleOf(chosen)} act="Keep it" />
            </div>
            <Played report={reportOf(chosen)} />
          </div>
        ) : (
          list.isSuccess && (
            <Empty title="There are no rehearsals yet">
              Write what a customer says and what the bot is to say and do.{" "}
              <Link className="text-sea underline" to="/rehearsals?new=1">
                Begin from an example
              </Link>
              , or save a real conversation as one in the inbox.
            </Empty>
          )
        )}
      </div>
      <Drawer title="The latest conversations, played again" open={!!last} onClose={() => setLast("")}>
        {last && <Replays last={Number(last) || 50} />}
      </Drawer>
    </>
  )
}

/** Which replies to real customers would be others with the bots and the drafts as they are now. */
function Replays({ last }: { last: number }) {
  const played = useQuery({ queryKey: ["replays", last], queryFn: () => api.rehearse({ last }) })
  const changed = played.data?.items.filter(r => !r.passed) ?? []
  return (
    <>
      <Wrong error={played.error} />
      {played.isPending && <p className="text-soft">They are being played…</p>}
      {played.isSuccess && (
        <p className="mb-3">
          {played.data.items.length === 0
            ? "There are no conversations yet."
            : changed.length === 0
              ? `In the latest ${played.data.items.length} no reply would be another.`
              : `In ${changed.length} of the latest ${played.data.items.length} something would be said otherwise. Nothing was changed by this.`}
        </p>
      )}
      <ul className="space-y-4">
        {changed.map(r => (
          <li key={r.file}>
            <Link className="font-semibold text-sea hover:underline" to={"/inbox/" + r.file}>
              {r.rehearsal}
            </Link>
            {r.lines.map((l, i) =>
              l.wrong ? (
                <div key={i} className="mt-1 rounded-md border border-line p-2">
                  <p className="text-soft">
                    {[...r.lines.slice(0, i)].reverse().find(x => x.kind === "customer")?.expected}
                  </p>
                  <p className="whitespace-pre-line">
                    <span className="text-sm text-soft">was </span>
                    {l.expected || "nothing"}
                  </p>
                  <p className="whitespace-pre-line text-blue">
                    <span className="text-sm text-soft">now </span>
                    {l.happened}
                  </p>
                </div>
              ) : null,
            )}
          </li>
        ))}
      </ul>
    </>
  )
}

const titleOf = (d: Schemas["Document"]) => /^rehearsal:\s*["']?(.*?)["']?\s*$/m.exec(d.text)?.[1] ?? d.name

/** What really happened beside what was expected; the first difference is marked. */
function Played({ report }: { report?: Schemas["RehearsalReport"] }) {
  return (
    <section
      aria-label="What happened"
      className="min-h-40 min-w-0 flex-1 rounded-lg border border-line bg-sheet px-4 py-3 lg:overflow-y-auto"
    >
      <h2 className="mb-2 font-semibold">What happened</h2>
      {!report && <p className="text-soft">Play them, and each line stands here with what came of it.</p>}
      <ol className="space-y-1.5">
        {report?.lines.map((l, i) => (
          <li
            key={i}
            className={`grid grid-cols-[2rem_1fr] gap-2 rounded-md px-1 ${l.wrong ? "bg-scarlet-wash" : ""}`}
          >
            <span className="text-right text-sm text-soft tabular-nums">{l.line || ""}</span>
            {l.kind === "customer" ? (
              <span>
                <span className="text-soft">Customer: </span>
                {l.expected}
              </span>
            ) : (
              <span className="min-w-0">
                {l.line > 0 && (
                  <span className="block text-sm text-soft first-letter:uppercase">{l.expected}</span>
                )}
                <span
                  className={`block break-words ${l.wrong ? "text-scarlet" : l.kind === "bot" ? "text-blue" : ""}`}
                >
                  {l.line === 0 && (
                    <span className="text-soft">{l.kind === "why" ? "How it came: " : "It also said: "}</span>
                  )}
                  {l.happened}
                </span>
              </span>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}
