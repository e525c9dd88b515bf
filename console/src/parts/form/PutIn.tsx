import { Select } from "@headlessui/react"
import type { Named } from "./names"

/** Puts a value into a text, as the text writes it. */
export function PutIn(props: { label: string; texts: Named[]; onPut: (text: string) => void }) {
  if (props.texts.length === 0) return null
  return (
    <Select
      aria-label={`Put a value into ${props.label}`}
      value=""
      onChange={e => props.onPut(`{{ ${e.target.value} }}`)}
      className="w-22 shrink-0 rounded-md px-1 py-0.5 text-sm text-sea hover:bg-sea-wash"
    >
      <option value="">Put in…</option>
      {props.texts.map(t => (
        <option key={t.name} value={t.name}>
          {t.title}
        </option>
      ))}
    </Select>
  )
}
