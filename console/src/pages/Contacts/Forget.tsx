import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Tick } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"
import { Moment } from "../../parts/Time"

/** Removes a contact for good, saying what goes and what may stay in copies. */
export function Forget(props: {
  contact: Schemas["ContactDetail"]
  open: boolean
  onClose: () => void
  onGone: () => void
}) {
  const { contact: c } = props
  const queries = useQueryClient()
  const [copies, setCopies] = useState(false)
  const forget = useMutation({
    mutationFn: () => api.forgetContact(c.id, copies),
    onSuccess: done => {
      if (done.copies.length === 0) gone()
    },
  })
  const gone = () => {
    props.onGone()
    for (const key of ["contacts", "twins", "conversations", "today", "sheets", "rows", "gaps", "lessons"])
      void queries.invalidateQueries({ queryKey: [key] })
  }
  const left = forget.data?.copies ?? []
  return (
    <Drawer title={`Forget ${c.who}?`} open={props.open} onClose={left.length > 0 ? gone : props.onClose}>
      {left.length > 0 ? (
        <div className="space-y-3">
          <p>
            {c.who} is forgotten. Copies of the records that were made before an upgrade still hold them,
            until they are removed by themselves:
          </p>
          <ul className="list-disc pl-5">
            {left.map(copy => (
              <li key={copy.file} className="break-all">
                {copy.file}, until <Moment at={copy.expires} />
              </li>
            ))}
          </ul>
          <Button look="main" onClick={gone}>
            Close
          </Button>
        </div>
      ) : (
        <div className="space-y-3">
          <p>
            This cannot be undone. Everything that belongs to {c.who} is removed: what is known,{" "}
            {c.conversations.length === 1 ? "the conversation" : `${c.conversations.length} conversations`}{" "}
            with their messages and traces, notes, rows of sheets, runs of flows, entries of forms, and the
            gaps and lessons that came of their words. From house answers and rehearsals their names and
            addresses are taken out.
          </p>
          <p className="text-soft">Export first if they asked for what is kept of them.</p>
          <Tick on={copies} onChange={setCopies}>
            Remove copies of the records too that were made before an upgrade
          </Tick>
          <Wrong error={forget.error} />
          <div className="flex justify-end gap-2">
            <Button onClick={props.onClose}>Keep them</Button>
            <Button look="stop" disabled={forget.isPending} onClick={() => forget.mutate()}>
              Forget them for good
            </Button>
          </div>
        </div>
      )}
    </Drawer>
  )
}
