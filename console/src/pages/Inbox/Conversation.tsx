import { ArrowLeftIcon } from "@heroicons/react/20/solid"
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useLayoutEffect, useRef, useState } from "react"
import { Link, useLocation } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useChannelTitle } from "../../parts/channels"
import { useInAddress } from "../../parts/address"
import { Allowances } from "../../parts/Allowances"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { waitsFor } from "../../parts/runs"
import { Wrong } from "../../parts/Says"
import { WaitClock } from "../../parts/Time"
import { TurnDrawer } from "../../parts/Trace"
import { ContactDrawer } from "../Contacts/ContactForm"
import { Composer } from "./Composer"
import { ContactCard } from "./ContactCard"
import { MessageLine } from "./MessageLine"
import { led } from "./led"
import { filtersOf } from "./Queue"

/** By whom a closed conversation was settled. */
const endings: Record<string, string> = {
  bot: "the bot's answers",
  person: "a person",
  left: "the contact's leaving",
  unknown: "nobody's answer",
}

/** One conversation: the summary, the messages, the reply, and the contact beside it. */
export function Conversation({ id, me }: { id: string; me: string }) {
  const channelTitle = useChannelTitle()
  const queries = useQueryClient()
  const conversation = useQuery({ queryKey: ["conversation", id], queryFn: () => api.conversation(id) })
  const messages = useInfiniteQuery({
    queryKey: ["messages", id],
    queryFn: ({ pageParam }) => api.messages(id, pageParam),
    initialPageParam: "",
    getNextPageParam: page => page.next || undefined,
    // No event tells when a message has arrived: it is asked for while one is on its way.
    refetchInterval: query =>
      query.state.data?.pages.some(p => p.items.some(m => m.state === "made")) ? 1500 : false,
  })
  const [turn, setTurn] = useInAddress("turn")
  const [contact, setContact] = useInAddress("contact")
  const { search: where } = useLocation()
  const [closing, setClosing] = useState(false)
  const lead = useMutation({
    mutationFn: (act: "take" | "take over" | "return" | "close") =>
      act === "take over" ? api.lead(id, "take", true) : api.lead(id, act),
    onSuccess: c => queries.setQueryData(["conversation", id], c),
    onSettled: () => queries.invalidateQueries(),
  })

  const c = conversation.data
  const mine = c?.lead === "person" && c.assignee === me
  const items = [...(messages.data?.pages ?? [])].reverse().flatMap(p => p.items)

  // t takes, b hands back, x closes.
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLElement && e.target.closest("input, textarea, [role=dialog]")) return
      if (e.ctrlKey || e.metaKey || e.altKey || !c) return
      if (e.key === "t" && !mine && c.lead !== "closed")
        lead.mutate(c.lead === "person" ? "take over" : "take")
      if (e.key === "b" && (c.lead === "person" || c.lead === "waiting")) lead.mutate("return")
      if (e.key === "x" && c.lead !== "closed") setClosing(true)
    }
    window.addEventListener("keydown", onKey)
    return () => window.removeEventListener("keydown", onKey)
  }, [c, mine, lead])

  if (conversation.error) return <Wrong error={conversation.error} />
  if (!c) return null
  return (
    <>
      <header className="flex flex-wrap items-center gap-2 border-b border-line bg-sheet px-4 py-3">
        <Link
          to={{ pathname: "/inbox", search: filtersOf(where) }}
          aria-label="Back to the queue"
          className="rounded p-1 hover:bg-sunk md:hidden"
        >
          <ArrowLeftIcon className="size-5" />
        </Link>
        <div className="mr-auto min-w-0">
          <h2 className="truncate text-lg leading-tight font-semibold">{c.who}</h2>
          {c.subject && <p className="truncate font-semibold">{c.subject}</p>}
          <p className="flex items-center gap-2 text-sm text-soft">
            {channelTitle(c.channel)} · {led(c, me)}
            {c.outcome && ` by ${endings[c.outcome] ?? c.outcome}`}
            {c.tags && ` · ${c.tags.join(", ")}`}
            {c.waiting_since && <WaitClock since={c.waiting_since} priority={c.priority} />}
          </p>
        </div>
        {c.lead !== "closed" && !mine && (
          <Button
            look="main"
            hint="t"
            disabled={lead.isPending}
            onClick={() => lead.mutate(c.lead === "person" ? "take over" : "take")}
          >
            {c.lead === "person" ? `Take from ${c.assignee}` : "Take"}
          </Button>
        )}
        {(c.lead === "person" || c.lead === "waiting") && (
          <Button hint="b" disabled={lead.isPending} onClick={() => lead.mutate("return")}>
            Hand back to the bot
          </Button>
        )}
        {c.lead !== "closed" && (
          <Button look="quiet" className="xl:!hidden" onClick={() => setContact("edit")}>
            Contact
          </Button>
        )}
        {c.lead !== "closed" && (
          <Button hint="x" disabled={lead.isPending} onClick={() => setClosing(true)}>
            Close
          </Button>
        )}
      </header>
      <div className="flex min-h-0 flex-1">
        <div className="flex min-h-0 min-w-0 flex-1 flex-col">
          <Wrong error={lead.error} />
          <div className="px-4 py-2 empty:hidden">
            <Allowances conversation={id} />
          </div>
          <Lines key={id} count={items.length}>
            {c.reason && c.summary && <Handover conversation={c} summary={c.summary} />}
            {messages.hasNextPage && (
              <p className="text-center">
                <Button look="quiet" onClick={() => void messages.fetchNextPage()}>
                  Show older messages
                </Button>
              </p>
            )}
            {items.map(m => (
              <MessageLine
                key={m.id}
                message={m}
                keys={m === items.find(i => i.state === "held")}
                onWhy={setTurn}
              />
            ))}
          </Lines>
          <RunsHere conversation={id} />
          <Composer id={id} mine={mine} lead={c.lead} onTake={() => lead.mutate("take")} />
        </div>
        <ContactCard conversation={c} onEdit={() => setContact("edit")} />
      </div>
      <TurnDrawer turn={turn} onClose={() => setTurn("")} />
      <ContactDrawer id={contact ? c.contact : ""} onClose={() => setContact("")} />
      <Ask
        title="Close this conversation?"
        act="Close it"
        open={closing}
        onClose={() => setClosing(false)}
        onAct={() => lead.mutate("close")}
      >
        It leaves the queue. When {c.who} writes again, a new conversation begins and the bot answers.
      </Ask>
    </>
  )
}

/** The runs of flows in the conversation that go on: where each stands, and the way to stop it. */
function RunsHere({ conversation }: { conversation: string }) {
  const queries = useQueryClient()
  const runs = useQuery({
    queryKey: ["runs", "in", conversation],
    queryFn: () => api.runs({ conversation, open: "true" }),
  })
  const stop = useMutation({
    mutationFn: (id: string) => api.changeRun(id, "stop"),
    onSettled: () => queries.invalidateQueries(),
  })
  return (
    <>
      {runs.data?.items.map(r => (
        <div
          key={r.id}
          className="flex flex-wrap items-center gap-x-3 border-t border-line bg-blue-wash px-4 py-1.5 text-sm"
        >
          <Link
            className="font-semibold text-blue hover:underline"
            to={`/flows/${r.flow}?tab=runs&run=${r.id}`}
          >
            {r.title}
          </Link>
          <span className="min-w-0 flex-1 truncate">
            Step {r.step}: {r.words} <span className="text-soft">{waitsFor(r)}</span>
          </span>
          <Button look="quiet" className="!py-0" disabled={stop.isPending} onClick={() => stop.mutate(r.id)}>
            Stop it
          </Button>
        </div>
      ))}
      <Wrong error={stop.error} />
    </>
  )
}

/**
 * The lines of a conversation, at their end: when one is added, or something opens above or below
 * them, they stay there; who reads further up is left where they are.
 */
function Lines({ count, children }: { count: number; children: React.ReactNode }) {
  const box = useRef<HTMLDivElement>(null)
  const atEnd = useRef(true)
  const toEnd = () => {
    if (atEnd.current) box.current?.scrollTo({ top: box.current.scrollHeight })
  }
  useLayoutEffect(toEnd, [count])
  useEffect(() => {
    const resized = new ResizeObserver(toEnd)
    resized.observe(box.current!)
    resized.observe(box.current!.firstElementChild!)
    return () => resized.disconnect()
  }, [])
  return (
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-y-auto px-4 py-4"
      onScroll={e => {
        const b = e.currentTarget
        atEnd.current = b.scrollHeight - b.scrollTop - b.clientHeight < 40
      }}
    >
      <div className="mx-auto flex max-w-3xl flex-col gap-3" aria-live="polite">
        {children}
      </div>
    </div>
  )
}

/** Why people came in, and what they need to go on. */
function Handover({
  conversation: c,
  summary,
}: {
  conversation: Schemas["Conversation"]
  summary: Schemas["Summary"]
}) {
  return (
    <section className="rounded-lg border border-saffron bg-saffron-wash px-4 py-3">
      <h3 className="font-semibold">
        {c.who}: {c.because}
      </h3>
      {summary.gist && <p>{summary.gist}</p>}
      {!!summary.open?.length && (
        <p>
          <span className="text-soft">Not answered yet: </span>
          {summary.open.join(" · ")}
        </p>
      )}
      {!!summary.asked?.length && (
        <p>
          <span className="text-soft">Answered by the bot: </span>
          {summary.asked.join(" · ")}
        </p>
      )}
      {!summary.open?.length && (
        <p>
          <span className="text-soft">Said last: </span>
          {summary.last_said}
        </p>
      )}
    </section>
  )
}
