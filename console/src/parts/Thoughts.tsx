import type { Schemas } from "../api/client"

const tasks: Record<string, string> = {
  search: "Choosing what to read",
  answer: "Replying",
  ask: "Finding the questions that a passage answers",
}

/** What a language model was asked in a turn, what it said, and how that was checked. */
export function Thoughts({ trace: t }: { trace: Schemas["Trace"] }) {
  const cost = t.thoughts?.reduce((sum, th) => sum + th.cost, 0) ?? 0
  return (
    <section>
      <h3 className="mb-1 font-semibold">What the model was asked</h3>
      {t.built_in && (
        <p className="mb-2 rounded-md bg-saffron-wash px-3 py-2 text-saffron">
          The built-in thinker replied: {t.built_in}.
        </p>
      )}
      {t.thoughts?.map((th, i) => (
        <Thought key={i} thought={th} />
      ))}
      {cost > 0 && <p className="text-sm text-soft">The turn cost {(cost / 1e6).toFixed(5)} in all.</p>}
    </section>
  )
}

function Thought({ thought: th }: { thought: Schemas["Thought"] }) {
  return (
    <div className="mb-3 rounded-lg border border-line p-3">
      <p className="flex flex-wrap gap-x-3">
        <span className="font-semibold">{tasks[th.kind] ?? th.kind}</span>
        <span className="text-soft">
          {th.connection}, {th.model}
        </span>
        {th.reply && (
          <span className="ml-auto text-sm text-soft tabular-nums">
            {th.reply.in.toLocaleString()} tokens read, {th.reply.out.toLocaleString()} written
            {!th.reply.counted && " (estimated)"}, {th.reply.took} ms
            {th.cost > 0 && ", " + (th.cost / 1e6).toFixed(5)}
          </span>
        )}
      </p>
      {th.error && <p className="mt-1 text-scarlet first-letter:uppercase">{th.error}.</p>}
      {th.reply?.calls?.map(c => (
        <p key={c.id} className="mt-1">
          asks for <span className="font-mono">{c.name}</span>{" "}
          <span className="font-mono text-sm">{c.unread ?? JSON.stringify(c.arguments)}</span>
        </p>
      ))}
      {!!th.checks?.length && (
        <ul className="mt-2 space-y-1.5">
          {th.checks.map((c, i) => (
            <li
              key={i}
              className="border-l-2 border-line pl-2 data-wrong:border-scarlet"
              data-wrong={c.fault ? "" : undefined}
            >
              <p className={c.fault ? "text-soft line-through" : ""}>{c.says}</p>
              {c.means && <p className="text-sm text-soft">meaning: {c.means}</p>}
              <p className="text-sm">
                {c.fault ? (
                  <span className="text-scarlet">
                    not supported, {c.fault}: {c.why}
                  </span>
                ) : c.on?.length ? (
                  <span className="text-leaf">stands on {c.on.map(id => named(th, id)).join(", ")}</span>
                ) : (
                  <span className="text-soft">needs no support</span>
                )}
              </p>
            </li>
          ))}
        </ul>
      )}
      {!!th.passages?.length && (
        <details className="mt-2">
          <summary className="cursor-pointer text-sm text-sea">
            The {th.passages.length === 1 ? "passage" : `${th.passages.length} passages`} it was given
          </summary>
          <ul className="mt-1 space-y-1.5 text-sm">
            {th.passages.map(p => (
              <li key={p.id}>
                <span className="font-mono text-soft">{p.id}</span>{" "}
                <span className="font-semibold">{p.heads?.join(" › ")}</span> {p.text}
              </li>
            ))}
          </ul>
        </details>
      )}
      <details className="mt-1">
        <summary className="cursor-pointer text-sm text-sea">The whole prompt, and what came back</summary>
        {th.messages.map((m, i) => (
          <div key={i} className="mt-2">
            <p className="text-sm font-semibold text-soft">{m.role}</p>
            <pre className="max-h-64 overflow-auto rounded bg-sunk p-2 text-xs whitespace-pre-wrap">
              {m.text || JSON.stringify(m.calls)}
            </pre>
          </div>
        ))}
        {th.reply?.text && (
          <div className="mt-2">
            <p className="text-sm font-semibold text-soft">what came back</p>
            <pre className="max-h-64 overflow-auto rounded bg-sunk p-2 text-xs whitespace-pre-wrap">
              {th.reply.text}
            </pre>
          </div>
        )}
      </details>
    </div>
  )
}

/** What a passage is called where people know it: its innermost heading, or its source. */
function named(th: Schemas["Thought"], id: string): string {
  const p = th.passages?.find(p => p.id === id)
  if (!p) return id.startsWith("T") ? "what the tool said" : id
  return p.heads?.at(-1) || p.cite.source
}
