import { CheckIcon } from "@heroicons/react/16/solid"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { useChannelTitle } from "../../parts/channels"
import { Allowances } from "../../parts/Allowances"
import { Ask } from "../../parts/Ask"
import { Button } from "../../parts/Button"
import { Head, Wrong } from "../../parts/Says"
import { WaitClock } from "../../parts/Time"

const card = "rounded-lg border border-line bg-sheet p-4"

/** Who waits for a person, what is going wrong, what the bots did. */
export default function Today() {
  const channelTitle = useChannelTitle()
  const { data, error } = useQuery({ queryKey: ["today"], queryFn: api.today, refetchInterval: 60_000 })
  return (
    <>
      <Head title="Today">{data && <Pause paused={data.paused} />}</Head>
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)] content-start gap-4 overflow-y-auto px-4 pb-6 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)] lg:px-6">
        <Wrong error={error} />
        <div className="empty:hidden lg:col-span-2">
          <Allowances title="What a bot may do only if you allow it" />
        </div>
        {data?.begin && <Begin steps={data.begin} />}
        {data && (
          <>
            <section className={card + " lg:row-span-2"}>
              <h2 className="mb-2 text-lg font-semibold">Who waits for a person</h2>
              {data.waiting.length === 0 && (
                <p className="text-soft">Nobody. When a bot hands a conversation over, it stands here.</p>
              )}
              <ul className="divide-y divide-line">
                {data.waiting.map(c => (
                  <li key={c.id}>
                    <Link to={"/inbox/" + c.id} className="-mx-2 block rounded-md px-2 py-2.5 hover:bg-sunk">
                      <span className="flex flex-wrap items-center gap-x-3 gap-y-1">
                        <span className="font-semibold">{c.who}</span>
                        <span className="text-sm text-soft">{channelTitle(c.channel)}</span>
                        {c.because && <span className="text-sm text-soft">· {c.because}</span>}
                        <span className="ml-auto">
                          <WaitClock since={c.waiting_since!} priority={c.priority} />
                        </span>
                      </span>
                      <span className="mt-0.5 block truncate text-soft">
                        {c.summary?.last_said ?? c.preview}
                      </span>
                    </Link>
                  </li>
                ))}
              </ul>
            </section>
            <Troubles troubles={data.troubles} />
            <Done today={data} />
            {data.models.length > 0 && <Models used={data.models} />}
          </>
        )}
      </div>
    </>
  )
}

/** What to do before the first customer writes, and what of it is done. */
function Begin({ steps }: { steps: Schemas["Beginning"] }) {
  const list: [boolean, string, string, string][] = [
    [
      steps.named,
      "/settings/settings",
      "Name your business",
      "Its title, the language that it speaks, and its time zone.",
    ],
    [
      steps.knowledge,
      "/knowledge",
      "Add what you know",
      "Files, your website, or questions and answers. Bots answer from nothing else.",
    ],
    [
      steps.person,
      "/settings/people",
      "Say who is told",
      "A bot that does not know asks a person, by mail or on your channels.",
    ],
    [
      steps.bot,
      "/bots",
      "Make a bot and try it",
      "You begin from one of ours. Ask it what your customers ask, before anybody else can.",
    ],
    [
      steps.channel,
      "/channels",
      "Open a way in",
      "A chat on your website, mail or a text line. You can have replies wait for your approval.",
    ],
  ]
  const next = list.findIndex(([done]) => !done)
  return (
    <section className={card + " lg:col-span-2"}>
      <h2 className="mb-1 text-lg font-semibold">
        {next < 0 ? "All is ready for your first customer" : "The first steps"}
      </h2>
      <p className="mb-3 text-soft">
        {next < 0
          ? "Nobody has written yet. Write yourself, through the way in that you opened."
          : "In any order; this goes away once a customer has written."}
      </p>
      <ol className="grid gap-x-6 gap-y-3 sm:grid-cols-2 xl:grid-cols-3">
        {list.map(([done, to, title, why], i) => (
          <li key={to} className="flex gap-3">
            <span
              aria-hidden
              className={`mt-0.5 flex size-6 shrink-0 items-center justify-center rounded-full text-sm font-semibold ${
                done
                  ? "bg-leaf text-sheet"
                  : i === next
                    ? "bg-sea text-sheet"
                    : "border border-line text-soft"
              }`}
            >
              {done ? <CheckIcon className="size-4" /> : i + 1}
            </span>
            <span>
              <Link className="font-semibold text-sea underline" to={to}>
                {title}
              </Link>
              {done && <span className="text-leaf"> done</span>}
              <span className="block text-sm text-soft">{why}</span>
            </span>
          </li>
        ))}
      </ol>
    </section>
  )
}

/** The switch that pauses all that bots and flows do. */
function Pause({ paused }: { paused: boolean }) {
  const queries = useQueryClient()
  const [asking, setAsking] = useState(false)
  const set = useMutation({
    mutationFn: api.pause,
    onSettled: () => queries.invalidateQueries({ queryKey: ["today"] }),
  })
  return (
    <>
      <Wrong error={set.error} />
      {paused ? (
        <Button look="main" disabled={set.isPending} onClick={() => set.mutate(false)}>
          Let bots and flows go on
        </Button>
      ) : (
        <Button look="quiet" disabled={set.isPending} onClick={() => setAsking(true)}>
          Pause bots and flows
        </Button>
      )}
      <Ask
        title="Pause all bots and flows?"
        act="Pause them"
        keep="Let them go on"
        open={asking}
        onClose={() => setAsking(false)}
        onAct={() => set.mutate(true)}
      >
        They say and do nothing until you let them go on. What customers write is kept and waits; people can
        answer.
      </Ask>
    </>
  )
}

function Troubles({ troubles }: { troubles: Schemas["Trouble"][] }) {
  const queries = useQueryClient()
  const retry = useMutation({
    mutationFn: api.retry,
    onSettled: () => queries.invalidateQueries({ queryKey: ["today"] }),
  })
  return (
    <section className={card}>
      <h2 className="mb-2 text-lg font-semibold">What is going wrong</h2>
      {troubles.length === 0 && (
        <p className="text-leaf">Nothing. All channels work, and nothing is stuck.</p>
      )}
      <ul className="space-y-3">
        {troubles.map((t, i) => (
          <li key={i}>
            <p className={t.given_up ? "font-semibold text-scarlet" : "font-semibold text-saffron"}>
              {t.what}
              <span className="font-normal">
                {!t.given_up ? " (it is tried again by itself)" : t.effect ? " (given up)" : ""}
              </span>
            </p>
            <p className="text-sm break-words text-soft">{t.detail}</p>
            <div className="flex gap-2">
              {t.conversation && (
                <Link className="text-sm text-sea underline" to={"/inbox/" + t.conversation}>
                  Open the conversation
                </Link>
              )}
              {t.run && (
                <Link className="text-sm text-sea underline" to={`/flows/${t.flow}?tab=runs&run=${t.run}`}>
                  See the run
                </Link>
              )}
              {t.given_up && t.effect && (
                <Button look="quiet" className="!py-0 text-sm" onClick={() => retry.mutate(t.effect!)}>
                  Try again now
                </Button>
              )}
            </div>
          </li>
        ))}
      </ul>
      <Wrong error={retry.error} />
    </section>
  )
}

function Done({ today }: { today: Schemas["Today"] }) {
  const most = Math.max(1, ...today.decisions.map(d => d.times))
  const figures: [number, string][] = [
    [today.counts.opened, today.counts.opened === 1 ? "new conversation" : "new conversations"],
    [today.counts.replies, today.counts.replies === 1 ? "reply by bots" : "replies by bots"],
    [today.counts.person, "led by a person"],
  ]
  return (
    <section className={card}>
      <h2 className="mb-2 text-lg font-semibold">What the bots did in the last 24 hours</h2>
      <dl className="mb-4 flex flex-wrap gap-x-6 gap-y-2">
        {figures.map(([n, name]) => (
          <div key={name} className="flex flex-col-reverse">
            <dt className="text-sm text-soft">{name}</dt>
            <dd className="text-2xl font-semibold tabular-nums">{n}</dd>
          </div>
        ))}
      </dl>
      {today.decisions.length === 0 && <p className="text-soft">Nothing yet. No customer has written.</p>}
      <ul className="space-y-1.5">
        {today.decisions.map(d => (
          <li key={d.code} className="grid grid-cols-[9rem_1fr_2.5rem] items-center gap-2">
            <span className="first-letter:uppercase">{d.decision}</span>
            <span
              className="h-2.5 rounded bg-blue"
              style={{ width: (100 * d.times) / most + "%" }}
              aria-hidden
            />
            <span className="text-right tabular-nums">{d.times}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

/** What the bots have used of language models today. */
function Models({ used }: { used: Schemas["ModelUse"][] }) {
  return (
    <section className={card + " lg:col-start-2"}>
      <h2 className="mb-2 text-lg font-semibold">What models were used for today</h2>
      <ul className="space-y-3">
        {used.map(m => {
          const tokens = m.read + m.written
          const share = Math.max(
            m.most_tokens ? tokens / m.most_tokens : 0,
            m.most_cost ? m.cost / m.most_cost : 0,
          )
          return (
            <li key={m.bot + m.connection}>
              <p className="flex flex-wrap gap-x-2">
                <span className="font-semibold">{m.bot || "Reading sources"}</span>
                <span className="text-soft">with {m.connection}</span>
                <span className="ml-auto tabular-nums">{money(m.cost)}</span>
              </p>
              <p className="text-sm text-soft tabular-nums">
                {m.requests} {m.requests === 1 ? "request" : "requests"}, {tokens.toLocaleString()} tokens,{" "}
                {m.average} ms each{m.failed > 0 && `, ${m.failed} failed`}
              </p>
              {share > 0 && (
                <div
                  className="mt-1 h-2 rounded bg-sunk"
                  role="img"
                  aria-label={`${Math.round(100 * share)} percent of the day's budget`}
                >
                  <div
                    className={`h-2 rounded ${share >= 1 ? "bg-scarlet" : share > 0.8 ? "bg-saffron" : "bg-leaf"}`}
                    style={{ width: Math.min(100, 100 * share) + "%" }}
                  />
                </div>
              )}
              {share > 0 && (
                <p className="text-sm text-soft">
                  {Math.round(100 * share)} in 100 of the day's budget
                  {share >= 1 && "; the built-in thinker answers until midnight"}
                </p>
              )}
              {m.resting && <p className="text-sm text-saffron first-letter:uppercase">{m.resting}.</p>}
            </li>
          )
        })}
      </ul>
    </section>
  )
}

const money = (amount: number) => amount.toFixed(amount < 1 ? 4 : 2)
