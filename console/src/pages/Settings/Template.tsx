import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Input, Tick } from "../../parts/Fields"
import { Wrong } from "../../parts/Says"

/** All documents of the workspace for the next business, and those of another one for this. */
export function Template() {
  const queries = useQueryClient()
  const [file, setFile] = useState<{ name: string; text: string }>()
  const [title, setTitle] = useState("")
  const [over, setOver] = useState(false)
  const take = useMutation({
    mutationFn: () => api.takeTemplate({ text: file?.text ?? "", title: title.trim(), over }),
    onSuccess: () => void queries.invalidateQueries(),
  })
  return (
    <div className="min-w-0 flex-1 space-y-6 lg:overflow-y-auto">
      <section className="max-w-2xl rounded-lg border border-line bg-sheet p-4">
        <h2 className="mb-1 font-semibold">Take this workspace to the next business</h2>
        <p className="mb-3 text-soft">
          All documents in one file: bots, flows, tools, channels, forms and what belongs to them. No
          contacts, conversations, knowledge or secrets are in it; names and addresses of your own people are.
        </p>
        <a
          href="/api/v1/template"
          download="template.yaml"
          className="inline-flex items-center rounded-md bg-sea px-3 py-1.5 font-semibold text-on-sea hover:opacity-90"
        >
          Save template.yaml
        </a>
      </section>
      <section className="max-w-2xl space-y-3 rounded-lg border border-line bg-sheet p-4">
        <h2 className="font-semibold">Begin with the template of another business</h2>
        <p className="text-soft">
          Each document is taken in after what it refers to. What is there already stays, unless you have it
          replaced.
        </p>
        <input
          type="file"
          aria-label="Template"
          accept=".yaml,.yml,text/*"
          className="block w-full text-soft file:mr-3 file:rounded-md file:border file:border-line file:bg-sheet file:px-3 file:py-1.5 file:font-semibold file:text-ink"
          onChange={e => {
            const chosen = e.target.files?.[0]
            take.reset()
            setFile(undefined) // until the new one is read
            if (chosen) void chosen.text().then(text => setFile({ name: chosen.name, text }))
          }}
        />
        <Input
          label="What this business is called"
          value={title}
          onChange={setTitle}
          placeholder="as in the template"
        />
        <Tick on={over} onChange={setOver}>
          Replace documents of the same name
        </Tick>
        <Button look="main" disabled={!file || take.isPending} onClick={() => take.mutate()}>
          Take it in
        </Button>
        <Wrong error={take.error} />
        {take.data && <Taken done={take.data} />}
      </section>
    </div>
  )
}

function Taken({ done }: { done: Schemas["TemplateTaken"] }) {
  const kinds = useQuery({ queryKey: ["kinds"], queryFn: api.kinds, staleTime: Infinity })
  const pageOf = (kind: string) => kinds.data?.items.find(k => k.name === kind)?.plural
  return (
    <div className="space-y-3" role="status">
      <p>
        {done.taken.length === 1 ? "One document was" : `${done.taken.length} documents were`} taken in.
        {done.kept.length > 0 &&
          ` ${done.kept.length} ${done.kept.length === 1 ? "stays as it is" : "stay as they are"}: ${done.kept.map(d => `${d.kind} ${d.name}`).join(", ")}.`}
      </p>
      {done.refused.map(d => (
        <p key={d.kind + d.name} className="text-scarlet">
          {d.kind} {d.name} is not taken in: {d.problems.map(p => `line ${p.line}: ${p.message}`).join("; ")}
        </p>
      ))}
      {done.to_do.length > 0 && (
        <div>
          <h3 className="font-semibold text-saffron">Still to do</h3>
          <ul className="list-disc pl-5">
            {done.to_do.map(t => (
              <li key={t.what + t.says}>
                {t.says}{" "}
                <Link
                  className="text-sea underline"
                  to={
                    {
                      secret: "/connections/" + t.name,
                      source: "/knowledge",
                      live: "/flows/" + t.name,
                      named: "/settings/" + (pageOf(t.says.split(" ")[0]) ?? "settings"),
                    }[t.what]
                  }
                >
                  Do it
                </Link>
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  )
}
