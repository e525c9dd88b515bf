import { useEffect, useState } from "react"

/** The time now, renewed every so many seconds. */
export function useNow(seconds: number): number {
  const [now, setNow] = useState(Date.now())
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), seconds * 1000)
    return () => clearInterval(timer)
  }, [seconds])
  return now
}

/** How long something has lasted: "just now", "4 min", "2 h 10 min", "3 days". */
export function lasted(from: string, now: number): string {
  const minutes = Math.floor((now - Date.parse(from)) / 60_000)
  if (minutes < 1) return "just now"
  if (minutes < 60) return `${minutes} min`
  const hours = Math.floor(minutes / 60)
  if (hours < 24) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`
  const days = Math.floor(hours / 24)
  return days === 1 ? "1 day" : `${days} days`
}

export function ago(from: string, now: number): string {
  const words = lasted(from, now)
  return words === "just now" ? words : words + " ago"
}

/** The clock of somebody who waits for a person: scarlet when it is too long. */
export function WaitClock({ since, priority }: { since: string; priority: string }) {
  const now = useNow(10)
  const late = priority === "high" || now - Date.parse(since) > 10 * 60_000
  return (
    <span
      className={`rounded px-1.5 py-0.5 text-xs font-semibold whitespace-nowrap ${late ? "bg-scarlet-wash text-scarlet" : "bg-saffron-wash text-saffron"}`}
    >
      waits {lasted(since, now).replace("just now", "<1 min")}
    </span>
  )
}

/** The time of day, or the day if it was another. */
export function Moment({ at }: { at: string }) {
  const date = new Date(at)
  const today = date.toDateString() === new Date().toDateString()
  const words = today
    ? date.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })
    : date.toLocaleString([], { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })
  return <time dateTime={at}>{words}</time>
}
