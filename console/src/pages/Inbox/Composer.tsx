import { Textarea } from "@headlessui/react"
import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useEffect, useRef, useState } from "react"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"

/** Where a person writes. What was typed is kept when the page is left. */
export function Composer(props: { id: string; mine: boolean; lead: string; onTake: () => void }) {
  const kept = "draft " + props.id
  const queries = useQueryClient()
  const [text, setText] = useState(() => sessionStorage.getItem(kept) ?? "")
  const box = useRef<HTMLTextAreaElement>(null)
  // The key stays the same until the reply got through, so that a second try is not a second reply.
  const key = useRef(crypto.randomUUID())
  const write = (words: string) => {
    setText(words)
    if (words) sessionStorage.setItem(kept, words)
    else sessionStorage.removeItem(kept)
  }
  const reply = useMutation({
    mutationFn: (worded: boolean) =>
      worded
        ? api.replyWithFact(props.id, text.trim(), key.current)
        : api.reply(props.id, text.trim(), key.current),
    onSuccess: () => {
      key.current = crypto.randomUUID()
      write("")
      void queries.invalidateQueries({ queryKey: ["messages", props.id] })
      box.current?.focus()
    },
  })
  const send = () => {
    if (text.trim() && !reply.isPending) reply.mutate(false)
  }

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLElement && e.target.closest("input, textarea, [role=dialog]")) return
      if (e.key === "r" && !e.ctrlKey && !e.metaKey && props.mine) {
        e.preventDefault()
        box.current?.focus()
      }
    }
    window.addEventListener("keydown", onKey)
    return () => window.removeEventListener("keydown", onKey)
  }, [props.mine])

  if (props.lead === "closed") {
    return (
      <p className="border-t border-line bg-sheet px-4 py-3 text-center text-soft">
        This conversation is closed.
      </p>
    )
  }
  if (!props.mine) {
    return (
      <p className="border-t border-line bg-sheet px-4 py-3 text-center text-soft">
        {props.lead === "bot" ? "The bot is answering. " : "To answer, take the conversation: "}
        <button className="text-sea underline" onClick={props.onTake}>
          {props.lead === "bot" ? "Take over" : "take it now"}
        </button>
        {props.lead === "bot" && "; the bot falls silent at once."}
      </p>
    )
  }
  return (
    <form
      className="border-t border-line bg-sheet p-3"
      onSubmit={e => {
        e.preventDefault()
        send()
      }}
    >
      <Wrong error={reply.error} />
      <div className="mx-auto flex max-w-3xl items-end gap-2">
        <Textarea
          ref={box}
          aria-label="Your reply"
          placeholder="Your reply"
          rows={Math.min(8, Math.max(2, text.split("\n").length))}
          maxLength={8000}
          value={text}
          onChange={e => write(e.target.value)}
          onKeyDown={e => {
            if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) send()
          }}
          className="min-w-0 flex-1 resize-none rounded-md border border-line bg-paper px-3 py-2"
        />
        <Button
          disabled={!text.trim() || reply.isPending}
          title="You type the bare fact; the bot makes a sentence of it and sends it"
          onClick={() => reply.mutate(true)}
        >
          Word it
        </Button>
        <Button type="submit" look="main" disabled={!text.trim() || reply.isPending} title="Key: Ctrl Enter">
          Send
        </Button>
      </div>
    </form>
  )
}
