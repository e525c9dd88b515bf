import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"
import { Blocks, NamedBlocks } from "./blocks"
import { ChoiceOf, ChoicesOf, NameOf, NamesOf, SwitchOf } from "./choosing"
import { DataOf, GroupsOf, ListsOf, PairsOf, TextsOf, ValueOf } from "./lines"
import { Details } from "./details"
import { useNames } from "./names"

export type Placed = { path: Path; message: string }

export type FieldProps = {
  field: Schemas["DocumentField"]
  values: Values
  /** Where the block stands that the field belongs to. */
  inside: Path
  problems: Placed[]
}

/** One field of a document's form, filled in as its kind of value wants it. */
export function FormField(props: FieldProps) {
  const { field, values, inside } = props
  const path = [...inside, ...field.key.split(".")]
  if (field.if && !holds(field.if, values.at([...inside, ...field.if.key.split(".")]))) return null
  const here = props.problems.filter(p => path.every((step, i) => step === p.path[i]))
  const nested = field.as === "blocks" || field.as === "named"
  const messages = here.filter(p => !nested || p.path.length <= path.length + 1).map(p => p.message)
  const words = { label: field.label, about: field.about, example: field.example, problems: messages }
  const at = values.at(path)
  const set = (value: unknown) => values.set(path, value === "" ? undefined : value)
  const within = (block: Path) =>
    (field.fields ?? []).map(f => (
      <FormField key={f.key} field={f} values={values} inside={block} problems={props.problems} />
    ))
  switch (field.as) {
    case "switch":
      return <SwitchOf {...words} value={at === true} onChange={on => set(on || undefined)} />
    case "choice":
      return (
        <ChoiceOf
          {...words}
          choices={field.choices ?? []}
          value={values.get(...path) || (field.default ?? "")}
          onChange={value => set(value === field.default ? undefined : value)}
        />
      )
    case "choices":
      return <ChoicesOf {...words} choices={field.choices ?? []} value={texts(at)} onChange={set} />
    case "document":
      return <NameOf {...words} field={field} value={values.get(...path)} onChange={set} />
    case "documents":
      return <NamesOf {...words} field={field} value={texts(at)} onChange={set} />
    case "texts":
      return <TextsOf {...words} value={texts(at)} onChange={set} />
    case "lists":
      return <ListsOf {...words} value={at} onChange={set} />
    case "pairs":
      return <PairsOf {...words} values={values} path={path} />
    case "groups":
      return <GroupsOf {...words} choices={field.choices} adds={field.adds} values={values} path={path} />
    case "blocks":
      return <Blocks field={field} values={values} words={words} path={path} each={within} />
    case "named":
      return <NamedBlocks field={field} values={values} words={words} path={path} each={within} />
    case "details":
      return <Details field={field} values={values} words={words} path={path} each={within} />
    case "data":
      return <DataOf {...words} value={at} onChange={set} />
    case "number":
      return (
        <ValueOf
          {...words}
          number
          value={values.get(...path)}
          onChange={typed => set(/^-?\d+(\.\d+)?$/.test(typed) ? Number(typed) : typed)}
        />
      )
    default:
      return <TextOf {...words} field={field} value={values.get(...path)} onChange={set} />
  }
}

function TextOf(props: {
  field: Schemas["DocumentField"]
  label: string
  about?: string
  example?: string
  problems: string[]
  value: string
  onChange: (value: string) => void
}) {
  const { field, ...rest } = props
  const { names } = useNames(field)
  return <ValueOf {...rest} long={field.as === "paragraph"} suggest={names} />
}

const texts = (value: unknown): string[] =>
  Array.isArray(value)
    ? value.map(v => String(v ?? ""))
    : value === undefined || value === null
      ? []
      : [String(value)]

function holds(only: Schemas["OnlyIf"], value: unknown): boolean {
  const there = value !== undefined && value !== null && value !== ""
  return only.is.some(is => (is === "*" ? there : is === "" ? !there : String(value) === is))
}
