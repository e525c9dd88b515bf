import { useQueries, useQuery } from "@tanstack/react-query"
import { useContext } from "react"
import { api, type Schemas } from "../../api/client"
import { readYAML, type Values } from "../yaml"
import { Told } from "./told"

/** Something that a document may name. */
export type Named = { name: string; title: string }

/** The fields of the contact, as values: what is not known of somebody is left empty. */
export const fieldValues = (fields: Schemas["Field"][]): Named[] =>
  fields.map(f => ({ name: `contact.${f.field}.orValue('')`, title: `${f.label} of the contact` }))

/** What can be put into the texts of a field: what its document is told of, and what the field says. */
export function useTexts(field: Schemas["DocumentField"], values: Values): Named[] {
  const told = useContext(Told).names
  const declared = useQuery({
    queryKey: ["declared"],
    queryFn: api.declared,
    enabled: field.values === "contact",
  })
  if (!field.values) return told
  if (field.values === "contact")
    return [
      ...told,
      ...fieldValues(declared.data?.fields ?? []),
      { name: "question", title: "what was asked" },
      { name: "channel", title: "the channel" },
      { name: "now", title: "the time" },
    ]
  const details = values.at([field.values, "properties"])
  const needed = values.at([field.values, "required"])
  return [
    ...told,
    ...Object.keys(details && typeof details === "object" ? details : {}).map(name => ({
      name:
        Array.isArray(needed) && needed.includes(name)
          ? `${field.values}.${name}`
          : `${field.values}.?${name}`,
      title: name,
    })),
  ]
}

/** The keys that pairs may have, as the document says that they are about: the columns of a sheet. */
export function useKeys(field: Schemas["DocumentField"], named: string): Schemas["FieldChoice"][] {
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = field.keys ? kinds.data?.items.find(k => k.name === field.of) : undefined
  const list = useQuery({
    queryKey: ["documents", kind?.plural],
    queryFn: () => api.documents(kind!.plural),
    enabled: !!kind,
  })
  return list.data?.items.find(d => d.name === named)?.keys ?? []
}

/**
 * What a field may name: documents of the kinds that its "of" says, or sources, fields, stages and tags.
 * Where it is a text, kinds stand before names: team/crew.
 */
export function useNames(field: Schemas["DocumentField"]): { names: Named[]; ready: boolean; page?: string } {
  const of = field.of ? field.of.split(",") : []
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const wanted = (kinds.data?.items ?? []).filter(k => of.includes(k.name))
  const sources = useQuery({ queryKey: ["sources"], queryFn: api.sources, enabled: of.includes("source") })
  const declared = useQuery({
    queryKey: ["declared"],
    queryFn: api.declared,
    enabled: of.some(o => o === "field" || o === "stage" || o === "tag"),
  })
  const lists = useQueries({
    queries: wanted.map(k => ({
      queryKey: ["documents", k.plural],
      queryFn: () => api.documents(k.plural),
    })),
  })
  const names: Named[] = []
  wanted.forEach((kind, i) => {
    for (const d of lists[i].data?.items ?? []) {
      const read = readYAML(d.text)
      if (field.fit?.length && !field.fit.includes(String(read.kind))) continue
      const name = field.as === "text" ? `${kind.name}/${d.name}` : d.name
      names.push({ name, title: String(read.title ?? read.name ?? d.name) })
    }
  })
  if (of.includes("source"))
    for (const s of sources.data?.items ?? []) names.push({ name: s.name, title: s.name })
  if (of.includes("field"))
    for (const f of declared.data?.fields ?? []) names.push({ name: f.field, title: f.label })
  if (of.includes("stage"))
    for (const s of declared.data?.stages ?? []) names.push({ name: s.stage, title: s.label })
  if (of.includes("tag")) for (const tag of declared.data?.tags ?? []) names.push({ name: tag, title: tag })
  const ready = lists.every(l => l.isSuccess) && !sources.isLoading && !declared.isLoading && kinds.isSuccess
  const page =
    wanted.length > 0
      ? wanted[0].plural === "connections"
        ? "/connections?new=choose"
        : `/settings/${wanted[0].plural}?new=1`
      : of.includes("source")
        ? "/knowledge"
        : of.length > 0
          ? "/settings/settings"
          : undefined
  return { names, ready, page }
}
