import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react"
import { XMarkIcon } from "@heroicons/react/20/solid"
import type { ReactNode } from "react"

/** A panel at the side that opens over the page and returns focus when it closes. */
export function Drawer(props: { title: string; open: boolean; onClose: () => void; children: ReactNode }) {
  return (
    <Dialog open={props.open} onClose={props.onClose} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-black/40" />
      <div className="fixed inset-0 flex justify-end">
        <DialogPanel className="flex h-full w-full max-w-2xl flex-col bg-sheet shadow-xl">
          <div className="flex items-center border-b border-line px-5 py-3">
            <DialogTitle className="mr-auto text-lg font-semibold">{props.title}</DialogTitle>
            <button
              onClick={props.onClose}
              aria-label="Close this panel"
              className="rounded p-1 hover:bg-sunk"
            >
              <XMarkIcon className="size-5" />
            </button>
          </div>
          <div className="min-h-0 flex-1 overflow-y-auto px-5 py-4">{props.children}</div>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
