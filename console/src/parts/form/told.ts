import { createContext } from "react"
import type { Schemas } from "../../api/client"
import type { Named } from "./names"

/** What is known of the document that a form shows, beyond its text. */
export const Told = createContext<{
  /** The kinds of entries of its lists. */
  kinds: Record<string, Schemas["EntryKind"][]>
  /** Entries in plain sentences, by list and place: "steps:2/if_silent/0". */
  sentences: Record<string, string>
  /** The values that expressions may use, as they are written there. */
  names: Named[]
}>({ kinds: {}, sentences: {}, names: [] })
