import { useMemo } from "react"
import {
  type Document,
  isCollection,
  isMap,
  isNode,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  parse,
  parseDocument,
  visit,
  YAMLMap,
  YAMLSeq,
} from "yaml"

/** The name that is made of a title: small letters, digits and hyphens. */
export function nameOf(title: string): string {
  const words = title
    .normalize("NFKD")
    .replace(/[\u0300-\u036f'’]/g, "")
    .toLowerCase()
    .match(/[a-z0-9]+/g)
  return (words ?? []).join("-").slice(0, 40).replace(/-$/, "")
}

/**
 * The same values, but that the name at a key follows a title as it is written, until somebody has
 * given it a name of its own: it is made of the title, with a number behind it where that was taken.
 */
export function named(values: Values, key: string, title: string): Values {
  const follows = () =>
    values.get(key).replace(/-\d+$/, "") === nameOf(values.get(title)).replace(/-\d+$/, "")
  return {
    ...values,
    set: (path, value) =>
      path.length === 1 && path[0] === title && follows()
        ? values.setAll([
            [path, value],
            [[key], nameOf(String(value ?? ""))],
          ])
        : values.set(path, value),
  }
}

/** Where something stands in a document: keys, and places in lists. */
export type Path = (string | number)[]

/** The values of a document's text, and how to change them: comments and order stay as they are. */
export type Values = {
  /** What stands at a path, "" if nothing does or it is a list or a block. */
  get: (...path: Path) => string
  /** What stands at a path, whatever it is; undefined if nothing does. */
  at: (path: Path) => unknown
  /** Writes what stands at a path; undefined removes it, and the blocks above it that are left empty. */
  set: (path: Path, value: unknown) => void
  /** Writes several at once. */
  setAll: (changes: [path: Path, value: unknown][]) => void
  /** Gives a key of a block another name, in its place. */
  rename: (path: Path, key: string, to: string) => void
  /** Moves an entry of a list. */
  move: (path: Path, from: number, to: number) => void
  /** Puts an entry into a list, before the one that stands at a place of it; makes the list if there is none. */
  insert: (path: Path, at: number, value: unknown) => void
  /** Whether the text can be read as YAML. */
  readable: boolean
}

/** Reads the text of a document, so that a form can show and change it. */
export function useValues(text: string, onText: (text: string) => void): Values {
  return useMemo(() => {
    const doc = parseDocument(text)
    const change = (path: Path, how: (doc: Document) => void) => onText(edited(text, String(path[0]), how))
    return {
      readable: doc.errors.length === 0,
      at: path => plain(doc, path),
      get: (...path) => {
        const value = plain(doc, path)
        return value === undefined || value === null || typeof value === "object" ? "" : String(value)
      },
      set: (path, value) => change(path, next => put(next, path, value)),
      setAll: changes =>
        onText(
          changes.reduce(
            (now, [path, value]) => edited(now, String(path[0]), d => put(d, path, value)),
            text,
          ),
        ),
      rename: (path, key, to) =>
        change(path, next => {
          const block = next.getIn(path, true)
          const pair = isMap(block) && block.items.find(p => (isScalar(p.key) ? p.key.value : p.key) === key)
          if (pair) pair.key = next.createNode(to)
        }),
      insert: (path, at, value) =>
        change(path, next => {
          const there = next.getIn(path, true)
          if (isSeq(there)) there.items.splice(at, 0, next.createNode(value))
          else put(next, path, isNode(there) && !isEmpty(there) ? [there.toJS(next), value] : [value])
        }),
      move: (path, from, to) =>
        change(path, next => {
          const list = next.getIn(path, true)
          if (isSeq(list)) list.items.splice(to, 0, ...list.items.splice(from, 1))
        }),
    }
  }, [text, onText])
}

/**
 * The text with a change below one of its keys. What stands at other keys stays as it is, to the letter;
 * at this one, comments and order do.
 */
function edited(text: string, key: string, how: (doc: Document) => void): string {
  const doc = parseDocument(text)
  how(doc)
  const whole = doc.toString({ lineWidth: 0, flowCollectionPadding: false, nullStr: "" })
  const [before, after] = [cut(text), cut(whole)]
  const [at, to] = [before.findIndex(([k]) => k === key), after.findIndex(([k]) => k === key)]
  if (to < 0 && at > 0) {
    // Comments that stood behind it belong to what comes next.
    before[at - 1][1] = after[at - 1]?.[1] ?? ""
    before.splice(at, 1)
  } else if (at >= 0 && to >= 0) before[at][1] = after[to][1]
  else if (to >= 0) {
    const last = before.at(-1)
    if (last && !last[1].endsWith("\n")) last[1] += "\n"
    before.push(after[to])
  }
  const mended = before.map(([, part]) => part).join("")
  return JSON.stringify(readYAML(mended)) === JSON.stringify(readYAML(whole)) ? mended : whole
}

/** The text of a document with another value at a path. */
export function withValue(text: string, path: Path, value: unknown): string {
  return edited(text, String(path[0]), doc => put(doc, path, value))
}

/** A text in parts: what stands before its first key, and each key with what stands up to the next. */
function cut(text: string): [key: string, part: string][] {
  const top = parseDocument(text).contents
  if (!isMap(top)) return []
  const starts = top.items.map(p => (isScalar(p.key) ? (p.key.range?.[0] ?? 0) : 0))
  return [
    ["", text.slice(0, starts[0])],
    ...top.items.map((p, i): [string, string] => [
      isScalar(p.key) ? String(p.key.value) : "",
      text.slice(starts[i], starts[i + 1]),
    ]),
  ]
}

const isEmpty = (node: unknown) => isScalar(node) && (node.value === null || node.value === "")

function plain(doc: Document, path: Path): unknown {
  const node = path.length > 0 ? doc.getIn(path, true) : doc.contents
  return isNode(node) ? node.toJS(doc) : node
}

function put(doc: Document, path: Path, value: unknown) {
  if (value === undefined) {
    doc.deleteIn(path)
    for (
      let above = path.slice(0, -1);
      above.length > 0 && typeof above.at(-1) === "string";
      above = above.slice(0, -1)
    ) {
      const left = doc.getIn(above)
      if (!isCollection(left) || left.items.length > 0) break
      doc.deleteIn(above)
    }
    return
  }
  const there = doc.getIn(path, true)
  if (isScalar(there) && typeof value !== "object") {
    if (typeof value !== typeof there.value) there.type = undefined // quotes that it needed, or needs now
    there.value = value
    return
  }
  if (isSeq(there) && Array.isArray(value) && value.every(v => typeof v === "string")) {
    mend(doc, there, value)
    return
  }
  // What has nothing behind it yet ("escalate:") takes a block or a list.
  for (let n = 1; n < path.length; n++) {
    const above = path.slice(0, n)
    if (!isCollection(doc.getIn(above, true)))
      doc.setIn(above, typeof path[n] === "number" ? new YAMLSeq() : new YAMLMap())
  }
  doc.setIn(path, typeof value === "object" ? doc.createNode(value) : value)
}

/** Makes a list of texts that of others; those that stay keep their quotes and comments. */
function mend(doc: Document, list: YAMLSeq, texts: string[]) {
  const old = list.toJSON() as unknown[]
  let first = 0
  while (first < old.length && first < texts.length && old[first] === texts[first]) first++
  let last = 0
  while (last < Math.min(old.length, texts.length) - first && old.at(-1 - last) === texts.at(-1 - last))
    last++
  const gone = list.items.slice(first, old.length - last)
  const fresh = texts.slice(first, texts.length - last).map((t, i) => {
    const node = gone[i]
    if (!isScalar(node)) return doc.createNode(t)
    node.value = t
    return node
  })
  list.items.splice(first, gone.length, ...fresh)
}

/** The path that a problem names, as in $.tools[0].name; of one that names none, the deepest that stands where it is. */
export function pathOf(text: string, problem: { line: number; column: number; path?: string }): Path {
  if (problem.path)
    return (problem.path.match(/[^.[\]$]+/g) ?? []).map(step => (/^\d+$/.test(step) ? Number(step) : step))
  const lines = new LineCounter()
  const doc = parseDocument(text, { lineCounter: lines })
  const start = lines.lineStarts[problem.line - 1]
  if (start === undefined) return []
  const offset = start + Math.max(0, problem.column - 1)
  let path: Path = []
  visit(doc, {
    Pair: (_, pair, above) => {
      const key = isScalar(pair.key) ? pair.key : undefined
      const end = isNode(pair.value) ? pair.value.range?.[2] : key?.range?.[2]
      if (!key?.range || end === undefined || offset < key.range[0] || offset > end) return visit.SKIP
      path = [...placeIn(above), String(key.value)]
    },
    Scalar: (key, node, above) => {
      if (typeof key === "number" && node.range && offset >= node.range[0] && offset <= node.range[2])
        path = [...placeIn(above), key]
    },
  })
  return path
}

function placeIn(above: readonly unknown[]): Path {
  const path: Path = []
  above.forEach((node, i) => {
    const next = above[i + 1]
    if (isPair(node) && isScalar(node.key)) path.push(String(node.key.value))
    if (isSeq(node) && next !== undefined) path.push(node.items.indexOf(next))
  })
  return path
}

/**
 * The text of a flow in which its first webhook fills a field of the contact from a place in the body;
 * the text as it is where it has no webhook.
 */
export function filledByWebhook(text: string, field: string, path: string): string {
  const doc = parseDocument(text)
  const when = doc.get("when", true)
  const list = isSeq(when) ? when.items : [when]
  const at = list.findIndex(item =>
    isScalar(item) ? item.value === "webhook" : isMap(item) && item.has("webhook"),
  )
  if (at < 0) return text
  const place = isSeq(when) ? ["when", at] : ["when"]
  if (isScalar(list[at])) doc.setIn(place, doc.createNode({ webhook: {} }))
  if (!isMap(doc.getIn([...place, "webhook"], true))) doc.setIn([...place, "webhook"], new YAMLMap())
  doc.setIn([...place, "webhook", "contact", field], path)
  return doc.toString({ lineWidth: 0 })
}

/** The text of a document as that of another one like it, under a name that is free. */
export function duplicate(text: string, kind: string, taken: string[]): string {
  const doc = parseDocument(text)
  const title = doc.get("title")
  if (typeof title === "string") doc.set("title", title + " (copy)")
  doc.set(kind, `${String(doc.get(kind) ?? kind).slice(0, 32)}-copy`)
  return underFreeName(doc.toString({ lineWidth: 0, flowCollectionPadding: false }), kind, taken)
}

/** The text of a document under a name that is free: its own, or one with a number behind it. */
export function underFreeName(text: string, kind: string, taken: string[]): string {
  const own = String(readYAML(text)[kind] ?? "")
  if (!taken.includes(own)) return text
  let n = 2
  while (taken.includes(`${own}-${n}`)) n++
  return edited(text, kind, doc => doc.set(kind, `${own}-${n}`))
}

/** What the text of a document says; nothing, where it cannot be read. */
export function readYAML(text: string): Record<string, unknown> {
  try {
    return (parse(text) ?? {}) as Record<string, unknown>
  } catch {
    return {}
  }
}
