import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Input } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"

/** Whether a channel works, and what can be done with it: try it, look for what is new, take in the past. */
export function Works({ channel: c }: { channel: Schemas["Channel"] }) {
  const queries = useQueryClient()
  const test = useMutation({ mutationFn: () => api.testChannel(c.name) })
  const look = useMutation({ mutationFn: () => api.lookAtChannel(c.name) })
  const [asking, setAsking] = useState(false)
  const [from, setFrom] = useState("")
  const [to, setTo] = useState("")
  const past = useMutation({
    mutationFn: () => api.takePast(c.name, from + "T00:00:00Z", (to || tomorrow()) + "T00:00:00Z"),
    onSuccess: () => {
      setAsking(false)
      void queries.invalidateQueries({ queryKey: ["channels"] })
    },
  })
  const said = test.data
  return (
    <section aria-label="State" className="rounded-lg border border-line bg-sheet p-4">
      <p className="flex flex-wrap items-center gap-x-3 gap-y-2">
        <span className="mr-auto">
          {c.off ? (
            "Switched off: nothing comes in and nothing goes out."
          ) : c.fault ? (
            <span className="text-scarlet">Does not work: {c.fault}</span>
          ) : (
            <>
              Works; {c.replies === "off" ? "people answer in place of" : "answered by"}{" "}
              <Link className="text-sea underline" to={"/bots/" + c.bot}>
                {c.bot}
              </Link>
              {(c.replies === "hold" || c.replies === "draft") && ", whose replies wait for approval"}.
            </>
          )}
        </span>
        {!c.off && (
          <Button disabled={test.isPending} onClick={() => test.mutate()}>
            {test.isPending ? "Trying…" : "Test it"}
          </Button>
        )}
        {c.looks && (
          <Button disabled={look.isPending} onClick={() => look.mutate()}>
            Look now
          </Button>
        )}
        {c.keeps && !c.past?.running && <Button onClick={() => setAsking(!asking)}>Take in the past</Button>}
      </p>
      {c.address && (
        <p className="mt-2 text-sm text-soft">
          {c.page ? (
            <>
              It has a page of its own:{" "}
              <a
                className="text-sea underline [overflow-wrap:anywhere]"
                href={c.address}
                target="_blank"
                rel="noreferrer"
              >
                {c.address}
              </a>
            </>
          ) : (
            <>
              Outsiders reach it at <code className="font-mono [overflow-wrap:anywhere]">{c.address}</code>
            </>
          )}
        </p>
      )}
      {c.embed && <Embed line={c.embed} />}
      <Wrong error={test.error ?? look.error ?? past.error} />
      {said && (
        <p role="status" className={`mt-2 text-sm ${said.works ? "text-leaf" : "text-scarlet"}`}>
          {said.works ? "All that it needs works." : `It does not work: ${said.why}`}
          {said.works && said.found && ` The other side has ${said.found.join(", ")}.`}
        </p>
      )}
      {look.isSuccess && (
        <p role="status" className="mt-2 text-sm text-leaf">
          It looks for what is new.
        </p>
      )}
      {c.past && (
        <p role="status" className="mt-2 text-sm">
          {c.past.running ? "Taking in the past: " : "Taken in of the past: "}
          {c.past.done} of {c.past.all}
          {c.past.error && <span className="text-scarlet"> · {c.past.error}</span>}
        </p>
      )}
      {asking && (
        <form
          className="mt-3 flex flex-wrap items-end gap-3 border-t border-line pt-3"
          onSubmit={e => {
            e.preventDefault()
            past.mutate()
          }}
        >
          <Input label="From" type="date" value={from} onChange={setFrom} />
          <Input label="Before" type="date" value={to} onChange={setTo} />
          <Button look="main" type="submit" disabled={past.isPending || !from}>
            Take it in
          </Button>
          <p className="w-full text-sm text-soft">
            What came then is listed and can be searched. Nothing of it is answered by itself.
          </p>
        </form>
      )}
    </section>
  )
}

function tomorrow() {
  return new Date(Date.now() + 86400000).toISOString().slice(0, 10)
}

/** The line that a business puts into its own pages. */
function Embed({ line }: { line: string }) {
  const [copied, setCopied] = useState(false)
  return (
    <div className="mt-2 flex flex-wrap items-center gap-x-3 gap-y-1 text-sm text-soft">
      <span>
        On your own pages it appears by this line:{" "}
        <code className="font-mono [overflow-wrap:anywhere] text-ink select-all">{line}</code>
      </span>
      <Button
        look="quiet"
        className="!px-0 !py-0 text-sm"
        onClick={() => void navigator.clipboard?.writeText(line).then(() => setCopied(true))}
      >
        {copied ? "Copied" : "Copy"}
      </Button>
    </div>
  )
}
