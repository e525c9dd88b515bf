import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { api, type Schemas } from "../../api/client"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

const kinds: Record<Schemas["Token"]["kind"], string> = {
  token: "Token of a program",
  session: "Session in the console",
  link: "Unused sign-in link",
}

// On a telephone there is room for what matters most.
const cell = "px-2 py-2 sm:px-4 "
const wide = "hidden sm:table-cell "
const soft = "whitespace-nowrap text-soft"

/** Who may come in, and the end of it. */
export function Access() {
  const now = useNow(30)
  const queries = useQueryClient()
  const [asking, setAsking] = useState<Schemas["Token"]>()
  const list = useQuery({ queryKey: ["tokens"], queryFn: api.tokens })
  const revoke = useMutation({
    mutationFn: api.revokeToken,
    onSettled: () => queries.invalidateQueries({ queryKey: ["tokens"] }),
  })
  return (
    <div className="min-w-0 flex-1 space-y-3">
      <p className="text-soft">
        Who may come in. What you revoke lets nobody in any more, and what goes on under it ends at once.
      </p>
      <Wrong error={list.error ?? revoke.error} />
      <div className="overflow-x-auto rounded-lg border border-line bg-sheet">
        <table className="w-full text-left">
          <thead className="border-b border-line text-sm text-soft">
            <tr>
              <th className={cell + "font-semibold"}>Whose</th>
              <th className={cell + "font-semibold"}>What</th>
              <th className={cell + wide + "font-semibold"}>Made</th>
              <th className={cell + "font-semibold"}>Last used</th>
              <th className={cell + wide + "font-semibold"}>Expires</th>
              <th className={cell} />
            </tr>
          </thead>
          <tbody className="divide-y divide-line">
            {list.data?.items.map(t => (
              <tr key={t.id}>
                <td className={cell + "font-semibold"}>{t.name}</td>
                <td className={cell}>{kinds[t.kind]}</td>
                <td className={cell + wide + soft}>{ago(t.created_at, now)}</td>
                <td className={cell + soft}>{t.used_at ? ago(t.used_at, now) : "never"}</td>
                <td className={cell + wide + soft}>
                  {t.expires_at ? new Date(t.expires_at).toLocaleDateString() : "never"}
                </td>
                <td className="px-2 py-1 text-right sm:px-4">
                  {t.yours ? (
                    <span className="text-sm text-soft">this is you</span>
                  ) : (
                    <Button look="quiet" onClick={() => setAsking(t)}>
                      Revoke
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <Ask
        title={`Revoke this access of ${asking?.name ?? ""}?`}
        act="Revoke it"
        open={!!asking}
        onClose={() => setAsking(undefined)}
        onAct={() => revoke.mutate(asking!.id)}
      >
        It cannot be given back. Whoever has it signs in anew, with a link that the service prints when it
        starts.
      </Ask>
    </div>
  )
}
