import { Textarea } from "@headlessui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"

/** What a person does with a reply that waits for approval. */
export function Held({ message: m, keys }: { message: Schemas["Message"]; keys?: boolean }) {
  const queries = useQueryClient()
  const [words, setWords] = useState<string | null>(null)
  const [why, setWhy] = useState<string | null>(null)
  const judge = useMutation({
    mutationFn: () => (why !== null ? api.reject(m.id, why) : api.approve(m.id, words ?? "")),
    onSettled: () => queries.invalidateQueries(),
  })
  // a approves, e changes, r rejects.
  const asked = words !== null || why !== null
  useEffect(() => {
    if (!keys || asked) return
    const onKey = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLElement && e.target.closest("input, textarea, [role=dialog]")) return
      if (e.ctrlKey || e.metaKey || e.altKey) return
      if (e.key === "a") judge.mutate()
      else if (e.key === "e")
        setTimeout(() => setWords(m.text)) // the key is not for the field that appears
      else if (e.key === "r") setTimeout(() => setWhy(""))
      else return
      e.preventDefault()
    }
    window.addEventListener("keydown", onKey)
    return () => window.removeEventListener("keydown", onKey)
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
            <Button
              look="main"
              hint={keys ? "a" : undefined}
              disabled={judge.isPending}
              onClick={() => judge.mutate()}
            >
              Approve
            </Button>
            <Button hint={keys ? "e" : undefined} onClick={() => setWords(m.text)}>
              Change it
            </Button>
            <Button hint={keys ? "r" : undefined} onClick={() => setWhy("")}>
              Reject
            </Button>
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
