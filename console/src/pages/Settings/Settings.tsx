import { PlusIcon } from "@heroicons/react/20/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link, Navigate, useNavigate, useParams } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useInAddress } from "../../parts/address"
import { Drawer } from "../../parts/Drawer"
import { Form, Input } from "../../parts/Fields"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Drafts, useDraftsApart } from "../../parts/Drafts"
import { DocumentEditor } from "../../parts/DocumentEditor"
import { Empty, Head, Wrong } from "../../parts/Says"
import { duplicate, underFreeName } from "../../parts/yaml"
import { Access } from "./Access"
import { Template } from "./Template"

/** Kinds of documents that have a page of their own. */
const elsewhere = ["flows", "rehearsals"]

/** What the workspace consists of: its documents, by kind. */
export default function Settings() {
  const { kind: plural, name } = useParams()
  const [fresh] = useInAddress("new")
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const kind = kinds.data?.items.find(k => k.plural === plural)
  if (plural && elsewhere.includes(plural)) return <Navigate to={`/${plural}/${name ?? ""}`} replace />
  if (kinds.data && !plural) return <Navigate to={"/settings/" + kinds.data.items[0].plural} replace />
  return (
    <>
      <Head title="Settings" />
      <Wrong error={kinds.error} />
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto px-4 pb-4 lg:flex-row lg:overflow-hidden lg:px-6">
        <nav aria-label="Kinds" className="flex shrink-0 gap-1 overflow-x-auto lg:w-40 lg:flex-col">
          {kinds.data?.items
            .filter(k => !elsewhere.includes(k.plural))
            .map(k => (
              <Link
                key={k.plural}
                to={"/settings/" + k.plural}
                aria-current={k === kind || undefined}
                className="rounded-md px-3 py-1.5 whitespace-nowrap text-soft hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:font-semibold aria-[current]:text-sea"
              >
                {k.title}
              </Link>
            ))}
          <Link
            to="/settings/access"
            aria-current={plural === "access" || undefined}
            className="rounded-md px-3 py-1.5 whitespace-nowrap text-soft hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:font-semibold aria-[current]:text-sea"
          >
            Access
          </Link>
          <Link
            to="/settings/template"
            aria-current={plural === "template" || undefined}
            className="rounded-md px-3 py-1.5 whitespace-nowrap text-soft hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:font-semibold aria-[current]:text-sea"
          >
            Template
          </Link>
        </nav>
        {plural === "access" && <Access />}
        {plural === "template" && <Template />}
        {kinds.data && plural && plural !== "access" && plural !== "template" && !kind && (
          <Empty title="There are no such settings">Choose a kind from the list.</Empty>
        )}
        {kind && <Kind key={kind.plural} kind={kind} name={name} fresh={!!fresh} />}
      </div>
    </>
  )
}

function Kind({ kind, name, fresh }: { kind: Schemas["DocumentKind"]; name?: string; fresh: boolean }) {
  const navigate = useNavigate()
  const list = useQuery({
    queryKey: ["documents", kind.plural],
    queryFn: () => api.documents(kind.plural),
  })
  const items = list.data?.items ?? []
  const chosen = name ? items.find(d => d.name === name) : items[0]
  const first = kind.only && list.isSuccess && items.length === 0 && !name
  const [like] = useInAddress("like")
  const begins = items.find(d => d.name === like)
  const taken = items.map(d => d.name)
  const [goesOn] = useInAddress("draft")
  const apart = useDraftsApart(kind.plural, taken)
  const draft = apart.find(d => d.name === goesOn)
  const text = draft
    ? draft.text
    : begins
      ? duplicate(begins.text, kind.name, taken)
      : underFreeName(kind.example, kind.name, taken)
  const blank = { kind: kind.name, name: "", text, version: 0, updated_at: "" }
  return (
    <div className="flex min-w-0 flex-1 shrink-0 flex-col gap-3 lg:min-h-0 lg:shrink">
      <div className="flex flex-wrap items-center gap-2">
        <p className="mr-auto text-soft">{kind.about}</p>
        {items.length > 1 &&
          items.map(d => (
            <Link
              key={d.name}
              to={`/settings/${kind.plural}/${d.name}`}
              aria-current={(!fresh && d === chosen) || undefined}
              className="rounded-md px-2.5 py-1 hover:bg-sunk aria-[current]:bg-sea-wash aria-[current]:font-semibold aria-[current]:text-sea"
            >
              {d.name}
            </Link>
          ))}
        <Drafts
          plural={kind.plural}
          taken={taken}
          to={one => `/settings/${kind.plural}?new=1&draft=${encodeURIComponent(one)}`}
        />
        {!kind.only && !fresh && (
          <Button onClick={() => void navigate(`/settings/${kind.plural}?new=1`)}>
            <PlusIcon className="size-4" />
            Write a new one
          </Button>
        )}
      </div>
      <Wrong error={list.error} />
      {fresh || first ? (
        list.isSuccess &&
        (!goesOn || draft) && (
          <DocumentEditor
            key={goesOn || begins?.name}
            kind={kind}
            document={blank}
            title={kind.only ? kind.title : `a new ${kind.name}`}
            onKept={d => void navigate(`/settings/${kind.plural}/${d.name}`, { replace: true })}
          />
        )
      ) : chosen ? (
        <Kept key={chosen.name} kind={kind} document={chosen} />
      ) : (
        list.isSuccess && (
          <Empty title={name ? `There is no ${kind.name} called ${name}` : "There is none yet"}>
            {name ? (
              <Link className="text-sea underline" to={"/settings/" + kind.plural}>
                Show those that are there
              </Link>
            ) : (
              "Write one; you begin from an example, and what is wrong is named as you type."
            )}
          </Empty>
        )
      )}
      {!fresh && <Removed kind={kind} />}
    </div>
  )
}

/** What was removed of a kind, and the way back. */
function Removed({ kind }: { kind: Schemas["DocumentKind"] }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const list = useQuery({
    queryKey: ["documents", kind.plural, "removed"],
    queryFn: () => api.removed(kind.plural),
  })
  const back = useMutation({
    mutationFn: (d: Schemas["Document"]) => api.putDocument(kind.plural, d.name, d.text, 0),
    onSuccess: d => {
      void queries.invalidateQueries({ queryKey: ["documents"] })
      void navigate(`/settings/${kind.plural}/${d.name}`)
    },
  })
  const items = list.data?.items ?? []
  if (items.length === 0) return null
  return (
    <div className="text-sm text-soft">
      <Wrong error={back.error} />
      Removed:{" "}
      {items.slice(0, 10).map(d => (
        <span key={d.name} className="mr-3">
          {d.name}{" "}
          <button className="text-sea underline" disabled={back.isPending} onClick={() => back.mutate(d)}>
            Bring back
          </button>
        </span>
      ))}
    </div>
  )
}

/** The kinds of documents that have a page of their own. */
const pages = new Set(["bots", "channels", "connections", "forms", "rehearsals", "sheets", "tools"])

function Kept({ kind, document: d }: { kind: Schemas["DocumentKind"]; document: Schemas["Document"] }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const [asking, setAsking] = useState(false)
  const whole = useQuery({
    queryKey: ["documents", kind.plural, d.name, d.version],
    queryFn: () => api.document(kind.plural, d.name),
  })
  const remove = useMutation({
    mutationFn: () => api.removeDocument(kind.plural, d.name),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["documents"] })
      void navigate("/settings/" + kind.plural, { replace: true })
    },
  })
  const [to, setTo] = useState<string>()
  const rename = useMutation({
    mutationFn: () => api.renameDocument(kind.plural, d.name, (to ?? "").trim()),
    onSuccess: renamed => {
      setTo(undefined)
      void queries.invalidateQueries()
      void navigate(`/settings/${kind.plural}/${renamed.name}`, { replace: true })
    },
  })
  const used = whole.data?.used_by ?? []
  return (
    <>
      <Wrong error={remove.error} />
      <DocumentEditor kind={kind} document={d} title={`${kind.name} ${d.name}`}>
        {!kind.only && (
          <Button
            look="quiet"
            onClick={() => void navigate(`/settings/${kind.plural}?new=1&like=${encodeURIComponent(d.name)}`)}
          >
            Duplicate
          </Button>
        )}
        <Button look="quiet" onClick={() => setTo(d.name)}>
          Rename
        </Button>
        <Button look="quiet" onClick={() => setAsking(true)}>
          Remove
        </Button>
      </DocumentEditor>
      <p className="text-sm text-soft">
        {used.length > 0
          ? `Used by: ${used.join(", ")}. What they need of it is checked too.`
          : "No other document refers to it."}{" "}
        {pages.has(kind.plural) && (
          <Link className="text-sea underline" to={`/${kind.plural}/${d.name}`}>
            Show it under {kind.title}
          </Link>
        )}
      </p>
      <Drawer
        title={`Another name for the ${kind.name} ${d.name}`}
        open={to !== undefined}
        onClose={() => setTo(undefined)}
      >
        <Form
          does="Rename it"
          ready={!!to?.trim() && to !== d.name && !rename.isPending}
          error={rename.error}
          onSubmit={() => rename.mutate()}
          onCancel={() => setTo(undefined)}
        >
          <Input label="Name" value={to ?? ""} onChange={setTo} />
          <p className="text-soft">
            Small letters, digits and hyphens. Documents and records that name it name it so too;
            conversations and rows stay with it.{" "}
            {(kind.name === "channel" || kind.name === "flow" || kind.name === "form") &&
              "Addresses that hold its name change: those who use them have to be told."}
          </p>
        </Form>
      </Drawer>
      <Ask
        title={`Remove the ${kind.name} ${d.name}?`}
        act="Remove it"
        open={asking}
        onClose={() => setAsking(false)}
        onAct={() => remove.mutate()}
      >
        {used.length > 0
          ? `It cannot be removed while others need it: ${used.join(", ")}.`
          : "It can be brought back from the bottom of this page."}
      </Ask>
    </>
  )
}
