import { Description, Field, Input, Label } from "@headlessui/react"
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
          values.set(path, props.number && /^\d+(\.\d+)?$/.test(typed) ? Number(typed) : typed || undefined)
        }}
        className={look}
      />
      {props.about && <Description className="mt-1 text-sm text-soft">{props.about}</Description>}
    </Field>
  )
}
