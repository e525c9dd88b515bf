import { Input } from "@headlessui/react"
import { useId } from "react"
import type { Schemas } from "../../api/client"
import type { Path, Values } from "../yaml"
import { KeyOf, keysAt, look, Out, Around, Suggestions, type Words } from "./lines"
import { useKeys, useNames, useTexts } from "./names"
import { PutIn } from "./PutIn"

/**
 * Texts by keys; where they may be numbers, what reads as one is one. Where a document says which keys
 * there are, each has its line.
 */
export function PairsOf(
  props: Words & {
    field: Schemas["DocumentField"]
    values: Values
    inside: Path
    path: Path
    numbers?: boolean
  },
) {
  const { field, values, path } = props
  const beside = (field.keys ?? "").split(".")
  const place = path.length > props.inside.length + 1 && beside.length === 1
  const named = values.get(...(place ? path.slice(0, -1) : props.inside), ...beside)
  const known = useKeys(field, named)
  const names = useNames(field.keys ? { ...field, of: undefined } : field).names
  const texts = useTexts(field, values)
  const id = useId()
  const keys = keysAt(values, path)
  const others = keys.filter(key => !known.some(k => k.value === key))
  const read = (typed: string) =>
    props.numbers && /^-?(0|[1-9]\d*)(\.\d*[1-9])?$/.test(typed) ? Number(typed) : typed
  const line = (key: string, hint: string | undefined, stays: boolean) => (
    <>
      <Input
        aria-label={key}
        placeholder={hint}
        value={values.get(...path, key)}
        onChange={e =>
          values.set([...path, key], e.target.value === "" && !stays ? undefined : read(e.target.value))
        }
        className={look + " font-mono text-sm"}
      />
      <PutIn
        label={key}
        texts={texts}
        onPut={text => values.set([...path, key], values.get(...path, key) + text)}
      />
    </>
  )
  return (
    <Around {...props} group>
      <ul className="space-y-1">
        {known.map(k => (
          <li key={k.value} className="flex items-center gap-1">
            <span className="w-1/4 shrink-0 px-1 text-sm break-words">{k.label}</span>
            {line(k.value, k.about, false)}
          </li>
        ))}
        {[...others, ...(known.length > 0 ? [] : [""])].map((key, i) => (
          <li key={i} className="flex items-start gap-1">
            <span className="w-2/5 shrink-0">
              <KeyOf
                label={key ? `Name of ${key}` : "One more name"}
                value={key}
                example="One more"
                taken={keys}
                suggest={names.length > 0 ? id : undefined}
                onChange={to => (key ? values.rename(path, key, to) : values.set([...path, to], ""))}
              />
            </span>
            {key ? (
              <>
                {line(key, props.example, true)}
                <Out label={`Remove ${key}`} onClick={() => values.set([...path, key], undefined)} />
              </>
            ) : (
              <span className="flex-1" />
            )}
          </li>
        ))}
      </ul>
      <Suggestions id={id} names={names} />
    </Around>
  )
}
