import { useQuery } from "@tanstack/react-query"
import { useEffect, useState } from "react"
import { ProblemError, type Schemas } from "../api/client"

/**
 * Tries what a text leads to, a moment after it was typed: whether the other side is there and lets us in.
 * Nothing is said of a text that is not right in itself.
 */
export function LiveCheck(props: {
  of: string[]
  text: string
  test: (text: string) => Promise<Schemas["ChannelTest"]>
}) {
  const [settled, setSettled] = useState(props.text)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(props.text), 1000)
    return () => clearTimeout(timer)
  }, [props.text])
  const check = useQuery({
    queryKey: ["live-check", ...props.of, settled],
    queryFn: () => props.test(settled),
    retry: false,
    staleTime: 10_000,
  })
  const said = check.data
  if (check.error instanceof ProblemError && check.error.status < 500) return null
  return (
    <p role="status" aria-label="Live check" className="text-sm text-soft">
      {check.isFetching ? (
        "Trying it…"
      ) : said?.works ? (
        <span className="text-leaf">
          Tried just now: it works.
          {said.found && ` The other side has ${said.found.join(", ")}.`}
        </span>
      ) : said ? (
        <>
          Tried just now: <span className="text-scarlet">{said.why}</span>
        </>
      ) : (
        ""
      )}
    </p>
  )
}
