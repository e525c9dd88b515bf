import { ArrowDownTrayIcon } from "@heroicons/react/20/solid"
import { useQuery } from "@tanstack/react-query"
import { Link, useParams } from "react-router"
import { api } from "../../api/client"
import { HeadOf } from "../../parts/HeadOf"
import { NoneHere } from "../../parts/NoneHere"
import { Empty, Wrong } from "../../parts/Says"
import { ago, useNow } from "../../parts/Time"

/** The tables that bots write rows to. */
export default function Sheets() {
  const { name } = useParams()
  const now = useNow(30)
  const sheets = useQuery({ queryKey: ["sheets"], queryFn: api.sheets })
  const sheet = name ? sheets.data?.items.find(s => s.name === name) : sheets.data?.items[0]
  const rows = useQuery({
    queryKey: ["rows", sheet?.name],
    queryFn: () => api.rows(sheet!.name),
    enabled: !!sheet,
  })
  return (
    <>
      <HeadOf
        title="Sheets"
        plural="sheets"
        one="sheet"
        items={sheets.data?.items ?? []}
        chosen={sheet?.name}
      />
      <Wrong error={sheets.error ?? rows.error} />
      {sheets.isSuccess && !sheet && (
        <NoneHere
          plural="sheets"
          name={name}
          title="There is no sheet yet"
          to="/settings/sheets?new=1"
          act="Make the first one"
        />
      )}
      {sheet && (
        <div className="min-h-0 flex-1 overflow-y-auto px-4 pb-6 lg:px-6">
          <div className="mb-3 flex flex-wrap items-center gap-3">
            <h2 className="text-lg font-semibold">{sheet.title || sheet.name}</h2>
            <span className="text-soft">{sheet.rows === 1 ? "1 row" : `${sheet.rows} rows`}</span>
            <Link className="ml-auto text-sea hover:underline" to={"/settings/sheets/" + sheet.name}>
              Change its columns
            </Link>
            <a
              className="inline-flex items-center gap-1.5 font-semibold text-sea hover:underline"
              href={`/api/v1/sheets/${encodeURIComponent(sheet.name)}/csv`}
            >
              <ArrowDownTrayIcon className="size-4" aria-hidden />
              Download as CSV
            </a>
          </div>
          <div className="overflow-x-auto rounded-lg border border-line bg-sheet">
            <table className="w-full text-left">
              <thead className="border-b border-line text-sm text-soft">
                <tr>
                  {sheet.columns.map(column => (
                    <th key={column} className="px-4 py-2 font-semibold whitespace-nowrap">
                      {column}
                    </th>
                  ))}
                  <th className="px-4 py-2 font-semibold">Changed</th>
                </tr>
              </thead>
              <tbody className="divide-y divide-line">
                {rows.data?.items.map(row => (
                  <tr key={row.key} className="align-top hover:bg-sunk">
                    {sheet.columns.map(column => (
                      <td key={column} className="max-w-xs px-4 py-2 break-words">
                        {row.cells[column] || <span className="text-soft">–</span>}
                      </td>
                    ))}
                    <td className="px-4 py-2 whitespace-nowrap text-soft">{ago(row.updated_at, now)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {rows.data?.items.length === 0 && (
              <Empty title="No rows yet">
                A bot writes one as soon as a contact has given the details that its brief asks for; a flow
                where its record step stands.
              </Empty>
            )}
          </div>
          <p className="mt-3 text-sm text-soft">
            The file is kept up to date on the service’s machine:{" "}
            <span className="font-mono break-all">{sheet.file}</span>
          </p>
        </div>
      )}
    </>
  )
}
