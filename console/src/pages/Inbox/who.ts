import type { Schemas } from "../../api/client"

/** Names a contact: by name, or by a handle that a person can read. */
export function who(c: Schemas["Conversation"]): string {
  if (c.name) return c.name
  return c.channel === "website" ? "A visitor" : c.address
}

/** Says who leads a conversation. */
export function led(c: Schemas["Conversation"], me: string): string {
  switch (c.lead) {
    case "bot":
      return "the bot leads"
    case "waiting":
      return "waits for a person"
    case "person":
      return c.assignee === me ? "you lead" : `${c.assignee} leads`
    default:
      return "closed"
  }
}

/** Why people came in, in words. */
export function why(reason: string): string {
  return (
    {
      "not known": "the bot does not know",
      wish: "asked for a person",
      anger: "is angry",
    }[reason] ?? reason
  )
}
