import { useMemo } from "react"
import { type Document, isCollection, isMap, isScalar, isSeq, parseDocument, YAMLMap } from "yaml"

/** The values of a document's text, and how to change one: comments and order stay as they are. */
export type Values = {
  /** What stands at a path, "" if nothing does. */
  get: (...path: string[]) => string
  /** Writes a value at a path; undefined or "" removes it, and what is left empty above it. */
  set: (path: string[], value: string | number | undefined) => void
  /** Whether the text can be read as YAML. */
  readable: boolean
}

/** Reads the text of a document, so that a form can show and change it. */
export function useValues(text: string, onText: (text: string) => void): Values {
  return useMemo(() => {
    const doc = parseDocument(text)
    return {
      readable: doc.errors.length === 0,
      get: (...path) => shown(doc, path),
      set: (path, value) => onText(changed(text, path, value)),
    }
  }, [text, onText])
}

function shown(doc: Document, path: string[]): string {
  const value = doc.getIn(path)
  return value === undefined || value === null || isCollection(value) ? "" : String(value)
}

function changed(text: string, path: string[], value: string | number | undefined): string {
  const doc = parseDocument(text)
  if (value === undefined || value === "") {
    doc.deleteIn(path)
    for (let above = path.slice(0, -1); above.length > 0; above = above.slice(0, -1)) {
      const left = doc.getIn(above)
      if (!isCollection(left) || left.items.length > 0) break
      doc.deleteIn(above)
    }
  } else {
    const there = doc.getIn(path, true)
    if (isScalar(there)) there.value = value
    else doc.setIn(path, value)
  }
  return doc.toString({ lineWidth: 0 })
}

/**
 * The text of a flow in which its first webhook fills a field of the contact from a place in the body;
 * the text as it is where it has no webhook.
 */
export function filledByWebhook(text: string, field: string, path: string): string {
  const doc = parseDocument(text)
  const when = doc.get("when", true)
  const list = isSeq(when) ? when.items : [when]
  const at = list.findIndex(item =>
    isScalar(item) ? item.value === "webhook" : isMap(item) && item.has("webhook"),
  )
  if (at < 0) return text
  const place = isSeq(when) ? ["when", at] : ["when"]
  if (isScalar(list[at])) doc.setIn(place, doc.createNode({ webhook: {} }))
  if (!isMap(doc.getIn([...place, "webhook"], true))) doc.setIn([...place, "webhook"], new YAMLMap())
  doc.setIn([...place, "webhook", "contact", field], path)
  return doc.toString({ lineWidth: 0 })
}
