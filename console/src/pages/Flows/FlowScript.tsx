import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useRef, useState } from "react"
import { useNavigate } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { CodeArea, type Lines } from "../../parts/CodeArea"
import { useInAddress } from "../../parts/address"
import { nameIn } from "../../parts/DocumentEditor"
import { fieldValues } from "../../parts/form/names"
import { DocumentForm, unplaced } from "../../parts/form/DocumentForm"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/**
 * The draft of a flow, as a script whose lines open as forms, or as text; what is wrong stands at its line.
 * A new one has no name yet, and begins from an example.
 */
export function FlowScript({ name, example }: { name: string; example?: string }) {
  const kept = useQuery({ queryKey: ["flow", name], queryFn: () => api.flow(name), enabled: !!name })
  if (name && !kept.data) return <Wrong error={kept.error} />
  return <Editor key={name} flow={kept.data} text={kept.data?.text ?? example ?? ""} />
}

const placeOf = (name: string) => `flow ${name}`

/** The text of a flow as it was left here, if it was not kept yet. */
export const draftOf = (name: string) => sessionStorage.getItem(placeOf(name)) ?? undefined

function Editor({ flow, text: begin }: { flow?: Schemas["FlowDetail"]; text: string }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const now = useNow(30)
  const place = placeOf(flow?.name ?? "")
  const [text, setText] = useState(() => sessionStorage.getItem(place) ?? begin)
  const [base, setBase] = useState({ text: begin, version: flow?.version ?? 0 })
  const changed = base.version === 0 || text !== base.text
  const lines = useRef<Lines | null>(null)
  const [view, setView] = useInAddress("as")
  const asText = view === "text"
  useEffect(() => {
    if (!changed && flow && flow.version !== base.version) {
      setBase({ text: flow.text, version: flow.version })
      setText(flow.text)
    }
  }, [flow, base.version, changed])
  useEffect(() => {
    if (text !== base.text) sessionStorage.setItem(place, text)
    else sessionStorage.removeItem(place)
  }, [base.text, place, text])
  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), 350)
    return () => clearTimeout(timer)
  }, [text])
  const name = flow?.name ?? nameIn(settled, { name: "flow" })
  const said = useQuery({
    queryKey: ["explained", name, settled],
    queryFn: () => api.explainFlow(name || "new", settled),
    placeholderData: before => before,
  })
  const keep = useMutation({
    mutationFn: () => api.putDocument("flows", name, text, base.version),
    onSuccess: d => {
      sessionStorage.removeItem(place)
      setBase({ text: d.text, version: d.version })
      void queries.invalidateQueries({ queryKey: ["flows"] })
      void queries.invalidateQueries({ queryKey: ["flow"] })
      if (!flow) void navigate(`/flows/${d.name}${asText ? "?as=text" : ""}`, { replace: true })
    },
  })
  const findings = said.data?.findings ?? []
  const unreadable = said.data?.readable === false
  const kind = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity }).data?.items.find(
    k => k.plural === "flows",
  )
  const listed = asText || !kind ? findings : findings.filter(f => unplaced(kind, text, [f]).length > 0)
  const declared = useQuery({ queryKey: ["declared"], queryFn: api.declared })
  const names = [
    ...(said.data?.names ?? []).map(name => ({ name, title: name })),
    ...fieldValues(declared.data?.fields ?? []),
    { name: "message.text", title: "what the customer wrote" },
    { name: "now", title: "the time" },
  ]
  const sentences = Object.fromEntries([
    ...(said.data?.starts ?? []).map(s => [`triggers:${s.path}`, s.words]),
    ...(said.data?.sentences ?? []).filter(s => s.path).map(s => [`steps:${s.path}`, s.words]),
  ]) as Record<string, string>
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 lg:flex-row">
      <section
        aria-label="The draft of the flow"
        className="flex min-h-96 min-w-0 flex-[3] shrink-0 flex-col rounded-lg border border-line bg-sheet lg:min-h-0 lg:shrink"
      >
        <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
          <div role="tablist" aria-label="How the draft is shown" className="flex gap-1">
            {["Form", "Text"].map(v => (
              <button
                key={v}
                role="tab"
                aria-selected={asText === (v === "Text")}
                onClick={() => setView(v === "Text" ? "text" : "", true)}
                className="border-b-2 border-transparent px-2 py-1 text-soft aria-selected:border-sea aria-selected:font-semibold aria-selected:text-sea"
              >
                {v}
              </button>
            ))}
          </div>
          <p className="mr-auto text-sm text-soft">
            {base.version === 0
              ? "Not kept yet; begin from this example"
              : changed
                ? "Not kept yet"
                : `Draft, version ${base.version}, kept ${flow ? ago(flow.updated_at, now) : "just now"}`}
          </p>
          {base.version > 0 && changed && <Button onClick={() => setText(base.text)}>Discard</Button>}
          <Button
            look="main"
            disabled={!changed || !name || unreadable || keep.isPending}
            onClick={() => keep.mutate()}
          >
            Keep the draft
          </Button>
        </div>
        <Wrong error={keep.error} />
        {asText ? (
          <CodeArea
            label="The text of the flow"
            value={text}
            onChange={setText}
            lines={lines}
            wrong={findings.filter(f => !f.warning).map(f => f.line)}
            doubtful={findings.filter(f => f.warning).map(f => f.line)}
          />
        ) : (
          <div className="flex-1 lg:overflow-y-auto">
            {kind && (
              <DocumentForm
                kind={kind}
                text={text}
                onText={setText}
                fresh={base.version === 0}
                problems={findings.filter(f => !f.warning)}
                warnings={findings.filter(f => f.warning)}
                sentences={sentences}
                names={names}
              />
            )}
          </div>
        )}
        {listed.length > 0 && (
          <ul
            aria-label="Findings"
            className="max-h-44 overflow-y-auto border-t border-line px-2 py-2 text-sm"
          >
            {listed.map((f, i) => (
              <li key={i}>
                <button
                  onClick={() => {
                    setView("text", true)
                    // The text is there once the tab has changed.
                    requestAnimationFrame(() => lines.current?.go(f.line))
                  }}
                  className={`w-full rounded px-2 py-0.5 text-left hover:bg-sunk ${f.warning ? "text-saffron" : "text-scarlet"}`}
                >
                  Line {f.line}: {f.warning && "perhaps: "}
                  {f.message}
                </button>
              </li>
            ))}
          </ul>
        )}
      </section>
      {asText && (
        <section
          aria-label="In plain sentences"
          className="min-h-40 min-w-0 shrink-0 rounded-lg border border-line bg-sheet px-2 py-3 lg:flex-[2] lg:shrink lg:overflow-y-auto"
        >
          <h3 className="mb-1 px-2 font-semibold">In plain sentences</h3>
          {said.data?.sentences.length === 0 && (
            <p className="px-2 text-soft">
              They stand here once the text can be read; the line says what is wrong.
            </p>
          )}
          <ol>
            {said.data?.sentences.map((s, i) => (
              <li key={i} style={{ paddingLeft: `${s.depth * 1.1}rem` }}>
                <button
                  onClick={() => lines.current?.go(s.line)}
                  className={`flex w-full gap-2 rounded px-2 py-0.5 text-left hover:bg-sunk ${s.number ? "" : "text-soft"}`}
                >
                  {s.number && <span className="shrink-0 tabular-nums text-soft">{s.number}</span>}
                  <span className="min-w-0 break-words">{s.words}</span>
                </button>
              </li>
            ))}
          </ol>
        </section>
      )}
    </div>
  )
}
