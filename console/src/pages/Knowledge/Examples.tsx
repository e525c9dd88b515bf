import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { Link } from "react-router"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { CustomersWords } from "./CustomersWords"
import { FitConfidence } from "./FitConfidence"

const said: Record<string, string> = {
  yes: "the customer said yes",
  chosen: "the customer chose it",
  no: "the customer said no",
  "other words": "the customer asked in other words",
  "another was chosen": "the customer chose another",
}

/** What customers said to what was offered for their questions. */
export function Examples() {
  const queries = useQueryClient()
  const now = useNow(60)
  const examples = useQuery({ queryKey: ["examples"], queryFn: api.examples })
  const drop = useMutation({
    mutationFn: api.dropExample,
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["examples"] }),
  })
  return (
    <div className="gap-6 lg:flex">
      <div className="max-w-3xl flex-1">
        <Wrong error={examples.error ?? drop.error} />
        {examples.data?.items.length === 0 && (
          <Empty title="No customer has said yet what was meant">
            Where a bot is not sure, it offers what it found. What customers say to that stands here: which
            passage answers which question, and which does not.
          </Empty>
        )}
        <FitConfidence />
        <ul className="space-y-2">
          {examples.data?.items.map(e => (
            <li key={e.id} className="rounded-lg border border-line bg-sheet p-3">
              <div className="flex flex-wrap items-start gap-x-3 gap-y-1">
                <div className="min-w-0 flex-1">
                  <p className="font-semibold">{e.question}</p>
                  <p className={e.answers ? "text-leaf" : "text-saffron"}>
                    {e.answers ? "answered by" : "not answered by"} {e.label}
                  </p>
                  <p className="line-clamp-2 text-sm">{e.words}</p>
                  <p className="text-sm text-soft">
                    {said[e.how] ?? e.how}, {ago(e.at, now)} · {e.source} ·{" "}
                    <Link to={"/inbox/" + e.conversation} className="underline">
                      the conversation
                    </Link>
                  </p>
                </div>
                <Button look="quiet" disabled={drop.isPending} onClick={() => drop.mutate(e.id)}>
                  Remove
                </Button>
              </div>
            </li>
          ))}
        </ul>
      </div>
      <CustomersWords />
    </div>
  )
}
