import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { api, type Schemas } from "../../api/client"
import { Wrong } from "../../parts/Says"

/** What a conversation is marked with: of the tags that the settings declare, pressed are those that it has. */
export function ConversationTags({ conversation: c }: { conversation: Schemas["Conversation"] }) {
  const queries = useQueryClient()
  const declared = useQuery({ queryKey: ["declared"], queryFn: api.declared, staleTime: 60_000 })
  const save = useMutation({
    mutationFn: (tags: string[]) => api.tagConversation(c.id, tags),
    onSettled: () => {
      for (const key of ["conversation", "conversations", "messages"])
        void queries.invalidateQueries({ queryKey: [key] })
    },
  })
  const has = c.tags ?? []
  const all = [...new Set([...(declared.data?.tags ?? []), ...has])]
  if (all.length === 0) return null
  return (
    <section aria-label="Tags of the conversation" className="mb-4">
      <h4 className="mb-1 font-semibold">Tags of the conversation</h4>
      <p className="flex flex-wrap gap-1">
        {all.map(tag => (
          <button
            key={tag}
            aria-label={tag}
            aria-pressed={has.includes(tag)}
            disabled={save.isPending}
            onClick={() => save.mutate(has.includes(tag) ? has.filter(t => t !== tag) : [...has, tag])}
            className="rounded-full border border-dashed border-line px-2 py-0.5 text-sm text-soft hover:bg-sunk aria-pressed:border-solid aria-pressed:border-sea aria-pressed:bg-sea-wash aria-pressed:text-sea"
          >
            {!has.includes(tag) && <span aria-hidden>+ </span>}
            {tag}
          </button>
        ))}
      </p>
      <Wrong error={save.error} />
    </section>
  )
}
