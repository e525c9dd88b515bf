import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { confidence as shown } from "../../parts/confidence"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** What fitting confidence on what customers said would come to, before and after. */
export function FitConfidence() {
  const queries = useQueryClient()
  const now = useNow(60)
  const fit = useQuery({ queryKey: ["confidence"], queryFn: api.confidence })
  const changed = { onSuccess: () => void queries.invalidateQueries({ queryKey: ["confidence"] }) }
  const use = useMutation({ mutationFn: api.fitConfidence, ...changed })
  const putBack = useMutation({ mutationFn: api.putBackConfidence, ...changed })
  const data = fit.data
  if (!data || (data.questions === 0 && !data.used)) return <Wrong error={fit.error} />
  return (
    <section className="mb-4 rounded-lg border border-line bg-sheet p-3">
      <h2 className="font-semibold">How sure a bot is, by what your customers said</h2>
      <p className="text-sm text-soft">
        Customers settled {data.questions} {data.questions === 1 ? "question" : "questions"}: what was found
        first was right for {data.right} and wrong for {data.wrong}.
      </p>
      <table className="my-2 w-full max-w-md text-sm">
        <thead className="text-left text-soft">
          <tr>
            <th className="font-normal">Answering from {shown(data.threshold)} on</th>
            <th className="pl-3 text-right font-normal">right</th>
            <th className="pl-3 text-right font-normal">wrong</th>
            <th className="pl-3 text-right font-normal">not answered</th>
          </tr>
        </thead>
        <tbody>
          <Row name="As delivered" outcome={data.before} />
          <Row name="Fitted on these" outcome={data.after} />
        </tbody>
      </table>
      <Wrong error={use.error ?? putBack.error} />
      {data.used ? (
        <div className="flex flex-wrap items-center gap-3">
          <p className="text-leaf">
            In use, fitted on {data.used_on} questions by {data.used_by}
            {data.used_since ? ", " + ago(data.used_since, now) : ""}.
          </p>
          {data.enough && (
            <Button look="quiet" disabled={use.isPending} onClick={() => use.mutate()}>
              Fit again
            </Button>
          )}
          <Button look="quiet" disabled={putBack.isPending} onClick={() => putBack.mutate()}>
            Put back
          </Button>
        </div>
      ) : data.enough ? (
        <Button disabled={use.isPending} onClick={() => use.mutate()}>
          Use the fit
        </Button>
      ) : (
        <p className="text-sm text-soft">
          {data.fewest} settled questions are needed, some right and some wrong, before it can be used.
        </p>
      )}
    </section>
  )
}

function Row({ name, outcome }: { name: string; outcome: Schemas["Outcome"] }) {
  return (
    <tr className="border-t border-line">
      <th className="py-1 text-left font-normal">{name}</th>
      <td className="text-right tabular-nums">{outcome.answered_right}</td>
      <td className="text-right tabular-nums">{outcome.answered_wrong}</td>
      <td className="text-right tabular-nums">{outcome.withheld}</td>
    </tr>
  )
}
