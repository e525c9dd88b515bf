import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"

/** Takes contacts out of a file: it is looked at first, and kept on a second word. */
export function ImportContacts(props: { fields: Schemas["Field"][]; onDone: () => void }) {
  const queries = useQueryClient()
  const [text, setText] = useState("")
  const [name, setName] = useState("")
  const look = useMutation({ mutationFn: (text: string) => api.importContacts({ text, look: true }) })
  const keep = useMutation({
    mutationFn: () => api.importContacts({ text }),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["contacts"] }),
  })
  const shown = keep.data ?? look.data
  return (
    <div className="space-y-4">
      <p className="text-soft">
        A CSV file whose first line names the fields ({props.fields.map(f => f.field).join(", ")}, stage,
        tags), a vCard file of an address book, or JSON. Whoever is known by a verified mail address or number
        gets what is not known yet; nothing is replaced. What you import counts as verified by you.
      </p>
      <label className="block">
        <span className="mb-1 block text-sm font-semibold">File</span>
        <input
          type="file"
          accept=".csv,.vcf,.json,.txt"
          onChange={e => {
            const file = e.target.files?.[0]
            if (!file) return
            setName(file.name)
            keep.reset()
            void file.text().then(read => {
              setText(read)
              look.mutate(read)
            })
          }}
        />
      </label>
      <Wrong error={look.error ?? keep.error} />
      {shown && (
        <div role="status" className="space-y-2 rounded-md border border-line p-3">
          <p className="font-semibold">
            {name}: {count(shown.added, "new contact")}, {shown.changed} completed, {shown.same} known already
          </p>
          {shown.left.length > 0 && (
            <p className="text-saffron">
              Left out, as they are no fields: {shown.left.join(", ")}. Fields are declared in the settings.
            </p>
          )}
          {shown.wrong.length > 0 && (
            <ul className="max-h-40 overflow-y-auto text-scarlet">
              {shown.wrong.map(w => (
                <li key={w}>Line {w}</li>
              ))}
            </ul>
          )}
        </div>
      )}
      <div className="flex justify-end gap-2">
        {keep.data ? (
          <Button look="main" onClick={props.onDone}>
            Done
          </Button>
        ) : (
          <Button
            look="main"
            disabled={!look.data || look.data.added + look.data.changed === 0 || keep.isPending}
            onClick={() => keep.mutate()}
          >
            Import them
          </Button>
        )}
      </div>
    </div>
  )
}

const count = (n: number, thing: string) => `${n} ${thing}${n === 1 ? "" : "s"}`
