import { Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { type ReactNode, type RefObject, useEffect, useRef, useState } from "react"
import { api, type Schemas } from "../api/client"
import { useInAddress } from "./address"
import { Button } from "./Button"
import { DocumentForm, unplaced } from "./form/DocumentForm"
import type { Special } from "./form/field"
import { Wrong } from "./Says"
import { ago, useNow } from "./Time"
import { Versions } from "./Versions"
import { nameOf, readYAML } from "./yaml"

/** The name that a document's text gives it: what stands behind its kind, or is made of the title there. */
export function nameIn(text: string, kind: { name: string; titled?: boolean }): string {
  if (!kind.titled) return new RegExp(`^${kind.name}:\\s*["']?([^"'\\s#]+)`, "m").exec(text)?.[1] ?? ""
  return nameOf(String(readYAML(text)[kind.name] ?? ""))
}

type Props = {
  kind: Schemas["DocumentKind"]
  document: Schemas["Document"]
  title: string
  changedNote?: string
  onDraft?: (text: string | null) => void
  onKept?: (d: Schemas["Document"]) => void
  children?: ReactNode
  /** Fields of its form that are drawn in a way of their own. */
  special?: Special
  /** What keeping it is called, if not Put live. */
  act?: string
  /** More ways to look at the text, each a tab. */
  more?: { name: string; show: (text: string, onText: (text: string) => void) => ReactNode }[]
  /** Says something of the text, below how it stands. */
  note?: (text: string) => ReactNode
  /** Takes changes to the text from beside the editor. */
  editor?: RefObject<((how: (text: string) => string) => void) | null>
}

/**
 * A document as a form and as text, checked while it is written; what is written can be kept as a draft
 * beside what is live. A new one has version 0.
 */
export function DocumentEditor(props: Props) {
  const { plural } = props.kind
  const drafts = useQuery({
    queryKey: ["documents", plural, "drafts"],
    queryFn: () => api.drafts(plural),
    enabled: !props.kind.drafts,
  })
  if (drafts.isPending && !props.kind.drafts) return null
  return <Editor {...props} drafts={drafts.data?.items ?? []} />
}

function Editor(props: Props & { drafts: Schemas["Draft"][] }) {
  const { kind, document: doc, onDraft } = props
  const queries = useQueryClient()
  const kept = `${kind.name} ${doc.name || "new like " + nameIn(doc.text, kind)}`
  const [text, setText] = useState(
    () => sessionStorage.getItem(kept) ?? props.drafts.find(d => d.name === doc.name)?.text ?? doc.text,
  )
  const [base, setBase] = useState(doc)
  const { editor } = props
  useEffect(() => {
    if (editor) editor.current = setText
  }, [editor])
  const fresh = base.version === 0
  const changed = fresh || text !== base.text
  const name = fresh ? nameIn(text, kind) : doc.name
  const now = useNow(30)
  const draft = props.drafts.find(d => d.name === name)
  const atDraft = draft?.text === text
  // What a colleague wrote into the draft is shown, unless something else is being written.
  const lastDraft = useRef(draft?.text)
  useEffect(() => {
    if (draft && lastDraft.current === text) setText(draft.text)
    lastDraft.current = draft?.text
    // Only a draft that changes counts, not what is typed.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [draft?.text])

  // A newer version from elsewhere is shown, unless something is being written.
  useEffect(() => {
    if (!changed && doc.version !== base.version) {
      setBase(doc)
      setText(doc.text)
    }
  }, [doc, base.version, changed])
  useEffect(() => {
    if (text !== base.text && !atDraft) sessionStorage.setItem(kept, text)
    else sessionStorage.removeItem(kept)
    onDraft?.(text !== base.text ? text : null)
  }, [atDraft, base.text, kept, onDraft, text])

  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), 400)
    return () => clearTimeout(timer)
  }, [text])
  const settledName = fresh ? nameIn(settled, kind) : doc.name
  const check = useQuery({
    queryKey: ["check", kind.plural, settledName, settled],
    queryFn: () => api.checkDocument(kind.plural, settledName, settled),
    enabled: !!settledName,
  })
  const save = useMutation({
    mutationFn: () => api.putDocument(kind.plural, name, text, base.version),
    onSuccess: d => {
      sessionStorage.removeItem(kept)
      setBase(d)
      void queries.invalidateQueries({ queryKey: ["documents"] })
      void queries.invalidateQueries({ queryKey: ["declared"] })
      props.onKept?.(d)
    },
  })
  const keepDraft = useMutation({
    mutationFn: () => api.putDraft(kind.plural, name, text),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["documents", kind.plural, "drafts"] }),
  })
  const discard = useMutation({
    mutationFn: async () => {
      if (draft) await api.removeDraft(kind.plural, name)
    },
    onSuccess: () => {
      setText(base.text)
      void queries.invalidateQueries({ queryKey: ["documents", kind.plural, "drafts"] })
    },
  })
  // What went wrong with a text says nothing of another one.
  const forget = save.reset
  useEffect(() => forget(), [text, forget])
  const problems = check.data?.problems ?? []
  const warnings = check.data?.warnings ?? []
  const [view, setView] = useInAddress("as")
  const formed = kind.form.length > 0
  const more = props.more ?? []
  const views = [
    ...(formed ? ["Form"] : []),
    "Text",
    ...more.map(m => m.name),
    ...(fresh ? [] : ["Versions"]),
  ]
  const shown = views.find(v => v.toLowerCase() === view) ?? views[0]
  const asText = shown === "Text"
  const listed = asText ? problems : unplaced(kind, text, problems)
  return (
    <section
      aria-label={props.title}
      className="flex min-h-96 flex-1 shrink-0 flex-col rounded-lg border border-line bg-sheet lg:min-h-0 lg:shrink"
    >
      <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
        <div className="mr-auto">
          <h2 className="font-semibold first-letter:uppercase">{props.title}</h2>
          <p className="text-sm text-soft">
            {atDraft ? (
              <span className="text-saffron">
                A draft{draft.by && `, by ${draft.by}`}, kept {ago(draft.at, now)}
                {!fresh && `; version ${base.version} is live`}
              </span>
            ) : fresh ? (
              "Not kept yet; begin from this example"
            ) : changed ? (
              <span className="text-saffron">
                {props.changedNote ?? `Changes that are not ${props.act ? "kept" : "live"} yet`}
              </span>
            ) : (
              <>
                Version {base.version} is {props.act ? "kept" : "live"}, changed {ago(base.updated_at, now)}
              </>
            )}
          </p>
          {props.note?.(settled)}
        </div>
        {changed && (!fresh || draft) && (
          <Button disabled={discard.isPending} onClick={() => discard.mutate()}>
            {draft ? "Discard the draft" : "Discard"}
          </Button>
        )}
        {changed && !atDraft && !props.act && !kind.drafts && (
          <Button disabled={!name || keepDraft.isPending} onClick={() => keepDraft.mutate()}>
            Keep as a draft
          </Button>
        )}
        {!changed && props.children}
        <Button
          look="main"
          disabled={!changed || !name || problems.length > 0 || save.isPending}
          onClick={() => save.mutate()}
        >
          {props.act ?? "Put live"}
        </Button>
      </div>
      <Wrong error={save.error ?? keepDraft.error ?? discard.error} />
      {views.length > 1 && (
        <div role="tablist" aria-label="The document" className="flex gap-1 border-b border-line px-4 pt-1">
          {views.map(v => (
            <button
              key={v}
              role="tab"
              aria-selected={shown === v}
              onClick={() => setView(v === views[0] ? "" : v.toLowerCase(), true)}
              className="border-b-2 border-transparent px-2 py-1 text-soft aria-selected:border-sea aria-selected:font-semibold aria-selected:text-sea"
            >
              {v}
            </button>
          ))}
        </div>
      )}
      {more
        .filter(m => m.name === shown)
        .map(m => (
          <div key={m.name} className="flex-1 lg:overflow-y-auto">
            {m.show(settled, setText)}
          </div>
        ))}
      {shown === "Versions" && (
        <div className="flex min-h-64 flex-1 flex-col p-3 lg:min-h-0">
          <Versions
            plural={kind.plural}
            name={doc.name}
            version={base.version}
            live={base.version}
            act="Take up this text again"
            onAct={v => {
              setText(v.text)
              setView("", true)
            }}
          />
        </div>
      )}
      {shown === "Form" && (
        <div className="flex-1 lg:overflow-y-auto">
          <DocumentForm
            kind={kind}
            text={text}
            onText={setText}
            problems={problems}
            fresh={fresh}
            special={props.special}
          />
        </div>
      )}
      {asText && (
        <Textarea
          aria-label={`The text of ${props.title}`}
          spellCheck={false}
          value={text}
          onChange={e => setText(e.target.value)}
          className="min-h-64 flex-1 resize-none bg-transparent px-4 py-3 font-mono text-sm leading-relaxed"
        />
      )}
      {warnings.length > 0 && (
        <ul aria-label="Warnings" className="border-t border-line px-4 py-2 text-saffron">
          {warnings.map((p, i) => (
            <li key={i} className="first-letter:uppercase">
              {p.message}
            </li>
          ))}
        </ul>
      )}
      {(listed.length > 0 || !name) && (
        <ul
          aria-label="Problems"
          className="max-h-40 overflow-y-auto border-t border-line px-4 py-2 text-scarlet"
        >
          {!name && (
            <li>
              {asText && !kind.titled ? (
                <>
                  Begin with a line like <code className="font-mono">{kind.name}: a-name</code>
                </>
              ) : kind.titled ? (
                "It needs a title."
              ) : (
                "It needs a name that other documents call it by."
              )}
            </li>
          )}
          {listed.map((p, i) => (
            <li key={i}>
              Line {p.line}: {p.message}
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
