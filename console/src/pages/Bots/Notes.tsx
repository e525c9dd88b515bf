import { useMutation } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Area, Tick, useKept } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"
import { type Path, readYAML, withValue } from "../../parts/yaml"

type Props = {
  bot: string
  kind: Schemas["DocumentKind"]
  text: string
  onText: (text: string) => void
}

/** Free notes, set in order as parts of the brief: what is there now beside what is proposed. */
export function Notes({ bot, kind, text, onText }: Props) {
  const [notes, setNotes] = useKept(`notes ${bot}`)
  const [left, setLeft] = useState<string[]>([])
  const sort = useMutation({
    mutationFn: () => api.orderNotes(bot || "new", notes),
    onSuccess: () => setLeft([]),
  })
  const brief = readYAML(text)
  const changes = Object.entries(sort.data?.values ?? {})
    .map(([key, value]) => ({
      key,
      now: at(brief, key.split(".")),
      next: joined(at(brief, key.split(".")), value),
    }))
    .filter(c => JSON.stringify(c.now) !== JSON.stringify(c.next))
  const nowhere = sort.data?.placed.filter(p => p.key === "") ?? []
  const taken = changes.filter(c => !left.includes(c.key))
  return (
    <div className="mx-auto max-w-2xl space-y-4 p-4">
      <p className="text-soft">
        Write down how the bot is to be, as it comes to mind, or paste what you have. Each sentence is put
        where it belongs in the brief; you decide what is taken over.
      </p>
      <Area label="Notes" value={notes} onChange={setNotes} rows={7} most={20000} />
      <Button look="main" disabled={!notes.trim() || sort.isPending} onClick={() => sort.mutate()}>
        Set in order
      </Button>
      <Wrong error={sort.error} />
      {sort.data?.by && <p className="text-sm text-soft">Proposed by {sort.data.by}.</p>}
      {sort.data?.why && (
        <p className="text-sm text-saffron">
          The model could not be used ({sort.data.why}); sorted without it.
        </p>
      )}
      {sort.isSuccess && changes.length === 0 && <p>Nothing that the brief does not say already.</p>}
      {changes.length > 0 && (
        <section aria-label="What is proposed" className="space-y-3">
          <h3 className="font-semibold text-sea">What would change</h3>
          {changes.map(c => (
            <div key={c.key} className="rounded-md border border-line p-3">
              <Tick
                on={!left.includes(c.key)}
                onChange={on => setLeft(on ? left.filter(k => k !== c.key) : [...left, c.key])}
              >
                <span className="font-semibold">{labelOf(kind, c.key)}</span>
              </Tick>
              {c.now !== undefined && (
                <p className="text-sm whitespace-pre-line text-soft">Now: {shown(c.now)}</p>
              )}
              <p className="whitespace-pre-line">{shown(c.next)}</p>
            </div>
          ))}
          <Button
            look="main"
            disabled={taken.length === 0}
            onClick={() => {
              onText(taken.reduce((now, c) => withValue(now, c.key.split("."), c.next), text))
              sort.reset()
            }}
          >
            Take over {taken.length === changes.length ? "all of it" : `these ${taken.length}`}
          </Button>
        </section>
      )}
      {nowhere.length > 0 && (
        <section aria-label="What has no place">
          <h3 className="font-semibold text-saffron">These have no place of their own</h3>
          <ul className="list-disc pl-5">
            {nowhere.map(p => (
              <li key={p.sentence}>{p.sentence}</li>
            ))}
          </ul>
        </section>
      )}
    </div>
  )
}

function at(brief: unknown, path: Path): unknown {
  return path.reduce<unknown>(
    (value, key) =>
      value && typeof value === "object" ? (value as Record<string, unknown>)[key] : undefined,
    brief,
  )
}

/** What stands there with what is proposed: lists and blocks grow, anything else is replaced. */
function joined(now: unknown, next: unknown): unknown {
  if (Array.isArray(now) && Array.isArray(next)) {
    const there = now.map(v => JSON.stringify(v))
    return [...(now as unknown[]), ...next.filter(v => !there.includes(JSON.stringify(v)))]
  }
  if (isBlock(now) && isBlock(next)) return { ...now, ...next }
  return next
}

const isBlock = (value: unknown): value is Record<string, unknown> =>
  !!value && typeof value === "object" && !Array.isArray(value)

function shown(value: unknown): string {
  if (Array.isArray(value)) return value.map(v => "• " + shown(v)).join("\n")
  if (isBlock(value))
    return Object.entries(value)
      .map(([k, v]) => `${k}: ${shown(v)}`)
      .join("\n")
  return value === true ? "yes" : String(value)
}

/** What the form calls a key of the brief. */
function labelOf(kind: Schemas["DocumentKind"], key: string): string {
  const fields = kind.form.flatMap(p => p.fields)
  const own = fields.find(f => f.key === key)
  if (own) return own.label
  const dot = key.indexOf(".")
  const above = fields.find(f => f.key === key.slice(0, dot))
  return above?.choices?.find(c => c.value === key.slice(dot + 1))?.label ?? key
}
