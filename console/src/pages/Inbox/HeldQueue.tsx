import { useQuery } from "@tanstack/react-query"
import { Link, useLocation } from "react-router"
import { api } from "../../api/client"
import { useChannelTitle } from "../../parts/channels"
import { Button } from "../../parts/Button"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { filtersOf } from "./Queue"

/** The replies of bots that wait for a person, the oldest first. */
export function HeldQueue({ chosen, onTopics }: { chosen?: string; onTopics: () => void }) {
  const channelTitle = useChannelTitle()
  const held = useQuery({ queryKey: ["held"], queryFn: api.held })
  const { search: where } = useLocation()
  const now = useNow(20)
  return (
    <>
      <Wrong error={held.error} />
      <ul aria-label="Held replies" className="min-h-0 flex-1 divide-y divide-line overflow-y-auto">
        {held.data?.items.map(h => (
          <li key={h.message.id}>
            <Link
              to={{ pathname: "/inbox/" + h.conversation.id, search: filtersOf(where) }}
              aria-current={h.conversation.id === chosen || undefined}
              className="block border-l-4 border-transparent px-3 py-2.5 hover:bg-sunk aria-[current]:border-saffron aria-[current]:bg-saffron-wash"
            >
              <span className="flex items-center gap-2">
                <span className="truncate font-semibold">{h.conversation.who}</span>
                <span className="ml-auto shrink-0 text-sm text-soft">{ago(h.message.at, now)}</span>
              </span>
              {h.conversation.subject && (
                <span className="block truncate text-sm font-semibold">{h.conversation.subject}</span>
              )}
              <span className="block truncate text-sm">{h.asked}</span>
              <span className="block truncate text-sm text-saffron">{h.message.text}</span>
              <span className="block truncate text-sm text-soft">
                {channelTitle(h.conversation.channel)} · {h.came}
                {h.confidence && `, confidence ${h.confidence.toFixed(2)}`}
                {h.topics.length > 0 && ` · ${h.topics.join(", ")}`}
              </span>
            </Link>
          </li>
        ))}
        {held.isSuccess && held.data.items.length === 0 && (
          <li>
            <Empty title="No reply waits">
              Where a channel or a bot holds its replies, they stand here until somebody approves them.
            </Empty>
          </li>
        )}
      </ul>
      <p className="border-t border-line p-3">
        <Button onClick={onTopics}>What may go by itself</Button>
      </p>
    </>
  )
}
