import { Textarea } from "@headlessui/react"
import { type RefObject, useEffect, useImperativeHandle, useRef } from "react"

/** What a CodeArea can be told: to go to a line. */
export type Lines = { go: (line: number) => void }

/** A text with numbered lines, some of them marked: wrong, doubtful, or looked at. */
export function CodeArea(props: {
  label: string
  value: string
  onChange: (value: string) => void
  wrong?: number[]
  doubtful?: number[]
  lines?: RefObject<Lines | null>
}) {
  const area = useRef<HTMLTextAreaElement>(null)
  const gutter = useRef<HTMLDivElement>(null)
  const count = props.value.split("\n").length
  const follow = () => {
    if (gutter.current && area.current) gutter.current.scrollTop = area.current.scrollTop
  }
  useEffect(follow)
  useImperativeHandle(props.lines, () => ({
    go(line) {
      const text = area.current
      if (!text) return
      const before = text.value.split("\n").slice(0, line - 1)
      const begin = before.join("\n").length + (line > 1 ? 1 : 0)
      const end = text.value.indexOf("\n", begin)
      text.focus()
      text.setSelectionRange(begin, end < 0 ? text.value.length : end)
      const height = parseFloat(getComputedStyle(text).lineHeight)
      text.scrollTop = Math.max(0, (line - 4) * height)
    },
  }))
  return (
    <div className="flex min-h-72 flex-1 font-mono text-sm leading-relaxed">
      <div
        ref={gutter}
        aria-hidden
        className="shrink-0 overflow-hidden border-r border-line py-3 text-right text-soft select-none"
      >
        {Array.from({ length: count }, (_, i) => (
          <div
            key={i}
            className={`px-2 ${props.wrong?.includes(i + 1) ? "bg-scarlet-wash font-semibold text-scarlet" : props.doubtful?.includes(i + 1) ? "bg-saffron-wash text-saffron" : ""}`}
          >
            {i + 1}
          </div>
        ))}
      </div>
      <Textarea
        ref={area}
        aria-label={props.label}
        spellCheck={false}
        wrap="off"
        value={props.value}
        onScroll={follow}
        onChange={e => props.onChange(e.target.value)}
        className="min-w-0 flex-1 resize-none overflow-auto bg-transparent px-3 py-3 whitespace-pre"
      />
    </div>
  )
}
