import { Input, Select } from "@headlessui/react"
import { PlusIcon } from "@heroicons/react/20/solid"
import { useContext, useId, useState } from "react"
import { units } from "./entry"
import { Around, look, Out, ValueOf, Suggestions, type Words } from "./lines"
import { Told } from "./told"

type Part = { name: string; is: string; value: string }
type Simple = { parts: Part[]; joined: "&&" | "||" }

const ways: { is: string; label: string; compares: boolean }[] = [
  { is: "true", label: "is so", compares: false },
  { is: "false", label: "is not so", compares: false },
  { is: "==", label: "is", compares: true },
  { is: "!=", label: "is not", compares: true },
  { is: ">", label: "is more than", compares: true },
  { is: ">=", label: "is at least", compares: true },
  { is: "<", label: "is less than", compares: true },
  { is: "<=", label: "is at most", compares: true },
]

const onePart =
  /^\s*(!?)\s*([a-z_][\w.]*(?:\.orValue\('[^'"]*'\))?)\s*(?:(==|!=|>=|<=|>|<)\s*("[^"\\]*"|'[^'\\]*'|-?\d+(?:\.\d+)?|true|false))?\s*$/

/** Reads an expression that only compares values; undefined, where it does more. */
function simple(expression: string): Simple | undefined {
  if (expression.trim() === "") return { parts: [{ name: "", is: "==", value: "" }], joined: "&&" }
  const joined = expression.includes("||") ? "||" : "&&"
  const parts: Part[] = []
  for (const one of expression.split(joined)) {
    const m = onePart.exec(one)
    if (!m || (m[1] && m[3])) return undefined
    parts.push({
      name: m[2],
      is: m[3] ?? (m[1] ? "false" : "true"),
      value: (m[4] ?? "").replace(/^["']|["']$/g, ""),
    })
  }
  return { parts, joined }
}

function written({ parts, joined }: Simple): string {
  return parts
    .map(({ name, is, value }) => {
      if (is === "true") return name
      if (is === "false") return "!" + name
      return `${name} ${is} ${/^(-?\d+(\.\d+)?|true|false)$/.test(value) ? value : JSON.stringify(value)}`
    })
    .join(` ${joined} `)
}

/** A condition: values held against others, or an expression where that does not do. */
export function ConditionOf(props: Words & { value: string; onChange: (value: string) => void }) {
  const { names } = useContext(Told)
  const id = useId()
  // What is half typed is no expression yet; it is kept as it is typed.
  const [typed, setTyped] = useState<{ of: string; parts: Simple }>()
  const read = typed && typed.of === props.value ? typed.parts : simple(props.value)
  const [raw, setRaw] = useState(false)
  if (!read || raw)
    return (
      <ValueOf
        {...props}
        about={props.about ? props.about + " An expression." : "An expression."}
        suggest={names}
      />
    )
  const change = (parts: Part[], joined = read.joined) => {
    const whole = parts.every(p => p.name && (p.value || !ways.find(w => w.is === p.is)?.compares))
    const next = whole || parts.length === 0 ? written({ parts, joined }) : props.value
    setTyped({ of: next, parts: { parts, joined } })
    if (next !== props.value) props.onChange(next)
  }
  return (
    <Around {...props} group>
      <ul className="space-y-1">
        {read.parts.map((p, i) => (
          <li key={i} className="flex flex-wrap items-center gap-1">
            {i > 0 && (
              <Select
                aria-label="And, or"
                value={read.joined}
                onChange={e => change(read.parts, e.target.value as Simple["joined"])}
                className="rounded-md border border-line bg-paper px-2 py-2"
              >
                <option value="&&">and</option>
                <option value="||">or</option>
              </Select>
            )}
            <Input
              aria-label="Value"
              list={id}
              placeholder="party_size"
              value={p.name}
              onChange={e => change(read.parts.with(i, { ...p, name: e.target.value.trim() }))}
              className={look + " min-w-36! w-auto! flex-2 font-mono text-sm"}
            />
            <Select
              aria-label="How it is held against it"
              value={p.is}
              onChange={e => change(read.parts.with(i, { ...p, is: e.target.value }))}
              className="rounded-md border border-line bg-paper px-2 py-2"
            >
              {ways.map(w => (
                <option key={w.is} value={w.is}>
                  {w.label}
                </option>
              ))}
            </Select>
            {ways.find(w => w.is === p.is)?.compares && (
              <Input
                aria-label="What it is held against"
                placeholder="8"
                value={p.value}
                onChange={e =>
                  change(read.parts.with(i, { ...p, value: e.target.value.replace(/["'\\]/g, "") }))
                }
                className={look + " min-w-24! w-auto! flex-1"}
              />
            )}
            {(read.parts.length > 1 || p.name) && (
              <Out
                label="Remove this condition"
                onClick={() => {
                  const left = read.parts.toSpliced(i, 1)
                  setTyped(undefined)
                  props.onChange(left.length > 0 ? written({ parts: left, joined: read.joined }) : "")
                }}
              />
            )}
          </li>
        ))}
      </ul>
      <Suggestions id={id} names={names} />
      <span className="flex flex-wrap gap-x-4 text-sm">
        {props.value && (
          <button
            type="button"
            className="inline-flex items-center gap-1 text-sea hover:underline"
            onClick={() => change([...read.parts, { name: "", is: "==", value: "" }])}
          >
            <PlusIcon className="size-4" />
            And, or
          </button>
        )}
        <button type="button" className="text-sea hover:underline" onClick={() => setRaw(true)}>
          Write an expression
        </button>
      </span>
    </Around>
  )
}

/** A length of time: so many minutes, hours or days. */
export function TimeOf(props: Words & { value: string; onChange: (value: string) => void }) {
  const m = /^(\d*)([smhdw])$/.exec(props.value.trim())
  const [unit, setUnit] = useState(m?.[2] ?? /[smhdw]$/.exec(props.example ?? "")?.[0] ?? "m")
  if (props.value && !m) return <ValueOf {...props} />
  const of = m?.[2] ?? unit
  return (
    <Around {...props} group>
      <span className="flex gap-1">
        <Input
          aria-label={props.label}
          inputMode="numeric"
          placeholder={props.example?.replace(/\D/g, "") || undefined}
          value={m?.[1] ?? ""}
          onChange={e => {
            const digits = e.target.value.replace(/\D/g, "").slice(0, 5)
            props.onChange(digits ? digits + of : "")
          }}
          className={look + " w-24!"}
        />
        <Select
          aria-label="Unit"
          value={of}
          onChange={e => {
            setUnit(e.target.value)
            if (m) props.onChange(m[1] + e.target.value)
          }}
          className="rounded-md border border-line bg-paper px-2 py-2"
        >
          {units.map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Select>
      </span>
    </Around>
  )
}
