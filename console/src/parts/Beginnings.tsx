import { Link } from "react-router"

/** What something new can begin with, to choose from. */
export function Beginnings({ items }: { items: { to: string; title: string; about?: string }[] }) {
  return (
    <div className="grid flex-1 content-start gap-3 sm:grid-cols-3">
      {items.map(b => (
        <Link key={b.to} to={b.to} className="rounded-lg border border-line bg-sheet p-4 hover:bg-sunk">
          <span className="block font-semibold">{b.title}</span>
          <span className="text-sm text-soft">{b.about}</span>
        </Link>
      ))}
    </div>
  )
}
