import { useQuery } from "@tanstack/react-query"
import { Link } from "react-router"
import { api } from "../api/client"

/** What is being written of a kind and is not there otherwise, each a link to go on with it. */
export function Drafts(props: { plural: string; taken: string[]; to: (name: string) => string }) {
  const drafts = useDraftsApart(props.plural, props.taken)
  return drafts.map(d => (
    <Link key={d.name} to={props.to(d.name)} className="rounded-md px-2.5 py-1 text-saffron hover:bg-sunk">
      {d.name} · draft
    </Link>
  ))
}

/** The drafts of a kind that have no document yet. */
export function useDraftsApart(plural: string, taken: string[]) {
  const drafts = useQuery({ queryKey: ["documents", plural, "drafts"], queryFn: () => api.drafts(plural) })
  return (drafts.data?.items ?? []).filter(d => !taken.includes(d.name))
}
