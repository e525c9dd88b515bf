/** The small parrot. */
export function Parrot({ className = "size-8" }: { className?: string }) {
  return <img src="/parrot.svg" alt="" className={className} />
}
