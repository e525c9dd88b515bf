import type { ComponentType } from "react"
import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"

/** Something that is wrong, or may be, and where. */
export type Placed = { path: Path; message: string; warning?: boolean }

/** What a field of a form is drawn from. */
export type FieldProps = {
  field: Schemas["DocumentField"]
  values: Values
  /** Where the block stands that the field belongs to. */
  inside: Path
  /** Where it stands itself, if that is not under its key in that block. */
  path?: Path
  problems: Placed[]
}

/** How some fields of a document are drawn, by their key: those of which a page knows more than their form. */
export type Special = Record<string, ComponentType<FieldProps>>

/** Whether a path begins with another one. */
export const begins = (path: Path, first: Path) =>
  first.length <= path.length && first.every((step, i) => step === path[i])
