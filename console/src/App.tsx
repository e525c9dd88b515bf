import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react"
import {
  BookOpenIcon,
  ChatBubbleLeftRightIcon,
  Cog6ToothIcon,
  EnvelopeIcon,
  InboxIcon,
  LinkIcon,
  QueueListIcon,
  SunIcon,
  TableCellsIcon,
  UsersIcon,
  WrenchIcon,
} from "@heroicons/react/24/outline"
import { useQuery, useQueryClient } from "@tanstack/react-query"
import { lazy, Suspense } from "react"
import { Link, Navigate, NavLink, Route, Routes, useLocation } from "react-router"
import { api, ProblemError, type Schemas } from "./api/client"
import { useEvents } from "./api/events"
import { SignIn } from "./pages/SignIn/SignIn"
import { Parrot } from "./parts/Parrot"
import { Empty, Wrong } from "./parts/Says"

const Today = lazy(() => import("./pages/Today/Today"))
const Inbox = lazy(() => import("./pages/Inbox/Inbox"))
const Flows = lazy(() => import("./pages/Flows/Flows"))
const Forms = lazy(() => import("./pages/Forms/Forms"))
const Rehearsals = lazy(() => import("./pages/Rehearsals/Rehearsals"))
const Knowledge = lazy(() => import("./pages/Knowledge/Knowledge"))
const Bots = lazy(() => import("./pages/Bots/Bots"))
const Tools = lazy(() => import("./pages/Tools/Tools"))
const Channels = lazy(() => import("./pages/Channels/Channels"))
const Connections = lazy(() => import("./pages/Connections/Connections"))
const Contacts = lazy(() => import("./pages/Contacts/Contacts"))
const Settings = lazy(() => import("./pages/Settings/Settings"))
const Sheets = lazy(() => import("./pages/Sheets/Sheets"))

const pages = [
  { to: "/today", name: "Today", icon: SunIcon },
  { to: "/inbox", name: "Inbox", icon: InboxIcon },
  { to: "/contacts", name: "Contacts", icon: UsersIcon },
  { to: "/knowledge", name: "Knowledge", icon: BookOpenIcon },
  { to: "/bots", name: "Bots", icon: ChatBubbleLeftRightIcon },
  { to: "/flows", name: "Flows", icon: QueueListIcon },
  { to: "/tools", name: "Tools", icon: WrenchIcon },
  { to: "/channels", name: "Channels", icon: EnvelopeIcon },
  { to: "/connections", name: "Connections", icon: LinkIcon },
  { to: "/sheets", name: "Sheets", icon: TableCellsIcon },
  { to: "/settings", name: "Settings", icon: Cog6ToothIcon },
]

export function App() {
  const me = useQuery({ queryKey: ["me"], queryFn: api.me, staleTime: Infinity })
  const { pathname } = useLocation()
  if (me.isPending) return null
  const out = me.error instanceof ProblemError && me.error.status === 401
  if (out || pathname === "/sign-in") return <SignIn />
  if (me.error) return <Wrong error={me.error} />
  return <Console me={me.data!} />
}

/** The console once signed in: the pages, and the way between them. */
function Console({ me }: { me: Schemas["Me"] }) {
  const connected = useEvents()
  const today = useQuery({ queryKey: ["today"], queryFn: api.today })
  const waiting = today.data?.counts.waiting ?? 0
  return (
    <div className="flex h-full flex-col-reverse lg:flex-row">
      <nav
        aria-label="Pages"
        className="flex shrink-0 overflow-x-auto border-t border-line bg-sheet lg:w-44 lg:flex-col lg:border-t-0 lg:border-r"
      >
        <div className="hidden items-center gap-2 px-4 py-4 lg:flex">
          <Parrot />
          <span className="leading-tight font-semibold">Urgent Parrot</span>
        </div>
        {pages.map(page => (
          <NavLink
            key={page.to}
            to={page.to}
            className={({ isActive }) =>
              `flex flex-1 flex-col items-center gap-0.5 px-0.5 py-2 text-[11px] lg:flex-none lg:flex-row lg:gap-3 lg:px-4 lg:text-base ${isActive ? "bg-sea-wash font-semibold text-sea" : "text-ink hover:bg-sunk"}`
            }
          >
            <page.icon className="size-5 shrink-0" aria-hidden />
            {page.name}
            {page.to === "/inbox" && waiting > 0 && (
              <span className="rounded-full bg-scarlet-wash px-1.5 text-xs font-semibold text-scarlet lg:ml-auto">
                {waiting}
                <span className="sr-only"> waiting</span>
              </span>
            )}
          </NavLink>
        ))}
        <div className="mt-auto hidden p-3 lg:block">
          <Account me={me} />
        </div>
      </nav>
      <main className="flex min-h-0 min-w-0 flex-1 flex-col">
        {!connected && (
          <p role="status" className="bg-saffron-wash px-4 py-1 text-sm text-saffron">
            The service cannot be reached. What you see may be old; it is tried again by itself.
          </p>
        )}
        <Suspense fallback={null}>
          <Routes>
            <Route path="/" element={<Navigate to="/today" replace />} />
            <Route path="/today" element={<Today />} />
            <Route path="/inbox/:id?" element={<Inbox me={me} />} />
            <Route path="/contacts/:id?" element={<Contacts />} />
            <Route path="/knowledge/:tab?" element={<Knowledge />} />
            <Route path="/bots/:name?" element={<Bots />} />
            <Route path="/flows/:name?" element={<Flows />} />
            <Route path="/forms/:name?" element={<Forms />} />
            <Route path="/rehearsals/:name?" element={<Rehearsals />} />
            <Route path="/tools/:name?" element={<Tools />} />
            <Route path="/channels/:name?" element={<Channels />} />
            <Route path="/connections/:name?" element={<Connections />} />
            <Route path="/sheets/:name?" element={<Sheets />} />
            <Route path="/settings/:kind?/:name?" element={<Settings />} />
            <Route path="*" element={<Nowhere />} />
          </Routes>
        </Suspense>
      </main>
    </div>
  )
}

/** What stands at an address that leads nowhere: the way on. */
function Nowhere() {
  return (
    <Empty title="There is no such page">
      Go on with{" "}
      {pages.map((page, i) => (
        <span key={page.to}>
          {i > 0 && (i === pages.length - 1 ? " or " : ", ")}
          <Link className="text-sea underline" to={page.to}>
            {page.name}
          </Link>
        </span>
      ))}
      .
    </Empty>
  )
}

function Account({ me }: { me: Schemas["Me"] }) {
  const queries = useQueryClient()
  return (
    <Menu>
      <MenuButton className="w-full rounded-md px-2 py-1.5 text-left hover:bg-sunk">
        <span className="block font-semibold">{me.name}</span>
        <span className="block text-sm text-soft">{me.title}</span>
      </MenuButton>
      <MenuItems anchor="top start" className="z-10 rounded-md border border-line bg-sheet p-1 shadow-lg">
        <MenuItem>
          <button
            className="rounded px-3 py-1.5 data-focus:bg-sea-wash"
            onClick={() => void api.signOut().then(() => queries.resetQueries())}
          >
            Sign out
          </button>
        </MenuItem>
      </MenuItems>
    </Menu>
  )
}
