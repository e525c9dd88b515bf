import { Disclosure, DisclosureButton, DisclosurePanel, Input } from "@headlessui/react"
import { ChevronRightIcon, PlusIcon } from "@heroicons/react/20/solid"
import { type ReactNode, useState } from "react"
import type { Schemas } from "../../api/client"
import { Button } from "../Button"
import type { Path, Values } from "../yaml"
import { ChoiceOf, SwitchOf } from "./choosing"
import { Around, look, Out, TextsOf, ValueOf, type Words } from "./lines"

type Schema = Record<string, unknown>

/** What a detail can be, in words, and the JSON Schema of that. */
const forms: { value: string; label: string; schema: Schema; is: (s: Schema) => boolean }[] = [
  {
    value: "text",
    label: "a text",
    schema: { type: "string" },
    is: s => s.type === "string" && !s.format && !s.enum && !s.pattern,
  },
  {
    value: "choice",
    label: "one of some values",
    schema: { type: "string", enum: [] },
    is: s => Array.isArray(s.enum),
  },
  { value: "day", label: "a day", schema: { type: "string", format: "date" }, is: s => s.format === "date" },
  {
    value: "time",
    label: "a time of day",
    schema: { type: "string", format: "time-of-day", pattern: "^[0-2][0-9]:[0-5][0-9]$" },
    is: s => s.format === "time-of-day",
  },
  { value: "integer", label: "a whole number", schema: { type: "integer" }, is: s => s.type === "integer" },
  { value: "number", label: "a number", schema: { type: "number" }, is: s => s.type === "number" },
  {
    value: "email",
    label: "an e-mail address",
    schema: { type: "string", format: "email" },
    is: s => s.format === "email",
  },
  {
    value: "pattern",
    label: "something of a form of its own",
    schema: { type: "string", pattern: "" },
    is: s => s.type === "string" && typeof s.pattern === "string",
  },
  { value: "boolean", label: "yes or no", schema: { type: "boolean" }, is: s => s.type === "boolean" },
]

const block = (value: unknown): Schema =>
  value && typeof value === "object" && !Array.isArray(value) ? (value as Schema) : {}
const names = (value: unknown): string[] => (Array.isArray(value) ? value.map(String) : [])

/**
 * The properties of a JSON Schema, as what somebody needs to know: each with what it is, and with the
 * fields of the block beside the schema that has its name.
 */
export function Details(props: {
  field: Schemas["DocumentField"]
  values: Values
  words: Words
  path: Path
  each: (inside: Path) => ReactNode
}) {
  const { field, values, words, path, each } = props
  const properties = block(values.at([...path, "properties"]))
  const required = names(values.at([...path, "required"]))
  const [adding, setAdding] = useState("")
  const beside = [...path.slice(0, -1), field.beside ?? ""]
  const add = () => {
    const name = adding.trim().replace(/[^A-Za-z0-9_]+/g, "_")
    if (!name || name in properties) return
    values.setAll([
      [[...path, "type"], "object"],
      [[...path, "properties", name], { type: "string" }],
    ])
    setAdding("")
  }
  const need = (name: string, on: boolean) =>
    on ? [...required.filter(n => n !== name), name] : required.filter(n => n !== name)
  return (
    <Around {...words} group>
      <ul className="space-y-2">
        {Object.keys(properties).map(name => {
          const schema = block(properties[name])
          const at = [...path, "properties", name]
          const form = forms.find(f => f.is(schema))
          return (
            <li key={name} className="rounded-md border border-line bg-sheet p-3">
              <div className="mb-2 flex items-center gap-2">
                <code className="mr-auto font-mono font-semibold">{name}</code>
                <Out
                  label={`Remove ${name}`}
                  onClick={() => {
                    const left = need(name, false)
                    values.setAll([
                      [[...path, "required"], left.length > 0 ? left : undefined],
                      [at, undefined],
                      [[...beside, name], undefined],
                    ])
                  }}
                />
              </div>
              <div className="space-y-3">
                <ChoiceOf
                  label="It is"
                  problems={[]}
                  value={form?.value ?? ""}
                  choices={[
                    ...(form ? [] : [{ value: "", label: "as the text says" }]),
                    ...forms.map(f => ({ value: f.value, label: f.label })),
                  ]}
                  onChange={value => {
                    const next = forms.find(f => f.value === value)
                    if (next)
                      values.set(at, {
                        ...next.schema,
                        ...(schema.description ? { description: schema.description } : {}),
                      })
                  }}
                />
                {form?.value === "choice" && (
                  <TextsOf
                    label="Its values"
                    example="Gannet Holm"
                    problems={[]}
                    value={names(schema.enum)}
                    onChange={list => values.set([...at, "enum"], list ?? [])}
                  />
                )}
                {form?.value === "pattern" && (
                  <ValueOf
                    label="Its form"
                    about="A regular expression: ^BF-[0-9]{4}$ is BF- and four digits."
                    example="^BF-[0-9]{4}$"
                    problems={[]}
                    value={String(schema.pattern)}
                    onChange={value => values.set([...at, "pattern"], value)}
                  />
                )}
                <SwitchOf
                  label="It cannot do without"
                  problems={[]}
                  value={required.includes(name)}
                  onChange={on => {
                    const next = need(name, on)
                    values.set([...path, "required"], next.length > 0 ? next : undefined)
                  }}
                />
                <Disclosure>
                  <DisclosureButton className="group flex items-center gap-1 rounded-md py-1 text-sm font-semibold text-sea hover:bg-sunk">
                    <ChevronRightIcon className="size-4 group-data-open:rotate-90" />
                    Where it comes from
                    <span className="ml-1 font-normal text-soft">
                      {origin(block(values.at([...beside, name])))}
                    </span>
                  </DisclosureButton>
                  <DisclosurePanel className="space-y-3 pt-2">{each([...beside, name])}</DisclosurePanel>
                </Disclosure>
              </div>
            </li>
          )
        })}
      </ul>
      <div className="mt-2 flex gap-2">
        <Input
          aria-label={`Name of ${field.adds}`}
          placeholder={`Name of ${field.adds}, such as day`}
          value={adding}
          onChange={e => setAdding(e.target.value)}
          onKeyDown={e => {
            if (e.key === "Enter") {
              e.preventDefault()
              add()
            }
          }}
          className={look}
        />
        <Button onClick={add} disabled={!adding.trim()}>
          <PlusIcon className="size-4" />
          Add {field.adds}
        </Button>
      </div>
    </Around>
  )
}

/** Where a detail comes from, in a few words. */
function origin(from: Schema): string {
  const says: string[] = []
  if (from.fixed !== undefined) return `always ${String(from.fixed)}`
  if (from.verified) return `what is verified of the contact (${String(from.memory ?? "")})`
  says.push("what is said")
  if (from.memory) says.push(`what is known (${String(from.memory)})`)
  if (from.default !== undefined) says.push(`else ${String(from.default)}`)
  else if (from.ask) says.push("else asked for")
  return says.join(", ")
}
