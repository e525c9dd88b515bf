import { Button as Base, type ButtonProps } from "@headlessui/react"

type Props = ButtonProps & { look?: "main" | "plain" | "quiet" | "stop"; hint?: string }

const looks = {
  main: "bg-sea text-on-sea hover:opacity-90",
  plain: "border border-line bg-sheet text-ink hover:bg-sunk",
  quiet: "text-sea hover:bg-sea-wash",
  stop: "border border-scarlet text-scarlet hover:bg-scarlet-wash",
}

/** A button; hint is the key that does the same. */
export function Button({ look = "plain", hint, className = "", children, ...rest }: Props) {
  return (
    <Base
      {...rest}
      title={hint ? `Key: ${hint}` : rest.title}
      className={`inline-flex items-center gap-1.5 rounded-md px-3 py-1.5 font-semibold whitespace-nowrap disabled:opacity-50 ${looks[look]} ${className}`}
    >
      <>
        {children}
        {hint && (
          <kbd
            aria-hidden
            className="hidden rounded border border-current px-1 font-mono text-[11px] leading-4 opacity-70 lg:inline"
          >
            {hint}
          </kbd>
        )}
      </>
    </Base>
  )
}
