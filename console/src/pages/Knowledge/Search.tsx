import { Input } from "@headlessui/react"
import { keepPreviousData, useQuery } from "@tanstack/react-query"
import { useDeferredValue, useState } from "react"
import { api } from "../../api/client"
import { Empty, Wrong } from "../../parts/Says"
import { Weighed } from "../../parts/Weighed"

/** Shows which passages a question finds, and why. */
export function Search() {
  const [question, setQuestion] = useState("")
  const wanted = useDeferredValue(question.trim())
  const found = useQuery({
    queryKey: ["search", wanted],
    queryFn: () => api.search(wanted),
    enabled: wanted.length > 1,
    placeholderData: keepPreviousData,
  })
  return (
    <div className="max-w-3xl px-1 pt-1">
      <Input
        type="search"
        aria-label="A question, as a customer would ask it"
        placeholder="A question, as a customer would ask it"
        value={question}
        onChange={e => setQuestion(e.target.value)}
        className="mb-3 w-full rounded-md border border-line bg-sheet px-3 py-2"
      />
      <Wrong error={found.error} />
      {wanted.length < 2 ? (
        <Empty title="Try a question">
          You see which passages it finds, how sure each is, and what it lacks.
        </Empty>
      ) : (
        <ul className="space-y-2">
          {found.data?.items.map(p => (
            <Weighed key={p.passage_id} passage={p} />
          ))}
          {found.data?.items.length === 0 && (
            <Empty title="Nothing found">No passage shares a telling word with that.</Empty>
          )}
        </ul>
      )}
    </div>
  )
}
