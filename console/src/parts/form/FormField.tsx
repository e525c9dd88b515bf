import type { Schemas } from "../../api/client"
import { Blocks, NamedBlocks } from "./blocks"
import { ChoiceOf, ChoicesOf, NameOf, NamesOf, SwitchOf } from "./choosing"
import { DataOf, GroupsOf, ListsOf, TextsOf, ValueOf } from "./lines"
import { PairsOf } from "./pairs"
import { PutIn } from "./PutIn"
import { Details } from "./details"
import type { Path, Values } from "../yaml"
import type { FieldProps } from "./field"
import { Entries } from "./entries"
import { ConditionOf, TimeOf } from "./expressions"
import { useNames, useTexts } from "./names"

/** One field of a document's form, filled in as its kind of value wants it. */
export function FormField(props: FieldProps) {
  const { field, values, inside } = props
  const path = props.path ?? [...inside, ...field.key.split(".")]
  if (field.if && !holds(field.if, values.at([...inside, ...field.if.key.split(".")]))) return null
  const here = props.problems.filter(p => path.every((step, i) => step === p.path[i]))
  const nested = field.as === "blocks" || field.as === "named" || field.as === "entries"
  const messages = here
    .filter(p => !p.warning && (!nested || p.path.length < path.length + (field.as === "entries" ? 1 : 2)))
    .map(p => p.message)
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
    case "yes or no":
      return (
        <ChoiceOf
          {...words}
          choices={[...(field.default ? [] : [{ value: "", label: "not said" }]), ...yesOrNo]}
          value={values.get(...path) || (field.default ?? "")}
          onChange={value => set(value === (field.default ?? "") ? undefined : value === "true")}
        />
      )
    case "time":
      return <TimeOf {...words} value={values.get(...path)} onChange={set} />
    case "condition":
      return <ConditionOf {...words} value={values.get(...path)} onChange={set} />
    case "cells":
      return <PairsOf {...words} field={field} values={values} inside={inside} path={path} numbers />
    case "entries":
      return (
        <Entries
          field={field}
          values={values}
          path={path}
          problems={props.problems}
          words={words}
          draw={inner => <FormField {...inner} />}
        />
      )
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
      return <PairsOf {...words} field={field} values={values} inside={inside} path={path} />
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
      return <TextOf {...words} field={field} values={values} value={values.get(...path)} onChange={set} />
  }
}

function TextOf(props: {
  field: Schemas["DocumentField"]
  values: Values
  label: string
  about?: string
  example?: string
  problems: string[]
  value: string
  onChange: (value: string) => void
}) {
  const { field, values: _, ...rest } = props
  const { names } = useNames(field)
  const texts = useTexts(field, props.values)
  const long = field.as === "paragraph"
  return (
    <div>
      <ValueOf {...rest} long={long} suggest={names} />
      {(long || field.values) && (
        <PutIn
          label={field.label}
          texts={texts}
          onPut={text => props.onChange(props.value + (/\s$|^$|\/$/.test(props.value) ? "" : " ") + text)}
        />
      )}
    </div>
  )
}

const yesOrNo = [
  { value: "true", label: "yes" },
  { value: "false", label: "no" },
]

const texts = (value: unknown): string[] =>
  Array.isArray(value)
    ? value.map(v => String(v ?? ""))
    : value === undefined || value === null
      ? []
      : [String(value)]

/** Whether a field that is shown only then is shown. */
export function holds(only: Schemas["OnlyIf"], value: unknown): boolean {
  const there = value !== undefined && value !== null && value !== ""
  return only.is.some(is => (is === "*" ? there : is === "" ? !there : String(value) === is))
}
