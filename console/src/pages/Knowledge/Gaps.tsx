import { Checkbox, Field, Label, Textarea } from "@headlessui/react"
import { CheckIcon } from "@heroicons/react/16/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Input, useKept } from "../../parts/Fields"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The questions that nobody's knowledge answered, the most frequent first. */
export function Gaps() {
  const gaps = useQuery({ queryKey: ["gaps"], queryFn: api.gaps })
  const [open, setOpen] = useInAddress("answer")
  return (
    <div className="max-w-3xl">
      <Wrong error={gaps.error} />
      {gaps.data?.items.length === 0 && (
        <Empty title="No question is without an answer">
          What customers ask and no bot can answer stands here, so that you answer it once for all.
        </Empty>
      )}
      <ul className="space-y-2">
        {gaps.data?.items.map(g => (
          <Gap key={g.id} gap={g} open={open === g.id} onOpen={() => setOpen(open === g.id ? "" : g.id)} />
        ))}
      </ul>
    </div>
  )
}

function Gap({ gap, open, onOpen }: { gap: Schemas["Gap"]; open: boolean; onOpen: () => void }) {
  const now = useNow(60)
  const others = gap.wordings.filter(w => w !== gap.question)
  return (
    <li className="rounded-lg border border-line bg-sheet p-3">
      <div className="flex flex-wrap items-start gap-x-3 gap-y-1">
        <div className="min-w-0 flex-1">
          <p className="font-semibold">{gap.question}</p>
          {others.length > 0 && (
            <p className="text-sm text-soft">also: {others.map(o => `“${o}”`).join(", ")}</p>
          )}
          <p className="text-sm text-soft">
            asked {gap.times === 1 ? "once" : `${gap.times} times`}, last {ago(gap.last_at, now)}
            {gap.waiting.length > 0 && (
              <>
                {" · "}
                <Link to={"/inbox/" + gap.waiting[0]} className="text-saffron underline">
                  {gap.waiting.length === 1 ? "1 customer waits" : `${gap.waiting.length} customers wait`}
                </Link>
              </>
            )}
          </p>
        </div>
        <Button onClick={onOpen} aria-expanded={open}>
          {open ? "Not now" : "Answer"}
        </Button>
      </div>
      {open && <AnswerGap gap={gap} />}
    </li>
  )
}

function AnswerGap({ gap }: { gap: Schemas["Gap"] }) {
  const queries = useQueryClient()
  const [question, setQuestion] = useState(gap.question)
  const [answer, setAnswer] = useKept("gap " + gap.id)
  const [send, setSend] = useState(gap.waiting.length > 0)
  const again = () => ["gaps", "house"].forEach(k => void queries.invalidateQueries({ queryKey: [k] }))
  const keep = useMutation({
    mutationFn: () => api.answerGap(gap.id, { question, answer, send }),
    onSuccess: () => {
      setAnswer("")
      again()
    },
  })
  const drop = useMutation({ mutationFn: () => api.dropGap(gap.id), onSuccess: again })
  return (
    <form
      className="mt-3 space-y-3 border-t border-line pt-3"
      onSubmit={e => {
        e.preventDefault()
        keep.mutate()
      }}
    >
      <Wrong error={keep.error ?? drop.error} />
      <Input label="The question, in general words" value={question} onChange={setQuestion} />
      <Field>
        <Label className="text-sm text-soft">The answer, for everybody who asks this</Label>
        <Textarea
          autoFocus
          rows={3}
          maxLength={8000}
          value={answer}
          onChange={e => setAnswer(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2"
        />
      </Field>
      <div className="flex flex-wrap items-center gap-3">
        {gap.waiting.length > 0 && (
          <Field className="flex items-center gap-2">
            <Checkbox
              checked={send}
              onChange={setSend}
              className="group flex size-5 items-center justify-center rounded border border-line bg-paper data-checked:bg-sea"
            >
              <CheckIcon className="size-4 text-on-sea opacity-0 group-data-checked:opacity-100" />
            </Checkbox>
            <Label>
              Send it to{" "}
              {gap.waiting.length === 1 ? "the customer who waits" : `the ${gap.waiting.length} who wait`}
            </Label>
          </Field>
        )}
        <Button look="quiet" className="ml-auto" disabled={drop.isPending} onClick={() => drop.mutate()}>
          Set aside
        </Button>
        <Button type="submit" look="main" disabled={!answer.trim() || keep.isPending}>
          Keep as house answer
        </Button>
      </div>
    </form>
  )
}
