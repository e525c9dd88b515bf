import { Input, Radio, RadioGroup } from "@headlessui/react"
import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query"
import { useDeferredValue } from "react"
import { Link, useLocation } from "react-router"
import { api } from "../../api/client"
import { useChannelTitle } from "../../parts/channels"
import { useInAddress, useTypedInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow, WaitClock } from "../../parts/Time"
import { HeldQueue } from "./HeldQueue"
import { Independence } from "./Independence"
import { led } from "./led"

const views = [
  { show: "", lead: "urgent", name: "Waiting" },
  { show: "bots", lead: "bot", name: "With bots" },
  { show: "held", lead: "held", name: "Held" },
  { show: "all", lead: "", name: "All" },
]

/** The filters of the queue in an address, without what belongs to one conversation. */
export function filtersOf(where: string): string {
  const kept = new URLSearchParams()
  for (const [name, value] of new URLSearchParams(where))
    if (name === "show" || name === "search") kept.set(name, value)
  return kept.toString()
}

/** The conversations of the view that is chosen. */
export function useQueue() {
  const [show, setShow] = useInAddress("show")
  const [search, setSearch] = useTypedInAddress("search")
  const lead = views.find(v => v.show === show)?.lead ?? "urgent"
  const wanted = useDeferredValue(search.trim())
  const query = useInfiniteQuery({
    queryKey: ["conversations", lead, wanted],
    queryFn: ({ pageParam }) => api.conversations(wanted ? "" : lead, wanted, pageParam),
    initialPageParam: "",
    getNextPageParam: page => page.next || undefined,
    placeholderData: keepPreviousData,
    enabled: lead !== "held" || !!wanted,
  })
  const held = useQuery({ queryKey: ["held"], queryFn: api.held })
  const ids =
    lead === "held" && !wanted
      ? [...new Set(held.data?.items.map(h => h.conversation.id))]
      : (query.data?.pages.flatMap(p => p.items.map(c => c.id)) ?? [])
  return {
    show,
    setShow,
    lead,
    search,
    setSearch,
    query,
    items: query.data?.pages.flatMap(p => p.items) ?? [],
    ids,
    held: held.data?.items.length ?? 0,
  }
}

export function Queue(props: { queue: ReturnType<typeof useQueue>; chosen?: string; me: string }) {
  const channelTitle = useChannelTitle()
  const { show, setShow, lead, search, setSearch, query, items, held } = props.queue
  const { search: where } = useLocation()
  const now = useNow(20)
  const [topics, setTopics] = useInAddress("topics")
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
          <RadioGroup
            value={show}
            onChange={v => setShow(v)}
            aria-label="Which conversations"
            className="flex gap-1"
          >
            {views.map(v => (
              <Radio
                key={v.show}
                value={v.show}
                className="cursor-pointer rounded-md px-2.5 py-1 text-soft hover:bg-sunk data-checked:bg-sea-wash data-checked:font-semibold data-checked:text-sea"
              >
                {v.name}
                {v.show === "held" && held > 0 && (
                  <span className="ml-1 rounded-full bg-saffron-wash px-1.5 text-sm text-saffron">
                    {held}
                  </span>
                )}
              </Radio>
            ))}
          </RadioGroup>
        )}
      </div>
      <Independence open={!!topics} onClose={() => setTopics("")} />
      <Wrong error={query.error} />
      {lead === "held" && !search ? (
        <HeldQueue chosen={props.chosen} onTopics={() => setTopics("show")} />
      ) : (
        <ul aria-label="Conversations" className="min-h-0 flex-1 divide-y divide-line overflow-y-auto">
          {items.map(c => (
            <li key={c.id}>
              <Link
                to={{ pathname: "/inbox/" + c.id, search: filtersOf(where) }}
                aria-current={c.id === props.chosen || undefined}
                className="block border-l-4 border-transparent px-3 py-2.5 hover:bg-sunk aria-[current]:border-sea aria-[current]:bg-sea-wash"
              >
                <span className="flex items-center gap-2">
                  <span className="truncate font-semibold">{c.who}</span>
                  <span className="ml-auto shrink-0">
                    {c.waiting_since ? (
                      <WaitClock since={c.waiting_since} priority={c.priority} />
                    ) : (
                      <span className="text-sm text-soft">{ago(c.updated_at, now)}</span>
                    )}
                  </span>
                </span>
                {c.subject && <span className="block truncate text-sm font-semibold">{c.subject}</span>}
                <span className="block truncate text-sm">{c.preview}</span>
                <span className="block truncate text-sm text-soft">
                  {channelTitle(c.channel)} · {led(c, props.me)}
                  {c.lead !== "closed" && c.because && ` · ${c.because}`}
                  {c.tags && ` · ${c.tags.join(", ")}`}
                </span>
              </Link>
            </li>
          ))}
          {query.isSuccess && items.length === 0 && (
            <li>
              {search ? (
                <Empty title="Nothing found">
                  Names, addresses, tags and words of the last message are searched.
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
      )}
    </>
  )
}
