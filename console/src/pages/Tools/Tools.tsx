import { ExclamationTriangleIcon, PlusIcon } from "@heroicons/react/20/solid"
import { useQuery } from "@tanstack/react-query"
import { type RefObject, useRef, useState } from "react"
import { Link, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { DocumentEditor, nameIn } from "../../parts/DocumentEditor"
import { SideList } from "../../parts/SideList"
import { NoneHere } from "../../parts/NoneHere"
import { Empty, Head, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { duplicate, readYAML, underFreeName } from "../../parts/yaml"
import { Calls } from "./Calls"
import { NewTool } from "./NewTool"
import { TryTool } from "./TryTool"

/** What tools do, in words. */
const does: Record<string, string> = {
  request: "asks",
  mcp: "asks",
  "find row": "finds rows",
  "add row": "adds a row",
  "read contact": "reads the contact",
  "update contact": "keeps details",
  "search knowledge": "looks something up",
}

/** The tools that bots and flows may use: each as a form, with a call to try and the log of calls. */
export default function Tools() {
  const { name } = useParams()
  const navigate = useNavigate()
  const now = useNow(30)
  const [fresh] = useInAddress("new")
  const [like] = useInAddress("like")
  const [beside, setBeside] = useInAddress("beside")
  const documents = useQuery({ queryKey: ["documents", "tools"], queryFn: () => api.documents("tools") })
  const tools = useQuery({ queryKey: ["tools"], queryFn: api.tools })
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = kinds.data?.items.find(k => k.plural === "tools")
  const [draft, setDraft] = useState<string | null>(null)
  const [begun, setBegun] = useState("")
  const editor = useRef<((how: (text: string) => string) => void) | null>(null)
  const items = documents.data?.items ?? []
  const taken = items.map(d => d.name)
  const chosen = fresh ? undefined : name ? items.find(d => d.name === name) : items[0]
  const likeThis = items.find(d => d.name === like)
  const text = likeThis
    ? duplicate(likeThis.text, "tool", taken)
    : fresh === "blank" && kind
      ? underFreeName(kind.example, "tool", taken)
      : begun
  const blank = { kind: "tool", name: "", text, version: 0, updated_at: "" }
  return (
    <>
      <Head title="Tools">
        {!fresh && (
          <Button onClick={() => void navigate("/tools?new=choose")}>
            <PlusIcon className="size-4" />
            New tool
          </Button>
        )}
      </Head>
      <Wrong error={documents.error ?? tools.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <SideList
          label="Tools"
          items={items}
          chosen={chosen}
          to={d => "/tools/" + d.name}
          title={d => String(readYAML(d.text).title ?? d.name)}
          about={d => {
            const info = tools.data?.items.find(t => t.name === d.name)
            return (
              info && (
                <span className="block text-sm text-soft">
                  {does[info.does] ?? info.does} {info.connection}
                  {info.approval && ", with approval"}
                  {isUnused(info) && <span className="block text-saffron">nothing uses it yet</span>}
                  {info.last_error && (
                    <span className="flex items-center gap-1 text-scarlet">
                      <ExclamationTriangleIcon className="size-4 shrink-0" /> the last call failed
                    </span>
                  )}
                  {info.last_at && !info.last_error && (
                    <span className="block">called {ago(info.last_at, now)}</span>
                  )}
                </span>
              )
            )
          }}
        />
        {documents.isSuccess && !fresh && !chosen && (
          <NoneHere
            plural="tools"
            name={name}
            title="There is no tool yet"
            to="/tools?new=choose"
            act="Make the first one"
          />
        )}
        {fresh === "choose" && (
          <NewTool
            onChosen={text => {
              setBegun(text)
              void navigate("/tools?new=" + encodeURIComponent(nameIn(text, { name: "tool" })))
            }}
          />
        )}
        {fresh && fresh !== "choose" && kind && documents.isSuccess && text && (
          <Beside
            editor={editor}
            beside={beside}
            setBeside={setBeside}
            only="Try it"
            tool={nameIn(draft ?? text, { name: "tool" })}
            text={draft ?? text}
          >
            <DocumentEditor
              key={like + fresh}
              kind={kind}
              document={blank}
              editor={editor}
              title="a new tool"
              onDraft={setDraft}
              onKept={d => void navigate("/tools/" + d.name, { replace: true })}
            />
          </Beside>
        )}
        {fresh && fresh !== "choose" && documents.isSuccess && !text && (
          <Empty title="This tool was not begun here">
            <Link className="text-sea underline" to="/tools?new=choose">
              Begin a new one
            </Link>
          </Empty>
        )}
        {chosen && kind && (
          <Beside
            editor={editor}
            key={chosen.name}
            beside={beside}
            setBeside={setBeside}
            tool={chosen.name}
            text={draft ?? ""}
          >
            <DocumentEditor
              kind={kind}
              document={chosen}
              editor={editor}
              title={`the tool ${chosen.name}`}
              onDraft={setDraft}
              note={() => tools.data?.items.some(t => t.name === chosen.name && isUnused(t)) && <Unused />}
            >
              <Button
                look="quiet"
                onClick={() => void navigate("/tools?new=like&like=" + encodeURIComponent(chosen.name))}
              >
                Duplicate
              </Button>
              <Link className="text-sm text-sea underline" to={"/settings/tools/" + chosen.name}>
                Used by, rename, remove
              </Link>
            </DocumentEditor>
          </Beside>
        )}
      </div>
    </>
  )
}

function isUnused(info: Schemas["ToolInfo"]): boolean {
  return info.bots.length === 0 && info.flows.length === 0
}

/** What is to be done next for a tool that nothing uses. */
function Unused() {
  return (
    <p className="text-sm text-saffron">
      Nothing uses it yet.{" "}
      <Link className="underline" to="/bots">
        Choose it in a bot&apos;s brief
      </Link>
      , under What it may do, or in a flow.
    </p>
  )
}

/** The document of a tool, and beside it a call to try or the log. */
function Beside(props: {
  children: React.ReactNode
  beside: string
  setBeside: (value: string, replace?: boolean) => void
  only?: string
  editor: RefObject<((how: (text: string) => string) => void) | null>
  tool: string
  text: string
}) {
  const views = props.only ? [props.only] : ["Try it", "Calls"]
  const shown = views.find(v => v.toLowerCase() === props.beside) ?? views[0]
  return (
    <div className="grid min-w-0 flex-1 shrink-0 gap-4 max-lg:auto-rows-max lg:min-h-0 lg:shrink lg:grid-cols-2">
      {props.children}
      <section
        aria-label={shown}
        className="flex min-h-80 min-w-0 flex-col rounded-lg border border-line bg-sheet lg:min-h-0"
      >
        <div
          role="tablist"
          aria-label="Beside the tool"
          className="flex gap-1 border-b border-line px-4 pt-2"
        >
          {views.map(v => (
            <button
              key={v}
              role="tab"
              aria-selected={shown === v}
              onClick={() => props.setBeside(v === views[0] ? "" : v.toLowerCase(), true)}
              className="border-b-2 border-transparent px-2 py-1 text-soft aria-selected:border-sea aria-selected:font-semibold aria-selected:text-sea"
            >
              {v}
            </button>
          ))}
        </div>
        <div className="min-h-0 flex-1 overflow-y-auto p-4">
          {shown === "Calls" ? (
            <Calls tool={props.tool} />
          ) : (
            <TryTool tool={props.tool} text={props.text} onChange={how => props.editor.current?.(how)} />
          )}
        </div>
      </section>
    </div>
  )
}

export type Tool = Schemas["ToolInfo"]
