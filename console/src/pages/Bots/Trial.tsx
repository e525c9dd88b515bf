import { Input } from "@headlessui/react"
import { useMutation } from "@tanstack/react-query"
import { useLayoutEffect, useRef, useState } from "react"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { confidence } from "../../parts/confidence"
import { Drawer } from "../../parts/Drawer"
import { Empty, Wrong } from "../../parts/Says"
import { Sources } from "../../parts/Sources"
import { Trace } from "../../parts/Trace"

type Line = { said: string } | { turn: Schemas["TrialTurn"] }

/** A conversation that nobody else sees: nothing is kept, and nothing is written anywhere. */
export function Trial({ bot, draft }: { bot: string; draft: string | null }) {
  const [lines, setLines] = useState<Line[]>([])
  const [before, setBefore] = useState<Schemas["TrialState"]>({})
  const [text, setText] = useState("")
  const [why, setWhy] = useInAddress("why")
  const chosen = why ? lines[Number(why)] : undefined
  const shown = chosen && "turn" in chosen ? chosen.turn.trace : null
  const box = useRef<HTMLDivElement>(null)
  const say = useMutation({
    mutationFn: (words: string) => api.tryBot(bot, words, before, draft ?? ""),
    onSuccess: (turn, words) => {
      setLines(lines => [...lines, { said: words }, { turn }])
      setBefore(turn.after)
      setText("")
    },
  })
  useLayoutEffect(() => {
    box.current?.scrollTo({ top: box.current.scrollHeight })
  }, [lines])
  return (
    <section
      aria-label="Trial"
      className="flex min-h-96 flex-col rounded-lg border border-line bg-sheet lg:min-h-0"
    >
      <div className="flex items-center gap-2 border-b border-line px-4 py-2">
        <div className="mr-auto">
          <h2 className="font-semibold">Trial conversation</h2>
          <p className="text-sm text-soft">Nobody else sees it; nothing is written anywhere</p>
        </div>
        <Button
          disabled={lines.length === 0}
          onClick={() => {
            setLines([])
            setBefore({})
          }}
        >
          Begin anew
        </Button>
      </div>
      <div ref={box} className="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto p-4" aria-live="polite">
        {lines.length === 0 && (
          <Empty title="Ask the awkward questions">
            Write as a customer would. Each reply shows how sure the bot was.
          </Empty>
        )}
        {lines.map((line, i) =>
          "said" in line ? (
            <p
              key={i}
              className="max-w-[85%] self-start rounded-lg border border-line px-3.5 py-2 whitespace-pre-line"
            >
              {line.said}
            </p>
          ) : (
            <div key={i} className="max-w-[85%] self-end rounded-lg bg-blue-wash px-3.5 py-2">
              <p className="whitespace-pre-line">{line.turn.reply || "(no reply)"}</p>
              <Sources citations={line.turn.citations} />
              <p className="mt-1 flex flex-wrap gap-x-3 text-sm text-soft">
                {line.turn.trace.passed?.at(-1) && (
                  <span className="text-sea">
                    passed to {line.turn.trace.passed.at(-1)!.to.replace(/^\w+\//, "")}
                  </span>
                )}
                <span>{line.turn.trace.decision}</span>
                <Confidence trace={line.turn.trace} />
                <button className="text-blue underline" onClick={() => setWhy(String(i))}>
                  Why?
                </button>
              </p>
            </div>
          ),
        )}
      </div>
      <Wrong error={say.error} />
      <form
        className="flex gap-2 border-t border-line p-3"
        onSubmit={e => {
          e.preventDefault()
          if (text.trim() && !say.isPending) say.mutate(text)
        }}
      >
        <Input
          aria-label="Write as a customer"
          placeholder="Write as a customer"
          value={text}
          onChange={e => setText(e.target.value)}
          className="min-w-0 flex-1 rounded-md border border-line bg-paper px-3 py-2"
        />
        <Button type="submit" look="main" disabled={!text.trim() || say.isPending}>
          Say
        </Button>
      </form>
      <Drawer title="Why the bot said this" open={!!shown} onClose={() => setWhy("")}>
        {shown && <Trace trace={shown} />}
      </Drawer>
    </section>
  )
}

/** What a reply stands on: the tools that were used, or how sure the bot was of what it found. */
function Confidence({ trace }: { trace: Schemas["Trace"] }) {
  if (trace.tools?.length) return <span>by {[...new Set(trace.tools.map(t => t.tool))].join(", ")}</span>
  const best = Math.max(0, ...(trace.understood ?? []).flatMap(u => u.passages?.map(p => p.confidence) ?? []))
  return best > 0 ? <span>confidence {confidence(best)}</span> : null
}
