import type { Schemas } from "../../api/client"
import { Input } from "../../parts/Fields"

/** The values with which a flow is started by hand: those that it needs, and those that it may be given. */
export function GivenValues(props: {
  flow: Schemas["Flow"]
  values: Record<string, string>
  onChange: (values: Record<string, string>) => void
}) {
  const { with: needed = [], with_optional: optional = [] } = props.flow
  return [...needed, ...optional].map(name => (
    <Input
      key={name}
      label={needed.includes(name) ? name : `${name} (may be left out)`}
      value={props.values[name] ?? ""}
      onChange={value => props.onChange({ ...props.values, [name]: value })}
    />
  ))
}
