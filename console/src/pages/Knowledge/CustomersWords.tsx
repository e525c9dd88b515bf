import { Input } from "@headlessui/react"
import { useQuery } from "@tanstack/react-query"
import { useDeferredValue } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useTypedInAddress } from "../../parts/address"
import { Wrong } from "../../parts/Says"

/** Shows what is known of how customers use a word. */
export function CustomersWords() {
  const [word, setWord] = useTypedInAddress("word")
  const wanted = useDeferredValue(word.trim())
  const said = useQuery({
    queryKey: ["words", wanted],
    queryFn: () => api.words(wanted),
    enabled: wanted.length > 1,
  })
  return (
    <section className="mt-6 lg:mt-0 lg:w-72">
      <h2 className="font-semibold">Customers' words</h2>
      <p className="mb-2 text-sm text-soft">
        What customers call things, beside what texts call them. Add words, or take some away, with{" "}
        <code>customers_say</code> in the{" "}
        <Link to="/settings" className="underline">
          settings
        </Link>
        .
      </p>
      <Input
        type="search"
        aria-label="A word"
        placeholder="A word, such as refund"
        value={word}
        onChange={e => setWord(e.target.value)}
        className="mb-2 w-full max-w-sm rounded-md border border-line bg-sheet px-3 py-2"
      />
      <Wrong error={said.error} />
      {wanted.length > 1 && said.data && (
        <dl className="space-y-2">
          <Words
            title={`Where customers say \u201c${said.data.word}\u201d, texts say`}
            words={said.data.texts}
          />
          <Words
            title={`Where texts say \u201c${said.data.word}\u201d, customers say`}
            words={said.data.customers}
          />
        </dl>
      )}
    </section>
  )
}

function Words({ title, words }: { title: string; words: Schemas["Saying"][] }) {
  return (
    <div>
      <dt className="text-sm text-soft">{title}</dt>
      <dd>{words.length === 0 ? "Nothing is known." : words.map(w => w.word).join(", ")}</dd>
    </div>
  )
}
