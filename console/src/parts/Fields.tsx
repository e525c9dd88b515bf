import { Checkbox, Field, Input as Base, Label, Textarea } from "@headlessui/react"
import { CheckIcon } from "@heroicons/react/16/solid"
import { type ReactNode, useState } from "react"
import { Button } from "./Button"
import { Wrong } from "./Says"

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

/** A text to type, with its label above. */
export function Area(props: {
  label: string
  value: string
  onChange: (value: string) => void
  rows: number
  most: number
}) {
  return (
    <Field>
      <Label className="text-sm text-soft">{props.label}</Label>
      <Textarea
        rows={props.rows}
        maxLength={props.most}
        value={props.value}
        onChange={e => props.onChange(e.target.value)}
        className={look}
      />
    </Field>
  )
}

/** Yes or no, with its label behind. */
export function Tick(props: { on: boolean; onChange: (on: boolean) => void; children: ReactNode }) {
  return (
    <Field className="flex items-center gap-2">
      <Checkbox
        checked={props.on}
        onChange={props.onChange}
        className="group flex size-5 shrink-0 items-center justify-center rounded border border-line bg-paper data-checked:bg-sea"
      >
        <CheckIcon className="size-4 text-on-sea opacity-0 group-data-checked:opacity-100" />
      </Checkbox>
      <Label>{props.children}</Label>
    </Field>
  )
}

/** The frame of a form in a drawer: its fields, what went wrong, and the way out. */
export function Form(props: {
  children: ReactNode
  does: string
  ready: boolean
  error: unknown
  onSubmit: () => void
  onCancel: () => void
}) {
  return (
    <form
      className="space-y-4"
      onSubmit={e => {
        e.preventDefault()
        props.onSubmit()
      }}
    >
      {props.children}
      <Wrong error={props.error} />
      <div className="flex justify-end gap-2">
        <Button onClick={props.onCancel}>Cancel</Button>
        <Button type="submit" look="main" disabled={!props.ready}>
          {props.does}
        </Button>
      </div>
    </form>
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
