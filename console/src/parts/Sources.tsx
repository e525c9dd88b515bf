import type { Schemas } from "../api/client"

/** The places that a reply stands on. */
export function Sources({ citations }: { citations?: Schemas["Citation"][] | null }) {
  if (!citations?.length) return null
  return (
    <p className="mt-1 text-sm text-soft">
      From{" "}
      {citations.map((c, i) => (
        <span key={c.passage_id} title={c.text}>
          {i > 0 && ", "}
          {c.question || c.trail?.join(" › ") || c.title || c.source}
        </span>
      ))}
    </p>
  )
}
