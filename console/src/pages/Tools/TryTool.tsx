import { Field, Input, Label, Select } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { readYAML, withValue } from "../../parts/yaml"
import { Exchange } from "./Exchange"
import { Sample, type Use } from "./Sample"

type Schema = Record<string, unknown>
const block = (value: unknown): Schema =>
  value && typeof value === "object" && !Array.isArray(value) ? (value as Schema) : {}

/** A call of a tool with sample values: what is sent, what comes back, and what a customer would be told. */
export function TryTool(props: {
  tool: string
  text: string
  /** Changes the document beside it. */
  onChange: (how: (text: string) => string) => void
}) {
  const { tool, text } = props
  const queries = useQueryClient()
  const kept = useQuery({
    queryKey: ["documents", "tools", tool],
    queryFn: () => api.document("tools", tool),
    enabled: !text,
  })
  const read = readYAML(text || (kept.data?.text ?? ""))
  const schema = block(read.arguments)
  const properties = block(schema.properties)
  const origins = block(read.comes_from)
  const required = Array.isArray(schema.required) ? schema.required.map(String) : []
  const asked = Object.keys(properties).filter(name => {
    const from = block(origins[name])
    return from.fixed === undefined && !from.verified
  })
  const fromMemory = Object.values(origins).some(o => block(o).memory)
  const [given, setGiven] = useState<Record<string, string>>({})
  const [contact, setContact] = useState("")
  const contacts = useQuery({ queryKey: ["contacts"], queryFn: () => api.contacts(), enabled: fromMemory })
  const attempt = useMutation({
    mutationFn: (really: boolean) =>
      api.tryTool(tool, {
        text: text || undefined,
        contact: contact || undefined,
        really: really || undefined,
        arguments: Object.fromEntries(
          asked.filter(n => given[n]).map(n => [n, valueOf(block(properties[n]), given[n])]),
        ),
      }),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["tool-calls"] })
      void queries.invalidateQueries({ queryKey: ["tools"] })
    },
  })
  const tried = attempt.data
  return (
    <form
      className="space-y-3"
      onSubmit={e => {
        e.preventDefault()
        attempt.mutate(false)
      }}
    >
      {asked.length === 0 && <p className="text-soft">It needs no details from anybody.</p>}
      {asked.map(name => {
        const p = block(properties[name])
        const values = Array.isArray(p.enum) ? p.enum.map(String) : []
        const label = name + (required.includes(name) ? "" : " (may be left out)")
        const set = (value: string) => setGiven({ ...given, [name]: value })
        return (
          <Field key={name}>
            <Label className="text-sm text-soft">{label}</Label>
            {values.length > 0 ? (
              <Select
                value={given[name] ?? ""}
                onChange={e => set(e.target.value)}
                className="w-full rounded-md border border-line bg-paper px-3 py-2"
              >
                <option value="">not said</option>
                {values.map(v => (
                  <option key={v}>{v}</option>
                ))}
              </Select>
            ) : (
              <Input
                type={p.format === "date" ? "date" : p.format === "time-of-day" ? "time" : "text"}
                value={given[name] ?? ""}
                onChange={e => set(e.target.value)}
                className="w-full rounded-md border border-line bg-paper px-3 py-2"
              />
            )}
          </Field>
        )
      })}
      {fromMemory && (
        <Field>
          <Label className="text-sm text-soft">As which contact</Label>
          <Select
            value={contact}
            onChange={e => setContact(e.target.value)}
            className="w-full rounded-md border border-line bg-paper px-3 py-2"
          >
            <option value="">nobody</option>
            {contacts.data?.items.map(c => (
              <option key={c.id} value={c.id}>
                {c.who}
              </option>
            ))}
          </Select>
        </Field>
      )}
      <Button type="submit" look="main" disabled={attempt.isPending}>
        {attempt.isPending ? "Calling…" : "Call it"}
      </Button>
      <Wrong error={attempt.error} />
      {tried && (
        <Outcome
          tried={tried}
          picks={!!read.pick}
          onChange={props.onChange}
          onReally={() => attempt.mutate(true)}
          busy={attempt.isPending}
        />
      )}
    </form>
  )
}

function Outcome(props: {
  tried: Schemas["TriedTool"]
  picks: boolean
  onChange: (how: (text: string) => string) => void
  onReally: () => void
  busy: boolean
}) {
  const { tried } = props
  if (tried.missing)
    return (
      <p role="status" className="rounded-md bg-saffron-wash px-3 py-2 text-saffron">
        Nothing was called: {tried.missing} is missing.
      </p>
    )
  if (tried.held)
    return (
      <div role="status" className="space-y-2 rounded-md bg-saffron-wash px-3 py-2 text-saffron">
        <p>This may change something in the other system, so it was not called.</p>
        <Button onClick={props.onReally} disabled={props.busy}>
          Call it all the same
        </Button>
      </div>
    )
  return (
    <div role="status" className="space-y-3">
      {tried.call.error && (
        <p className="rounded-md bg-scarlet-wash px-3 py-2 text-scarlet first-letter:uppercase">
          {tried.call.error}
        </p>
      )}
      <div>
        <h3 className="text-sm font-semibold">The customer is told</h3>
        <p className="rounded-md bg-sea-wash px-3 py-2">{tried.said}</p>
      </div>
      <Sample
        title="What came back"
        value={readJSON(tried.call.response ?? "")}
        uses={[
          { act: "Take only this", how: path => text => withValue(text, ["pick"], path) },
          ...(props.picks ? [] : [intoReply]),
        ]}
        onUse={props.onChange}
      />
      {props.picks && (
        <Sample title="What is taken of it" value={tried.result} uses={[intoReply]} onUse={props.onChange} />
      )}
      <Exchange call={tried.call} />
    </div>
  )
}

/** What was typed, as the kind of value that the schema wants. */
function valueOf(schema: Schema, typed: string): unknown {
  switch (schema.type) {
    case "integer":
    case "number":
      return Number.isNaN(Number(typed)) ? typed : Number(typed)
    case "boolean":
      return /^(yes|true|1)$/i.test(typed) ? true : /^(no|false|0)$/i.test(typed) ? false : typed
    default:
      return typed
  }
}

/** Puts a value at the end of the last reply, which is the one that is said if no other is. */
const intoReply: Use = {
  act: "Put it into the reply",
  how: path => text => {
    const say = readYAML(text).say
    const last = Array.isArray(say) ? Math.max(0, say.length - 1) : 0
    const before = Array.isArray(say) ? String(block(say[last]).text ?? "") : ""
    return withValue(text, ["say", last, "text"], `${before} {{ ${path} }}`.trim())
  },
}

function readJSON(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return undefined // it is shown as it came
  }
}
