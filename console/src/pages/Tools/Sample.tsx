import { useState } from "react"

/**
 * What came back, to be clicked on: a click on a value copies the expression that gives it, for a reply,
 * a condition or for what is taken of the answer.
 */
export function Sample({ response }: { response: string }) {
  const [copied, setCopied] = useState("")
  let value: unknown
  try {
    value = JSON.parse(response)
  } catch {
    return null // it is shown as text below
  }
  const copy = (path: string) => {
    setCopied(path)
    void navigator.clipboard?.writeText(path).catch(() => undefined) // it stands there to be marked
  }
  return (
    <div>
      <h3 className="text-sm font-semibold">What came back</h3>
      <p className="text-sm text-soft">
        Click on a value for the words that stand for it. In a reply they go between {"{{ and }}"}; by
        themselves they can be what is taken of the answer.
      </p>
      {copied && (
        <p role="status" className="mt-1 rounded-md bg-leaf-wash px-3 py-1.5 text-leaf">
          Copied: <code className="font-mono select-all">{copied}</code>
        </p>
      )}
      <div className="mt-1 max-h-72 overflow-auto rounded-md border border-line bg-paper p-2 font-mono text-sm">
        <Node value={value} path="result" onPick={copy} />
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
