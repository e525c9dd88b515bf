import { Input, Radio, RadioGroup } from "@headlessui/react"
import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query"
import { useDeferredValue, useState } from "react"
import { Link } from "react-router"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow, WaitClock } from "../../parts/Time"
import { led, who, why } from "./who"

const views = [
  { lead: "urgent", name: "Waiting" },
  { lead: "bot", name: "With bots" },
  { lead: "", name: "All" },
]

/** The conversations of the view that is chosen. */
export function useQueue() {
  const [lead, setLead] = useState("urgent")
  const [search, setSearch] = useState("")
  const wanted = useDeferredValue(search.trim())
  const query = useInfiniteQuery({
    queryKey: ["conversations", lead, wanted],
    queryFn: ({ pageParam }) => api.conversations(wanted ? "" : lead, wanted, pageParam),
    initialPageParam: "",
    getNextPageParam: page => page.next || undefined,
    placeholderData: keepPreviousData,
  })
  return { lead, setLead, search, setSearch, query, items: query.data?.pages.flatMap(p => p.items) ?? [] }
}

export function Queue(props: { queue: ReturnType<typeof useQueue>; chosen?: string; me: string }) {
  const { lead, setLead, search, setSearch, query, items } = props.queue
  const now = useNow(20)
  return (
    <>
      <div className="space-y-2 border-b border-line px-3 pt-4 pb-3">
        <h1 className="px-1 text-2xl font-semibold">Inbox</h1>
        <Input
          type="search"
          aria-label="Search all conversations"
          placeholder="Search all conversations"
          value={search}
          onChange={e => setSearch(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-1.5"
        />
        {!search && (
          <RadioGroup value={lead} onChange={setLead} aria-label="Which conversations" className="flex gap-1">
            {views.map(v => (
              <Radio
                key={v.lead}
                value={v.lead}
                className="cursor-pointer rounded-md px-2.5 py-1 text-soft hover:bg-sunk data-checked:bg-sea-wash data-checked:font-semibold data-checked:text-sea"
              >
                {v.name}
              </Radio>
            ))}
          </RadioGroup>
        )}
      </div>
      <Wrong error={query.error} />
      <ul aria-label="Conversations" className="min-h-0 flex-1 divide-y divide-line overflow-y-auto">
        {items.map(c => (
          <li key={c.id}>
            <Link
              to={"/inbox/" + c.id}
              aria-current={c.id === props.chosen || undefined}
              className="block border-l-4 border-transparent px-3 py-2.5 hover:bg-sunk aria-[current]:border-sea aria-[current]:bg-sea-wash"
            >
              <span className="flex items-center gap-2">
                <span className="truncate font-semibold">{who(c)}</span>
                <span className="ml-auto shrink-0">
                  {c.waiting_since ? (
                    <WaitClock since={c.waiting_since} priority={c.priority} />
                  ) : (
                    <span className="text-sm text-soft">{ago(c.updated_at, now)}</span>
                  )}
                </span>
              </span>
              <span className="block truncate text-sm">{c.preview}</span>
              <span className="block truncate text-sm text-soft">
                {c.channel} · {led(c, props.me)}
                {c.reason && ` · ${why(c.reason)}`}
              </span>
            </Link>
          </li>
        ))}
        {query.isSuccess && items.length === 0 && (
          <li>
            {search ? (
              <Empty title="Nothing found">
                Names, addresses and words of the last message are searched.
              </Empty>
            ) : lead === "urgent" ? (
              <Empty title="Nobody waits">
                The bots have everything in hand. “All” shows what they lead.
              </Empty>
            ) : (
              <Empty title="No conversations yet">They stand here as soon as a customer writes.</Empty>
            )}
          </li>
        )}
        {query.hasNextPage && (
          <li className="p-3 text-center">
            <Button onClick={() => void query.fetchNextPage()}>Show older ones</Button>
          </li>
        )}
      </ul>
    </>
  )
}
