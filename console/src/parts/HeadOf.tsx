import { PlusIcon } from "@heroicons/react/20/solid"
import { Link, useNavigate } from "react-router"
import { Button } from "./Button"
import { Head } from "./Says"

/** The head of a page that shows one of some documents: the others, and the way to a new one. */
export function HeadOf(props: {
  title: string
  plural: string
  /** What one is called. */
  one: string
  items: { name: string; title: string }[]
  chosen?: string
}) {
  const navigate = useNavigate()
  return (
    <Head title={props.title}>
      {props.items.length > 1 &&
        props.items.map(d => (
          <Link
            key={d.name}
            to={`/${props.plural}/${d.name}`}
            aria-current={d.name === props.chosen ? "page" : undefined}
            className="rounded-md px-3 py-1.5 hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:font-semibold aria-[current]:text-sea"
          >
            {d.title || d.name}
          </Link>
        ))}
      {props.items.length > 0 && (
        <Button onClick={() => void navigate(`/settings/${props.plural}?new=1`)}>
          <PlusIcon className="size-4" />
          New {props.one}
        </Button>
      )}
    </Head>
  )
}
