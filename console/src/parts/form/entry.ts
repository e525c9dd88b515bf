import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"

type Kind = Schemas["EntryKind"]
type Field = Schemas["DocumentField"]

/** One entry of a list, read: of which kind it is, and where its fields stand. */
export type Entry = {
  kind?: Kind
  /** Where a field stands, or would. */
  place: (field: Field) => Path
  /** The lists of entries in it, and lists of cases that have such. */
  lists: { field: Field; path: Path }[]
  /** What it says, as far as its kind tells. */
  summary: string
  /** The values of the document, so that what is written into the entry leaves it one of its kind. */
  values: Values
}

/**
 * Reads the entry at a path. It begins with the name of its kind; its fields stand in a block behind that, or
 * beside it, and the main one may stand behind it alone.
 */
export function entryAt(values: Values, path: Path, kinds: Kind[]): Entry {
  const item = values.at(path)
  const keys = isBlock(item) ? Object.keys(item) : [String(item ?? "")]
  const name = keys.find(key => kinds.some(k => k.name === key)) ?? keys[0] ?? ""
  const kind = kinds.find(k => k.name === name)
  const behind = isBlock(item) ? item[name] : undefined
  const main = kind?.fields?.find(f => f.key === kind.main)
  const byKeys = main && ["cells", "pairs", "groups", "named"].includes(main.as)
  const inBlock =
    isBlock(behind) && (!byKeys || Object.keys(behind).every(key => kind?.fields?.some(f => f.key === key)))
  const place = (field: Field): Path => {
    const key = field.key.split(".")
    if (key[0] !== name && isBlock(item) && key[0] in item) return [...path, ...key]
    if (inBlock) return [...path, name, ...key]
    if (field === main) return [...path, name]
    if (!main) return [...path, name, ...key]
    return [...path, ...key]
  }
  const head = [...path, name]
  const isHead = (p: Path) => p.length === head.length && p.every((step, i) => step === head[i])
  // What is taken away must leave the name of the kind, and a name that stands alone takes a block.
  const change = (how: () => void, at: Path, value: unknown) => {
    if (!isBlock(item))
      values.setAll([
        [path, { [name]: null }],
        [at, value],
      ])
    else how()
  }
  const lists = (kind?.fields ?? [])
    .filter(f => f.as === "entries" || (f.as === "blocks" && f.fields?.some(x => x.as === "entries")))
    .map(field => ({ field, path: place(field) }))
  return {
    kind,
    place,
    lists,
    summary: summaryOf(kind, name, f => values.at(place(f))),
    values: {
      ...values,
      set: (at, value) => {
        const above = at.slice(0, -1)
        const around = values.at(above)
        const last = !!around && typeof around === "object" && Object.keys(around).length === 1
        if (value === undefined && isHead(at)) values.set(at, null)
        else if (value === undefined && last && isHead(above)) values.set(above, null)
        else change(() => values.set(at, value), at, value)
      },
      insert: (at, n, value) => change(() => values.insert(at, n, value), at, [value]),
    },
  }
}

/** A new entry of a kind: its name, and what it cannot be without. */
export function emptyEntry(kind: Kind): unknown {
  const main = kind.fields?.find(f => f.key === kind.main)
  if (main?.as === "blocks" && main.fields?.length)
    return {
      [kind.name]: [
        Object.fromEntries(main.fields.slice(0, 2).map(f => [f.key, f.as === "entries" ? null : ""])),
      ],
    }
  return { [kind.name]: null }
}

function summaryOf(kind: Kind | undefined, name: string, at: (f: Field) => unknown): string {
  if (!kind) return name ? `${name}: this is not known here` : "Nothing stands here"
  const said = (kind.fields ?? [])
    .map(f => {
      const value = at(f)
      if (value === undefined || value === null || value === "" || f.as === "entries") return ""
      return f.key === kind.main ? shown(value, f) : `${f.label.toLowerCase()} ${shown(value, f)}`
    })
    .filter(Boolean)
  return said.length > 0 ? `${kind.label}: ${said.join(", ")}` : kind.label
}

/** The units of lengths of time, as they are written and as they are said. */
export const units: [written: string, said: string][] = [
  ["m", "minutes"],
  ["h", "hours"],
  ["d", "days"],
  ["w", "weeks"],
  ["s", "seconds"],
]

function spoken(time: string): string {
  const m = /^(\d+)([smhdw])$/.exec(time)
  const said = units.find(([unit]) => unit === m?.[2])?.[1]
  return m && said ? `${m[1]} ${m[1] === "1" ? said.slice(0, -1) : said}` : time
}

function shown(value: unknown, f: Field): string {
  if (typeof value === "boolean") return value ? "yes" : "no"
  if (Array.isArray(value)) return value.map(v => shown(v, f)).join(", ")
  if (isBlock(value))
    return Object.entries(value)
      .map(([k, v]) => `${k} ${shown(v, f)}`)
      .join(", ")
  if (f.as === "time") return spoken(String(value))
  const choice = f.choices?.find(c => c.value === String(value))
  return choice?.label ?? String(value)
}

function isBlock(value: unknown): value is Record<string, unknown> {
  return !!value && typeof value === "object" && !Array.isArray(value)
}
