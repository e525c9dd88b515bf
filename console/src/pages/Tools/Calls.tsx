import { useQuery } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { Exchange } from "./Exchange"

const who: Record<string, string> = { bot: "a bot", flow: "a flow", trial: "somebody who tried it" }

/** What a tool was called with and what came of it, the latest first. */
export function Calls({ tool }: { tool: string }) {
  const now = useNow(30)
  const [open, setOpen] = useState("")
  const calls = useQuery({ queryKey: ["tool-calls", tool], queryFn: () => api.toolCalls(tool) })
  const items = calls.data?.items ?? []
  return (
    <>
      <Wrong error={calls.error} />
      {calls.isSuccess && items.length === 0 && (
        <Empty title="It was never called">Try it, or ask a bot that may use it.</Empty>
      )}
      <ul className="space-y-1">
        {items.map(c => (
          <li key={c.id} className="rounded-md border border-line">
            <button
              onClick={() => setOpen(open === c.id ? "" : c.id)}
              aria-expanded={open === c.id}
              className="w-full px-3 py-2 text-left hover:bg-sunk"
            >
              <span className="flex gap-2">
                <span
                  className={
                    "font-semibold " +
                    (c.state === "failed"
                      ? "text-scarlet"
                      : c.state === "done"
                        ? "text-leaf"
                        : "text-saffron")
                  }
                >
                  {c.state === "failed" ? "failed" : c.state === "done" ? "done" : "not known"}
                </span>
                <span className="min-w-0 flex-1 truncate">{words(c.arguments)}</span>
                <span className="shrink-0 text-sm text-soft">{ago(c.at, now)}</span>
              </span>
              <span className="block text-sm text-soft">
                by {who[c.caller]}, {c.ms} ms{c.error && `: ${c.error}`}
              </span>
            </button>
            {open === c.id && <Whole call={c} />}
          </li>
        ))}
      </ul>
    </>
  )
}

function Whole({ call }: { call: Schemas["ToolCall"] }) {
  const whole = useQuery({ queryKey: ["tool-calls", "one", call.id], queryFn: () => api.toolCall(call.id) })
  return (
    <div className="space-y-2 border-t border-line p-3">
      <Wrong error={whole.error} />
      {whole.data && <Exchange call={whole.data} />}
      {call.conversation && (
        <Link className="text-sm text-sea underline" to={"/inbox/" + call.conversation}>
          Show the conversation
        </Link>
      )}
    </div>
  )
}

const words = (given?: Record<string, unknown>) =>
  Object.entries(given ?? {})
    .map(([name, value]) => `${name}: ${String(value)}`)
    .join(", ") || "without details"
