import { Tab, TabGroup, TabList, TabPanel, TabPanels } from "@headlessui/react"
import { Head } from "../../parts/Says"
import { Search } from "./Search"
import { SourceList } from "./SourceList"

const tab =
  "rounded-md px-3 py-1.5 text-soft hover:bg-sunk data-selected:bg-sea-wash data-selected:font-semibold data-selected:text-sea"

/** What the bots answer from. */
export default function Knowledge() {
  return (
    <TabGroup as="div" className="flex min-h-0 flex-1 flex-col">
      <Head title="Knowledge">
        <TabList className="flex gap-1">
          <Tab className={tab}>Sources</Tab>
          <Tab className={tab}>Search</Tab>
        </TabList>
      </Head>
      <TabPanels className="min-h-0 flex-1 overflow-y-auto px-4 pb-6 lg:px-6">
        <TabPanel>
          <SourceList />
        </TabPanel>
        <TabPanel unmount={false}>
          <Search />
        </TabPanel>
      </TabPanels>
    </TabGroup>
  )
}
