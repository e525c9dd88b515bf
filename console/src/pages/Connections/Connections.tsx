import { PlusIcon } from "@heroicons/react/20/solid"
import { useQuery } from "@tanstack/react-query"
import { Link, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Beginnings } from "../../parts/Beginnings"
import { LiveCheck } from "../../parts/LiveCheck"
import { Button } from "../../parts/Button"
import { DocumentEditor } from "../../parts/DocumentEditor"
import { readYAML } from "../../parts/yaml"
import { SideList } from "../../parts/SideList"
import { NoneHere } from "../../parts/NoneHere"
import { Head, Wrong } from "../../parts/Says"
import { Consent, ConsentClient } from "./Consent"
import { ModelField, Temperature } from "./Model"
import { Secret } from "./Secret"

const kinds: { kind: string; title: string; about: string; text: string }[] = [
  {
    kind: "model",
    title: "Model server",
    about: "A language model that the bots think with. They stay as careful as without one.",
    text: 'connection: model-server\ntitle: Model server\nkind: model\naddress: http://127.0.0.1:8080/v1\nmodel: ""\n',
  },
  {
    kind: "http",
    title: "Another system",
    about: "A CRM, a text gateway, or whatever your tools call.",
    text: "connection: client-book\ntitle: Client book\nkind: http\naddress: https://clients.example.org/api\n",
  },
  {
    kind: "mailbox",
    title: "Mailbox",
    about: "Mails of customers come from it by IMAP, and answers go out by SMTP.",
    text: "connection: office-mailbox\ntitle: Office mailbox\nkind: mailbox\naddress: imap.example.org:993\nsends: smtp.example.org:587\nfrom: office@example.org\n",
  },
  {
    kind: "mcp",
    title: "MCP server",
    about: "A server of tools, by the Model Context Protocol.",
    text: "connection: tool-server\ntitle: Tool server\nkind: mcp\naddress: https://tools.example.org/mcp\n",
  },
  {
    kind: "smtp",
    title: "Mail server",
    about: "Mails to your people leave here.",
    text: "connection: office-mail\ntitle: Office mail\nkind: smtp\naddress: mail.example.org:587\nfrom: office@example.org\n",
  },
]

/** The outside systems that the workspace reaches, each as a form and as text. */
export default function Connections() {
  const { name } = useParams()
  const [fresh] = useInAddress("new")
  const navigate = useNavigate()
  const list = useQuery({
    queryKey: ["documents", "connections"],
    queryFn: () => api.documents("connections"),
  })
  const kind = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data?.items.find(
    k => k.plural === "connections",
  )
  const items = list.data?.items ?? []
  const chosen = name ? items.find(d => d.name === name) : items[0]
  const begin = kinds.find(k => k.kind === fresh)
  return (
    <>
      <Head title="Connections">
        {!fresh && (
          <Button onClick={() => void navigate("/connections?new=choose")}>
            <PlusIcon className="size-4" />
            Connect something
          </Button>
        )}
      </Head>
      <Wrong error={list.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <SideList
          label="Connections"
          items={items}
          chosen={fresh ? undefined : chosen}
          to={d => "/connections/" + d.name}
          title={titleOf}
          about={d => <span className="block text-sm text-soft">{kindOf(d)}</span>}
        />
        {fresh && !begin && (
          <Beginnings items={kinds.map(b => ({ ...b, to: "/connections?new=" + b.kind }))} />
        )}
        {begin && kind && (
          <div className="flex min-h-0 min-w-0 flex-1 flex-col">
            <DocumentEditor
              key={begin.kind}
              kind={kind}
              document={{ kind: "connection", name: "", text: begin.text, version: 0, updated_at: "" }}
              title={"a new connection: " + begin.title}
              special={special}
              note={text => text !== begin.text && liveCheck(text)}
              onKept={d => void navigate("/connections/" + d.name, { replace: true })}
            />
            <p className="mt-3 text-sm text-soft">
              A password or key is not written here: it is asked for, and sealed, once the connection is kept.
            </p>
          </div>
        )}
        {!fresh && chosen && kind && (
          <div
            className="flex min-w-0 flex-1 shrink-0 flex-col gap-3 lg:min-h-0 lg:shrink lg:overflow-y-auto"
            key={chosen.name}
          >
            <DocumentEditor
              kind={kind}
              document={chosen}
              title={"connection " + chosen.name}
              special={special}
              note={liveCheck}
            >
              <Link className="text-sm text-sea underline" to={"/settings/connections/" + chosen.name}>
                Used by, rename, remove
              </Link>
            </DocumentEditor>
            {readYAML(chosen.text).consent != null && <Consent connection={chosen.name} />}
            <Secret connection={chosen.name} ours={readYAML(chosen.text).consent != null} />
          </div>
        )}
        {!fresh && !chosen && list.isSuccess && (
          <NoneHere
            plural="connections"
            name={name}
            title="Nothing is connected yet"
            to="/connections?new=choose"
            act="Connect something"
          />
        )}
      </div>
    </>
  )
}

/** What of a connection is more than something typed. */
const special = { model: ModelField, temperature: Temperature, "consent.client": ConsentClient }

/** A connection is tried while it is typed: whether the other system is there and lets us in. */
function liveCheck(text: string) {
  const { connection } = readYAML(text)
  if (!connection) return null
  const name = String(connection)
  return <LiveCheck of={["connection", name]} text={text} test={text => api.testConnection(name, text)} />
}

const titleOf = (d: Schemas["Document"]) => String(readYAML(d.text).title ?? d.name)
const kindOf = (d: Schemas["Document"]) =>
  kinds.find(k => k.kind === readYAML(d.text).kind)?.title ?? "Unknown"
