import { Menu, MenuButton, MenuItem, MenuItems, Select } from "@headlessui/react"
import { PlusIcon } from "@heroicons/react/20/solid"
import { useInfiniteQuery, useQuery } from "@tanstack/react-query"
import { useNavigate, useParams, useSearchParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress, useTypedInAddress } from "../../parts/address"
import { Button } from "../../parts/Button"
import { useChannelTitle } from "../../parts/channels"
import { Drawer } from "../../parts/Drawer"
import { Empty, Head, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"
import { ContactForm } from "./ContactForm"
import { ImportContacts } from "./ImportContacts"
import { Person } from "./Person"
import { Twins } from "./Twins"

const pick = "rounded-md border border-line bg-sheet px-2 py-1.5"

/** Who wrote or was entered, and what is known of them; one of them beside the list. */
export default function Contacts() {
  const { id } = useParams()
  const navigate = useNavigate()
  const now = useNow(60)
  const channelTitle = useChannelTitle()
  const [params] = useSearchParams()
  const [search, setSearch] = useTypedInAddress("search")
  const [stage, setStage] = useInAddress("stage")
  const [tag, setTag] = useInAddress("tag")
  const [field, setField] = useInAddress("field")
  const [value, setValue] = useTypedInAddress("value")
  const [open, setOpen] = useInAddress("open")
  const declared = useQuery({ queryKey: ["declared"], queryFn: api.declared })
  const filter = Object.fromEntries(
    Object.entries({ search, stage, tag, field, value: field ? value : "" }).filter(([, v]) => v),
  )
  const contacts = useInfiniteQuery({
    queryKey: ["contacts", filter],
    queryFn: ({ pageParam }) => api.contacts(pageParam ? { ...filter, cursor: pageParam } : filter),
    initialPageParam: "",
    getNextPageParam: page => page.next || undefined,
  })
  const items = contacts.data?.pages.flatMap(p => p.items) ?? []
  const filtered = Object.keys(filter).length > 0
  const label = (name?: string) => declared.data?.stages.find(s => s.stage === name)?.label ?? name
  const keep = params.toString() ? "?" + params.toString() : ""
  const fieldChosen = declared.data?.fields.find(f => f.field === field)
  return (
    <>
      <Head title="Contacts">
        <Button onClick={() => setOpen("new")}>
          <PlusIcon className="size-4" />
          New contact
        </Button>
        <Button onClick={() => setOpen("import")}>Import</Button>
        <Export filter={filter} />
      </Head>
      <div className={"flex-wrap gap-2 px-4 pb-2 lg:flex lg:px-6 " + (id ? "hidden" : "flex")}>
        <input
          type="search"
          aria-label="Search contacts"
          placeholder="Search names, details, handles, notes"
          value={search}
          onChange={e => setSearch(e.target.value)}
          className={pick + " w-full sm:w-72"}
        />
        {(declared.data?.stages.length ?? 0) > 0 && (
          <Select aria-label="Stage" className={pick} value={stage} onChange={e => setStage(e.target.value)}>
            <option value="">any stage</option>
            {declared.data?.stages.map(s => (
              <option key={s.stage} value={s.stage}>
                {s.label}
              </option>
            ))}
          </Select>
        )}
        {(declared.data?.tags.length ?? 0) > 0 && (
          <Select aria-label="Tag" className={pick} value={tag} onChange={e => setTag(e.target.value)}>
            <option value="">any tag</option>
            {declared.data?.tags.map(t => (
              <option key={t}>{t}</option>
            ))}
          </Select>
        )}
        <Select aria-label="Field" className={pick} value={field} onChange={e => setField(e.target.value)}>
          <option value="">any detail</option>
          {declared.data?.fields.map(f => (
            <option key={f.field} value={f.field}>
              {f.label}
            </option>
          ))}
        </Select>
        {field && (
          <input
            aria-label={`What ${fieldChosen?.label ?? field} is`}
            placeholder="is known"
            value={value}
            onChange={e => setValue(e.target.value)}
            className={pick + " w-40"}
          />
        )}
        {filtered && (
          <Button look="quiet" onClick={() => void navigate("/contacts" + (id ? "/" + id : ""))}>
            Show all
          </Button>
        )}
      </div>
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <div
          className={"min-w-0 lg:overflow-y-auto " + (id ? "hidden lg:block lg:w-80 lg:shrink-0" : "flex-1")}
        >
          <Wrong error={contacts.error} />
          {!id && <Twins />}
          {contacts.isSuccess && items.length === 0 && (
            <Empty title={filtered ? "Nobody fits that" : "Nobody has written yet"}>
              {filtered
                ? "Names, details, handles, tags and notes are searched."
                : "Whoever writes on a channel stands here, with what they say of themselves. You can also enter or import contacts."}
            </Empty>
          )}
          {items.length > 0 && (
            <ul className="divide-y divide-line rounded-lg border border-line bg-sheet">
              {items.map(c => (
                <li key={c.id}>
                  <button
                    aria-current={c.id === id || undefined}
                    onClick={() => void navigate("/contacts/" + c.id + keep)}
                    className="grid w-full gap-x-4 px-4 py-2 text-left hover:bg-sunk sm:grid-cols-[minmax(0,1fr)_auto] aria-[current]:bg-sea-wash"
                  >
                    <span className="min-w-0">
                      <span className="font-semibold text-sea">{c.who}</span>
                      <span className="ml-2 text-sm text-soft">
                        {[channelTitle(c.channel), label(c.stage), ...c.tags].filter(Boolean).join(" · ")}
                      </span>
                      {c.blocked && <span className="ml-2 text-sm text-scarlet">blocked</span>}
                      {c.no_bots && <span className="ml-2 text-sm text-saffron">no bots</span>}
                      <span className="block truncate text-sm">
                        {known(c) || <span className="text-soft">nothing more is known yet</span>}
                      </span>
                    </span>
                    <span className="hidden text-sm text-soft sm:block">{ago(c.created_at, now)}</span>
                  </button>
                </li>
              ))}
            </ul>
          )}
          {contacts.hasNextPage && (
            <Button
              className="mt-2"
              disabled={contacts.isFetchingNextPage}
              onClick={() => void contacts.fetchNextPage()}
            >
              Show more
            </Button>
          )}
        </div>
        {id && declared.data && (
          <Person key={id} id={id} declared={declared.data} back={"/contacts" + keep} />
        )}
      </div>
      <Drawer title="A new contact" open={open === "new"} onClose={() => setOpen("")}>
        {declared.data && (
          <ContactForm
            declared={declared.data}
            onDone={made => void navigate("/contacts/" + made)}
            onCancel={() => setOpen("")}
          />
        )}
      </Drawer>
      <Drawer title="Import contacts" open={open === "import"} onClose={() => setOpen("")}>
        <ImportContacts fields={declared.data?.fields ?? []} onDone={() => setOpen("")} />
      </Drawer>
    </>
  )
}

/** The contacts that are shown, as a file. */
function Export({ filter }: { filter: Record<string, string> }) {
  const formats: [string, string][] = [
    ["csv", "CSV, for spreadsheets"],
    ["vcard", "vCard, for address books"],
    ["json", "JSON, for programs"],
  ]
  return (
    <Menu>
      <MenuButton className="rounded-md border border-line bg-sheet px-3 py-1.5 font-semibold hover:bg-sunk">
        Export
      </MenuButton>
      <MenuItems anchor="bottom end" className="z-10 rounded-md border border-line bg-sheet p-1 shadow-lg">
        {formats.map(([format, words]) => (
          <MenuItem key={format}>
            <a
              className="block rounded px-3 py-1.5 data-focus:bg-sea-wash"
              href={"/api/v1/contacts/export?" + new URLSearchParams({ ...filter, format })}
              download
            >
              {words}
            </a>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  )
}

export type Contact = Schemas["Contact"]

// What is known of a contact beside what it is called by.
const known = (c: Schemas["Contact"]) =>
  c.facts
    .filter(f => f.sensitive || f.value !== c.who)
    .map(f => (f.sensitive ? f.label : f.value))
    .join(", ")
