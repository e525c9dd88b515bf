import { PlusIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { useInAddress, useTypedInAddress } from "../../parts/address"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Area, Day, dayOf, Form, Input } from "../../parts/Fields"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

type Answer = Schemas["HouseAnswer"]

const blank = { question: "", answer: "" }

/** Questions with the answers that people wrote or approved. */
export function HouseAnswers() {
  const now = useNow(60)
  const queries = useQueryClient()
  const house = useQuery({ queryKey: ["house"], queryFn: api.houseAnswers })
  const [search, setSearch] = useTypedInAddress("search")
  const [chosen, setChosen] = useInAddress("edit")
  const [removing, setRemoving] = useState<Answer | null>(null)
  const remove = useMutation({
    mutationFn: (h: Answer) => api.removeHouseAnswer(h.id),
    onSettled: () => queries.invalidateQueries({ queryKey: ["house"] }),
  })
  const items = house.data?.items ?? []
  const edited = chosen === "new" ? "new" : items.find(h => h.id === chosen)
  const shown = items.filter(h => (h.question + " " + h.answer).toLowerCase().includes(search.toLowerCase()))
  return (
    <div className="max-w-3xl">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <Button look="main" onClick={() => setChosen("new")}>
          <PlusIcon className="size-4" />
          Write one
        </Button>
        {items.length > 5 && (
          <input
            type="search"
            aria-label="Search house answers"
            placeholder="Search house answers"
            value={search}
            onChange={e => setSearch(e.target.value)}
            className="min-w-0 flex-1 rounded-md border border-line bg-sheet px-3 py-1.5"
          />
        )}
      </div>
      <Wrong error={house.error ?? remove.error} />
      {house.isSuccess && items.length === 0 && (
        <Empty title="There is no house answer yet">
          A house answer is said word for word and goes before what the sources say. Write one, answer a gap,
          or approve a lesson.
        </Empty>
      )}
      <ul className="space-y-2">
        {shown.map(h => {
          const due = h.review_at && Date.parse(h.review_at) < now
          return (
            <li key={h.id} className="rounded-lg border border-line bg-sheet p-3">
              <div className="flex items-start gap-2">
                <div className="min-w-0 flex-1">
                  <p className="font-semibold">{h.question}</p>
                  <p className="whitespace-pre-line">{h.answer}</p>
                  <p className="text-sm text-soft">
                    {h.author}, {ago(h.updated_at, now)}
                    {h.bot && ` · for ${h.bot} alone`}
                    {h.valid_from && ` · from ${dayOf(h.valid_from)}`}
                    {h.valid_until && ` · until ${dayOf(h.valid_until)}`}
                    {h.review_at && (
                      <span className={due ? "text-saffron" : ""}>
                        {due ? " · to be looked at again now" : ` · look again on ${dayOf(h.review_at)}`}
                      </span>
                    )}
                  </p>
                </div>
                <Button look="quiet" onClick={() => setChosen(h.id)}>
                  Edit
                </Button>
                <Button look="quiet" onClick={() => setRemoving(h)}>
                  Remove
                </Button>
              </div>
            </li>
          )
        })}
      </ul>
      <Drawer
        title={edited === "new" ? "A new house answer" : "House answer"}
        open={!!edited}
        onClose={() => setChosen("")}
      >
        {edited && <Editor kept={edited === "new" ? undefined : edited} onDone={() => setChosen("")} />}
      </Drawer>
      <Ask
        title="Remove this house answer?"
        act="Remove it"
        open={!!removing}
        onClose={() => setRemoving(null)}
        onAct={() => remove.mutate(removing!)}
      >
        “{removing?.question}” is no longer answered with it.
      </Ask>
    </div>
  )
}

function Editor({ kept, onDone }: { kept?: Answer; onDone: () => void }) {
  const queries = useQueryClient()
  const [h, setH] = useState<Schemas["HouseAnswerText"]>(kept ?? blank)
  const save = useMutation({
    mutationFn: () => {
      const { question, answer, review_at, valid_from, valid_until } = h
      const text = { question, answer, review_at, valid_from, valid_until }
      return kept ? api.putHouseAnswer(kept.id, text, kept.version) : api.addHouseAnswer(text)
    },
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["house"] })
      onDone()
    },
  })
  return (
    <Form
      does="Keep it"
      ready={!!h.question.trim() && !!h.answer.trim() && !save.isPending}
      error={save.error}
      onSubmit={() => save.mutate()}
      onCancel={onDone}
    >
      <Input
        label="The question, as customers would ask it"
        value={h.question}
        onChange={question => setH({ ...h, question })}
      />
      <Area
        label="The answer, word for word"
        rows={6}
        most={8000}
        value={h.answer}
        onChange={answer => setH({ ...h, answer })}
      />
      <div className="grid gap-4 sm:grid-cols-3">
        <Day label="Holds from" value={h.valid_from} onChange={valid_from => setH({ ...h, valid_from })} />
        <Day
          label="Holds until"
          value={h.valid_until}
          onChange={valid_until => setH({ ...h, valid_until })}
        />
        <Day label="Look at it again" value={h.review_at} onChange={review_at => setH({ ...h, review_at })} />
      </div>
    </Form>
  )
}
