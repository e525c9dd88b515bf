import { useCallback, useEffect, useRef, useState } from "react"
import { useSearchParams } from "react-router"

/**
 * A value that stands in the address, "" if it does not. Choosing one is a step that Back undoes; with
 * replace it is none, as for what is being typed.
 */
export function useInAddress(name: string): [string, (value: string, replace?: boolean) => void] {
  const [params, setParams] = useSearchParams()
  const set = useCallback(
    (value: string, replace = false) =>
      setParams(
        before => {
          const next = new URLSearchParams(before)
          if (value) next.set(name, value)
          else next.delete(name)
          return next
        },
        { replace },
      ),
    [name, setParams],
  )
  return [params.get(name) ?? "", set]
}

/** What is being typed and stands in the address a moment later; no step of its own. */
export function useTypedInAddress(name: string): [string, (value: string) => void] {
  const [kept, setKept] = useInAddress(name)
  const [text, setText] = useState(kept)
  const written = useRef(kept)
  const timer = useRef(0)
  useEffect(() => {
    // The address was changed elsewhere, as by Back.
    if (kept !== written.current) {
      written.current = kept
      setText(kept)
    }
  }, [kept])
  useEffect(() => () => clearTimeout(timer.current), [])
  const type = (value: string) => {
    setText(value)
    clearTimeout(timer.current)
    const page = window.location.pathname
    timer.current = window.setTimeout(() => {
      if (window.location.pathname !== page) return // the next page is on its way: nobody is to be led back
      written.current = value
      setKept(value, true)
    }, 250)
  }
  return [text, type]
}
