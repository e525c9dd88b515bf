import { Description, Field, Input, Label, Select } from "@headlessui/react"
import type { Values } from "./yaml"

const look = "w-full rounded-md border border-line bg-paper px-3 py-2"

/** A field of a form that edits one value of a document. */
export function ValueField(props: {
  values: Values
  path: string[]
  label: string
  about?: string
  placeholder?: string
  number?: boolean
}) {
  const { values, path } = props
  return (
    <Field>
      <Label className="text-sm font-semibold">{props.label}</Label>
      <Input
        inputMode={props.number ? "decimal" : undefined}
        placeholder={props.placeholder}
        value={values.get(...path)}
        onChange={e => {
          const typed = e.target.value
          values.set(path, props.number && /^\d+(\.\d+)?$/.test(typed) ? Number(typed) : typed)
        }}
        className={look}
      />
      {props.about && <Description className="mt-1 text-sm text-soft">{props.about}</Description>}
    </Field>
  )
}

/** A field of a form that chooses one value of a document. "" leaves it out. */
export function ChoiceField(props: {
  values: Values
  path: string[]
  label: string
  about?: string
  choices: [value: string, name: string][]
}) {
  const { values, path } = props
  return (
    <Field>
      <Label className="text-sm font-semibold">{props.label}</Label>
      <Select value={values.get(...path)} onChange={e => values.set(path, e.target.value)} className={look}>
        {props.choices.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </Select>
      {props.about && <Description className="mt-1 text-sm text-soft">{props.about}</Description>}
    </Field>
  )
}
