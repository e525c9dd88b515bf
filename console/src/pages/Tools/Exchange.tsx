import type { Schemas } from "../../api/client"

/** What a call sent and what came back, as it went over the wire; secrets are blanked. */
export function Exchange({ call }: { call: Schemas["ToolCall"] }) {
  return (
    <div className="space-y-2">
      <p className="text-sm text-soft">
        {call.status ? `Answered ${call.status}` : call.error ? "No answer" : "Done"} in {call.ms} ms
        {(call.tries ?? 0) > 1 && `, after ${call.tries} tries`}
      </p>
      {call.request && <Raw title="Sent" text={call.request} />}
      {call.response && <Raw title="Received" text={call.response} />}
    </div>
  )
}

function Raw({ title, text }: { title: string; text: string }) {
  return (
    <details className="rounded-md border border-line">
      <summary className="cursor-pointer px-3 py-1.5 text-sm font-semibold hover:bg-sunk">{title}</summary>
      <pre className="max-h-64 overflow-auto border-t border-line px-3 py-2 font-mono text-sm break-all whitespace-pre-wrap">
        {text}
      </pre>
    </details>
  )
}
