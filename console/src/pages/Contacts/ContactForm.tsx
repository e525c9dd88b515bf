import { Checkbox, Field, Label, Select } from "@headlessui/react"
import { CheckIcon } from "@heroicons/react/16/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Drawer } from "../../parts/Drawer"
import { Form, Input } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"

/** A contact to be changed, in a drawer. */
export function ContactDrawer({ id, onClose }: { id: string; onClose: () => void }) {
  const contact = useQuery({ queryKey: ["contact", id], queryFn: () => api.contact(id), enabled: !!id })
  const declared = useQuery({ queryKey: ["declared"], queryFn: api.declared })
  return (
    <Drawer title={contact.data?.who ?? "Contact"} open={!!id} onClose={onClose}>
      <Wrong error={contact.error ?? declared.error} />
      {contact.data && declared.data && (
        <ContactForm
          key={id}
          contact={contact.data}
          declared={declared.data}
          onDone={onClose}
          onCancel={onClose}
        />
      )}
    </Drawer>
  )
}

const select = "w-full rounded-md border border-line bg-paper px-3 py-2"

/** What is known of a contact, the stage and the tags, to be changed; without a contact, of a new one. */
export function ContactForm(props: {
  contact?: Schemas["Contact"]
  declared: Schemas["Declared"]
  onDone: (id: string) => void
  onCancel: () => void
}) {
  const { contact, declared } = props
  const queries = useQueryClient()
  const before = Object.fromEntries(contact?.facts.map(f => [f.field, f.value]) ?? [])
  const [facts, setFacts] = useState<Record<string, string>>(before)
  const [stage, setStage] = useState(contact?.stage ?? "")
  const [tags, setTags] = useState(contact?.tags ?? [])
  const save = useMutation({
    mutationFn: () => {
      const change = {
        facts: Object.fromEntries(Object.entries(facts).filter(([k, v]) => v !== (before[k] ?? ""))),
        stage,
        tags,
      }
      return contact ? api.changeContact(contact.id, change) : api.addContact(change)
    },
    onSuccess: kept => {
      for (const key of ["contact", "contacts", "twins", "conversation", "conversations", "today"])
        void queries.invalidateQueries({ queryKey: [key] })
      props.onDone(kept.id)
    },
  })
  return (
    <Form
      does="Keep it"
      ready={!save.isPending}
      error={save.error}
      onSubmit={() => save.mutate()}
      onCancel={props.onCancel}
    >
      <p className="text-sm text-soft">
        What you enter counts as verified by you. What a contact merely says never replaces it.
      </p>
      {declared.fields.map(f =>
        f.type === "choice" ? (
          <Field key={f.field}>
            <Label className="text-sm text-soft">{f.label}</Label>
            <Select
              className={select}
              value={facts[f.field] ?? ""}
              onChange={e => setFacts({ ...facts, [f.field]: e.target.value })}
            >
              <option value="">not known</option>
              {f.choices?.map(c => (
                <option key={c}>{c}</option>
              ))}
            </Select>
          </Field>
        ) : (
          <Input
            key={f.field}
            label={f.label + (f.sensitive ? " (sensitive: left out of traces and notifications)" : "")}
            type={{ date: "date", email: "email", phone: "tel" }[f.type as string] ?? "text"}
            value={facts[f.field] ?? ""}
            onChange={v => setFacts({ ...facts, [f.field]: v })}
          />
        ),
      )}
      {declared.stages.length > 0 && (
        <Field>
          <Label className="text-sm text-soft">Stage</Label>
          <Select className={select} value={stage} onChange={e => setStage(e.target.value)}>
            <option value="">none</option>
            {declared.stages.map(s => (
              <option key={s.stage} value={s.stage}>
                {s.label}
              </option>
            ))}
          </Select>
        </Field>
      )}
      {declared.tags.length > 0 && (
        <div className="flex flex-wrap gap-4">
          {declared.tags.map(tag => (
            <Field key={tag} className="flex items-center gap-2">
              <Checkbox
                checked={tags.includes(tag)}
                onChange={on => setTags(on ? [...tags, tag] : tags.filter(t => t !== tag))}
                className="group flex size-5 items-center justify-center rounded border border-line bg-paper data-checked:bg-sea"
              >
                <CheckIcon className="size-4 text-on-sea opacity-0 group-data-checked:opacity-100" />
              </Checkbox>
              <Label>{tag}</Label>
            </Field>
          ))}
        </div>
      )}
    </Form>
  )
}
