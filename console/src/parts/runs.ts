import type { Schemas } from "../api/client"

const waits: Record<string, string> = {
  reply: "waits for a reply",
  time: "waits for its time",
  result: "waits for a tool",
  person: "paused, as a person leads",
  talk: "waits for a conversation",
  turn: "waits for its turn",
}

/** What a run waits for, and until when, in words. */
export function waitsFor(run: Schemas["Run"]): string {
  const words = waits[run.waits_for ?? ""] ?? "waits"
  if (!run.until) return words
  const until = new Date(run.until)
  const today = until.toDateString() === new Date().toDateString()
  return `${words} until ${until.toLocaleString([], today ? { hour: "2-digit", minute: "2-digit" } : { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })}`
}
