import { Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../api/client"
import { Button } from "./Button"
import { Wrong } from "./Says"
import { ago, useNow } from "./Time"

/** The calls of tools that wait for a person: of a conversation, or all, each with the way to it. */
export function Allowances({ conversation = "", title }: { conversation?: string; title?: string }) {
  const list = useQuery({
    queryKey: ["allowances", conversation],
    queryFn: () => api.allowances(conversation),
  })
  const items = list.data?.items ?? []
  if (items.length === 0) return <Wrong error={list.error} />
  return (
    <section
      aria-label="Waits to be allowed"
      className="space-y-3 rounded-lg border border-saffron bg-saffron-wash/40 p-4"
    >
      {title && <h2 className="text-lg font-semibold">{title}</h2>}
      {items.map(a => (
        <Allowance key={a.id} allowance={a} alone={!!conversation} />
      ))}
    </section>
  )
}

function Allowance({ allowance: a, alone }: { allowance: Schemas["Allowance"]; alone: boolean }) {
  const queries = useQueryClient()
  const now = useNow(30)
  const [why, setWhy] = useState<string | null>(null)
  const decide = useMutation({
    mutationFn: () => (why === null ? api.allow(a.id) : api.refuse(a.id, why)),
    onSettled: () => queries.invalidateQueries(),
  })
  const details = Object.entries(a.arguments ?? {})
  return (
    <div className="space-y-2">
      <p>
        <span className="font-semibold">{a.title}</span>
        {details.length > 0 && ` (${details.map(([name, value]) => `${name}: ${String(value)}`).join(", ")})`}
        <span className="block text-soft">
          {alone ? (
            "The customer asked"
          ) : (
            <Link className="text-sea underline" to={"/inbox/" + a.conversation}>
              {a.who}
            </Link>
          )}
          : “{a.question}” {ago(a.asked_at, now)}
        </span>
      </p>
      <Wrong error={decide.error} />
      {why !== null && (
        <Textarea
          autoFocus
          rows={2}
          maxLength={500}
          aria-label="What the customer is told, if anything"
          placeholder="What the customer is told, if anything"
          value={why}
          onChange={e => setWhy(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2"
        />
      )}
      <div className="flex flex-wrap gap-2">
        {why === null ? (
          <>
            <Button look="main" disabled={decide.isPending} onClick={() => decide.mutate()}>
              Allow it
            </Button>
            <Button onClick={() => setWhy("")}>Do not allow it</Button>
          </>
        ) : (
          <>
            <Button look="main" disabled={decide.isPending} onClick={() => decide.mutate()}>
              Tell the customer no
            </Button>
            <Button look="quiet" onClick={() => setWhy(null)}>
              Not now
            </Button>
          </>
        )}
      </div>
    </div>
  )
}
