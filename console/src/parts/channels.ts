import { useQuery } from "@tanstack/react-query"
import { api } from "../api/client"

const useChannels = () =>
  useQuery({ queryKey: ["channels"], queryFn: api.channels, staleTime: 60_000 }).data?.items

/** What people call the channel of a name; its name, where it is gone. */
export function useChannelTitle(): (name: string) => string {
  const channels = useChannels()
  return name => channels?.find(c => c.name === name)?.title ?? name
}

/** Whether the addresses on a channel say something to people: those of browsers do not. */
export function useSayingAddress(): (channel: string) => boolean {
  const channels = useChannels()
  return name => channels?.find(c => c.name === name)?.kind !== "website"
}
