import { useQuery } from "@tanstack/react-query"
import { Link, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { HeadOf } from "../../parts/HeadOf"
import { NoneHere } from "../../parts/NoneHere"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The forms that customers fill in: how they look, where they are, what was sent. */
export default function Forms() {
  const { name } = useParams()
  const list = useQuery({ queryKey: ["forms"], queryFn: api.forms })
  const items = list.data?.items ?? []
  const form = name ? items.find(f => f.name === name) : items[0]
  return (
    <>
      <HeadOf title="Forms" plural="forms" one="form" items={items} chosen={form?.name} />
      <Wrong error={list.error} />
      {list.isSuccess && !form && (
        <NoneHere
          plural="forms"
          name={name}
          title="There is no form yet"
          to="/settings/forms?new=1"
          act="Make the first one"
        />
      )}
      {form && <One key={form.name} form={form} />}
    </>
  )
}

function One({ form }: { form: Schemas["Form"] }) {
  const now = useNow(30)
  const entries = useQuery({ queryKey: ["entries", form.name], queryFn: () => api.formEntries(form.name) })
  const used = useQuery({
    queryKey: ["documents", "forms", form.name],
    queryFn: () => api.document("forms", form.name),
  }).data
  const flows = (used?.used_by ?? []).filter(by => by.startsWith("flow "))
  const address = location.origin + form.address
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-6 lg:flex-row lg:px-6">
      <section className="flex-[3] space-y-3">
        <div className="rounded-lg border border-line bg-sheet p-4">
          <h2 className="font-semibold">{form.title}</h2>
          <p className="text-sm">
            Its page:{" "}
            <a className="break-all text-sea underline" href={form.address} target="_blank" rel="noreferrer">
              {address}
            </a>
          </p>
          <p className="mt-1 text-sm text-soft">To show it in a page of yours, put this there:</p>
          <pre className="mt-1 overflow-x-auto rounded-md bg-sunk p-2 font-mono text-sm">{`<script src="${address}/embed.js"></script>`}</pre>
          {used && (
            <p className="mt-2 text-sm">
              {flows.length > 0
                ? "When it is sent, " + flows.join(", ") + (flows.length > 1 ? " start." : " starts.")
                : "When it is sent, it is kept below, and nothing else happens yet: "}
              {flows.length === 0 && (
                <Link className="text-sea underline" to="/flows?new=choose">
                  make a flow that starts by it
                </Link>
              )}
            </p>
          )}
          <Link className="mt-2 inline-block text-sm text-sea underline" to={"/settings/forms/" + form.name}>
            Change it
          </Link>
        </div>
        <div className="rounded-lg border border-line bg-sheet">
          <h2 className="border-b border-line px-4 py-2 font-semibold">What was sent</h2>
          <Wrong error={entries.error} />
          {entries.data?.items.length === 0 && (
            <Empty title="Nobody has sent it yet">
              Each entry stands here, as it was typed and as it was taken.
            </Empty>
          )}
          <ul className="divide-y divide-line">
            {entries.data?.items.map(e => (
              <li key={e.id} className="px-4 py-2">
                <p className="flex text-sm text-soft">
                  <time dateTime={e.at}>{ago(e.at, now)}</time>
                  {e.contact && (
                    <Link className="ml-auto text-sea underline" to={"/contacts/" + e.contact}>
                      The contact
                    </Link>
                  )}
                </p>
                <dl className="grid grid-cols-[minmax(7rem,auto)_1fr] gap-x-4">
                  {form.fields
                    .filter(f => e.said[f.name])
                    .map(f => (
                      <div key={f.name} className="contents">
                        <dt className="text-soft">{f.label}</dt>
                        <dd className="min-w-0 break-words">
                          {e.said[f.name]}
                          {String(e.cleaned[f.name]) !== e.said[f.name] && (
                            <span className="text-leaf"> → {String(e.cleaned[f.name])}</span>
                          )}
                          {e.doubtful.includes(f.name) && (
                            <span className="text-saffron"> (kept as it was said)</span>
                          )}
                        </dd>
                      </div>
                    ))}
                </dl>
              </li>
            ))}
          </ul>
        </div>
      </section>
      <section aria-label="Preview" className="min-h-96 flex-[2] rounded-lg border border-line bg-sheet">
        <iframe title="How it looks" src={form.address} className="h-full min-h-[36rem] w-full rounded-lg" />
      </section>
    </div>
  )
}
