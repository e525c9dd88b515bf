import type { components } from "./schema.gen"

export type Schemas = components["schemas"]

/** A request that the service answered with a problem (RFC 9457). */
export class ProblemError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly problems: Schemas["Problem"][] = [],
  ) {
    super(message)
  }
}

async function call<T>(method: string, path: string, body?: unknown, headers: Record<string, string> = {}) {
  const form = body instanceof FormData
  let response: Response
  try {
    response = await fetch("/api/v1" + path, {
      method,
      headers: form || body === undefined ? headers : { "Content-Type": "application/json", ...headers },
      body: form ? body : body === undefined ? undefined : JSON.stringify(body),
    })
  } catch {
    throw new ProblemError(0, "The service cannot be reached. Check that it is running, then try again.")
  }
  if (!response.ok) {
    const problem = await response.json().catch(() => ({}))
    throw new ProblemError(
      response.status,
      problem.detail ?? problem.title ?? response.statusText,
      problem.problems,
    )
  }
  return (response.status === 204 ? undefined : await response.json()) as T
}

const at = encodeURIComponent

/** The calls that the console makes, by name. */
export const api = {
  signIn: (code: string, name: string) => call<Schemas["Me"]>("POST", "/sessions", { code, name }),
  signOut: () => call<void>("DELETE", "/sessions"),
  tokens: () => call<Schemas["TokenList"]>("GET", "/tokens"),
  revokeToken: (id: string) => call<void>("DELETE", `/tokens/${at(id)}`),
  me: () => call<Schemas["Me"]>("GET", "/me"),
  today: () => call<Schemas["Today"]>("GET", "/today"),
  retry: (effect: string) => call<void>("POST", `/effects/${at(effect)}/retry`, {}),
  conversations: (lead: string, search: string, cursor = "") =>
    call<Schemas["ConversationPage"]>(
      "GET",
      "/conversations?" + new URLSearchParams({ lead, search, cursor }),
    ),
  conversation: (id: string) => call<Schemas["Conversation"]>("GET", `/conversations/${at(id)}`),
  tagConversation: (id: string, tags: string[]) =>
    call<Schemas["Conversation"]>("PATCH", `/conversations/${at(id)}`, { tags }),
  messages: (id: string, cursor = "") =>
    call<Schemas["MessagePage"]>("GET", `/conversations/${at(id)}/messages?cursor=${at(cursor)}`),
  reply: (id: string, text: string, key: string) =>
    call<Schemas["Message"]>(
      "POST",
      `/conversations/${at(id)}/messages`,
      { text },
      { "Idempotency-Key": key },
    ),
  lead: (id: string, act: "take" | "return" | "close", over = false) =>
    call<Schemas["Conversation"]>("POST", `/conversations/${at(id)}/${act}`, act === "take" ? { over } : {}),
  answerAfterAll: (message: string) => call<void>("POST", `/messages/${at(message)}/answer`, {}),
  channels: () => call<Schemas["ChannelPage"]>("GET", "/channel-states"),
  lookAtChannel: (name: string) => call<void>("POST", `/channels/${at(name)}/look`, {}),
  testChannel: (name: string, text = "") =>
    call<Schemas["ChannelTest"]>("POST", `/channels/${at(name)}/test`, { text }),
  testConnection: (name: string, text: string) =>
    call<Schemas["ChannelTest"]>("POST", `/connections/${at(name)}/test`, { text }),
  consent: (connection: string) => call<Schemas["Consent"]>("GET", `/connections/${at(connection)}/consent`),
  askForConsent: (connection: string) =>
    call<Schemas["ConsentAddress"]>("POST", `/connections/${at(connection)}/consent`),
  withdrawConsent: (connection: string) => call<void>("DELETE", `/connections/${at(connection)}/consent`),
  takePast: (name: string, from: string, to: string) =>
    call<Schemas["Channel"]>("POST", `/channels/${at(name)}/past`, { from, to }),
  held: () => call<Schemas["HeldPage"]>("GET", "/held"),
  independence: () => call<Schemas["Independence"]>("GET", "/independence"),
  trust: (topic: string, trust: boolean) =>
    call<Schemas["Independence"]>("POST", "/independence", { topic, trust }),
  approve: (message: string, text: string) =>
    call<Schemas["Message"]>("POST", `/messages/${at(message)}/approve`, { text }),
  reject: (message: string, why: string) =>
    call<Schemas["Message"]>("POST", `/messages/${at(message)}/reject`, { why }),
  contacts: (filter: Record<string, string> = {}) =>
    call<Schemas["ContactPage"]>("GET", "/contacts?" + new URLSearchParams(filter)),
  contact: (id: string) => call<Schemas["ContactDetail"]>("GET", `/contacts/${at(id)}`),
  addContact: (of: Schemas["ContactChange"]) => call<Schemas["ContactDetail"]>("POST", "/contacts", of),
  changeContact: (id: string, change: Schemas["ContactChange"]) =>
    call<Schemas["ContactDetail"]>("PATCH", `/contacts/${at(id)}`, change),
  addNote: (id: string, text: string) =>
    call<Schemas["ContactDetail"]>("POST", `/contacts/${at(id)}/notes`, { text }),
  removeNote: (id: string, note: string) => call<void>("DELETE", `/contacts/${at(id)}/notes/${at(note)}`),
  previewMerge: (id: string, other: string) =>
    call<Schemas["MergePreview"]>("GET", `/contacts/${at(id)}/merge?with=${at(other)}`),
  mergeContacts: (id: string, other: string) =>
    call<Schemas["ContactDetail"]>("POST", `/contacts/${at(id)}/merge`, { with: other }),
  undoMerge: (merge: string) => call<Schemas["ContactDetail"]>("POST", `/merges/${at(merge)}/undo`, {}),
  twins: () => call<Schemas["TwinPage"]>("GET", "/twins"),
  importContacts: (file: Schemas["ContactFile"]) =>
    call<Schemas["ImportedContacts"]>("POST", "/contacts/import", file),
  forgetContact: (id: string, copies: boolean) =>
    call<Schemas["Forgotten"]>("DELETE", `/contacts/${at(id)}${copies ? "?copies=remove" : ""}`),
  orderNotes: (name: string, notes: string) =>
    call<Schemas["NotesInOrder"]>("POST", `/bots/${encodeURIComponent(name)}/order`, { notes }),
  explainBot: (name: string, text: string) =>
    call<Schemas["BotExplained"]>("POST", `/bots/${encodeURIComponent(name)}/explain`, { text }),
  declared: () => call<Schemas["Declared"]>("GET", "/fields"),
  turn: (id: string) => call<Schemas["Turn"]>("GET", `/turns/${at(id)}`),
  sources: () => call<Schemas["SourcePage"]>("GET", "/sources"),
  addSource: (file: File) => {
    const form = new FormData()
    form.set("name", file.name)
    form.set("file", file)
    return call<Schemas["Source"]>("POST", "/sources", form)
  },
  addText: (text: Schemas["TypedSource"]) => call<Schemas["Source"]>("POST", "/sources/text", text),
  addWeb: (web: Schemas["WebSource"]) => call<Schemas["Source"]>("POST", "/sources/web", web),
  changeSource: (id: string, change: Schemas["SourceChange"]) =>
    call<Schemas["Source"]>("PUT", `/sources/${at(id)}`, change),
  readSource: (id: string) => call<Schemas["Source"]>("POST", `/sources/${at(id)}/read`, {}),
  pages: (id: string) => call<Schemas["ReadPageList"]>("GET", `/sources/${at(id)}/pages`),
  gaps: () => call<Schemas["GapPage"]>("GET", "/gaps"),
  answerGap: (id: string, answer: Schemas["GapAnswer"]) =>
    call<Schemas["GapAnswered"]>("POST", `/gaps/${at(id)}/answer`, answer),
  dropGap: (id: string) => call<void>("DELETE", `/gaps/${at(id)}`),
  examples: () => call<Schemas["ExamplePage"]>("GET", "/examples"),
  dropExample: (id: string) => call<void>("DELETE", `/examples/${at(id)}`),
  confidence: () => call<Schemas["Confidence"]>("GET", "/confidence"),
  fitConfidence: () => call<Schemas["Confidence"]>("PUT", "/confidence", {}),
  putBackConfidence: () => call<void>("DELETE", "/confidence"),
  words: (word: string) => call<Schemas["Sayings"]>("GET", `/words/${at(word)}`),
  lessons: () => call<Schemas["LessonPage"]>("GET", "/lessons"),
  approveLesson: (id: string, text: Schemas["LessonText"]) =>
    call<Schemas["HouseAnswer"]>("POST", `/lessons/${at(id)}/approve`, text),
  rejectLesson: (id: string) => call<void>("POST", `/lessons/${at(id)}/reject`, {}),
  houseAnswers: () => call<Schemas["HouseAnswerPage"]>("GET", "/house-answers"),
  addHouseAnswer: (text: Schemas["HouseAnswerText"]) =>
    call<Schemas["HouseAnswer"]>("POST", "/house-answers", text),
  putHouseAnswer: (id: string, text: Schemas["HouseAnswerText"], version: number) =>
    call<Schemas["HouseAnswer"]>("PUT", `/house-answers/${at(id)}`, text, { "If-Match": `"${version}"` }),
  removeHouseAnswer: (id: string) => call<void>("DELETE", `/house-answers/${at(id)}`),
  replyWithFact: (id: string, fact: string, key: string) =>
    call<Schemas["Message"]>("POST", `/conversations/${at(id)}/fact`, { fact }, { "Idempotency-Key": key }),
  removeSource: (id: string) => call<void>("DELETE", `/sources/${at(id)}`),
  passages: (id: string) => call<Schemas["PassagePage"]>("GET", `/sources/${at(id)}/passages`),
  putQuestions: (passage: string, questions: string[]) =>
    call<Schemas["PassageQuestions"]>("PUT", `/passages/${at(passage)}/questions`, { questions }),
  search: (question: string) => call<Schemas["Found"]>("GET", "/knowledge/search?q=" + at(question)),
  documents: (kind: string) => call<Schemas["DocumentPage"]>("GET", `/documents/${at(kind)}`),
  checkDocument: (kind: string, name: string, text: string) =>
    call<Schemas["Checked"]>("POST", `/documents/${at(kind)}/${at(name)}/check`, { text }),
  putDocument: (kind: string, name: string, text: string, version: number) =>
    call<Schemas["Document"]>(
      "PUT",
      `/documents/${at(kind)}/${at(name)}`,
      { text },
      version > 0 ? { "If-Match": `"${version}"` } : { "If-None-Match": "*" },
    ),
  document: (kind: string, name: string) =>
    call<Schemas["Document"]>("GET", `/documents/${at(kind)}/${at(name)}`),
  removeDocument: (kind: string, name: string) => call<void>("DELETE", `/documents/${at(kind)}/${at(name)}`),
  renameDocument: (kind: string, name: string, to: string) =>
    call<Schemas["Document"]>("POST", `/documents/${at(kind)}/${at(name)}/rename`, { name: to }),
  takeTemplate: (template: Schemas["Template"]) =>
    call<Schemas["TemplateTaken"]>("POST", "/template", template),
  drafts: (kind: string) => call<Schemas["DraftPage"]>("GET", `/drafts/${at(kind)}`),
  putDraft: (kind: string, name: string, text: string) =>
    call<void>("PUT", `/drafts/${at(kind)}/${at(name)}`, { text }),
  removeDraft: (kind: string, name: string) => call<void>("DELETE", `/drafts/${at(kind)}/${at(name)}`),
  removed: (kind: string) => call<Schemas["DocumentPage"]>("GET", `/removed/${at(kind)}`),
  kinds: () => call<Schemas["DocumentKindPage"]>("GET", "/documents"),
  tryBot: (name: string, message: string, before: Schemas["TrialState"], brief: string) =>
    call<Schemas["TrialTurn"]>("POST", `/bots/${at(name)}/trial`, { message, before, brief }),
  tools: () => call<Schemas["ToolInfoPage"]>("GET", "/tools"),
  tryTool: (name: string, trial: Schemas["ToolTrial"]) =>
    call<Schemas["TriedTool"]>("POST", `/tools/${at(name)}/try`, trial),
  toolCalls: (tool: string) => call<Schemas["ToolCallPage"]>("GET", "/tool-calls?tool=" + at(tool)),
  toolCall: (id: string) => call<Schemas["ToolCall"]>("GET", `/tool-calls/${at(id)}`),
  mcpTools: (connection: string) =>
    call<Schemas["ToolDraftPage"]>("GET", `/connections/${at(connection)}/tools`),
  operations: (of: Schemas["OpenAPIDocument"]) => call<Schemas["ToolDraftPage"]>("POST", "/openapi", of),
  allowances: (conversation = "") =>
    call<Schemas["AllowancePage"]>("GET", "/allowances?conversation=" + at(conversation)),
  allow: (id: string) => call<void>("POST", `/allowances/${at(id)}/allow`, {}),
  refuse: (id: string, why: string) => call<void>("POST", `/allowances/${at(id)}/refuse`, { why }),
  modelsAt: (address: string, connection: string) =>
    call<Schemas["ModelNames"]>("POST", "/model-servers", { address, connection }),
  putSecret: (connection: string, secret: string) =>
    call<void>("PUT", `/connections/${at(connection)}/secret`, { secret }),
  flows: () => call<Schemas["FlowPage"]>("GET", "/flows"),
  flow: (name: string) => call<Schemas["FlowDetail"]>("GET", `/flows/${at(name)}`),
  tryFlow: (name: string, trial: Schemas["FlowTrial"]) =>
    call<Schemas["TriedFlow"]>("POST", `/flows/${at(name)}/trial`, trial),
  explainFlow: (name: string, text: string) =>
    call<Schemas["Explained"]>("POST", `/flows/${at(name)}/explain`, { text }),
  goLive: (name: string, version: number) =>
    call<Schemas["FlowDetail"]>("POST", `/flows/${at(name)}/live`, { version }),
  takeDown: (name: string) => call<void>("DELETE", `/flows/${at(name)}/live`),
  startFlow: (name: string, start: Schemas["StartFlow"]) =>
    call<Schemas["Started"]>("POST", `/flows/${at(name)}/start`, start),
  posted: (name: string) => call<Schemas["PostedPage"]>("GET", `/flows/${at(name)}/posted`),
  playAgain: (id: string) => call<void>("POST", `/posted/${at(id)}/again`, {}),
  runs: (of: { flow?: string; conversation?: string; open?: string }) =>
    call<Schemas["RunPage"]>("GET", "/runs?" + new URLSearchParams(of).toString()),
  run: (id: string) => call<Schemas["RunDetail"]>("GET", `/runs/${at(id)}`),
  changeRun: (id: string, what: string) =>
    call<Schemas["RunDetail"]>("POST", `/runs/${at(id)}/${at(what)}`, {}),
  pause: (paused: boolean) => call<Schemas["Pause"]>("PUT", "/pause", { paused }),
  forms: () => call<Schemas["FormPage"]>("GET", "/forms"),
  formEntries: (name: string) => call<Schemas["FormEntryPage"]>("GET", `/forms/${at(name)}/entries`),
  rehearse: (what: Schemas["Rehearse"]) => call<Schemas["Rehearsed"]>("POST", "/rehearse", what),
  saveAsRehearsal: (conversation: string) =>
    call<Schemas["Document"]>("POST", `/conversations/${at(conversation)}/rehearsal`, {}),
  versions: (kind: string, name: string) =>
    call<Schemas["VersionPage"]>("GET", `/documents/${at(kind)}/${at(name)}/versions`),
  sheets: () => call<Schemas["SheetPage"]>("GET", "/sheets"),
  rows: (name: string) => call<Schemas["RowPage"]>("GET", `/sheets/${at(name)}/rows`),
}
