import { useQuery } from "@tanstack/react-query"
import { Link } from "react-router"
import { api } from "../api/client"
import { Empty } from "./Says"

/**
 * What the page of a kind of documents says where there is none of the name in its address, or none at
 * all: what they are for, and the way to the first.
 */
export function NoneHere(props: {
  plural: string
  /** The name in the address. */
  name?: string
  /** What is said where there is none at all. */
  title: string
  /** Where the first one is made, and what that is called. */
  to: string
  act: string
}) {
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = kinds.data?.items.find(k => k.plural === props.plural)
  if (!kind) return null
  if (props.name)
    return (
      <Empty title={`There is no ${kind.name} called ${props.name}`}>
        <Link className="text-sea underline" to={"/" + props.plural}>
          Show those that are there
        </Link>
      </Empty>
    )
  return (
    <Empty title={props.title}>
      <p className="mb-2">{kind.about}</p>
      <Link className="text-sea underline" to={props.to}>
        {props.act}
      </Link>
    </Empty>
  )
}
