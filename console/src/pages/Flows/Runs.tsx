import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { waitsFor } from "../../parts/runs"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The runs of a flow: where each stands, and what it waits for. */
export function Runs({ flow }: { flow: string }) {
  const [chosen, choose] = useInAddress("run")
  const now = useNow(30)
  const list = useQuery({ queryKey: ["runs", flow], queryFn: () => api.runs({ flow }) })
  return (
    <div className="min-h-0 flex-1 rounded-lg border border-line bg-sheet lg:overflow-y-auto">
      <Wrong error={list.error} />
      {list.data?.items.length === 0 && (
        <Empty title="It has not started yet">
          Runs stand here from the first start on: where each is, what it waits for, what it did.
        </Empty>
      )}
      <ul className="divide-y divide-line">
        {list.data?.items.map(r => (
          <li key={r.id}>
            <button onClick={() => choose(r.id)} className="block w-full px-4 py-2 text-left hover:bg-sunk">
              <span className="flex flex-wrap gap-x-3">
                <span className="font-semibold">{r.who}</span>
                <Status run={r} />
                <span className="ml-auto text-sm text-soft">started {ago(r.started_at, now)}</span>
              </span>
              <span className="block truncate text-sm text-soft">
                {r.status === "waiting" || r.status === "going" ? `Step ${r.step}: ${r.words}` : r.why}
              </span>
            </button>
          </li>
        ))}
      </ul>
      <Drawer title="A run of the flow" open={!!chosen} onClose={() => choose("")}>
        {chosen && <RunCard id={chosen} />}
      </Drawer>
    </div>
  )
}

const colour: Record<string, string> = {
  done: "text-leaf",
  failed: "text-scarlet",
  stopped: "text-soft",
  waiting: "text-blue",
  going: "text-blue",
}

function Status({ run }: { run: Schemas["Run"] }) {
  return <span className={colour[run.status]}>{run.status === "waiting" ? waitsFor(run) : run.status}</span>
}

/** One run: its place, its values, what it did with times, and what a person can do about it. */
export function RunCard({ id }: { id: string }) {
  const queries = useQueryClient()
  const now = useNow(30)
  const run = useQuery({ queryKey: ["run", id], queryFn: () => api.run(id) })
  const act = useMutation({
    mutationFn: (what: string) => api.changeRun(id, what),
    onSettled: () => {
      for (const key of ["run", "runs", "flows", "messages", "today"])
        void queries.invalidateQueries({ queryKey: [key] })
    },
  })
  const r = run.data
  if (!r) return <Wrong error={run.error} />
  const open = r.status === "waiting" || r.status === "going"
  return (
    <div className="space-y-4">
      <div>
        <p>
          <span className="font-semibold">{r.title}</span> for{" "}
          {r.contact ? (
            <Link className="text-sea underline" to={"/contacts/" + r.contact}>
              {r.who}
            </Link>
          ) : (
            "nobody"
          )}
          , started by {r.started_by} {ago(r.started_at, now)} on version {r.version}
          {r.behind && <span className="text-saffron"> (another version is live)</span>}.
        </p>
        <p>
          <Status run={r} />
          {r.why && <span className="text-soft"> · {r.why}</span>}
        </p>
        {(open || r.status === "failed") && r.step && (
          <p className="text-soft">
            At step {r.step}, line {r.line}: {r.words}
          </p>
        )}
        {r.conversation && (
          <Link className="text-sea underline" to={"/inbox/" + r.conversation}>
            Open the conversation
          </Link>
        )}
      </div>
      <div className="flex flex-wrap gap-2">
        {r.status === "failed" && (
          <Button look="main" onClick={() => act.mutate("retry")}>
            Take the step again
          </Button>
        )}
        {r.status === "waiting" && r.waits_for !== "result" && (
          <Button onClick={() => act.mutate("skip")}>Skip the wait</Button>
        )}
        {r.behind && r.status === "waiting" && (
          <Button onClick={() => act.mutate("move")}>Move to the live version</Button>
        )}
        {(open || r.status === "failed") && (
          <Button look="stop" onClick={() => act.mutate("stop")}>
            Stop it
          </Button>
        )}
      </div>
      <Wrong error={act.error} />
      <Values title="Its values" values={r.values} none="It has kept nothing." />
      <Values title="What started it" values={r.event} />
      <section>
        <h3 className="mb-1 font-semibold">What it did</h3>
        {r.path.length === 0 && <p className="text-soft">Nothing yet.</p>}
        <ol className="space-y-1">
          {r.path.map((p, i) => (
            <li key={i} className="grid grid-cols-[3.5rem_1fr_auto] gap-2">
              <span className="text-soft tabular-nums">{p.number}</span>
              <span className="min-w-0 break-words">{p.words}</span>
              <time dateTime={p.at} className="text-sm text-soft" title={new Date(p.at).toLocaleString()}>
                {ago(p.at, now)}
              </time>
            </li>
          ))}
        </ol>
      </section>
    </div>
  )
}

function Values(props: { title: string; values: Record<string, unknown>; none?: string }) {
  const names = Object.keys(props.values).sort()
  if (names.length === 0 && !props.none) return null
  return (
    <section>
      <h3 className="mb-1 font-semibold">{props.title}</h3>
      {names.length === 0 && <p className="text-soft">{props.none}</p>}
      <dl className="grid grid-cols-[minmax(6rem,auto)_1fr] gap-x-4 gap-y-0.5">
        {names.map(name => (
          <div key={name} className="contents">
            <dt className="font-mono text-sm text-soft">{name}</dt>
            <dd className="min-w-0 font-mono text-sm break-words">
              {typeof props.values[name] === "string"
                ? (props.values[name] as string)
                : JSON.stringify(props.values[name])}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  )
}
