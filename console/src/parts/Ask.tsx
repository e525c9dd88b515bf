import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react"
import type { ReactNode } from "react"
import { Button } from "./Button"

/** Asks before something that cannot be undone, saying what it will do. */
export function Ask(props: {
  title: string
  children: ReactNode
  act: string
  keep?: string
  open: boolean
  onClose: () => void
  onAct: () => void
}) {
  return (
    <Dialog open={props.open} onClose={props.onClose} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-black/40" />
      <div className="fixed inset-0 flex items-center justify-center p-4">
        <DialogPanel className="w-full max-w-md rounded-lg bg-sheet p-5 shadow-xl">
          <DialogTitle className="mb-2 text-lg font-semibold">{props.title}</DialogTitle>
          <div className="mb-4 text-soft">{props.children}</div>
          <div className="flex justify-end gap-2">
            <Button onClick={props.onClose}>{props.keep ?? "Keep it"}</Button>
            <Button
              look="stop"
              onClick={() => {
                props.onClose()
                props.onAct()
              }}
            >
              {props.act}
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
