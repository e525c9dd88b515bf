import { Input } from "@headlessui/react"
import { keepPreviousData, useQuery } from "@tanstack/react-query"
import { useDeferredValue } from "react"
import { api } from "../../api/client"
import { useTypedInAddress } from "../../parts/address"
import { Empty, Wrong } from "../../parts/Says"
import { Weighed } from "../../parts/Weighed"

/** Shows which passages a question finds, why, and whether a bot would answer. */
export function Search() {
  const [question, setQuestion] = useTypedInAddress("question")
  const wanted = useDeferredValue(question.trim())
  const found = useQuery({
    queryKey: ["search", wanted],
    queryFn: () => api.search(wanted),
    enabled: wanted.length > 1,
    placeholderData: keepPreviousData,
  })
  const data = wanted.length > 1 ? found.data : undefined
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
      {!data ? (
        <Empty title="Try a question">
          You see which passages it finds by their words and by their meaning, how sure each is, and what it
          lacks.
        </Empty>
      ) : (
        <>
          {data.mended && (
            <p className="mb-2 text-soft">
              Understood as: <span className="text-ink">{data.mended}</span>
            </p>
          )}
          {data.items.length > 0 && (
            <div
              className={`mb-3 rounded-md px-3 py-2 ${data.answered ? "bg-leaf-wash" : "bg-saffron-wash"}`}
            >
              {data.answered ? (
                <>
                  <p className="font-semibold text-leaf">A bot would answer:</p>
                  <p className="whitespace-pre-line">{data.answer}</p>
                </>
              ) : (
                <p className="text-saffron">
                  A bot would own up that it does not know: no confidence reaches {data.threshold.toFixed(2)}.
                </p>
              )}
            </div>
          )}
          <ul className="space-y-2">
            {data.items.map(p => (
              <Weighed key={p.passage_id} passage={p} />
            ))}
          </ul>
          {data.items.length === 0 && <Empty title="Nothing found">No passage speaks of that.</Empty>}
        </>
      )}
    </div>
  )
}
