import { Description, Field, Input, Label, Textarea } from "@headlessui/react"
import { XMarkIcon } from "@heroicons/react/20/solid"
import { type ReactNode, useEffect, useId, useRef, useState } from "react"
import { parse, stringify } from "yaml"
import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"
import type { Named } from "./names"

export const look =
  "w-full min-w-0 rounded-md border border-line bg-paper px-3 py-2 data-invalid:border-scarlet placeholder:text-soft/70"

export type Words = { label: string; about?: string; example?: string; problems: string[] }

/** The label, help and errors around a field. */
export function Around(props: Words & { children: ReactNode; group?: boolean }) {
  const id = useId()
  const inner = (
    <>
      {props.about && <span className="mt-1 block text-sm text-soft">{props.about}</span>}
      {props.problems.map(message => (
        <span key={message} role="alert" className="mt-1 block text-sm text-scarlet first-letter:uppercase">
          {message}
        </span>
      ))}
    </>
  )
  if (props.group)
    return (
      <div role="group" aria-labelledby={id}>
        <span id={id} className="mb-1 block text-sm font-semibold">
          {props.label}
        </span>
        {props.children}
        {inner}
      </div>
    )
  return (
    <Field>
      <Label className="mb-1 block text-sm font-semibold">{props.label}</Label>
      {props.children}
      <Description as="span">{inner}</Description>
    </Field>
  )
}

/** One value, typed. */
export function ValueOf(
  props: Words & {
    value: string
    onChange: (value: string) => void
    number?: boolean
    long?: boolean
    suggest?: Named[]
  },
) {
  const id = useId()
  return (
    <Around {...props}>
      {props.long ? (
        <Textarea
          rows={Math.min(8, Math.max(2, Math.ceil(props.value.length / 70)))}
          invalid={props.problems.length > 0}
          placeholder={props.example}
          value={props.value}
          onChange={e => props.onChange(e.target.value)}
          className={look + " field-sizing-content"}
        />
      ) : (
        <Input
          inputMode={props.number ? "decimal" : undefined}
          invalid={props.problems.length > 0}
          placeholder={props.example}
          list={props.suggest?.length ? id : undefined}
          value={props.value}
          onChange={e => props.onChange(e.target.value)}
          className={look}
        />
      )}
      <Suggestions id={id} names={props.suggest ?? []} />
    </Around>
  )
}

/** The list of what a field may hold. */
export function Suggestions(props: { id: string; names: Named[] }) {
  if (props.names.length === 0) return null
  return (
    <datalist id={props.id}>
      {props.names.map(n => (
        <option key={n.name} value={n.name} label={n.title} />
      ))}
    </datalist>
  )
}

/** A list of texts, a line for each, and an empty one for the next. */
export function TextsOf(props: Words & { value: string[]; onChange: (value: string[] | undefined) => void }) {
  return (
    <Around {...props} group>
      <Lines {...props} />
    </Around>
  )
}

function Lines(props: {
  label: string
  example?: string
  value: string[]
  onChange: (value: string[] | undefined) => void
}) {
  const { value } = props
  const change = (next: string[]) => props.onChange(next.length > 0 ? next : undefined)
  return (
    <ul className="space-y-1">
      {[...value, ""].map((line, i) => (
        <li key={i} className="flex items-center gap-1">
          <Input
            aria-label={`${props.label}, ${i < value.length ? i + 1 : "one more"}`}
            placeholder={i === value.length ? (value.length > 0 ? "One more" : props.example) : undefined}
            value={line}
            onChange={e =>
              change(i < value.length ? value.with(i, e.target.value) : [...value, e.target.value])
            }
            onBlur={() => line === "" && i < value.length && change(value.toSpliced(i, 1))}
            className={look}
          />
          {i < value.length ? (
            <Out label={`Remove ${line || "the empty line"}`} onClick={() => change(value.toSpliced(i, 1))} />
          ) : (
            <span className="w-8 shrink-0" />
          )}
        </li>
      ))}
    </ul>
  )
}

/** The button that takes something out. */
export function Out(props: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={props.label}
      title={props.label}
      onClick={props.onClick}
      className="w-8 shrink-0 rounded-md p-1.5 text-soft hover:bg-sunk hover:text-scarlet"
    >
      <XMarkIcon className="size-4" />
    </button>
  )
}

/**
 * A text that stands for something else: it is read as that when it can be, and stays as it is typed
 * until then.
 */
function Typed(props: {
  shown: string
  onTyped: (text: string) => void
  children: (text: string, type: (text: string) => void) => ReactNode
}) {
  const [text, setText] = useState(props.shown)
  const written = useRef(props.shown)
  useEffect(() => {
    if (props.shown !== written.current) setText(props.shown)
    written.current = props.shown
  }, [props.shown])
  return props.children(text, next => {
    setText(next)
    props.onTyped(next)
  })
}

/** Lists of texts: a list in each line, its texts parted by commas. */
export function ListsOf(
  props: Words & { value: unknown; onChange: (value: string[][] | undefined) => void },
) {
  const lists = Array.isArray(props.value) ? props.value : []
  const read = (text: string) =>
    text
      .split("\n")
      .map(line =>
        line
          .split(",")
          .map(word => word.trim())
          .filter(Boolean),
      )
      .filter(list => list.length > 0)
  const shown = lists.map(list => (Array.isArray(list) ? list.join(", ") : String(list))).join("\n")
  return (
    <Around {...props}>
      <Typed
        shown={shown}
        onTyped={text => {
          const next = read(text)
          props.onChange(next.length > 0 ? next : undefined)
        }}
      >
        {(text, type) => (
          <Textarea
            rows={Math.min(10, Math.max(3, lists.length + 1))}
            placeholder={props.example}
            value={text}
            onChange={e => type(e.target.value)}
            className={look}
          />
        )}
      </Typed>
    </Around>
  )
}

/** Anything, written as YAML. */
export function DataOf(props: Words & { value: unknown; onChange: (value: unknown) => void }) {
  const [wrong, setWrong] = useState("")
  const shown = props.value === undefined ? "" : stringify(props.value, { lineWidth: 0 })
  return (
    <Around {...props} problems={wrong ? [...props.problems, wrong] : props.problems}>
      <Typed
        shown={shown}
        onTyped={text => {
          try {
            props.onChange(text.trim() ? parse(text) : undefined)
            setWrong("")
          } catch (err) {
            setWrong(`it cannot be read yet: ${err instanceof Error ? err.message.split("\n")[0] : ""}`)
          }
        }}
      >
        {(text, type) => (
          <Textarea
            rows={Math.min(16, Math.max(3, text.split("\n").length))}
            spellCheck={false}
            invalid={!!wrong}
            value={text}
            onChange={e => type(e.target.value)}
            className={look + " font-mono text-sm"}
          />
        )}
      </Typed>
    </Around>
  )
}

/** A key that is given its name when the field is left. */
export function KeyOf(props: {
  label: string
  value: string
  example?: string
  taken: string[]
  /** The list of what it may be. */
  suggest?: string
  onChange: (value: string) => void
}) {
  const [text, setText] = useState(props.value)
  useEffect(() => setText(props.value), [props.value])
  return (
    <Input
      aria-label={props.label}
      placeholder={props.example}
      list={props.suggest}
      value={text}
      onChange={e => setText(e.target.value)}
      onBlur={() => {
        const next = text.trim()
        if (next && next !== props.value && !props.taken.includes(next)) props.onChange(next)
        else setText(props.value)
      }}
      className={look + " text-sm"}
    />
  )
}

/** The keys of what stands at a path. */
export const keysAt = (values: Values, path: Path): string[] => {
  const at = values.at(path)
  return at && typeof at === "object" && !Array.isArray(at) ? Object.keys(at) : []
}

/** Lists of texts by keys: those that there can be, or those that somebody thinks of. */
export function GroupsOf(
  props: Words & { choices?: Schemas["FieldChoice"][]; adds?: string; values: Values; path: Path },
) {
  const { values, path, choices } = props
  const keys = keysAt(values, path)
  const lines = (key: string) => {
    const at = values.at([...path, key])
    return Array.isArray(at) ? at.map(v => String(v ?? "")) : at === undefined ? [] : [String(at)]
  }
  if (choices?.length)
    return (
      <Around {...props} group>
        <div className="space-y-3">
          {choices.map(c => (
            <div key={c.value} className="grid gap-1 sm:grid-cols-[11rem_1fr] sm:gap-3">
              <span className="pt-2 text-sm text-soft">{c.label}</span>
              <Lines
                label={c.label}
                example={c.about}
                value={lines(c.value)}
                onChange={value => values.set([...path, c.value], value)}
              />
            </div>
          ))}
        </div>
      </Around>
    )
  return (
    <Around {...props} group>
      <div className="space-y-3">
        {[...keys, ""].map((key, i) => (
          <div key={i} className="grid items-start gap-1 sm:grid-cols-[11rem_1fr] sm:gap-3">
            <KeyOf
              label={key ? `Name of ${key}` : `One more: ${props.adds ?? "name"}`}
              value={key}
              example="One more"
              taken={keys}
              onChange={to => (key ? values.rename(path, key, to) : values.set([...path, to], [""]))}
            />
            {key && (
              <Lines label={key} value={lines(key)} onChange={value => values.set([...path, key], value)} />
            )}
          </div>
        ))}
      </div>
    </Around>
  )
}
