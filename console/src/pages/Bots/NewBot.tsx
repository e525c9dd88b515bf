import { Field, Input, Label, Select } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { readYAML, underFreeName, withValue } from "../../parts/yaml"

/**
 * A new bot in two steps: where it begins, each with an example conversation, and then only what no
 * start can know. What is made is live, and opens beside a trial conversation.
 */
export function NewBot(props: {
  kind: Schemas["DocumentKind"]
  taken: string[]
  onMade: (name: string) => void
  onBlank: () => void
}) {
  const [chosen, setChosen] = useState<Schemas["DocumentStart"] | null>(null)
  if (chosen) return <SetUp {...props} start={chosen} onBack={() => setChosen(null)} />
  return (
    <div className="grid flex-1 content-start gap-3 overflow-y-auto px-4 pb-4 sm:grid-cols-2 lg:px-6 xl:grid-cols-3">
      {(props.kind.starts ?? []).map(start => (
        <button
          key={start.name}
          onClick={() => setChosen(start)}
          className="flex flex-col gap-2 rounded-lg border border-line bg-sheet p-4 text-left hover:bg-sunk"
        >
          <span className="font-semibold">{start.title}</span>
          <span className="text-sm text-soft">{start.about}</span>
          <Talk talk={start.talk ?? []} />
        </button>
      ))}
      <button
        onClick={props.onBlank}
        className="rounded-lg border border-dashed border-line p-4 text-left hover:bg-sunk"
      >
        <span className="block font-semibold">From scratch</span>
        <span className="text-sm text-soft">An almost empty brief; you write all of it.</span>
      </button>
    </div>
  )
}

function Talk({ talk }: { talk: Schemas["StartTalk"][] }) {
  return (
    <span className="mt-auto space-y-1.5 text-sm">
      {talk.map(t => (
        <span key={t.customer} className="block space-y-1.5">
          <span className="mr-8 block w-fit rounded-md border border-line bg-paper px-2 py-1">
            {t.customer}
          </span>
          <span className="ml-8 block w-fit rounded-md bg-blue-wash px-2 py-1">{t.bot}</span>
        </span>
      ))}
    </span>
  )
}

function SetUp(props: {
  kind: Schemas["DocumentKind"]
  start: Schemas["DocumentStart"]
  taken: string[]
  onMade: (name: string) => void
  onBack: () => void
}) {
  const { start } = props
  const queries = useQueryClient()
  const begun = readYAML(start.text)
  const [name, setName] = useState("")
  const [sources, setSources] = useState<string[]>([])
  const [who, setWho] = useState("")
  const [mail, setMail] = useState("")
  const knowledge = useQuery({ queryKey: ["sources"], queryFn: api.sources })
  const teams = useQuery({ queryKey: ["documents", "teams"], queryFn: () => api.documents("teams") })
  const people = useQuery({ queryKey: ["documents", "people"], queryFn: () => api.documents("people") })
  const connections = useQuery({
    queryKey: ["documents", "connections"],
    queryFn: () => api.documents("connections"),
  })
  const servers = (connections.data?.items ?? []).filter(d =>
    ["smtp", "mailbox"].includes(String(readYAML(d.text).kind)),
  )
  const make = useMutation({
    mutationFn: () => {
      let text = underFreeName(start.text, "bot", props.taken)
      if (name.trim()) text = withValue(text, ["name"], name.trim())
      if (sources.length > 0) text = withValue(text, ["sources"], sources)
      if (who) text = withValue(text, ["escalate", "to"], who)
      if (who && mail) text = withValue(text, ["escalate", "notify"], mail)
      const called = String(readYAML(text).bot)
      return api.putDocument("bots", called, text, 0)
    },
    onSuccess: d => {
      void queries.invalidateQueries({ queryKey: ["documents"] })
      props.onMade(d.name)
    },
  })
  const field = "w-full rounded-md border border-line bg-paper px-3 py-2"
  return (
    <div className="flex-1 overflow-y-auto px-4 pb-4 lg:px-6">
      <form
        className="mx-auto max-w-xl space-y-5 rounded-lg border border-line bg-sheet p-5"
        onSubmit={e => {
          e.preventDefault()
          make.mutate()
        }}
      >
        <div>
          <h2 className="text-lg font-semibold">{start.title}</h2>
          <p className="text-soft">
            A few things that only you know. All of it can be changed afterwards, and is tried before a
            customer sees it.
          </p>
        </div>
        <Field>
          <Label className="mb-1 block font-semibold">What is it called?</Label>
          <Input
            autoFocus
            placeholder={String(begun.name)}
            value={name}
            onChange={e => setName(e.target.value)}
            className={field}
          />
          <span className="text-sm text-soft">The name that customers read.</span>
        </Field>
        <div role="group" aria-labelledby="what-from">
          <span id="what-from" className="mb-1 block font-semibold">
            What does it answer from?
          </span>
          <span className="flex flex-wrap gap-1.5">
            {knowledge.data?.items.map(s => (
              <button
                key={s.name}
                type="button"
                aria-pressed={sources.includes(s.name)}
                onClick={() =>
                  setSources(
                    sources.includes(s.name) ? sources.filter(n => n !== s.name) : [...sources, s.name],
                  )
                }
                className="rounded-full border border-line px-3 py-1 text-sm hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-wash aria-pressed:text-sea"
              >
                {s.name}
              </button>
            ))}
          </span>
          <span className="mt-1 block text-sm text-soft">
            {knowledge.data?.items.length === 0
              ? "There is no knowledge yet: add some under Knowledge. Until then it hands everything over."
              : "None chosen: all of it, also what you add later."}
          </span>
        </div>
        <Field>
          <Label className="mb-1 block font-semibold">Who comes in when it does not know?</Label>
          <Select value={who} onChange={e => setWho(e.target.value)} className={field}>
            <option value="">whoever looks into the inbox</option>
            {teams.data?.items.map(t => (
              <option key={t.name} value={"team/" + t.name}>
                {String(readYAML(t.text).title ?? t.name)}
              </option>
            ))}
            {people.data?.items.map(p => (
              <option key={p.name} value={"person/" + p.name}>
                {String(readYAML(p.text).name ?? p.name)}
              </option>
            ))}
          </Select>
        </Field>
        {who && servers.length > 0 && (
          <Field>
            <Label className="mb-1 block font-semibold">How are they told?</Label>
            <Select value={mail} onChange={e => setMail(e.target.value)} className={field}>
              <option value="">only in the console</option>
              {servers.map(d => (
                <option key={d.name} value={d.name}>
                  by mail, through {String(readYAML(d.text).title ?? d.name)}
                </option>
              ))}
            </Select>
          </Field>
        )}
        <Wrong error={make.error ?? knowledge.error ?? teams.error ?? people.error} />
        <div className="flex justify-end gap-2">
          <Button onClick={props.onBack}>Choose another start</Button>
          <Button type="submit" look="main" disabled={make.isPending}>
            Make it and try it
          </Button>
        </div>
      </form>
    </div>
  )
}
