import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react"
import { ChevronRightIcon } from "@heroicons/react/20/solid"
import { useState } from "react"
import type { Schemas } from "../../api/client"
import { named, pathOf, useValues } from "../yaml"
import { begins, type Placed, type Special } from "./field"
import { FormField, holds } from "./FormField"
import { ValueOf } from "./lines"
import type { Named } from "./names"
import { Told } from "./told"

type Problem = Schemas["Problem"]

/**
 * A document as the form of its kind: the same text, shown in words. What is wrong stands at its field.
 */
export function DocumentForm(props: {
  kind: Schemas["DocumentKind"]
  text: string
  onText: (text: string) => void
  problems: Problem[]
  /** A new document, whose name is asked for. */
  fresh: boolean
  /** What may be wrong. */
  warnings?: Problem[]
  sentences?: Record<string, string>
  names?: Named[]
  special?: Special
}) {
  const { kind, text, problems } = props
  const written = useValues(text, props.onText)
  const title = kind.form.flatMap(p => p.fields).find(f => f.key === "title" || f.key === "name")
  const [given, setGiven] = useState(false) // a name of its own
  const follows = props.fresh && !kind.only && !kind.titled && !given && title
  const values = follows ? named(written, kind.name, title.key) : written
  if (!values.readable)
    return (
      <p className="p-4 text-soft">
        The text has an error that keeps the form from showing it. Mend it there.
      </p>
    )
  const placed: Placed[] = [
    ...problems.map(p => ({ path: pathOf(text, p), message: p.message })),
    ...(props.warnings ?? []).map(p => ({ path: pathOf(text, p), message: p.message, warning: true })),
  ]
  const wrongIn = (fields: Schemas["DocumentField"][]) =>
    placed.some(p => !p.warning && fields.some(f => begins(p.path, f.key.split("."))))
  const shows = (f: Schemas["DocumentField"]) => !f.if || holds(f.if, values.at(f.if.key.split(".")))
  const told = { kinds: kind.entries ?? {}, sentences: props.sentences ?? {}, names: props.names ?? [] }
  return (
    <Told value={told}>
      <div className="mx-auto max-w-2xl space-y-3 p-4">
        {props.fresh && !kind.only && (
          <ValueOf
            label={kind.titled ? "Title" : "Name in other documents"}
            about={
              kind.titled
                ? "What happens in it, in a few words."
                : `Small letters, digits and hyphens.${title ? ` It follows the ${title.label.toLowerCase()} below until you change it, and` : " It"} stays as it is once it is kept.`
            }
            value={values.get(kind.name)}
            onChange={value => {
              setGiven(true)
              values.set([kind.name], value)
            }}
            problems={placed.filter(p => begins(p.path, [kind.name])).map(p => p.message)}
          />
        )}
        {kind.form.map(part => {
          if (!part.fields.some(shows)) return null
          const fields = (
            <div className="space-y-4">
              {part.about && <p className="text-soft">{part.about}</p>}
              {part.fields.filter(shows).map(f => {
                const Drawn = props.special?.[f.key] ?? FormField
                return <Drawn key={f.key} field={f} values={values} inside={[]} problems={placed} />
              })}
            </div>
          )
          if (!part.seldom)
            return (
              <section key={part.title} className="border-b border-line pb-5 last:border-0">
                <h3 className="mb-3 font-semibold text-sea">{part.title}</h3>
                {fields}
              </section>
            )
          return (
            <Disclosure
              key={part.title}
              as="section"
              defaultOpen={wrongIn(part.fields)}
              className="border-b border-line pb-3 last:border-0"
            >
              <DisclosureButton className="group flex w-full items-center gap-1 rounded-md py-1 text-left font-semibold text-sea hover:bg-sunk">
                <ChevronRightIcon className="size-4 group-data-open:rotate-90" />
                {part.title}
                {wrongIn(part.fields) && (
                  <span className="ml-2 text-sm text-scarlet">something is wrong here</span>
                )}
              </DisclosureButton>
              <DisclosurePanel className="pt-3">{fields}</DisclosurePanel>
            </Disclosure>
          )
        })}
      </div>
    </Told>
  )
}

/** The problems that stand at no field of the form. */
export function unplaced(kind: Schemas["DocumentKind"], text: string, problems: Problem[]): Problem[] {
  const keys = [kind.name, ...kind.form.flatMap(p => p.fields).map(f => f.key)]
  return problems.filter(p => {
    const path = pathOf(text, p)
    return !keys.some(key => begins(path, key.split(".")))
  })
}
