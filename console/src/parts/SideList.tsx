import type { ReactNode } from "react"
import { Link } from "react-router"

/** What a page lists beside the one that is shown: above it on a telephone. */
export function SideList<Item extends { name: string }>(props: {
  label: string
  items: Item[]
  chosen?: Item
  to: (item: Item) => string
  title: (item: Item) => ReactNode
  /** What stands below the title. */
  about?: (item: Item) => ReactNode
}) {
  if (props.items.length === 0) return null
  return (
    <nav
      aria-label={props.label}
      className="flex shrink-0 gap-1 overflow-x-auto lg:w-56 lg:flex-col lg:overflow-y-auto"
    >
      {props.items.map(item => (
        <Link
          key={item.name}
          to={props.to(item)}
          aria-current={item === props.chosen || undefined}
          className="rounded-md px-3 py-1.5 whitespace-nowrap hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:text-sea lg:whitespace-normal"
        >
          <span className="block leading-snug font-semibold">{props.title(item)}</span>
          {props.about?.(item)}
        </Link>
      ))}
    </nav>
  )
}
