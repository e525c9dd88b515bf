import { PlusIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Ask } from "../../parts/Ask"
import { Beginnings } from "../../parts/Beginnings"
import { Button } from "../../parts/Button"
import { SideList } from "../../parts/SideList"
import { NoneHere } from "../../parts/NoneHere"
import { Head, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { Versions } from "../../parts/Versions"
import { underFreeName } from "../../parts/yaml"
import { FlowScript } from "./FlowScript"
import { Posted } from "./Posted"
import { Runs } from "./Runs"
import { StartFlow } from "./StartFlow"
import { TryFlow } from "./TryFlow"

/** What happens step by step when something happens. */
export default function Flows() {
  const { name } = useParams()
  const [fresh] = useInAddress("new")
  const navigate = useNavigate()
  const list = useQuery({ queryKey: ["flows"], queryFn: api.flows })
  const items = list.data?.items ?? []
  const chosen = name ? items.find(f => f.name === name) : items[0]
  return (
    <>
      <Head title="Flows">
        <Link className="text-sea hover:underline" to="/rehearsals">
          Rehearsals
        </Link>
        <Link className="text-sea hover:underline" to="/forms">
          Forms
        </Link>
        <Button onClick={() => void navigate("/flows?new=choose")}>
          <PlusIcon className="size-4" />
          New flow
        </Button>
      </Head>
      <Wrong error={list.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <SideList
          label="Flows"
          items={items}
          chosen={fresh ? undefined : chosen}
          to={f => "/flows/" + f.name}
          title={f => f.title}
          about={f => <State flow={f} />}
        />
        {fresh ? (
          <NewFlow />
        ) : chosen ? (
          <Chosen key={chosen.name} flow={chosen} />
        ) : (
          list.isSuccess && (
            <NoneHere
              plural="flows"
              name={name}
              title="There are no flows yet"
              to="/flows?new=choose"
              act="Make the first one"
            />
          )
        )}
      </div>
    </>
  )
}

const errors = (f: Schemas["Flow"]) => f.findings.filter(x => !x.warning).length

/** How a flow stands, in a few words. */
function State({ flow: f }: { flow: Schemas["Flow"] }) {
  const wrong = f.failed > 0 || f.broken.some(b => !b.warning)
  return (
    <span className="block text-sm">
      {f.live > 0 ? <span className="text-leaf">live</span> : <span className="text-soft">draft</span>}
      {f.live > 0 && f.live !== f.version && <span className="text-saffron"> · changed</span>}
      {errors(f) > 0 && <span className="text-saffron"> · not right yet</span>}
      {wrong && (
        <span className="text-scarlet"> · {f.failed > 0 ? `${f.failed} failed` : "cannot start"}</span>
      )}
      {f.open > 0 && <span className="text-soft"> · {f.open} running</span>}
    </span>
  )
}

const tabs = [
  ["", "Script"],
  ["try", "Try it"],
  ["runs", "Runs"],
  ["versions", "Versions"],
  ["posted", "Posted to it"],
] as const

function Chosen({ flow: f }: { flow: Schemas["Flow"] }) {
  const [tab, setTab] = useInAddress("tab")
  const now = useNow(30)
  const queries = useQueryClient()
  const [starting, setStarting] = useState(false)
  const [down, setDown] = useState(false)
  const again = () => void queries.invalidateQueries({ queryKey: ["flows"] })
  const live = useMutation({ mutationFn: () => api.goLive(f.name, 0), onSuccess: again })
  const goBack = useMutation({ mutationFn: (v: number) => api.goLive(f.name, v), onSuccess: again })
  const takeDown = useMutation({ mutationFn: () => api.takeDown(f.name), onSuccess: again })
  const missedLast = f.missed_at && (!f.fired_at || f.missed_at > f.fired_at)
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col gap-2">
      <div className="rounded-lg border border-line bg-sheet px-4 py-3">
        <div className="flex flex-wrap items-center gap-2">
          <h2 className="mr-auto text-lg font-semibold">{f.title}</h2>
          {f.live > 0 && f.triggers.includes("by hand") && (
            <Button onClick={() => setStarting(true)}>Start it…</Button>
          )}
          {f.live > 0 && (
            <Button look="quiet" onClick={() => setDown(true)}>
              Take it down
            </Button>
          )}
          {f.live !== f.version && (
            <Button look="main" disabled={errors(f) > 0 || live.isPending} onClick={() => live.mutate()}>
              Put version {f.version} live
            </Button>
          )}
        </div>
        <p className="text-soft">{f.starts}</p>
        <p className="text-sm text-soft">
          {f.live > 0 ? (
            <>
              Version {f.live} is live since {ago(f.live_at!, now)}
              {f.live_by && ` by ${f.live_by}`}.{" "}
              {f.fired_at ? `Last started ${ago(f.fired_at, now)}.` : "It has not started yet."}
            </>
          ) : (
            "Only a draft: it does not start."
          )}
          {missedLast && (
            <span className="text-saffron">
              {" "}
              It did not start {ago(f.missed_at!, now)}: {f.missed}.
            </span>
          )}
        </p>
        {f.broken
          .filter(b => !b.warning)
          .map((b, i) => (
            <p key={i} className="text-sm text-scarlet">
              The live version cannot start. Line {b.line}: {b.message}
            </p>
          ))}
        <Wrong error={live.error ?? takeDown.error} />
      </div>
      <div role="tablist" aria-label="The flow" className="flex gap-1 overflow-x-auto">
        {tabs
          .filter(([key]) => key !== "posted" || f.address)
          .map(([key, title]) => (
            <button
              key={key}
              role="tab"
              aria-selected={tab === key}
              onClick={() => setTab(key)}
              className="border-b-2 border-transparent px-2 py-1 whitespace-nowrap text-soft aria-selected:border-sea aria-selected:font-semibold aria-selected:text-sea"
            >
              {title}
              {key === "runs" && f.open > 0 && ` (${f.open})`}
            </button>
          ))}
      </div>
      {tab === "" && <FlowScript name={f.name} />}
      {tab === "try" && <TryFlow flow={f} />}
      {tab === "runs" && <Runs flow={f.name} />}
      {tab === "versions" && (
        <Versions
          plural="flows"
          name={f.name}
          version={f.version}
          live={f.live}
          act="Put this version live"
          onAct={v => goBack.mutate(v.version)}
          busy={goBack.isPending}
          error={goBack.error}
        />
      )}
      {tab === "posted" && <Posted flow={f} />}
      <StartFlow flow={f} open={starting} onClose={() => setStarting(false)} />
      <Ask
        title={`Take ${f.title} down?`}
        act="Take it down"
        open={down}
        onClose={() => setDown(false)}
        onAct={() => takeDown.mutate()}
      >
        It does not start any more. {f.open > 0 && "Runs that have begun go on. "}Put it live again at any
        time.
      </Ask>
    </div>
  )
}

/** A flow that is not kept yet: from one of ours, which is chosen first, or from the example. */
function NewFlow() {
  const [fresh] = useInAddress("new")
  const kind = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data?.items.find(
    k => k.plural === "flows",
  )
  const taken = useQuery({ queryKey: ["flows"], queryFn: api.flows }).data?.items.map(f => f.name)
  if (!kind || !taken) return null
  const start = kind.starts?.find(s => s.name === fresh)
  if (fresh !== "choose")
    return (
      <FlowScript key={fresh} name="" example={underFreeName(start?.text ?? kind.example, "flow", taken)} />
    )
  return (
    <div className="min-w-0 flex-1 lg:overflow-y-auto">
      <p className="mb-3 text-soft">Begin from one of these; every line of it can be changed.</p>
      <Beginnings
        items={[
          ...(kind.starts ?? []),
          {
            name: "1",
            title: "A small example",
            about: "One start and two steps, to be changed into anything.",
          },
        ].map(s => ({ ...s, to: "/flows?new=" + s.name }))}
      />
    </div>
  )
}
