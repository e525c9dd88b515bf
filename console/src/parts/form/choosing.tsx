import { Select } from "@headlessui/react"
import { Link } from "react-router"
import type { Schemas } from "../../api/client"
import { Tick } from "../Fields"
import { Around, look, type Words } from "./lines"
import { useNames } from "./names"

type Choice = Schemas["FieldChoice"]

/** Yes, or left out. */
export function SwitchOf(props: Words & { value: boolean; onChange: (on: boolean) => void }) {
  return (
    <div>
      <Tick on={props.value} onChange={props.onChange}>
        {props.label}
      </Tick>
      {props.about && <p className="text-sm text-soft">{props.about}</p>}
      {props.problems.map(message => (
        <p key={message} role="alert" className="text-sm text-scarlet first-letter:uppercase">
          {message}
        </p>
      ))}
    </div>
  )
}

/** One of some values. */
export function ChoiceOf(
  props: Words & { choices: Choice[]; value: string; onChange: (value: string) => void },
) {
  const known = props.choices.some(c => c.value === props.value)
  const about = props.choices.find(c => c.value === props.value)?.about
  return (
    <Around {...props} about={about ?? props.about}>
      <Select
        value={props.value}
        invalid={props.problems.length > 0}
        onChange={e => props.onChange(e.target.value)}
        className={look}
      >
        {!known && <option value={props.value}>{props.value || "choose"}</option>}
        {props.choices.map(c => (
          <option key={c.value} value={c.value}>
            {c.label}
          </option>
        ))}
      </Select>
    </Around>
  )
}

/** Some of some values. */
export function ChoicesOf(
  props: Words & { choices: Choice[]; value: string[]; onChange: (value: string[] | undefined) => void },
) {
  const { value } = props
  return (
    <Around {...props} group>
      <Toggles
        all={props.choices.map(c => ({ name: c.value, title: c.label }))}
        value={value}
        onChange={props.onChange}
      />
    </Around>
  )
}

/** The name of something that is there. */
export function NameOf(
  props: Words & {
    field: Schemas["DocumentField"]
    value: string
    onChange: (value: string) => void
  },
) {
  const { names, ready, page } = useNames(props.field)
  const more = props.field.choices ?? []
  const known =
    props.value === "" || names.some(n => n.name === props.value) || more.some(c => c.value === props.value)
  return (
    <Around {...props}>
      <Select
        value={props.value}
        invalid={props.problems.length > 0}
        onChange={e => props.onChange(e.target.value)}
        className={look}
      >
        <option value="">{props.example ?? "none"}</option>
        {more.map(c => (
          <option key={c.value} value={c.value}>
            {c.label}
          </option>
        ))}
        {names.map(n => (
          <option key={n.name} value={n.name}>
            {n.title}
          </option>
        ))}
        {!known && (
          <option value={props.value}>
            {props.value}
            {ready && " (not there)"}
          </option>
        )}
      </Select>
      {ready && names.length === 0 && page && <NoneYet page={page} />}
    </Around>
  )
}

/** Names of things that are there, in the order in which they were chosen. */
export function NamesOf(
  props: Words & {
    field: Schemas["DocumentField"]
    value: string[]
    onChange: (value: string[] | undefined) => void
  },
) {
  const { names, ready, page } = useNames(props.field)
  const gone = props.value.filter(v => !names.some(n => n.name === v))
  return (
    <Around {...props} group>
      <Toggles
        all={[...names, ...gone.map(name => ({ name, title: ready ? name + " (not there)" : name }))]}
        value={props.value}
        onChange={props.onChange}
        ordered
      />
      {ready && names.length === 0 && page && <NoneYet page={page} />}
    </Around>
  )
}

function NoneYet({ page }: { page: string }) {
  return (
    <span className="mt-1 block text-sm text-soft">
      There is none yet.{" "}
      <Link className="text-sea underline" to={page}>
        Make one
      </Link>
    </span>
  )
}

function Toggles(props: {
  all: { name: string; title: string }[]
  value: string[]
  onChange: (value: string[] | undefined) => void
  ordered?: boolean
}) {
  const { value } = props
  return (
    <span className="flex flex-wrap gap-1.5">
      {props.all.map(({ name, title }) => {
        const at = value.indexOf(name)
        return (
          <button
            key={name}
            type="button"
            aria-pressed={at >= 0}
            onClick={() => {
              const next = at >= 0 ? value.toSpliced(at, 1) : [...value, name]
              props.onChange(next.length > 0 ? next : undefined)
            }}
            className="rounded-full border border-line px-3 py-1 text-sm hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-wash aria-pressed:text-sea"
          >
            {props.ordered && at >= 0 && value.length > 1 && (
              <span className="mr-1 font-semibold">{at + 1}.</span>
            )}
            {title}
          </button>
        )
      })}
    </span>
  )
}
