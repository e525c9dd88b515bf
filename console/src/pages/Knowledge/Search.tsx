import { Input } from "@headlessui/react"
import { keepPreviousData, useQuery } from "@tanstack/react-query"
import { useDeferredValue } from "react"
import { api } from "../../api/client"
import { useTypedInAddress } from "../../parts/address"
import { confidence } from "../../parts/confidence"
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
  const earlier = found.isPlaceholderData || wanted !== question.trim() // what stands there is of what was typed before
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
        <div aria-busy={earlier} className={earlier ? "opacity-60" : ""}>
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
                <>
                  <p className="font-semibold text-saffron">
                    {!data.offers
                      ? "A bot would own up that it does not know."
                      : data.offers.length === 1
                        ? "A bot would offer this, as what may be meant:"
                        : "A bot would ask which of these is meant:"}
                  </p>
                  {data.offers && (
                    <ul className={data.offers.length > 1 ? "list-decimal pl-5" : ""}>
                      {data.offers.map(o => (
                        <li key={o} className="whitespace-pre-line">
                          {o}
                        </li>
                      ))}
                    </ul>
                  )}
                  <p className="text-sm text-soft">
                    No confidence reaches {data.threshold.toFixed(2)}, from which it answers. One of the first
                    three answers with a chance of {confidence(data.likely)}; from{" "}
                    {data.offer_threshold.toFixed(2)} on it offers what it found.
                  </p>
                </>
              )}
            </div>
          )}
          <ul className="space-y-2">
            {data.items.map(p => (
              <Weighed key={p.passage_id} passage={p} />
            ))}
          </ul>
          {data.items.length === 0 && <Empty title="Nothing found">No passage speaks of that.</Empty>}
        </div>
      )}
    </div>
  )
}
