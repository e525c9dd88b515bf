import { useEffect } from "react"
import { useNavigate, useParams } from "react-router"
import type { Schemas } from "../../api/client"
import { Empty } from "../../parts/Says"
import { Conversation } from "./Conversation"
import { filtersOf, Queue, useQueue } from "./Queue"

/** One queue ordered by urgency, and the conversation that was chosen. */
export default function Inbox({ me }: { me: Schemas["Me"] }) {
  const { id } = useParams()
  const navigate = useNavigate()
  const queue = useQueue()

  // j and k walk through the queue.
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLElement && e.target.closest("input, textarea, [role=dialog]")) return
      if (e.ctrlKey || e.metaKey || e.altKey || (e.key !== "j" && e.key !== "k")) return
      const at = queue.ids.indexOf(id ?? "")
      const next = queue.ids[at < 0 ? 0 : at + (e.key === "j" ? 1 : -1)]
      if (next) void navigate({ pathname: "/inbox/" + next, search: filtersOf(location.search) })
    }
    window.addEventListener("keydown", onKey)
    return () => window.removeEventListener("keydown", onKey)
  }, [queue.ids, id, navigate])

  return (
    <div className="flex min-h-0 flex-1">
      <div
        className={`min-h-0 w-full flex-col border-r border-line bg-sheet md:flex md:w-80 md:shrink-0 ${id ? "hidden" : "flex"}`}
      >
        <Queue queue={queue} chosen={id} me={me.name} />
      </div>
      <div className={`min-h-0 min-w-0 flex-1 flex-col ${id ? "flex" : "hidden md:flex"}`}>
        {id ? (
          <Conversation key={id} id={id} me={me.name} />
        ) : (
          <Empty title="Choose a conversation">
            With the keys <kbd className="font-mono">j</kbd> and <kbd className="font-mono">k</kbd> you walk
            through the queue.
          </Empty>
        )}
      </div>
    </div>
  )
}
