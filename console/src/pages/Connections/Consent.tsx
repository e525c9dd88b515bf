import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import type { FieldProps } from "../../parts/form/field"
import { FormField } from "../../parts/form/FormField"
import { Wrong } from "../../parts/Says"
import { Moment } from "../../parts/Time"

/** Who has let the service in to a system, to what and until when; and the way to be let in. */
export function Consent({ connection }: { connection: string }) {
  const queries = useQueryClient()
  const state = useQuery({ queryKey: ["consent", connection], queryFn: () => api.consent(connection) })
  const ask = useMutation({
    mutationFn: () => api.askForConsent(connection),
    onSuccess: ({ address }) => window.location.assign(address),
  })
  const withdraw = useMutation({
    mutationFn: () => api.withdrawConsent(connection),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["consent", connection] }),
  })
  const s = state.data
  return (
    <section aria-label="Consent" className="rounded-lg border border-line bg-sheet p-4">
      <h2 className="font-semibold">Consent</h2>
      {s?.connected ? (
        <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5">
          <dt className="text-soft">Connected by</dt>
          <dd>
            {s.by}, {s.at && <Moment at={s.at} />}
          </dd>
          <dt className="text-soft">It may</dt>
          <dd>{s.scopes.length > 0 ? s.scopes.join(", ") : "what the other side gives to all"}</dd>
          <dt className="text-soft">Until</dt>
          <dd>
            {s.ends_at
              ? new Date(s.ends_at).toLocaleDateString([], { day: "numeric", month: "long", year: "numeric" })
              : "somebody takes it back there"}
          </dd>
        </dl>
      ) : (
        <p className="text-sm text-soft">
          The other side asks a person before it lets anybody in. You are sent there, say yes, and come back
          here. What it gives is sealed, renewed by itself and cannot be read back.
        </p>
      )}
      {s?.fault && <p className="mt-1 text-saffron">{s.fault}</p>}
      {s?.failed && (
        <p role="alert" className="mt-1 text-scarlet">
          The last time it did not come about: {s.failed}
        </p>
      )}
      <p className="mt-3 flex flex-wrap gap-2">
        <Button
          look={s?.connected ? undefined : "main"}
          disabled={ask.isPending}
          onClick={() => ask.mutate()}
        >
          {s?.by ? "Ask again" : "Ask for consent"}
        </Button>
        {s?.connected && (
          <Button disabled={withdraw.isPending} onClick={() => withdraw.mutate()}>
            Disconnect
          </Button>
        )}
      </p>
      <Wrong error={state.error ?? ask.error ?? withdraw.error} />
    </section>
  )
}

/** What the service is called at the other side, and what that wants to know. */
export function ConsentClient(props: FieldProps) {
  const me = useQuery({ queryKey: ["me"], queryFn: api.me, staleTime: Infinity })
  return (
    <div>
      <FormField {...props} />
      <p className="mt-1 text-sm text-soft">
        It wants to know where people come back to:{" "}
        <code className="break-all select-all">
          {window.location.origin}/consent/{me.data?.workspace ?? "…"}
        </code>
      </p>
    </div>
  )
}
