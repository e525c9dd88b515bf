import { useQuery } from "@tanstack/react-query"
import { api } from "../api/client"

/** What people call the channel of a name; its name, where it is gone. */
export function useChannelTitle(): (name: string) => string {
  const { data } = useQuery({ queryKey: ["channels"], queryFn: api.channels, staleTime: 60_000 })
  return name => data?.items.find(c => c.name === name)?.title ?? name
}
