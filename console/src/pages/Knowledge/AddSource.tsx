import { Field, Label, Select } from "@headlessui/react"
import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api } from "../../api/client"
import { Drawer } from "../../parts/Drawer"
import { Area, Day, Form, Input, Tick, useKept } from "../../parts/Fields"

/** Where a text is typed, or a website named. */
export function AddSource({ kind, onClose }: { kind: "text" | "web" | null; onClose: () => void }) {
  return (
    <Drawer title={kind === "web" ? "Read a website" : "Type a text"} open={!!kind} onClose={onClose}>
      {kind === "web" ? <Web onDone={onClose} /> : <Typed onDone={onClose} />}
    </Drawer>
  )
}

const intervals = [
  [0, "by hand"],
  [15, "every 15 minutes"],
  [60, "every hour"],
  [360, "every 6 hours"],
  [1440, "every day"],
  [10080, "every week"],
  [43200, "every 30 days"],
] as const

/** How often a web source is read again. */
export function Every({ value, onChange }: { value: number; onChange: (minutes: number) => void }) {
  const known = intervals.some(([minutes]) => minutes === value)
  return (
    <Field>
      <Label className="text-sm text-soft">Read again</Label>
      <Select
        value={value}
        onChange={e => onChange(Number(e.target.value))}
        className="w-full rounded-md border border-line bg-paper px-3 py-2"
      >
        {!known && <option value={value}>every {value} minutes</option>}
        {intervals.map(([minutes, words]) => (
          <option key={minutes} value={minutes}>
            {words}
          </option>
        ))}
      </Select>
    </Field>
  )
}

function Web({ onDone }: { onDone: () => void }) {
  const queries = useQueryClient()
  const [address, setAddress] = useKept("new web source")
  const [follow, setFollow] = useState(true)
  const [pairs, setPairs] = useState(false)
  const [every, setEvery] = useState(1440)
  const [pages, setPages] = useState("500")
  const add = useMutation({
    mutationFn: () =>
      api.addWeb({ address: address.trim(), follow, pairs, every_minutes: every, pages: Number(pages) || 0 }),
    onSuccess: () => {
      setAddress("")
      void queries.invalidateQueries({ queryKey: ["sources"] })
      onDone()
    },
  })
  return (
    <Form
      does="Read it"
      ready={!!address.trim() && !add.isPending}
      error={add.error}
      onSubmit={() => add.mutate()}
      onCancel={onDone}
    >
      <Input
        label="Address"
        placeholder="https://www.example.org/help/"
        value={address}
        onChange={setAddress}
      />
      <Tick on={follow} onChange={setFollow}>
        Follow its links to pages whose address begins the same
      </Tick>
      <Tick on={pairs} onChange={setPairs}>
        Its headings are questions, with the answers below them
      </Tick>
      <div className="grid gap-4 sm:grid-cols-2">
        <Every value={every} onChange={setEvery} />
        {follow && (
          <Input label="At most so many pages" type="number" min={1} value={pages} onChange={setPages} />
        )}
      </div>
      <p className="text-soft">What the site's robots.txt closes to programs is left out.</p>
    </Form>
  )
}

function Typed({ onDone }: { onDone: () => void }) {
  const queries = useQueryClient()
  const [name, setName] = useKept("new text name")
  const [text, setText] = useKept("new text")
  const [from, setFrom] = useState<string>()
  const [until, setUntil] = useState<string>()
  const add = useMutation({
    mutationFn: () => api.addText({ name: name.trim(), text, valid_from: from, valid_until: until }),
    onSuccess: () => {
      setName("")
      setText("")
      void queries.invalidateQueries({ queryKey: ["sources"] })
      onDone()
    },
  })
  return (
    <Form
      does="Keep it"
      ready={!!name.trim() && !!text.trim() && !add.isPending}
      error={add.error}
      onSubmit={() => add.mutate()}
      onCancel={onDone}
    >
      <Input label="Name" placeholder="winter notice" value={name} onChange={setName} />
      <Area
        label="Text; a line that begins with # is a heading"
        rows={12}
        most={400000}
        value={text}
        onChange={setText}
      />
      <div className="grid gap-4 sm:grid-cols-2">
        <Day label="Holds from" value={from} onChange={setFrom} />
        <Day label="Holds until" value={until} onChange={setUntil} />
      </div>
    </Form>
  )
}
