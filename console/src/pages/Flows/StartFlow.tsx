import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Drawer } from "../../parts/Drawer"
import { Area, Form } from "../../parts/Fields"
import { GivenValues } from "./GivenValues"

/** Starts a flow by hand: for contacts, or for the rows of a list. */
export function StartFlow(props: { flow: Schemas["Flow"]; open: boolean; onClose: () => void }) {
  return (
    <Drawer title={`Start ${props.flow.title}`} open={props.open} onClose={props.onClose}>
      {props.open && <Start {...props} />}
    </Drawer>
  )
}

function Start({ flow, onClose }: { flow: Schemas["Flow"]; onClose: () => void }) {
  const queries = useQueryClient()
  const [, setTab] = useInAddress("tab")
  const contacts = useQuery({ queryKey: ["contacts"], queryFn: () => api.contacts() })
  const [chosen, setChosen] = useState<string[]>([])
  const [table, setTable] = useState("")
  const [values, setValues] = useState<Record<string, string>>({})
  const start = useMutation({
    mutationFn: () =>
      api.startFlow(flow.name, { contacts: table.trim() ? [] : chosen, rows: rowsOf(table), values }),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["runs"] })
      onClose()
      setTab("runs")
    },
  })
  const n = table.trim() ? rowsOf(table).length : chosen.length
  return (
    <Form
      does={n > 1 ? `Start it ${n} times` : "Start it"}
      ready={!start.isPending}
      error={start.error}
      onSubmit={() => start.mutate()}
      onCancel={onClose}
    >
      <fieldset>
        <legend className="mb-1 text-sm text-soft">For these contacts; for nobody, if none is chosen</legend>
        <ul className="max-h-72 space-y-1 overflow-y-auto rounded-md border border-line p-2">
          {contacts.data?.items.map(c => (
            <li key={c.id}>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="accent-sea"
                  checked={chosen.includes(c.id)}
                  onChange={e =>
                    setChosen(e.target.checked ? [...chosen, c.id] : chosen.filter(id => id !== c.id))
                  }
                />
                {c.who}
              </label>
            </li>
          ))}
        </ul>
      </fieldset>
      <GivenValues flow={flow} values={values} onChange={setValues} />
      <Area
        label="Or a table: the first line names the columns, separated by commas. The flow finds each as event.NAME; a column contact holds a contact's id."
        value={table}
        onChange={setTable}
        rows={5}
        most={200000}
      />
    </Form>
  )
}

/** The rows of a table with commas, as a spreadsheet copies or saves it. */
function rowsOf(table: string): Record<string, string>[] {
  const lines = table.trim().split(/\r?\n/).map(cellsOf)
  const [head, ...rows] = lines
  return rows.map(cells => Object.fromEntries(head!.map((column, i) => [column.trim(), cells[i] ?? ""])))
}

function cellsOf(line: string): string[] {
  const separator = line.includes("\t") ? "\t" : ","
  const cells: string[] = []
  let cell = ""
  let quoted = false
  for (const c of line) {
    if (c === '"') quoted = !quoted
    else if (c === separator && !quoted) {
      cells.push(cell)
      cell = ""
    } else cell += c
  }
  return [...cells, cell]
}
