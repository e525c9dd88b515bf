import type { ReactNode } from "react"

/** What a page says when there is nothing, and what to do first. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="mx-auto max-w-md p-8 text-center text-soft">
      <p className="mb-1 font-semibold text-ink">{title}</p>
      {children}
    </div>
  )
}

/** What went wrong, and what to do. */
export function Wrong({ error }: { error: unknown }) {
  if (!error) return null
  return (
    <p role="alert" className="my-2 rounded-md bg-scarlet-wash px-3 py-2 whitespace-pre-line text-scarlet">
      {error instanceof Error ? error.message : String(error)}
    </p>
  )
}

/** The head of a page. */
export function Head({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <header className="flex flex-wrap items-center gap-3 px-4 pt-4 pb-2 lg:px-6">
      <h1 className="mr-auto text-2xl font-semibold">{title}</h1>
      {children}
    </header>
  )
}
