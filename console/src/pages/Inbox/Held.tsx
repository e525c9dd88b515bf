import { Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"

/** What a person does with a reply that waits for approval. */
export function Held({ message: m }: { message: Schemas["Message"] }) {
  const queries = useQueryClient()
  const [words, setWords] = useState<string | null>(null)
  const [why, setWhy] = useState<string | null>(null)
  const judge = useMutation({
    mutationFn: () => (why !== null ? api.reject(m.id, why) : api.approve(m.id, words ?? "")),
    onSettled: () => queries.invalidateQueries(),
  })
  // What a language model said that nothing supports is why it is held, or may be.
  const turn = useQuery({
    queryKey: ["turn", m.turn],
    queryFn: () => api.turn(m.turn!),
    enabled: !!m.turn,
    staleTime: Infinity,
  })
  const wrong = turn.data?.trace.thoughts?.flatMap(th => th.checks ?? []).filter(c => c.fault) ?? []
  const [text, setText, label] =
    why !== null
      ? ([why, setWhy, "Why it is not sent (for your colleagues)"] as const)
      : ([words, setWords, "The reply as it is to be sent"] as const)
  return (
    <div className="mt-2 space-y-2 border-t border-saffron pt-2">
      <p className="text-sm font-semibold text-saffron">Waits for your approval</p>
      {wrong.map((c, i) => (
        <p key={i} className="text-sm text-scarlet">
          Not supported: “{c.says}” ({c.why})
        </p>
      ))}
      <Wrong error={judge.error} />
      {text !== null && (
        <Textarea
          autoFocus
          rows={3}
          aria-label={label}
          placeholder={label}
          maxLength={why !== null ? 500 : 8000}
          value={text}
          onChange={e => setText(e.target.value)}
          className="w-full rounded-md border border-line bg-paper px-3 py-2"
        />
      )}
      <div className="flex flex-wrap gap-2">
        {text === null ? (
          <>
            <Button look="main" disabled={judge.isPending} onClick={() => judge.mutate()}>
              Approve
            </Button>
            <Button onClick={() => setWords(m.text)}>Change it</Button>
            <Button onClick={() => setWhy("")}>Reject</Button>
          </>
        ) : (
          <>
            <Button look="main" disabled={judge.isPending} onClick={() => judge.mutate()}>
              {why !== null ? "Reject it" : "Send it so"}
            </Button>
            <Button
              look="quiet"
              onClick={() => {
                setWords(null)
                setWhy(null)
              }}
            >
              Not now
            </Button>
          </>
        )}
      </div>
    </div>
  )
}
