import {
  Disclosure,
  DisclosureButton,
  DisclosurePanel,
  Menu,
  MenuButton,
  MenuItem,
  MenuItems,
} from "@headlessui/react"
import { ChevronRightIcon, PlusIcon } from "@heroicons/react/20/solid"
import { Fragment, type ReactNode, useContext, useId, useRef, useState } from "react"
import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"
import { Move } from "./blocks"
import { type Entry, emptyEntry, entryAt } from "./entry"
import { begins, type FieldProps, type Placed } from "./field"
import { Out, type Words } from "./lines"
import { Told } from "./told"

type Kind = Schemas["EntryKind"]
type Field = Schemas["DocumentField"]

type Props = {
  field: Field
  values: Values
  path: Path
  problems: Placed[]
  /** Draws one field of an entry. */
  draw: (field: FieldProps) => ReactNode
  /** Where the list stands among those around it, as the sentences count: "2/if_silent". */
  within?: string
}

/**
 * A list whose entries are each of one of some kinds, as a script: a line each, in words. The one that is
 * chosen opens as a form in its place; lists within an entry stand indented below it.
 */
export function Entries(props: Props & { words?: Words }) {
  const { field, values, path, within } = props
  const { kinds } = useContext(Told)
  const of = kinds[field.of ?? ""] ?? []
  const at = values.at(path)
  const alone = at !== undefined && at !== null && !Array.isArray(at)
  const count = Array.isArray(at) ? at.length : alone ? 1 : 0
  const id = useId()
  const put = (kind: Kind, place: number) => values.insert(path, place, emptyEntry(kind))
  const [open, setOpen] = useState(-1)
  const add = (
    <Add
      label={`Add ${field.adds ?? "one more"}`}
      kinds={of}
      onAdd={kind => {
        // What would stand behind a step that ends the run would never be reached.
        const last = count > 0 && !alone ? entryAt(values, [...path, count - 1], of) : undefined
        const place = last?.kind?.ends && !there(values.at([...path, count - 1, "if"])) ? count - 1 : count
        put(kind, place)
        setOpen(place)
      }}
    />
  )
  return (
    <div role="group" aria-labelledby={props.words && id} aria-label={props.words ? undefined : field.label}>
      {props.words && (
        <>
          <span id={id} className="mb-1 block text-sm font-semibold">
            {props.words.label}
          </span>
          {props.words.about && <p className="mb-1 text-sm text-soft">{props.words.about}</p>}
          {props.words.problems.map(message => (
            <p key={message} role="alert" className="text-sm text-scarlet first-letter:uppercase">
              {message}
            </p>
          ))}
        </>
      )}
      <ol>
        {Array.from({ length: count }, (_, i) => {
          const here = alone ? path : [...path, i]
          return (
            <li key={i}>
              <Line
                {...props}
                entry={entryAt(values, here, of)}
                here={here}
                told={within === undefined ? String(i) : `${within}/${i}`}
                number={i + 1}
                open={open === i}
                onOpen={() => setOpen(open === i ? -1 : i)}
                tools={
                  <>
                    <Add label="Insert before" kinds={of} onAdd={kind => put(kind, i)} />
                    <span className="ml-auto" />
                    <Move
                      label="Up"
                      off={i === 0}
                      onClick={() => {
                        values.move(path, i, i - 1)
                        setOpen(i - 1)
                      }}
                    />
                    <Move
                      label="Down"
                      off={i === count - 1}
                      onClick={() => {
                        values.move(path, i, i + 1)
                        setOpen(i + 1)
                      }}
                    />
                    <Out
                      label="Remove it"
                      onClick={() => {
                        values.set(here, undefined)
                        setOpen(-1)
                      }}
                    />
                  </>
                }
              />
            </li>
          )
        })}
      </ol>
      {add}
    </div>
  )
}

/** One entry: its sentence; its form, where it is open; the lists within it. */
function Line(
  props: Props & {
    entry: Entry
    here: Path
    told: string
    number: number
    open: boolean
    onOpen: () => void
    tools: ReactNode
  },
) {
  const { entry, values, here, told, problems, open, field } = props
  const { sentences } = useContext(Told)
  const own = entry.values
  const fields = entry.kind?.fields ?? []
  // What is said of a field by its key is said of it by its label, and stands at it.
  const wrong = problems
    .filter(p => begins(p.path, here) && !entry.lists.some(l => within(values, p.path, l.path, l.field)))
    .map(p => {
      const f = fields.find(x => p.message.includes(`"${x.key}"`))
      if (!f) return p
      const at = begins(p.path, entry.place(f)) ? p.path : entry.place(f)
      return { ...p, path: at, message: p.message.replace(`"${f.key}"`, `“${f.label}”`) }
    })
  const plain = fields.filter(f => !isList(f))
  const alike = !fields.some(f => f.needed || f.key === entry.kind?.main)
  // What is shown first is settled when it opens: a field must not move while it is typed into.
  const settled = useRef<string[]>(undefined)
  if (!open) settled.current = undefined
  else
    settled.current ??= plain
      .filter(f => alike || f.needed || f.key === entry.kind?.main || there(values.at(entry.place(f))))
      .map(f => f.key)
  const shown = plain.filter(f => settled.current?.includes(f.key))
  const rest = plain.filter(f => !shown.includes(f))
  const draw = (f: Field) => (
    <Fragment key={f.key}>
      {props.draw({ field: f, values: own, inside: here, path: entry.place(f), problems: wrong })}
    </Fragment>
  )
  const filled = entry.lists.filter(l => there(values.at(l.path)))
  return (
    <div className={open ? "my-1 rounded-md border border-sea bg-sheet" : ""}>
      <button
        type="button"
        aria-expanded={open}
        onClick={props.onOpen}
        className="flex w-full gap-2 rounded-md px-2 py-1 text-left hover:bg-sunk"
      >
        <span className="w-5 shrink-0 text-right text-soft tabular-nums">{props.number}</span>
        <span className="min-w-0 flex-1 break-words">
          {sentences[`${field.of}:${told}`] ?? entry.summary}
          {!open &&
            wrong.map(p => (
              <span
                key={p.message}
                className={`block text-sm first-letter:uppercase ${p.warning ? "text-saffron" : "text-scarlet"}`}
              >
                {p.message}
              </span>
            ))}
        </span>
        <ChevronRightIcon className={`mt-1 size-4 shrink-0 text-soft ${open ? "rotate-90" : ""}`} />
      </button>
      {open && (
        <div className="space-y-3 px-3 pt-1 pb-3">
          <div className="flex flex-wrap items-center gap-1 border-b border-line pb-1 text-sm">
            {props.tools}
          </div>
          {entry.kind?.about && <p className="text-sm text-soft">{entry.kind.about}</p>}
          {entry.kind?.missing && (
            <p className="text-sm text-saffron first-letter:uppercase">{entry.kind.missing}.</p>
          )}
          {wrong
            .filter(p => !shown.some(f => begins(p.path, entry.place(f))))
            .map(p => (
              <p
                key={p.message}
                role="alert"
                className={`text-sm first-letter:uppercase ${p.warning ? "text-saffron" : "text-scarlet"}`}
              >
                {p.message}
              </p>
            ))}
          {shown.map(draw)}
          {(rest.length > 0 || entry.lists.length > filled.length) && (
            <Disclosure>
              <DisclosureButton className="group flex items-center gap-1 rounded-md py-1 text-sm font-semibold text-sea">
                <ChevronRightIcon className="size-4 group-data-open:rotate-90" />
                More that it can do
              </DisclosureButton>
              <DisclosurePanel className="space-y-3">
                {rest.map(draw)}
                {entry.lists
                  .filter(l => !filled.includes(l))
                  .map(l => (
                    <div key={l.field.key}>
                      <p className="text-sm font-semibold">{l.field.label}</p>
                      {l.field.about && <p className="text-sm text-soft">{l.field.about}</p>}
                      <List {...props} list={l} />
                    </div>
                  ))}
              </DisclosurePanel>
            </Disclosure>
          )}
        </div>
      )}
      {filled.map(l => (
        <div key={l.field.key} className="ml-4 border-l border-line pl-2 sm:ml-7">
          <List {...props} list={l} headed />
        </div>
      ))}
    </div>
  )
}

/** A list within an entry: of entries, or of cases that each have entries. */
function List(
  props: Props & {
    entry: Entry
    told: string
    list: Entry["lists"][number]
    headed?: boolean
    open: boolean
  },
) {
  const { list, entry, told, values, problems } = props
  const { sentences } = useContext(Told)
  if (list.field.as === "entries")
    return (
      <>
        {props.headed && (
          <p className="px-2 pt-1 text-soft">
            {sentences[`${list.field.of}:${told}/${list.field.key}`] ?? list.field.label + ":"}
          </p>
        )}
        <Entries
          field={list.field}
          values={entry.values}
          path={list.path}
          problems={problems}
          draw={props.draw}
          within={`${told}/${list.field.key}`}
        />
      </>
    )
  const at = values.at(list.path)
  const cases = Array.isArray(at) ? at.length : 0
  const inner = list.field.fields ?? []
  return (
    <>
      {Array.from({ length: cases }, (_, i) => {
        const block = [...list.path, i]
        const lists = inner.filter(f => f.as === "entries")
        const used = lists.filter(f => hasKey(values.at(block), f.key))
        const otherwise = used.length > 0 && used[0] !== lists[0]
        const listed = used.length > 0 ? used[0] : lists[0]
        return (
          <div key={i}>
            <div className="flex items-start gap-1 px-2 pt-1 text-soft">
              <span className="min-w-0 flex-1">
                {sentences[`${listed.of}:${told}/${list.field.key}.${i}`] ??
                  (otherwise ? `${listed.label}:` : caseOf(inner[0], values.at([...block, inner[0].key]), i))}
              </span>
              {props.open && (
                <Out label={`Remove case ${i + 1}`} onClick={() => entry.values.set(block, undefined)} />
              )}
            </div>
            {props.open && !otherwise && (
              <div className="space-y-3 px-2 pb-1">
                {inner
                  .filter(f => f.as !== "entries")
                  .map(f => (
                    <Fragment key={f.key}>
                      {props.draw({ field: f, values: entry.values, inside: block, problems })}
                    </Fragment>
                  ))}
              </div>
            )}
            <div className="ml-3">
              <Entries
                field={listed}
                values={entry.values}
                path={[...block, listed.key]}
                problems={problems}
                draw={props.draw}
                within={`${told}/${list.field.key}.${i}`}
              />
            </div>
          </div>
        )
      })}
      {props.open &&
        inner
          .filter(f => f.as === "entries")
          .map((f, i) => (
            <button
              key={f.key}
              type="button"
              className="mr-2 inline-flex items-center gap-1 rounded-md px-2 py-1 text-sm font-semibold text-sea hover:bg-sea-wash"
              onClick={() =>
                entry.values.insert(
                  list.path,
                  cases,
                  i === 0 ? { [inner[0].key]: "", [f.key]: null } : { [f.key]: null },
                )
              }
            >
              <PlusIcon className="size-4" />
              {i === 0 ? "Add a case" : `Add: ${f.label.toLowerCase()}`}
            </button>
          ))}
    </>
  )
}

/** Chooses what one more is to be. */
function Add({ label, kinds, onAdd }: { label: string; kinds: Kind[]; onAdd: (kind: Kind) => void }) {
  const groups = [...new Set(kinds.map(k => k.group ?? ""))]
  return (
    <Menu>
      <MenuButton className="inline-flex items-center gap-1 rounded-md px-2 py-1 text-sm font-semibold text-sea hover:bg-sea-wash">
        <PlusIcon className="size-4" />
        {label}
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="z-20 max-h-96! w-88 max-w-[90vw] overflow-y-auto rounded-md border border-line bg-sheet p-1 shadow-lg"
      >
        {groups.map(group => (
          <div key={group}>
            {group && (
              <p className="px-2 pt-2 text-sm font-semibold text-sea first-letter:uppercase">{group}</p>
            )}
            {kinds
              .filter(k => (k.group ?? "") === group && !k.missing)
              .map(k => (
                <MenuItem key={k.name}>
                  <button
                    type="button"
                    onClick={() => onAdd(k)}
                    className="block w-full rounded px-2 py-1 text-left data-focus:bg-sunk"
                  >
                    <span className="block font-semibold">{k.label}</span>
                    {k.about && <span className="block text-sm text-soft">{k.about}</span>}
                  </button>
                </MenuItem>
              ))}
          </div>
        ))}
      </MenuItems>
    </Menu>
  )
}

/** The heading of a case that nothing can be said of yet. */
const caseOf = (f: Field, value: unknown, i: number) =>
  there(value) ? `${f.label} ${String(value)}:` : `Case ${i + 1}:`

const isList = (f: Field) =>
  f.as === "entries" || (f.as === "blocks" && !!f.fields?.some(x => x.as === "entries"))

const there = (value: unknown) => value !== undefined && value !== null && value !== ""

const hasKey = (value: unknown, key: string) => !!value && typeof value === "object" && key in value

/** Whether a path leads into an entry of a list, or of the lists of its cases. */
function within(values: Values, path: Path, list: Path, field: Field): boolean {
  if (!begins(path, list)) return false
  const after = path.slice(list.length)
  if (field.as === "entries") return after.length > 0 || !Array.isArray(values.at(list))
  return after.length > 2 && !!field.fields?.some(f => f.as === "entries" && f.key === after[1])
}
