import { useQuery } from "@tanstack/react-query"
import { api, type Schemas } from "../api/client"
import { confidence } from "./confidence"
import { Drawer } from "./Drawer"
import { Wrong } from "./Says"
import { Thoughts } from "./Thoughts"
import { Weighed } from "./Weighed"

/** The trace of a kept turn, in a drawer. */
export function TurnDrawer({ turn, onClose }: { turn: string; onClose: () => void }) {
  const query = useQuery({ queryKey: ["turn", turn], queryFn: () => api.turn(turn), enabled: !!turn })
  return (
    <Drawer title="Why the bot said this" open={!!turn} onClose={onClose}>
      <Wrong error={query.error} />
      {query.data && <Trace trace={query.data.trace} />}
    </Drawer>
  )
}

const times: Record<string, string> = {
  wait: "until it was looked at",
  read: "reading the conversation",
  check: "finding and checking",
  model: "waiting for the model",
  understand: "understanding",
  find: "finding",
  compose: "composing",
}

/** How a turn was decided. */
export function Trace({ trace: t }: { trace: Schemas["Trace"] }) {
  return (
    <div className="space-y-5">
      <section>
        <h3 className="text-lg font-semibold first-letter:uppercase">{t.decision}</h3>
        <p className="text-soft first-letter:uppercase">{t.why}.</p>
      </section>
      {!!t.passed?.length && (
        <section>
          <h3 className="mb-2 font-semibold">Who was asked</h3>
          {t.passed.map((p, i) => (
            <p key={i}>
              From {p.from} to {p.to.replace(/^bot\//, "")}
              <span className="text-soft">: {p.why}</span>
            </p>
          ))}
        </section>
      )}
      {!!t.understood?.length && (
        <section>
          <h3 className="mb-2 font-semibold">What was understood</h3>
          {t.understood.map((u, i) => (
            <div key={i} className="mb-4">
              <p className="mb-2">
                <span className="mr-2 rounded bg-sunk px-1.5 py-0.5 text-sm text-soft">{u.kind}</span>“
                {u.text}”<span className="text-soft"> — {u.outcome}</span>
                {!!u.likely && (
                  <span className="text-soft">
                    ; one of the first three answers it with a chance of {confidence(u.likely)}
                  </span>
                )}
              </p>
              <ul className="space-y-2">
                {u.passages?.slice(0, 4).map(p => (
                  <Weighed key={p.passage_id} passage={p} />
                ))}
              </ul>
            </div>
          ))}
        </section>
      )}
      {(!!t.thoughts?.length || t.built_in) && <Thoughts trace={t} />}
      {!!t.tools?.length && (
        <section>
          <h3 className="mb-1 font-semibold">Tools</h3>
          {t.tools.map((u, i) => (
            <p key={i}>
              <span className="font-mono">{u.tool}</span> with{" "}
              <span className="font-mono text-sm">{JSON.stringify(u.arguments)}</span>: {u.outcome}
            </p>
          ))}
        </section>
      )}
      {!!t.learnt?.length && (
        <section>
          <h3 className="mb-1 font-semibold">Learnt of the contact</h3>
          <p>{t.learnt.join(", ")}</p>
        </section>
      )}
      {!!t.marked?.length && (
        <section>
          <h3 className="mb-1 font-semibold">Marked</h3>
          <p>{t.marked.join("; ")}</p>
        </section>
      )}
      {!!t.effects?.length && (
        <section>
          <h3 className="mb-1 font-semibold">What it led to</h3>
          <ul className="list-disc pl-5">
            {t.effects.map((e, i) => (
              <li key={i}>{e}</li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h3 className="mb-1 font-semibold">Time</h3>
        <dl className="grid grid-cols-[max-content_max-content] gap-x-6 font-mono text-sm">
          {t.timings?.map(part => (
            <div key={part.part} className="contents">
              <dt className="font-sans text-soft">{times[part.part] ?? part.part}</dt>
              <dd className="text-right">{(part.microseconds / 1000).toFixed(1)} ms</dd>
            </div>
          ))}
        </dl>
        <p className="mt-2 text-sm text-soft">
          The bot answers from a confidence of {t.threshold.toFixed(2)}, and offers what it found where one of
          the first three passages answers with a chance of {t.offer_threshold.toFixed(2)} or more.
        </p>
      </section>
    </div>
  )
}
