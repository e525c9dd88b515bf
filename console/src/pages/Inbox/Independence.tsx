import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { Link } from "react-router"
import { api, type Schemas } from "../../api/client"
import { Button } from "../../parts/Button"
import { Drawer } from "../../parts/Drawer"
import { Empty, Wrong } from "../../parts/Says"
import { Moment } from "../../parts/Time"

const verdicts: Record<string, string> = {
  unchanged: "approved it",
  worded: "worded it otherwise",
  changed: "changed what it says",
  rejected: "rejected it",
}

/** What people did with held replies, by topic, and which topics go by themselves. */
export function Independence({ open, onClose }: { open: boolean; onClose: () => void }) {
  const queries = useQueryClient()
  const found = useQuery({ queryKey: ["independence"], queryFn: api.independence, enabled: open })
  const trust = useMutation({
    mutationFn: (t: { topic: string; trust: boolean }) => api.trust(t.topic, t.trust),
    onSuccess: data => queries.setQueryData(["independence"], data),
  })
  const d = found.data
  return (
    <Drawer title="What may go by itself" open={open} onClose={onClose}>
      <Wrong error={found.error ?? trust.error} />
      <p className="text-soft">
        Where replies are held, people’s judgements are counted by what a reply stands on. A topic that you
        let go is sent at once from then on; the first reply about it that somebody rejects or changes in
        substance takes that back.
      </p>
      {d && d.topics.length === 0 && (
        <Empty title="Nothing judged yet">Approve or reject a held reply, and its topic stands here.</Empty>
      )}
      {d && d.topics.length > 0 && (
        <ul aria-label="Topics" className="mt-3 divide-y divide-line border-y border-line">
          {d.topics.map(t => (
            <li key={t.topic} className="flex flex-wrap items-center gap-x-3 gap-y-1 py-2">
              <span className="min-w-0 flex-1">
                <span className="block [overflow-wrap:anywhere]">{t.topic}</span>
                <span className="block text-sm text-soft">{counts(t)}</span>
              </span>
              <Button
                look={t.trusted ? "plain" : "main"}
                disabled={trust.isPending}
                onClick={() => trust.mutate({ topic: t.topic, trust: !t.trusted })}
              >
                {t.trusted ? "Hold it again" : "Let it go by itself"}
              </Button>
            </li>
          ))}
        </ul>
      )}
      {d && d.judged > 0 && (
        <>
          <h3 className="mt-5 font-semibold">If bots sent on their own from a confidence on</h3>
          <p className="text-sm text-soft">
            Of the last {d.judged === 1 ? "reply" : `${d.judged} replies`} that people judged. Nothing changes
            by itself: the threshold is set in each bot’s brief.
          </p>
          <table className="mt-2 w-full text-left text-sm">
            <thead>
              <tr className="text-soft">
                <th className="py-1 font-normal">Confidence</th>
                <th className="font-normal">Would have gone</th>
                <th className="font-normal">People changed or rejected</th>
              </tr>
            </thead>
            <tbody>
              {d.thresholds.map(at => (
                <tr key={at.threshold} className="border-t border-line">
                  <td className="py-1 font-mono">{at.threshold.toFixed(2)}</td>
                  <td>
                    {at.sent} of {d.judged}
                  </td>
                  <td className={at.wrong ? "text-scarlet" : ""}>{at.wrong}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {d && d.last.length > 0 && (
        <>
          <h3 className="mt-5 font-semibold">Latest</h3>
          <ul className="mt-1 divide-y divide-line text-sm">
            {d.last.map((a, i) => (
              <li key={i} className="py-2">
                <Link to={"/inbox/" + a.conversation} className="block hover:underline">
                  {a.person} {verdicts[a.verdict]} · <Moment at={a.at} />
                </Link>
                <span className={`block text-soft ${a.became && a.became !== a.was ? "line-through" : ""}`}>
                  {a.was}
                </span>
                {a.became && a.became !== a.was && <span className="block">{a.became}</span>}
                {a.why && <span className="block">“{a.why}”</span>}
              </li>
            ))}
          </ul>
        </>
      )}
    </Drawer>
  )
}

/** "49 of 50 approved unchanged, 1 rejected". */
function counts(t: Schemas["Topic"]) {
  const more = [
    t.worded && `${t.worded} worded otherwise`,
    t.changed && `${t.changed} changed`,
    t.rejected && `${t.rejected} rejected`,
  ].filter(Boolean)
  const all = t.all ? `${t.unchanged} of ${t.all} approved unchanged` : "none judged yet"
  return [all, ...more].join(", ") + (t.trusted ? ` · goes by itself, says ${t.trusted}` : "")
}
