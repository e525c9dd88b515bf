import { useState } from "react"
import { Button } from "../../parts/Button"

/** Something that a clicked value can be used for: how it changes the document of the tool. */
export type Use = { act: string; how: (path: string) => (text: string) => string }

/** What came back, to be clicked on: a value can be taken of the answer, or put into the reply. */
export function Sample(props: {
  title: string
  value: unknown
  uses: Use[]
  onUse: (how: (text: string) => string) => void
}) {
  const [picked, setPicked] = useState("")
  const [done, setDone] = useState("")
  if (props.value === undefined) return null
  return (
    <div>
      <h3 className="text-sm font-semibold">{props.title}</h3>
      <p className="text-sm text-soft">Click on a value to use it.</p>
      {picked && (
        <div className="mt-1 flex flex-wrap items-center gap-2 rounded-md bg-leaf-wash px-3 py-1.5">
          <code className="mr-auto font-mono text-leaf select-all">{picked}</code>
          {props.uses.map(use => (
            <Button
              key={use.act}
              onClick={() => {
                props.onUse(use.how(picked))
                setDone(use.act)
              }}
            >
              {use.act}
            </Button>
          ))}
          {done && (
            <span role="status" className="w-full text-sm text-leaf">
              Done: it stands in the form beside, and is not live yet. Try it again.
            </span>
          )}
        </div>
      )}
      <div className="mt-1 max-h-72 overflow-auto rounded-md border border-line bg-paper p-2 font-mono text-sm">
        <Node
          value={props.value}
          path="result"
          onPick={path => {
            setPicked(path)
            setDone("")
          }}
        />
      </div>
    </div>
  )
}

/** How many entries of a list or a block are shown. */
const most = 50

function Node(props: { value: unknown; path: string; label?: string; onPick: (path: string) => void }) {
  const { value, path, label } = props
  const name = (
    <button
      type="button"
      title={path}
      onClick={() => props.onPick(path)}
      className="rounded px-1 text-left break-all hover:bg-sea-wash hover:text-sea"
    >
      {label !== undefined && <span className="text-soft">{label}: </span>}
      {value === null || typeof value !== "object" ? (
        JSON.stringify(value)
      ) : (
        <span className="text-soft">
          {Array.isArray(value) ? `list of ${value.length}` : label === undefined ? "all of it" : "block"}
        </span>
      )}
    </button>
  )
  if (value === null || typeof value !== "object") return <div>{name}</div>
  const entries: [string, unknown, string][] = Array.isArray(value)
    ? value.slice(0, most).map((v, i) => [String(i), v, `${path}[${i}]`])
    : Object.entries(value)
        .slice(0, most)
        .map(([k, v]) => [k, v, /^[A-Za-z_]\w*$/.test(k) ? `${path}.${k}` : `${path}[${JSON.stringify(k)}]`])
  return (
    <div>
      {name}
      <div className="ml-2 border-l border-line pl-2">
        {entries.map(([key, v, at]) => (
          <Node key={key} value={v} path={at} label={key} onPick={props.onPick} />
        ))}
      </div>
    </div>
  )
}
