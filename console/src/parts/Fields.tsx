import { Field, Input as Base, Label } from "@headlessui/react"
import { useState } from "react"

const look = "w-full rounded-md border border-line bg-paper px-3 py-2"

/** A line to type into, with its label above. */
export function Input(props: {
  label: string
  value: string
  onChange: (value: string) => void
  placeholder?: string
  type?: string
  min?: number
}) {
  return (
    <Field>
      <Label className="text-sm text-soft">{props.label}</Label>
      <Base
        type={props.type ?? "text"}
        min={props.min}
        maxLength={2000}
        placeholder={props.placeholder}
        value={props.value}
        onChange={e => props.onChange(e.target.value)}
        className={look}
      />
    </Field>
  )
}

/** A day that may be left out; on the wire it is the moment at which it begins. */
export function Day(props: { label: string; value?: string; onChange: (value?: string) => void }) {
  return (
    <Field>
      <Label className="text-sm text-soft">{props.label}</Label>
      <Base
        type="date"
        value={props.value ? localDay(new Date(props.value)) : ""}
        onChange={e =>
          props.onChange(e.target.value ? new Date(e.target.value + "T00:00").toISOString() : undefined)
        }
        className={look}
      />
    </Field>
  )
}

function localDay(d: Date): string {
  const two = (n: number) => String(n).padStart(2, "0")
  return `${d.getFullYear()}-${two(d.getMonth() + 1)}-${two(d.getDate())}`
}

/** A day in words. */
export function dayOf(at: string): string {
  return new Date(at).toLocaleDateString([], { day: "numeric", month: "short", year: "numeric" })
}

/** State that survives leaving the page, under a name. */
export function useKept(name: string): [string, (value: string) => void] {
  const [value, setValue] = useState(() => sessionStorage.getItem(name) ?? "")
  return [
    value,
    next => {
      setValue(next)
      if (next) sessionStorage.setItem(name, next)
      else sessionStorage.removeItem(name)
    },
  ]
}
