import { useQuery } from "@tanstack/react-query"
import { parse } from "yaml"
import { api } from "../api/client"

/** The model servers that are connected: their names, and what people call them. */
export function useModels(): [name: string, title: string][] {
  const connections = useQuery({
    queryKey: ["documents", "connections"],
    queryFn: () => api.documents("connections"),
  })
  return (connections.data?.items ?? []).flatMap(d => {
    const read = readYAML(d.text)
    return read.kind === "model" ? [[d.name, String(read.title ?? d.name)] as [string, string]] : []
  })
}

/** What the text of a document says; nothing, where it cannot be read. */
export function readYAML(text: string): Record<string, unknown> {
  try {
    return (parse(text) ?? {}) as Record<string, unknown>
  } catch {
    return {}
  }
}
