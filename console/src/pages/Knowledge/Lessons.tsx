import { Field, Label, Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Input } from "../../parts/Fields"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** House answers proposed from what people replied. */
export function Lessons() {
  const lessons = useQuery({ queryKey: ["lessons"], queryFn: api.lessons })
  return (
    <div className="max-w-3xl">
      <Wrong error={lessons.error} />
      {lessons.data?.items.length === 0 && (
        <Empty title="No lesson waits to be looked at">
          When you answer what a bot did not know, it proposes here what it could learn from that.
        </Empty>
      )}
      <ul className="space-y-2">
        {lessons.data?.items.map(l => (
          <Lesson key={l.id} lesson={l} />
        ))}
      </ul>
    </div>
  )
}

const relations = {
  same: "This is known already:",
  completes: "There is a house answer to this already; approving joins both:",
  differs: "What is known differs. Approve only what holds:",
}

function Lesson({ lesson: l }: { lesson: Schemas["Lesson"] }) {
  const now = useNow(60)
  const queries = useQueryClient()
  const [question, setQuestion] = useState(l.question)
  const [answer, setAnswer] = useState(l.answer)
  const again = () =>
    ["lessons", "gaps", "house"].forEach(k => void queries.invalidateQueries({ queryKey: [k] }))
  const changed = question !== l.question || answer !== l.answer
  const approve = useMutation({
    mutationFn: () => api.approveLesson(l.id, changed ? { question, answer } : {}),
    onSuccess: again,
  })
  const reject = useMutation({ mutationFn: () => api.rejectLesson(l.id), onSuccess: again })
  return (
    <li className="space-y-3 rounded-lg border border-line bg-sheet p-3">
      <p className="text-sm text-soft">
        from what {l.author} replied {ago(l.created_at, now)}
        {l.bot && `, for ${l.bot} alone`}
        {l.conversation && (
          <>
            {" · "}
            <Link to={"/inbox/" + l.conversation} className="text-sea underline">
              the conversation
            </Link>
          </>
        )}
      </p>
      <Input label="Question, in general words" value={question} onChange={setQuestion} />
      <Field>
        <Label className="text-sm text-soft">Answer, without this customer's details</Label>
        <Textarea
          rows={Math.min(8, 2 + answer.split("\n").length)}
          maxLength={8000}
          value={answer}
          onChange={e => setAnswer(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2"
        />
      </Field>
      {l.beside && (
        <div
          className={`rounded-md px-3 py-2 ${l.beside.relation === "differs" ? "bg-scarlet-wash text-scarlet" : "bg-saffron-wash text-saffron"}`}
        >
          <p className="font-semibold">{relations[l.beside.relation]}</p>
          <p className="text-ink">{l.beside.text}</p>
          <p className="font-mono text-sm">{l.beside.source}</p>
        </div>
      )}
      <Wrong error={approve.error ?? reject.error} />
      <div className="flex justify-end gap-2">
        <Button disabled={reject.isPending} onClick={() => reject.mutate()}>
          Put aside
        </Button>
        <Button
          look="main"
          disabled={!question.trim() || !answer.trim() || approve.isPending}
          onClick={() => approve.mutate()}
        >
          Approve
        </Button>
      </div>
    </li>
  )
}
