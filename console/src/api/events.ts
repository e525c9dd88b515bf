import { type Query, useQueryClient } from "@tanstack/react-query"
import { useEffect, useState } from "react"

/** What is read again when something happens, by the beginning of the event's type. */
const readAgain: [string, string[]][] = [
  [
    "urgent-parrot.message",
    ["contacts", "today", "conversations", "conversation", "messages", "held", "independence", "channels"],
  ],
  [
    "urgent-parrot.turn",
    [
      "contacts",
      "contact",
      "today",
      "conversations",
      "conversation",
      "messages",
      "allowances",
      "tools",
      "tool-calls",
      "held",
    ],
  ],
  ["urgent-parrot.conversation", ["today", "conversations", "conversation", "messages", "gaps", "held"]],
  ["urgent-parrot.effect", ["today", "messages"]],
  ["urgent-parrot.source", ["sources", "search"]],
  ["urgent-parrot.gap", ["gaps"]],
  ["urgent-parrot.lesson", ["lessons", "gaps"]],
  ["urgent-parrot.house", ["house", "search"]],
  [
    "urgent-parrot.document",
    ["documents", "tools", "declared", "today", "flows", "flow", "versions", "forms", "channels"],
  ],
  ["urgent-parrot.channel", ["channels", "today"]],
  ["urgent-parrot.consent", ["consent", "live-check", "today"]],
  ["urgent-parrot.run", ["flows", "runs", "run", "today", "messages"]],
  ["urgent-parrot.form", ["forms", "entries", "contacts"]],
  ["urgent-parrot.switch", ["today"]],
  ["urgent-parrot.contact", ["contact", "contacts", "twins", "conversation", "conversations"]],
  ["urgent-parrot.allowance", ["allowances", "messages"]],
  ["urgent-parrot.row", ["sheets", "rows"]],
  ["urgent-parrot.topic", ["independence"]],
]

/** What counts over a whole day is read again once in so many milliseconds at most. */
const slow: Record<string, number> = { today: 1000 }

/** Keeps what is shown up to date while signed in. Returns whether the stream is connected. */
export function useEvents(): boolean {
  const queries = useQueryClient()
  const [connected, setConnected] = useState(true)
  const [shown, setShown] = useState(0)
  // A page that was left may be kept by the browser: it must not hold a connection meanwhile, of which
  // there are few, and has missed something when it is shown again.
  useEffect(() => {
    const again = (e: PageTransitionEvent) => {
      if (!e.persisted) return
      setShown(n => n + 1)
      void queries.invalidateQueries()
    }
    window.addEventListener("pageshow", again)
    return () => window.removeEventListener("pageshow", again)
  }, [queries])
  useEffect(() => {
    const stream = new EventSource("/api/v1/events")
    const stale = new Set<string>()
    const read = new Map<string, number>()
    let timer = 0
    const readStale = () => {
      timer = 0
      const now = Date.now()
      for (const key of stale) {
        if (now - (read.get(key) ?? 0) < (slow[key] ?? 0)) continue
        // What is still read for the first time may have left the service before this happened, and the
        // library does not read it a second time meanwhile: it stays stale until it is there.
        const first = { queryKey: [key], predicate: (q: Query) => q.state.data === undefined }
        if (queries.isFetching(first) === 0) stale.delete(key)
        read.set(key, now)
        void queries.invalidateQueries({ queryKey: [key] })
      }
      if (stale.size > 0) timer = window.setTimeout(readStale, 250)
    }
    stream.onopen = () => setConnected(true)
    stream.onerror = () => setConnected(false)
    stream.onmessage = message => {
      const { type } = JSON.parse(message.data) as { type: string }
      for (const [beginning, keys] of readAgain)
        if (type.startsWith(beginning)) keys.forEach(k => stale.add(k))
      // Events that come together make one reading.
      timer ||= window.setTimeout(readStale, 60)
    }
    const leave = () => stream.close()
    window.addEventListener("pagehide", leave)
    return () => {
      window.removeEventListener("pagehide", leave)
      stream.close()
      clearTimeout(timer)
    }
  }, [queries, shown])
  return connected
}
