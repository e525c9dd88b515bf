import { useQuery } from "@tanstack/react-query"
import { api } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Wrong } from "../../parts/Says"

const useExplained = (bot: string, text: string) =>
  useQuery({
    queryKey: ["bot-explained", bot, text],
    queryFn: () => api.explainBot(bot || "new", text),
    placeholderData: before => before,
  })

/** How much is still missing before customers are well served, with the way to what it is. */
export function Missing({ bot, text }: { bot: string; text: string }) {
  const [, setView] = useInAddress("as")
  const n = useExplained(bot, text).data?.missing.length ?? 0
  if (n === 0) return null
  return (
    <button className="text-sm text-saffron underline" onClick={() => setView("powers", true)}>
      {n === 1 ? "One thing is" : `${n} things are`} still missing
    </button>
  )
}

/** What a brief lets a bot do beside answering, a sentence each, and what is still missing. */
export function Powers({ bot, text }: { bot: string; text: string }) {
  const told = useExplained(bot, text)
  const missing = told.data?.missing ?? []
  return (
    <div className="mx-auto max-w-2xl space-y-4 p-4">
      <Wrong error={told.error} />
      {missing.length > 0 && (
        <section aria-label="Still missing" className="rounded-md border border-saffron p-3">
          <h3 className="font-semibold text-saffron">Still missing</h3>
          <ul className="list-disc pl-5">
            {missing.map(m => (
              <li key={m}>{m}</li>
            ))}
          </ul>
        </section>
      )}
      <section aria-label="What it may do">
        <h3 className="mb-1 font-semibold text-sea">Beside answering from its knowledge, it may do this</h3>
        <ul className="space-y-2">
          {told.data?.powers.map(p => (
            <li key={p.says}>
              {p.says}
              {p.when && (
                <span className="block text-sm text-soft">
                  When customers say things like {p.when.map(w => `“${w}”`).join(", ")}
                </span>
              )}
            </li>
          ))}
        </ul>
        {told.data && (
          <p className="mt-3 text-soft">
            Nothing else can happen, whatever a customer or a model says. The form grants and takes away,
            under “What it may do” and below it.
          </p>
        )}
      </section>
    </div>
  )
}
