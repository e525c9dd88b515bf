import { Description, Field, Input, Label } from "@headlessui/react"
import { useMutation, useQuery } from "@tanstack/react-query"
import { useId } from "react"
import { api } from "../../api/client"
import { Button } from "../../parts/Button"
import { ValueField } from "../../parts/FormFields"
import { Wrong } from "../../parts/Says"
import { useValues } from "../../parts/yaml"

/** A connection as a form: what it is called, where it leads, and what a model server needs. */
export function ConnectionForm(props: { text: string; onText: (text: string) => void; kept: string }) {
  const values = useValues(props.text, props.onText)
  const me = useQuery({ queryKey: ["me"], queryFn: api.me, staleTime: Infinity })
  if (!values.readable)
    return (
      <p className="p-4 text-soft">
        The text has an error that keeps the form from showing it. Mend it there.
      </p>
    )
  const kind = values.get("kind")
  const asked = values.at(["consent", "scopes"])
  const scopes = Array.isArray(asked) ? asked.map(String) : []
  return (
    <div className="grid gap-4 p-4 sm:grid-cols-2">
      <ValueField values={values} path={["title"]} label="Title" about="How your people see it." />
      {!props.kept && (
        <ValueField
          values={values}
          path={["connection"]}
          label="Name"
          about="What bots and tools call it: small letters, digits and hyphens."
        />
      )}
      <ValueField
        values={values}
        path={["address"]}
        label="Address"
        about={
          kind === "smtp"
            ? "HOST:PORT of the mail server."
            : kind === "mailbox"
              ? "HOST:PORT of the IMAP server."
              : kind === "model"
                ? "The base address of the server; /models and /chat/completions follow it."
                : kind === "mcp"
                  ? "Where the server listens; or program:NAME, one that whoever runs the service has allowed."
                  : "A web address; the paths of tools follow it."
        }
      />
      {(kind === "http" || kind === "mcp") && (
        <ValueField
          values={values}
          path={["header"]}
          placeholder="Authorization: Bearer …"
          label="Header for the secret"
          about="Such as X-Api-Key, if the system wants it in a header of its own."
        />
      )}
      {kind === "mailbox" && (
        <ValueField
          values={values}
          path={["sends"]}
          placeholder="smtp.example.org:587"
          label="Mails go out by"
          about="HOST:PORT of the SMTP server."
        />
      )}
      {(kind === "smtp" || kind === "mailbox") && (
        <>
          <ValueField
            values={values}
            path={["from"]}
            label="Sender"
            about="The mail address that mails come from."
          />
          <ValueField
            values={values}
            path={["user"]}
            label="Who signs in"
            about="Empty: the sender. The password is the secret below."
          />
          <ValueField
            values={values}
            path={["security"]}
            placeholder="as the port is for"
            label="Encryption"
            about="tls: from the beginning; starttls: after the greeting; none: only for a server on the same machine. Empty: tls at the ports 993 and 465, starttls at others."
          />
        </>
      )}
      {values.at(["consent"]) !== undefined ? (
        <>
          <ValueField
            values={values}
            path={["consent", "issuer"]}
            placeholder="https://accounts.example.org"
            label="Who asks for consent"
            about="The address of the desk where a person says yes. Where it does not tell its addresses by itself, they stand in the text, as authorize and token."
          />
          <ValueField
            values={values}
            path={["consent", "client"]}
            label="What we are called there"
            about={`The client id that you get when you register the service there. It wants to know where people come back to: ${window.location.origin}/consent/${me.data?.workspace ?? "…"}`}
          />
          <Field>
            <Label className="text-sm font-semibold">What we ask to be allowed</Label>
            <Input
              value={scopes.join(" ")}
              placeholder="mail"
              onChange={e =>
                values.set(
                  ["consent", "scopes"],
                  e.target.value.trim() ? e.target.value.trimStart().split(/[ ,]+/) : undefined,
                )
              }
              className="w-full rounded-md border border-line bg-paper px-3 py-2"
            />
            <Description className="mt-1 text-sm text-soft">
              Scopes, in the words of the other side, with spaces between them.
            </Description>
          </Field>
          <p className="self-end text-sm">
            <button
              type="button"
              className="text-sea underline"
              onClick={() => values.set(["consent"], undefined)}
            >
              Sign in with a password or key instead
            </button>
          </p>
        </>
      ) : (
        <p className="text-sm sm:col-span-2">
          <button
            type="button"
            className="text-sea underline"
            onClick={() =>
              values.set(["consent"], {
                issuer: "https://accounts.example.org",
                client: "urgent-parrot",
                scopes: ["mail"],
              })
            }
          >
            The other side asks a person for consent (OAuth 2)
          </button>
        </p>
      )}
      {kind === "model" && (
        <>
          <ModelField values={values} kept={props.kept} />
          <Temperature values={values} />
          <ValueField
            values={values}
            path={["output"]}
            number
            placeholder="700"
            label="Longest reply, in tokens"
            about="A reply that ends there is known as cut, and never sent."
          />
          <ValueField
            values={values}
            path={["window"]}
            number
            placeholder="8192"
            label="Window, in tokens"
            about="What the model takes in at once. A knowledge of no more than half of it is read whole."
          />
          <ValueField
            values={values}
            path={["price", "read"]}
            number
            placeholder="0"
            label="Price of a million tokens read"
            about="In the currency of your bill."
          />
          <ValueField
            values={values}
            path={["price", "written"]}
            number
            placeholder="0"
            label="Price of a million tokens written"
          />
          <ValueField
            values={values}
            path={["timeout"]}
            placeholder="20s"
            label="Longest wait"
            about="After that the built-in answer goes out. Write it like 20s."
          />
          <ValueField
            values={values}
            path={["at_once"]}
            number
            placeholder="8"
            label="Requests at once"
            about="More wait their turn, no longer than the longest wait."
          />
        </>
      )}
    </div>
  )
}

function ModelField({ values, kept }: { values: ReturnType<typeof useValues>; kept: string }) {
  const id = useId()
  const list = useMutation({ mutationFn: () => api.modelsAt(values.get("address"), kept) })
  const names = list.data?.items ?? []
  return (
    <Field>
      <Label className="text-sm font-semibold">Model</Label>
      <span className="flex gap-2">
        <Input
          list={id}
          value={values.get("model")}
          onChange={e => values.set(["model"], e.target.value || undefined)}
          className="w-full min-w-0 rounded-md border border-line bg-paper px-3 py-2"
        />
        <Button onClick={() => list.mutate()} disabled={!values.get("address") || list.isPending}>
          Fetch the list
        </Button>
      </span>
      <datalist id={id}>
        {names.map(name => (
          <option key={name} value={name} />
        ))}
      </datalist>
      {list.isSuccess && (
        <span className="mt-1 flex flex-wrap gap-1">
          {names.length === 0 && <span className="text-sm text-soft">The server lists no models.</span>}
          {names.map(name => (
            <button
              key={name}
              type="button"
              onClick={() => values.set(["model"], name)}
              aria-pressed={values.get("model") === name}
              className="rounded-full border border-line px-2.5 py-0.5 text-sm hover:bg-sunk aria-pressed:border-sea aria-pressed:bg-sea-wash aria-pressed:text-sea"
            >
              {name}
            </button>
          ))}
        </span>
      )}
      <Wrong error={list.error} />
      <Description className="mt-1 text-sm text-soft">
        One of those that the server has. That they can be fetched shows that the address and the secret are
        right.
      </Description>
    </Field>
  )
}

const steps: [number, string][] = [
  [0, "always the likeliest words"],
  [0.2, "nearly always the likeliest words: a good start"],
  [0.6, "some variety"],
  [1, "much variety: more replies fail the checks"],
]

function Temperature({ values }: { values: ReturnType<typeof useValues> }) {
  const at = Number(values.get("temperature") || 0.2)
  const meaning = [...steps].reverse().find(([from]) => at >= from)?.[1] ?? ""
  return (
    <Field>
      <Label className="text-sm font-semibold">Temperature {at.toFixed(1)}</Label>
      <Input
        type="range"
        min={0}
        max={1.5}
        step={0.1}
        value={at}
        onChange={e => values.set(["temperature"], Number(e.target.value))}
        className="w-full accent-sea"
      />
      <Description className="text-sm text-soft">How freely it chooses its words: {meaning}.</Description>
    </Field>
  )
}
