import { ArrowDownIcon, ArrowUpIcon, PlusIcon } from "@heroicons/react/20/solid"
import { type ReactNode, useState } from "react"
import type { Schemas } from "../../api/client"
import { Button } from "../Button"
import type { Path, Values } from "../yaml"
import { Around, KeyOf, Out, type Words } from "./lines"

type Props = {
  field: Schemas["DocumentField"]
  values: Values
  words: Words
  path: Path
  /** The fields of the block that stands there. */
  each: (inside: Path) => ReactNode
}

/** A list of blocks, each with fields of its own; they can be put in another order. */
export function Blocks({ field, values, words, path, each }: Props) {
  const at = values.at(path)
  const count = Array.isArray(at) ? at.length : 0
  const fields = field.fields ?? []
  return (
    <Around {...words} group>
      <ol className="space-y-2">
        {Array.from({ length: count }, (_, i) => (
          <li key={i} className="rounded-md border border-line bg-sheet p-3">
            <div className="mb-2 flex items-center gap-1 text-sm text-soft">
              <span className="mr-auto">
                {i + 1} of {count}
              </span>
              <Move label="Up" off={i === 0} onClick={() => values.move(path, i, i - 1)} />
              <Move label="Down" off={i === count - 1} onClick={() => values.move(path, i, i + 1)} />
              <Out
                label={`Remove ${field.label}, ${i + 1}`}
                onClick={() => values.set([...path, i], undefined)}
              />
            </div>
            <div className="space-y-3">{each([...path, i])}</div>
          </li>
        ))}
      </ol>
      <Button
        look="quiet"
        className="mt-1"
        onClick={() => values.set([...path, count], { [fields[0].key]: "" })}
      >
        <PlusIcon className="size-4" />
        Add {field.adds}
      </Button>
    </Around>
  )
}

/** The button that moves something up or down. */
export function Move(props: { label: string; off: boolean; onClick: () => void }) {
  const Icon = props.label === "Up" ? ArrowUpIcon : ArrowDownIcon
  return (
    <button
      type="button"
      aria-label={props.label}
      title={props.label}
      disabled={props.off}
      onClick={props.onClick}
      className="rounded-md p-1.5 hover:bg-sunk disabled:opacity-30"
    >
      <Icon className="size-4" />
    </button>
  )
}

/** Blocks by keys. */
export function NamedBlocks({ field, values, words, path, each }: Props) {
  const at = values.at(path)
  const keys = at && typeof at === "object" && !Array.isArray(at) ? Object.keys(at) : []
  const [adding, setAdding] = useState(false)
  return (
    <Around {...words} group>
      <ul className="space-y-2">
        {keys.map(key => (
          <li key={key} className="rounded-md border border-line bg-sheet p-3">
            <div className="mb-2 flex items-center gap-1">
              <KeyOf
                label={`Name of ${key}`}
                value={key}
                taken={keys}
                onChange={to => values.rename(path, key, to)}
              />
              <Out label={`Remove ${key}`} onClick={() => values.set([...path, key], undefined)} />
            </div>
            <div className="space-y-3">{each([...path, key])}</div>
          </li>
        ))}
      </ul>
      {adding ? (
        <KeyOf
          label={`Name of ${field.adds}`}
          value=""
          example="Its name"
          taken={keys}
          onChange={key => {
            values.set([...path, key], {})
            setAdding(false)
          }}
        />
      ) : (
        <Button look="quiet" className="mt-1" onClick={() => setAdding(true)}>
          <PlusIcon className="size-4" />
          Add {field.adds}
        </Button>
      )}
    </Around>
  )
}
