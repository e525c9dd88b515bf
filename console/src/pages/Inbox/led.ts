import type { Schemas } from "../../api/client"

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
