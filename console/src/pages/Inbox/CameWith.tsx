import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react"
import { PaperClipIcon } from "@heroicons/react/20/solid"
import { useMutation, useQueryClient } from "@tanstack/react-query"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Wrong } from "../../parts/Says"

const size = (bytes: number) =>
  bytes < 1024
    ? `${bytes} bytes`
    : bytes < 1 << 20
      ? `${Math.round(bytes / 1024)} KB`
      : `${(bytes / (1 << 20)).toFixed(1)} MB`

const pictures = ["image/png", "image/jpeg", "image/gif", "image/webp"]

/** What came with a message beside its text: whom else it went to, what is quoted, files. */
export function CameWith({ message: m }: { message: Schemas["Message"] }) {
  const b = m.beside
  const file = (at: number) => `/api/v1/messages/${m.id}/files/${at}`
  return (
    <>
      {m.files && (
        <ul aria-label="Files" className="mt-2 flex flex-wrap gap-2">
          {m.files.map((f, i) => (
            <li key={i}>
              <a
                href={file(i)}
                target="_blank"
                rel="noreferrer"
                className="flex max-w-64 items-center gap-1.5 rounded-md border border-line bg-paper px-2 py-1 text-sm hover:bg-sunk"
              >
                {pictures.includes(f.type) ? (
                  <img src={file(i)} alt="" className="size-8 rounded object-cover" />
                ) : (
                  <PaperClipIcon className="size-4 shrink-0 text-soft" />
                )}
                <span className="truncate">{f.name}</span>
                <span className="shrink-0 text-soft">{size(f.bytes)}</span>
              </a>
            </li>
          ))}
        </ul>
      )}
      {b?.signature && <Folded title="Signature" text={b.signature} />}
      {b?.quoted && <Folded title="What is quoted below" text={b.quoted} />}
      {(b?.copy || b?.reply_to || b?.proof || b?.problems) && (
        <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-2 text-sm text-soft [overflow-wrap:anywhere]">
          {b.copy && <Said what="Copy to" says={b.copy.join(", ")} />}
          {b.reply_to && <Said what="Answers go to" says={b.reply_to} />}
          {b.proof && <Said what="Sender" says={b.proof} />}
          {b.problems && <Said what="Not readable" says={b.problems.join("; ")} />}
        </dl>
      )}
      {b?.silent && <Silent message={m} why={b.silent} />}
    </>
  )
}

function Said({ what, says }: { what: string; says: string }) {
  return (
    <>
      <dt>{what}:</dt>
      <dd>{says}</dd>
    </>
  )
}

function Folded({ title, text }: { title: string; text: string }) {
  return (
    <Disclosure as="div" className="mt-1 text-sm">
      <DisclosureButton className="text-soft underline">{title}</DisclosureButton>
      <DisclosurePanel className="mt-1 border-l-2 border-line pl-2 whitespace-pre-line text-soft [overflow-wrap:anywhere]">
        {text}
      </DisclosurePanel>
    </Disclosure>
  )
}

/** A mail that nothing answers, with the reason; one act has it answered. */
function Silent({ message: m, why }: { message: Schemas["Message"]; why: string }) {
  const queries = useQueryClient()
  const answer = useMutation({
    mutationFn: () => api.answerAfterAll(m.id),
    onSettled: () => queries.invalidateQueries(),
  })
  return (
    <div className="mt-2 flex flex-wrap items-center gap-2 border-t border-line pt-2 text-sm">
      <span>Not answered: {why}.</span>
      <Button disabled={answer.isPending} onClick={() => answer.mutate()}>
        Answer it after all
      </Button>
      <Wrong error={answer.error} />
    </div>
  )
}
