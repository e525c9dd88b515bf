import { useQuery } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { MergeDrawer } from "./MergeDrawer"

/** Contacts that may be one, by what is verified of both. */
export function Twins() {
  const twins = useQuery({ queryKey: ["twins"], queryFn: api.twins })
  const [chosen, setChosen] = useState<Schemas["Twin"] | null>(null)
  const kept = useQuery({
    queryKey: ["contact", chosen?.a.id],
    queryFn: () => api.contact(chosen!.a.id),
    enabled: !!chosen,
  })
  const items = twins.data?.items ?? []
  if (items.length === 0) return null
  return (
    <section aria-label="May be one" className="mb-3 rounded-lg border border-saffron bg-saffron-wash/40 p-3">
      <h2 className="font-semibold">May be one person</h2>
      <ul>
        {items.slice(0, 5).map(t => (
          <li key={t.a.id + t.b.id} className="flex flex-wrap items-center gap-2 py-1">
            <span className="mr-auto">
              {t.a.who} ({t.a.channel || "entered"}) and {t.b.who} ({t.b.channel || "entered"}){" "}
              <span className="text-sm text-soft">
                have the same {t.label.toLowerCase()}, {t.value}
              </span>
            </span>
            <Button onClick={() => setChosen(t)}>Look</Button>
          </li>
        ))}
      </ul>
      {items.length > 5 && <p className="text-sm text-soft">And {items.length - 5} more.</p>}
      {chosen && kept.data && (
        <MergeDrawer contact={kept.data} other={chosen.b.id} open onClose={() => setChosen(null)} />
      )}
    </section>
  )
}
