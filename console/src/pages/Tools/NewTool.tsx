import { Field, Input, Label, Select, Textarea } from "@headlessui/react"
import { useMutation, useQuery } from "@tanstack/react-query"
import { useState } from "react"
import { Link, useNavigate } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { readYAML } from "../../parts/yaml"

/** Where a new tool begins: from an example, from what an MCP server has, or from an OpenAPI document. */
export function NewTool({ onChosen }: { onChosen: (text: string) => void }) {
  const navigate = useNavigate()
  const [from, setFrom] = useState<"" | "mcp" | "openapi">("")
  const ways = [
    {
      key: "blank",
      title: "From an example",
      about: "You fill in what it asks or does: a web address, a row of a sheet, the contact.",
    },
    { key: "openapi", title: "From an OpenAPI document", about: "You pick what the other system can do." },
    { key: "mcp", title: "From an MCP server", about: "You pick one of the tools that it has." },
  ]
  return (
    <div className="flex-1 space-y-4 lg:overflow-y-auto">
      <div className="grid content-start gap-3 sm:grid-cols-3">
        {ways.map(w => (
          <button
            key={w.key}
            aria-pressed={from === w.key}
            onClick={() =>
              w.key === "blank" ? void navigate("/tools?new=blank") : setFrom(w.key as "mcp" | "openapi")
            }
            className="rounded-lg border border-line bg-sheet p-4 text-left hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-wash"
          >
            <span className="block font-semibold">{w.title}</span>
            <span className="text-sm text-soft">{w.about}</span>
          </button>
        ))}
      </div>
      {from === "mcp" && <FromServer onChosen={onChosen} />}
      {from === "openapi" && <FromOpenAPI onChosen={onChosen} />}
    </div>
  )
}

/** The connections of a kind, to choose one. */
function ConnectionField(props: { kind: string; value: string; onChange: (name: string) => void }) {
  const list = useQuery({
    queryKey: ["documents", "connections"],
    queryFn: () => api.documents("connections"),
  })
  const fit = (list.data?.items ?? []).filter(d => readYAML(d.text).kind === props.kind)
  return (
    <Field>
      <Label className="text-sm font-semibold">Connection</Label>
      <Select
        value={props.value}
        onChange={e => props.onChange(e.target.value)}
        className="w-full rounded-md border border-line bg-paper px-3 py-2"
      >
        <option value="">choose</option>
        {fit.map(d => (
          <option key={d.name} value={d.name}>
            {String(readYAML(d.text).title ?? d.name)}
          </option>
        ))}
      </Select>
      {list.isSuccess && fit.length === 0 && (
        <span className="mt-1 block text-sm text-soft">
          There is none yet.{" "}
          <Link className="text-sea underline" to={"/connections?new=" + props.kind}>
            Connect one first
          </Link>
        </span>
      )}
    </Field>
  )
}

function FromServer({ onChosen }: { onChosen: (text: string) => void }) {
  const [connection, setConnection] = useState("")
  const list = useQuery({
    queryKey: ["mcp-tools", connection],
    queryFn: () => api.mcpTools(connection),
    enabled: !!connection,
    retry: false,
  })
  return (
    <section className="max-w-2xl space-y-3 rounded-lg border border-line bg-sheet p-4">
      <ConnectionField kind="mcp" value={connection} onChange={setConnection} />
      <Wrong error={list.error} />
      {list.isFetching && <p className="text-soft">Asking the server…</p>}
      {list.data && <Picks items={list.data.items} onChosen={onChosen} />}
    </section>
  )
}

function FromOpenAPI({ onChosen }: { onChosen: (text: string) => void }) {
  const [connection, setConnection] = useState("")
  const [path, setPath] = useState("/openapi.json")
  const [text, setText] = useState("")
  const list = useMutation({
    mutationFn: () =>
      api.operations({ connection, path: text ? undefined : path, document: text || undefined }),
  })
  return (
    <section className="max-w-2xl space-y-3 rounded-lg border border-line bg-sheet p-4">
      <ConnectionField kind="http" value={connection} onChange={setConnection} />
      <Field>
        <Label className="text-sm font-semibold">Where the document stands below its address</Label>
        <Input
          value={path}
          disabled={!!text}
          onChange={e => setPath(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2 disabled:opacity-50"
        />
      </Field>
      <Field>
        <Label className="text-sm font-semibold">Or the document itself</Label>
        <Textarea
          rows={3}
          spellCheck={false}
          placeholder="Paste it here, JSON or YAML"
          value={text}
          onChange={e => setText(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2 font-mono text-sm"
        />
      </Field>
      <Button look="main" disabled={!connection || list.isPending} onClick={() => list.mutate()}>
        {list.isPending ? "Reading…" : "Show what it can do"}
      </Button>
      <Wrong error={list.error} />
      {list.data && <Picks items={list.data.items} onChosen={onChosen} />}
    </section>
  )
}

function Picks({ items, onChosen }: { items: Schemas["ToolDraft"][]; onChosen: (text: string) => void }) {
  if (items.length === 0) return <p className="text-soft">It says of itself that it can do nothing.</p>
  return (
    <ul className="divide-y divide-line rounded-md border border-line">
      {items.map(t => (
        <li key={t.theirs} className="flex items-start gap-3 p-3">
          <span className="min-w-0 flex-1">
            <span className="block font-semibold">{t.title || t.name}</span>
            {t.description && <span className="block text-sm text-soft">{t.description}</span>}
            <code className="block font-mono text-sm break-all text-soft">{t.theirs}</code>
            {!t.reads_only && <span className="text-sm text-saffron">may change something</span>}
          </span>
          <Button onClick={() => onChosen(t.text)}>Make it a tool</Button>
        </li>
      ))}
    </ul>
  )
}
