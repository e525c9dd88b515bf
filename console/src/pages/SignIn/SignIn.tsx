import { Field, Input, Label } from "@headlessui/react"
import { useMutation, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { useNavigate, useSearchParams } from "react-router"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { Parrot } from "../../parts/Parrot"
import { Wrong } from "../../parts/Says"

const input = "w-full rounded-md border border-line bg-paper px-3 py-2"

/** Signs in with the code of a link, or a token. */
export function SignIn() {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const [params] = useSearchParams()
  const linked = params.get("code") ?? ""
  const [code, setCode] = useState(linked)
  const [name, setName] = useState("")
  const signIn = useMutation({
    mutationFn: () => api.signIn(code.trim(), name.trim()),
    onSuccess: me => {
      queries.setQueryData(["me"], me)
      void navigate("/today", { replace: true })
    },
  })
  return (
    <main className="flex h-full items-center justify-center p-4">
      <form
        className="w-full max-w-sm space-y-4 rounded-xl border border-line bg-sheet p-6"
        onSubmit={e => {
          e.preventDefault()
          signIn.mutate()
        }}
      >
        <div className="flex items-center gap-3">
          <Parrot className="size-12" />
          <h1 className="text-2xl font-semibold">Urgent Parrot</h1>
        </div>
        {linked ? (
          <p>Your sign-in link is ready. It works once.</p>
        ) : (
          <Field>
            <Label className="mb-1 block font-semibold">Sign-in code or token</Label>
            <Input
              className={input + " font-mono"}
              value={code}
              onChange={e => setCode(e.target.value)}
              autoFocus
              required
              autoComplete="off"
            />
            <p className="mt-1 text-sm text-soft">
              The service prints a sign-in link when it starts. Open that link, or paste its code here.
            </p>
          </Field>
        )}
        <Field>
          <Label className="mb-1 block font-semibold">
            Your name <span className="font-normal text-soft">(optional)</span>
          </Label>
          <Input
            className={input}
            value={name}
            onChange={e => setName(e.target.value)}
            maxLength={80}
            autoComplete="given-name"
          />
          <p className="mt-1 text-sm text-soft">Colleagues and customers see it beside what you write.</p>
        </Field>
        <Wrong error={signIn.error} />
        <Button type="submit" look="main" disabled={signIn.isPending} className="w-full justify-center py-2">
          Sign in
        </Button>
      </form>
    </main>
  )
}
