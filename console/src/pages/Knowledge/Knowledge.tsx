import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react"
import { useQuery } from "@tanstack/react-query"
import { Link, useNavigate, useParams } from "react-router"
import { api } from "../../api/client"
import { Empty, Head } from "../../parts/Says"
import { Examples } from "./Examples"
import { Gaps } from "./Gaps"
import { HouseAnswers } from "./HouseAnswers"
import { Lessons } from "./Lessons"
import { Search } from "./Search"
import { SourceList } from "./SourceList"

const tab =
  "shrink-0 rounded-md px-3 py-1.5 text-soft hover:bg-sunk data-selected:bg-sea-wash data-selected:font-semibold data-selected:text-sea"

const tabs = ["sources", "search", "gaps", "lessons", "examples", "house-answers"]

/** What the bots answer from, and what they still have to learn. */
export default function Knowledge() {
  const { tab: chosen = "sources" } = useParams()
  const navigate = useNavigate()
  const gaps = useQuery({ queryKey: ["gaps"], queryFn: api.gaps })
  const lessons = useQuery({ queryKey: ["lessons"], queryFn: api.lessons })
  if (!tabs.includes(chosen))
    return (
      <Empty title="There is no such page">
        <Link className="text-sea underline" to="/knowledge">
          Show the sources
        </Link>
      </Empty>
    )
  return (
    <TabGroup
      as="div"
      className="flex min-h-0 flex-1 flex-col"
      selectedIndex={tabs.indexOf(chosen)}
      onChange={i => void navigate("/knowledge/" + tabs[i])}
    >
      <Head title="Knowledge">
        <TabList className="flex max-w-full gap-1 overflow-x-auto">
          <Tab className={tab}>Sources</Tab>
          <Tab className={tab}>Search</Tab>
          <Tab className={tab}>
            Gaps <Count of={gaps.data?.items.length} />
          </Tab>
          <Tab className={tab}>
            Lessons <Count of={lessons.data?.items.length} />
          </Tab>
          <Tab className={tab}>Examples</Tab>
          <Tab className={tab}>House answers</Tab>
        </TabList>
      </Head>
      <TabPanels className="min-h-0 flex-1 overflow-y-auto px-4 pb-6 lg:px-6">
        <TabPanel>
          <SourceList />
        </TabPanel>
        <TabPanel>
          <Search />
        </TabPanel>
        <TabPanel>
          <Gaps />
        </TabPanel>
        <TabPanel>
          <Lessons />
        </TabPanel>
        <TabPanel>
          <Examples />
        </TabPanel>
        <TabPanel>
          <HouseAnswers />
        </TabPanel>
      </TabPanels>
    </TabGroup>
  )
}

function Count({ of }: { of?: number }) {
  return of ? (
    <span className="rounded-full bg-saffron-wash px-1.5 text-xs font-semibold text-saffron">{of}</span>
  ) : null
}
