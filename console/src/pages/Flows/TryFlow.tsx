import { Field, Label, Select } from "@headlessui/react"
import { useMutation, useQuery } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Area, Input } from "../../parts/Fields"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { draftOf } from "./FlowScript"
import { GivenValues } from "./GivenValues"

const ways = [
  ["message", "A customer writes"],
  ["hand", "By hand, or as its trigger says"],
  ["conversation", "A conversation that there was"],
  ["entry", "What was last sent with its form"],
  ["posted", "What another system posted"],
  ["run", "What started an earlier run"],
  ["step", "One step, by itself"],
] as const

type Way = (typeof ways)[number][0]

/** Tries the draft on something that happened or might: nothing real is touched. */
export function TryFlow({ flow: f }: { flow: Schemas["Flow"] }) {
  const [way, setWay] = useState<Way>(() => likely(f))
  const [picked, setPicked] = useState("")
  const [values, setValues] = useState<Record<string, string>>({})
  const [saved, setSaved] = useState("")
  const [says, setSays] = useState("")
  const [pass, setPass] = useState("")
  const tried = useMutation({
    mutationFn: () =>
      api.tryFlow(f.name, {
        text: draftOf(f.name),
        ...(way === "hand" ? { values } : {}),
        ...(way === "entry" ? { entry: "latest" } : {}),
        ...(way === "step" ? { step: picked, saved: savedOf(saved) } : {}),
        ...(way === "message" || way === "conversation" || way === "posted" || way === "run"
          ? { [way]: picked }
          : {}),
        says: says
          .split("\n")
          .map(line => line.trim())
          .filter(Boolean),
        pass,
      }),
  })
  const ready = way === "hand" || way === "entry" || picked.trim() !== ""
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-3 lg:flex-row">
      <form
        className="min-w-0 shrink-0 lg:flex-[2] space-y-3 rounded-lg border border-line bg-sheet p-4 lg:shrink lg:overflow-y-auto"
        onSubmit={e => {
          e.preventDefault()
          if (ready) tried.mutate()
        }}
      >
        <p className="text-soft">
          The draft is played as it is, with a clock of its own. Nothing is sent, written or called.
        </p>
        <Chooser
          label="It starts with"
          value={way}
          options={ways.filter(([key]) => key !== "posted" || f.address).map(([key, words]) => [key, words])}
          onChange={key => {
            setWay(key as Way)
            setPicked("")
          }}
        />
        <Start flow={f} way={way} picked={picked} onPick={setPicked} />
        {way === "hand" && <GivenValues flow={f} values={values} onChange={setValues} />}
        {way === "step" && (
          <Area
            label="What was saved before it, a line each: people = 12"
            value={saved}
            onChange={setSaved}
            rows={3}
            most={4000}
          />
        )}
        <Area
          label="What the customer says then, a line each; +2h lets time pass"
          value={says}
          onChange={setSays}
          rows={3}
          most={4000}
        />
        <Input label="How much time passes then, such as 31m, 4h or 3d" value={pass} onChange={setPass} />
        <Button type="submit" look="main" disabled={!ready || tried.isPending}>
          Play it
        </Button>
        <Wrong error={tried.error} />
      </form>
      <section
        aria-label="What came of it"
        aria-live="polite"
        className="min-h-40 min-w-0 shrink-0 lg:flex-[3] rounded-lg border border-line bg-sheet p-4 lg:shrink lg:overflow-y-auto"
      >
        {tried.data ? (
          <Came of={tried.data} name={f.name} />
        ) : (
          <Empty title="What comes of it stands here">
            Which trigger fires, what each condition comes to, what is said and done, and where it ends.
          </Empty>
        )}
      </section>
    </div>
  )
}

/** What most likely starts a flow, by its triggers. */
function likely(f: Schemas["Flow"]): Way {
  const by = { message: "message", form: "entry", webhook: "posted" } as const
  const first = Object.keys(by).find(kind => f.triggers.includes(kind)) as keyof typeof by | undefined
  return first ? by[first] : "hand"
}

/** The values in lines of NAME = VALUE; numbers, yes and no keep their kind. */
function savedOf(lines: string): Record<string, unknown> {
  const values: Record<string, unknown> = {}
  for (const line of lines.split("\n")) {
    const at = line.indexOf("=")
    if (at < 1) continue
    const value = line.slice(at + 1).trim()
    try {
      values[line.slice(0, at).trim()] = JSON.parse(value)
    } catch {
      values[line.slice(0, at).trim()] = value
    }
  }
  return values
}

function Chooser(props: {
  label: string
  value: string
  options: (readonly [string, string])[]
  onChange: (value: string) => void
}) {
  return (
    <Field>
      <Label className="text-sm text-soft">{props.label}</Label>
      <Select
        value={props.value}
        onChange={e => props.onChange(e.target.value)}
        className="w-full rounded-md border border-line bg-paper px-3 py-2"
      >
        {props.options.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </Select>
    </Field>
  )
}

/** Chooses the one thing that starts it, of those that there are. */
function Start(props: { flow: Schemas["Flow"]; way: Way; picked: string; onPick: (id: string) => void }) {
  const { flow: f, way } = props
  const now = useNow(60)
  const things = useQuery({
    queryKey: ["tried", f.name, way],
    enabled: way === "conversation" || way === "posted" || way === "run" || way === "step",
    queryFn: async (): Promise<[string, string][]> => {
      if (way === "conversation")
        return (await api.conversations("", "")).items.map(c => [c.id, `${c.who}: ${c.preview}`])
      if (way === "posted")
        return (await api.posted(f.name)).items.map(p => [p.id, `${ago(p.at, now)}: ${p.body.slice(0, 80)}`])
      if (way === "run")
        return (await api.runs({ flow: f.name })).items.map(r => [
          r.id,
          `${r.who}, ${ago(r.started_at, now)}`,
        ])
      return (await api.flow(f.name)).sentences
        .filter(s => s.number)
        .map(s => [s.number, `${s.number}  ${s.words}`])
    },
  })
  if (way === "message") return <Input label="What they write" value={props.picked} onChange={props.onPick} />
  if (!things.data) return <Wrong error={things.error} />
  if (things.data.length === 0) return <p className="text-soft">There is none yet.</p>
  return (
    <Chooser
      label="Which"
      value={props.picked}
      options={[["", "Choose…"], ...things.data]}
      onChange={props.onPick}
    />
  )
}

/** What came of trying a flow. */
function Came({ of: t, name }: { of: Schemas["TriedFlow"]; name: string }) {
  return (
    <div className="space-y-4">
      <ul>
        {t.triggers.map((trigger, i) => (
          <li key={i} className={trigger.fires ? "text-leaf" : "text-soft"}>
            {trigger.fires ? "✓ It starts when " : "✗ Not when "}
            {trigger.words}
            {trigger.why && `: ${trigger.why}`}
          </li>
        ))}
      </ul>
      {t.missed ? (
        <p className="font-semibold text-saffron">It does not start: {t.missed}.</p>
      ) : (
        <p className="font-semibold">In the end it {t.stands}.</p>
      )}
      {t.talk.length > 0 && (
        <Part title="What is said">
          {t.talk.map((l, i) => (
            <li key={i} className="flex gap-3">
              <span className="w-20 shrink-0 text-soft">{l.by}</span>
              <span className="min-w-0 break-words whitespace-pre-line">{l.text}</span>
            </li>
          ))}
        </Part>
      )}
      {t.steps.length > 0 && (
        <Part title="Step by step">
          {t.steps.map((s, i) => (
            <li key={i} className="flex gap-3">
              <span className="w-20 shrink-0 text-sm text-soft tabular-nums">{clock(s.at)}</span>
              <span className="w-8 shrink-0 text-soft">{s.number}</span>
              <span className="min-w-0 break-words">
                {s.flow !== name && <span className="text-soft">{s.flow}: </span>}
                {s.words}
              </span>
            </li>
          ))}
        </Part>
      )}
      {t.happened.length > 0 && (
        <Part title="What would be done beside">
          {t.happened.map((what, i) => (
            <li key={i} className="break-words">
              {what}
            </li>
          ))}
        </Part>
      )}
      {Object.keys(t.values).length > 0 && (
        <Part title="What is saved">
          {Object.entries(t.values).map(([key, value]) => (
            <li key={key} className="flex gap-3">
              <span className="text-soft">{key}</span>
              <span className="min-w-0 break-words">
                {typeof value === "string" ? value : JSON.stringify(value)}
              </span>
            </li>
          ))}
        </Part>
      )}
    </div>
  )
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section>
      <h3 className="mb-1 font-semibold">{title}</h3>
      <ul className="space-y-0.5">{children}</ul>
    </section>
  )
}

/** The day and time at which a step was taken, in the workspace's zone, as the service writes it. */
function clock(at: string): string {
  const day = new Date(at.slice(0, 10) + "T00:00").toLocaleDateString([], { weekday: "short" })
  return `${day} ${at.slice(11, 16)}`
}
