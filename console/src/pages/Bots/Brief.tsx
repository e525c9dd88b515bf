import { Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The brief of a bot: the text of its document, checked while it is written. */
export function Brief({
  bot,
  onDraft,
}: {
  bot: Schemas["Document"]
  onDraft: (text: string | null) => void
}) {
  const queries = useQueryClient()
  const kept = "brief " + bot.name
  const [text, setText] = useState(() => sessionStorage.getItem(kept) ?? bot.text)
  const [base, setBase] = useState(bot)
  const changed = text !== base.text
  const now = useNow(30)

  // A newer version from elsewhere is shown, unless something is being written.
  useEffect(() => {
    if (!changed && bot.version !== base.version) {
      setBase(bot)
      setText(bot.text)
    }
  }, [bot, base.version, changed])
  useEffect(() => {
    if (changed) sessionStorage.setItem(kept, text)
    else sessionStorage.removeItem(kept)
    onDraft(changed ? text : null)
  }, [changed, kept, onDraft, text])

  const [settled, setSettled] = useState(text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), 400)
    return () => clearTimeout(timer)
  }, [text])
  const check = useQuery({
    queryKey: ["check", bot.name, settled],
    queryFn: () => api.checkDocument("bots", bot.name, settled),
  })
  const save = useMutation({
    mutationFn: () => api.putDocument("bots", bot.name, text, base.version),
    onSuccess: d => {
      setBase(d)
      void queries.invalidateQueries({ queryKey: ["documents", "bots"] })
    },
  })
  const problems = check.data?.problems ?? []
  return (
    <section
      aria-label="Brief"
      className="flex min-h-96 flex-col rounded-lg border border-line bg-sheet lg:min-h-0"
    >
      <div className="flex flex-wrap items-center gap-2 border-b border-line px-4 py-2">
        <div className="mr-auto">
          <h2 className="font-semibold">Brief of {bot.name}</h2>
          <p className="text-sm text-soft">
            {changed ? (
              <span className="text-saffron">Changes that are not live yet; the trial uses them</span>
            ) : (
              <>
                Version {base.version} is live, changed {ago(base.updated_at, now)}
              </>
            )}
          </p>
        </div>
        {changed && <Button onClick={() => setText(base.text)}>Discard</Button>}
        <Button
          look="main"
          disabled={!changed || problems.length > 0 || save.isPending}
          onClick={() => save.mutate()}
        >
          Put live
        </Button>
      </div>
      <Wrong error={save.error} />
      <Textarea
        aria-label="The brief's text"
        spellCheck={false}
        value={text}
        onChange={e => setText(e.target.value)}
        className="min-h-0 flex-1 resize-none bg-transparent px-4 py-3 font-mono text-sm leading-relaxed"
      />
      {problems.length > 0 && (
        <ul
          aria-label="Problems"
          className="max-h-40 overflow-y-auto border-t border-line px-4 py-2 text-scarlet"
        >
          {problems.map((p, i) => (
            <li key={i}>
              Line {p.line}: {p.message}
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
