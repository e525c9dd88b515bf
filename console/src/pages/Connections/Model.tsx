import { Field, Input, Label } from "@headlessui/react"
import { useMutation } from "@tanstack/react-query"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import type { FieldProps } from "../../parts/form/field"
import { FormField } from "../../parts/form/FormField"
import { Wrong } from "../../parts/Says"

/** The name of a model, with those that the server has to choose from. */
export function ModelField(props: FieldProps) {
  const { values } = props
  const list = useMutation({
    mutationFn: () => api.modelsAt(values.get("address"), values.get("connection")),
  })
  const names = list.data?.items ?? []
  return (
    <div>
      <FormField {...props} />
      <span className="mt-1 flex flex-wrap items-center gap-1">
        <Button onClick={() => list.mutate()} disabled={!values.get("address") || list.isPending}>
          Fetch the list
        </Button>
        {list.isSuccess && names.length === 0 && (
          <span className="text-sm text-soft">The server lists no models.</span>
        )}
        {names.map(name => (
          <button
            key={name}
            type="button"
            onClick={() => values.set(["model"], name)}
            aria-pressed={values.get("model") === name}
            className="rounded-full border border-line px-2.5 py-0.5 text-sm hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-wash aria-pressed:text-sea"
          >
            {name}
          </button>
        ))}
      </span>
      <Wrong error={list.error} />
    </div>
  )
}

const steps: [number, string][] = [
  [0, "always the likeliest words"],
  [0.2, "nearly always the likeliest words: a good start"],
  [0.6, "some variety"],
  [1, "much variety: more replies fail the checks"],
]

/** How freely a model chooses its words, as a slider. */
export function Temperature({ field, values }: FieldProps) {
  const at = Number(values.get(field.key) || field.example)
  const meaning = [...steps].reverse().find(([from]) => at >= from)?.[1] ?? ""
  return (
    <Field>
      <Label className="text-sm font-semibold">
        {field.label} {at.toFixed(1)}
      </Label>
      <Input
        type="range"
        min={0}
        max={1.5}
        step={0.1}
        value={at}
        onChange={e => values.set([field.key], Number(e.target.value))}
        className="w-full accent-sea"
      />
      <span className="block text-sm text-soft">How freely it chooses its words: {meaning}.</span>
    </Field>
  )
}
