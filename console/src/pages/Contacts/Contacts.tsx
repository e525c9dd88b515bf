import { useQuery } from "@tanstack/react-query"
import { useNavigate, useParams } from "react-router"
import { api } from "../../api/client"
import { useTypedInAddress } from "../../parts/address"
import { Empty, Head, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { ContactDrawer } from "./ContactForm"

/** Who wrote, and what is known of them. */
export default function Contacts() {
  const { id } = useParams()
  const navigate = useNavigate()
  const now = useNow(60)
  const [search, setSearch] = useTypedInAddress("search")
  const contacts = useQuery({ queryKey: ["contacts"], queryFn: api.contacts })
  const declared = useQuery({ queryKey: ["declared"], queryFn: api.declared })
  const items = contacts.data?.items ?? []
  const wanted = search.toLowerCase()
  const shown = items.filter(c =>
    [c.who, c.address, c.channel, c.stage ?? "", ...c.tags, ...c.facts.map(f => f.value)]
      .join(" ")
      .toLowerCase()
      .includes(wanted),
  )
  const label = (stage?: string) => declared.data?.stages.find(s => s.stage === stage)?.label ?? stage
  return (
    <>
      <Head title="Contacts">
        <input
          type="search"
          aria-label="Search contacts"
          placeholder="Search contacts"
          value={search}
          onChange={e => setSearch(e.target.value)}
          className="w-full rounded-md border border-line bg-sheet px-3 py-1.5 sm:w-72"
        />
      </Head>
      <div className="min-h-0 flex-1 overflow-y-auto px-4 pb-6 lg:px-6">
        <Wrong error={contacts.error} />
        {contacts.isSuccess && shown.length === 0 && (
          <Empty title={items.length ? "Nothing found" : "Nobody has written yet"}>
            {items.length
              ? "Names, handles, stages, tags and what is known are searched."
              : "Whoever writes on a channel stands here, with what they say of themselves."}
          </Empty>
        )}
        {shown.length > 0 && (
          <div className="overflow-x-auto rounded-lg border border-line bg-sheet">
            <table className="w-full text-left">
              <thead className="border-b border-line text-sm text-soft">
                <tr>
                  <th className="px-4 py-2 font-semibold">Contact</th>
                  <th className="px-4 py-2 font-semibold">Known</th>
                  <th className="hidden px-4 py-2 font-semibold sm:table-cell">Stage, tags</th>
                  <th className="hidden px-4 py-2 font-semibold sm:table-cell">First wrote</th>
                </tr>
              </thead>
              <tbody className="divide-y divide-line">
                {shown.map(c => (
                  <tr key={c.id} className="align-top hover:bg-sunk">
                    <td className="px-4 py-2">
                      <button
                        className="text-left font-semibold text-sea hover:underline"
                        onClick={() =>
                          void navigate(
                            "/contacts/" + c.id + (search ? "?search=" + encodeURIComponent(search) : ""),
                          )
                        }
                      >
                        {c.who}
                      </button>
                      <span className="block text-sm text-soft">{c.channel}</span>
                    </td>
                    <td className="px-4 py-2">
                      {c.facts.length === 0 && <span className="text-soft">nothing yet</span>}
                      {c.facts.map(f => (
                        <span key={f.field} className="block break-all">
                          <span className="text-sm text-soft">{f.label}: </span>
                          {f.sensitive ? "known" : f.value}
                          {f.verified && <span className="text-sm text-leaf"> verified</span>}
                        </span>
                      ))}
                    </td>
                    <td className="hidden px-4 py-2 sm:table-cell">
                      {label(c.stage)}
                      {c.tags.length > 0 && (
                        <span className="block text-sm text-soft">{c.tags.join(", ")}</span>
                      )}
                    </td>
                    <td className="hidden px-4 py-2 whitespace-nowrap text-soft sm:table-cell">
                      {ago(c.created_at, now)}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </div>
      <ContactDrawer
        id={id ?? ""}
        onClose={() => void navigate("/contacts" + (search ? "?search=" + encodeURIComponent(search) : ""))}
      />
    </>
  )
}
