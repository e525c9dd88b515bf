import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { Input } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"

/** Sets the secret of a connection. It is sealed, and cannot be read back. */
export function Secret({ connection, ours }: { connection: string; ours: boolean }) {
  const queries = useQueryClient()
  const [secret, setSecret] = useState("")
  const put = useMutation({
    mutationFn: () => api.putSecret(connection, secret),
    onSuccess: () => {
      setSecret("")
      void queries.invalidateQueries({ queryKey: ["today"] })
      void queries.invalidateQueries({ queryKey: ["live-check"] })
    },
  })
  return (
    <form
      className="rounded-lg border border-line bg-sheet p-4"
      onSubmit={e => {
        e.preventDefault()
        put.mutate()
      }}
    >
      <h2 className="font-semibold">{ours ? "Secret of the service" : "Secret"}</h2>
      <p className="mb-2 text-sm text-soft">
        {ours
          ? "What you got there together with the client when you registered the service. It is sent only to where consent is asked. Leave it out where none is given."
          : "A key or password, sent to this address only. It is sealed and cannot be read back; with a new address it must be set again. Leave it out where none is needed."}
      </p>
      <div className="flex items-end gap-2">
        <div className="min-w-0 flex-1">
          <Input label="New secret" type="password" value={secret} onChange={setSecret} />
        </div>
        <Button type="submit" disabled={!secret || put.isPending}>
          Set it
        </Button>
      </div>
      {put.isSuccess && !secret && <p className="mt-1 text-sm text-leaf">It is set.</p>}
      <Wrong error={put.error} />
    </form>
  )
}
