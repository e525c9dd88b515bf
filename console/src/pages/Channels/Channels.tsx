import { PlusIcon } from "@heroicons/react/20/solid"
import { useQuery } from "@tanstack/react-query"
import { Link, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Beginnings } from "../../parts/Beginnings"
import { Button } from "../../parts/Button"
import { DocumentEditor, nameIn } from "../../parts/DocumentEditor"
import { SideList } from "../../parts/SideList"
import { NoneHere } from "../../parts/NoneHere"
import { Head, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { LiveCheck } from "../../parts/LiveCheck"
import { readYAML, withValue } from "../../parts/yaml"
import { Works } from "./Works"

/** The ways in for customers: whether each works, and what it is made of. */
export default function Channels() {
  const { name } = useParams()
  const [fresh] = useInAddress("new")
  const navigate = useNavigate()
  const now = useNow(20)
  const list = useQuery({ queryKey: ["documents", "channels"], queryFn: () => api.documents("channels") })
  const states = useQuery({
    queryKey: ["channels"],
    queryFn: api.channels,
    refetchInterval: q => (q.state.data?.items.some(c => c.past?.running) ? 1000 : 15000),
  })
  const kind = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data?.items.find(
    k => k.plural === "channels",
  )
  const bots = useQuery({ queryKey: ["documents", "bots"], queryFn: () => api.documents("bots") })
  const open = bots.data?.items.filter(b => !readYAML(b.text).private) ?? []
  const items = list.data?.items ?? []
  const chosen = name ? items.find(d => d.name === name) : items[0]
  const begin = kind?.starts?.find(s => s.name === fresh)
  const stateOf = (d: Schemas["Document"]) => states.data?.items.find(c => c.name === d.name)
  const shown = chosen && stateOf(chosen)
  return (
    <>
      <Head title="Channels">
        {!fresh && (
          <Button onClick={() => void navigate("/channels?new=choose")}>
            <PlusIcon className="size-4" />
            Add a way in
          </Button>
        )}
      </Head>
      <Wrong error={list.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <SideList
          label="Channels"
          items={items}
          chosen={fresh ? undefined : chosen}
          to={d => "/channels/" + d.name}
          title={d => {
            const state = stateOf(d)
            return (
              <span className="flex items-center gap-2">
                <span
                  aria-hidden
                  className={`size-2 shrink-0 rounded-full ${!state || state.off ? "bg-line" : state.fault ? "bg-scarlet" : "bg-leaf"}`}
                />
                {state?.title ?? d.name}
              </span>
            )
          }}
          about={d => {
            const state = stateOf(d)
            return (
              <span className="block text-sm text-soft">
                {state?.speaks}
                {state?.off
                  ? " · switched off"
                  : state?.fault
                    ? " · does not work"
                    : state?.last_at && ` · ${ago(state.last_at, now)}`}
              </span>
            )
          }}
        />
        {fresh && !begin && (
          <Beginnings items={(kind?.starts ?? []).map(b => ({ ...b, to: "/channels?new=" + b.name }))} />
        )}
        {begin && kind && bots.isSuccess && (
          <div className="flex min-h-0 min-w-0 flex-1 flex-col">
            <DocumentEditor
              key={begin.name}
              kind={kind}
              document={{
                kind: "channel",
                name: "",
                text: receivedBy(begin.text, open),
                version: 0,
                updated_at: "",
              }}
              title={"a new channel: " + begin.title.toLowerCase()}
              note={liveCheck}
              onKept={d => void navigate("/channels/" + d.name, { replace: true })}
            />
          </div>
        )}
        {!fresh && chosen && kind && (
          <div
            className="flex min-w-0 flex-1 shrink-0 flex-col gap-3 lg:min-h-0 lg:shrink lg:overflow-y-auto"
            key={chosen.name}
          >
            {shown && <Works channel={shown} />}
            <DocumentEditor
              kind={kind}
              document={chosen}
              title={"channel " + chosen.name}
              note={text => (text === chosen.text ? null : liveCheck(text))}
            >
              <Link className="text-sm text-sea underline" to={"/settings/channels/" + chosen.name}>
                Used by, rename, remove
              </Link>
            </DocumentEditor>
          </div>
        )}
        {!fresh && !chosen && list.isSuccess && (
          <NoneHere
            plural="channels"
            name={name}
            title="Nobody can write yet"
            to="/channels?new=choose"
            act="Add a way in"
          />
        )}
      </div>
    </>
  )
}

/** A way in is received by the one bot that there is, and where there are several by the one that is chosen. */
function receivedBy(text: string, bots: Schemas["Document"][]) {
  return bots.length === 1 ? withValue(text, ["bot"], bots[0].name) : text
}

/** A way in is tried while it is typed: whether what it needs is there, such as its folders. */
function liveCheck(text: string) {
  const name = nameIn(text, { name: "channel" })
  if (!name) return null
  return <LiveCheck of={["channel", name]} text={text} test={text => api.testChannel(name, text)} />
}
