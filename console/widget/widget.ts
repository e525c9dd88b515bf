// The chat that a page of the business carries with one script tag. It keeps a
// visitor token in the page's own storage, sends by POST and receives by a
// stream that the tabs of a browser share. Nothing of the page's look leaks in.
import style from "./widget.css?inline"

interface Citation {
  source: string
  title?: string
  question?: string
  address?: string
  trail?: string[]
}

interface Message {
  id: string
  author: "customer" | "bot" | "person"
  name?: string
  text: string
  parts?: { kind: string; text?: string; choices?: string[] }[]
  citations?: Citation[]
  at: string
}

const script = document.currentScript as HTMLScriptElement
const base = script.src.replace(/\/widget\.js.*$/, "")
const alwaysOpen = "open" in script.dataset
const stored = "urgent-parrot " + base

function storage(): Storage | null {
  try {
    localStorage.setItem(stored + " try", "1")
    localStorage.removeItem(stored + " try")
    return localStorage
  } catch {
    return null // the page forbids it: the chat lasts until it is left
  }
}
const store = storage()

let token = store?.getItem(stored) ?? ""
let title = store?.getItem(stored + " title") ?? ""

async function request(path: string, method = "GET", body?: unknown): Promise<any> {
  const response = await fetch(base + path, {
    method,
    headers: {
      ...(token ? { Authorization: "Bearer " + token } : {}),
      ...(body === undefined ? {} : { "Content-Type": "application/json" }),
    },
    body: body === undefined ? undefined : JSON.stringify(body),
  })
  const answer = await response.json().catch(() => ({}))
  if (response.status === 401 && token) {
    token = "" // not ours any more: the next call asks for a new one
    store?.removeItem(stored)
  }
  if (!response.ok) throw new Error(answer.detail ?? "The chat cannot be reached right now.")
  return answer
}

async function signUp() {
  if (token) return
  const visitor = await request("/visitors", "POST", {})
  token = visitor.token
  title = visitor.title
  store?.setItem(stored, token)
  store?.setItem(stored + " title", title)
}

// ---------------------------------------------------------------- what is seen

const host = document.createElement("div")
host.id = "urgent-parrot"
const root = host.attachShadow({ mode: "open" })
root.innerHTML = `<style>${style}</style>
<section class="panel" role="dialog" aria-label="Chat" hidden>
  <header><span class="title">Chat</span><button class="shut" aria-label="Close the chat">×</button></header>
  <ol class="lines" aria-live="polite"></ol>
  <p class="trouble" role="alert" hidden></p>
  <form><textarea rows="1" aria-label="Your message" placeholder="Your message" maxlength="8000"></textarea><button>Send</button></form>
</section>
<button class="opener" aria-label="Open the chat" aria-expanded="false"><svg viewBox="0 0 24 24" aria-hidden="true"><path d="M4 4h16a2 2 0 0 1 2 2v9a2 2 0 0 1-2 2h-8l-5 4v-4H4a2 2 0 0 1-2-2V6a2 2 0 0 1 2-2z" fill="currentColor"/></svg><span>Chat</span></button>`
const part = <T extends HTMLElement>(selector: string) => root.querySelector<T>(selector)!
const panel = part(".panel")
const opener = part<HTMLButtonElement>(".opener")
const list = part<HTMLOListElement>(".lines")
const trouble = part(".trouble")
const form = part<HTMLFormElement>("form")
const box = part<HTMLTextAreaElement>("textarea")

const seen = new Set<string>()
let last = ""

function show(message: Message) {
  if (seen.has(message.id)) return
  seen.add(message.id)
  if (message.id > last) last = message.id
  const line = document.createElement("li")
  line.className = message.author
  line.dataset.author = message.author
  if (message.author !== "customer" && message.name) {
    line.append(
      Object.assign(document.createElement("span"), { className: "name", textContent: message.name }),
    )
  }
  const choosable = message.parts?.some(p => p.kind === "choices")
  for (const p of choosable ? message.parts! : [{ kind: "text", text: message.text }]) {
    if (p.kind !== "choices")
      line.append(Object.assign(document.createElement("p"), { textContent: p.text ?? "" }))
    else line.append(buttons(p.choices ?? []))
  }
  // What was to be chosen from is settled by whatever comes next from the customer.
  if (message.author === "customer")
    list.querySelectorAll(".choices").forEach(c => c.classList.add("settled"))
  if (message.citations?.length) {
    const sources = Object.assign(document.createElement("small"), { textContent: "Source: " })
    message.citations.forEach((c, i) => {
      if (i) sources.append(", ")
      const name = c.question || c.trail?.join(" › ") || c.title || c.source
      const place = document.createElement(c.address ? "a" : "span")
      place.textContent = name
      if (c.address && /^https?:/.test(c.address)) {
        place.setAttribute("href", c.address)
        place.setAttribute("target", "_blank")
        place.setAttribute("rel", "noopener")
      }
      sources.append(place)
    })
    line.append(sources)
  }
  root.querySelector(`li[data-sending="${CSS.escape(message.text)}"]`)?.remove()
  list.append(line)
  list.scrollTop = list.scrollHeight
}

/** A button for each choice; it says the choice's words. */
function buttons(choices: string[]): HTMLElement {
  const row = Object.assign(document.createElement("div"), { className: "choices" })
  for (const choice of choices) {
    const button = Object.assign(document.createElement("button"), { type: "button", textContent: choice })
    button.onclick = () => {
      box.value = choice
      void send()
    }
    row.append(button)
  }
  return row
}

function complain(words: string) {
  trouble.textContent = words
  trouble.hidden = !words
}

// ---------------------------------------------------------------- the stream

// One tab holds the stream and tells the others; when it goes, another takes over.
const tabs = "BroadcastChannel" in window ? new BroadcastChannel(stored) : null
if (tabs) tabs.onmessage = event => show(event.data as Message)
let listening = false

function listen() {
  if (listening) return
  listening = true
  if (tabs && navigator.locks) void navigator.locks.request(stored, () => hold())
  else void hold()
}

/** Holds a stream for as long as the tab lives, with a new ticket each time it breaks. */
async function hold(): Promise<never> {
  for (let pause = 500; ; pause = Math.min(pause * 2, 15_000)) {
    try {
      const { ticket } = await request("/tickets", "POST", {})
      await new Promise<void>(broken => {
        const stream = new EventSource(`${base}/stream?ticket=${encodeURIComponent(ticket)}&after=${last}`)
        stream.onopen = () => {
          pause = 500
          complain("")
        }
        stream.addEventListener("message", event => {
          const message = JSON.parse((event as MessageEvent).data) as Message
          show(message)
          tabs?.postMessage(message)
        })
        stream.onerror = () => {
          stream.close() // its ticket is spent; the loop asks for another
          broken()
        }
      })
    } catch {
      // Said when something is sent; until then the next try may do.
    }
    await new Promise(done => setTimeout(done, pause))
    if (!token) await signUp().catch(() => {})
  }
}

// ---------------------------------------------------------------- what is done

async function catchUp() {
  const { items } = await request("/messages?after=" + last)
  for (const message of items as Message[]) show(message)
}

async function open() {
  panel.hidden = false
  opener.setAttribute("aria-expanded", "true")
  if (!alwaysOpen) sessionStorage.setItem(stored + " open", "1")
  box.focus()
  try {
    await signUp()
    part(".title").textContent = title || "Chat"
    await catchUp()
    listen()
    complain("")
  } catch (e) {
    complain((e as Error).message)
  }
}

function shut() {
  panel.hidden = true
  opener.setAttribute("aria-expanded", "false")
  sessionStorage.removeItem(stored + " open")
  opener.focus()
}

async function send() {
  const text = box.value.trim()
  if (!text) return
  const id = crypto.getRandomValues(new Uint32Array(4)).join("-")
  const line = Object.assign(document.createElement("li"), { className: "customer sending" })
  line.dataset.sending = text
  line.append(Object.assign(document.createElement("p"), { textContent: text }))
  list.append(line)
  list.scrollTop = list.scrollHeight
  box.value = ""
  try {
    await signUp()
    await request("/messages", "POST", { id, text })
    listen()
    complain("")
  } catch (e) {
    line.remove()
    box.value = text // nothing that was typed is lost
    complain((e as Error).message)
  }
}

opener.onclick = () => (panel.hidden ? void open() : shut())
part<HTMLButtonElement>(".shut").onclick = shut
form.onsubmit = e => {
  e.preventDefault()
  void send()
}
box.onkeydown = e => {
  if (e.key === "Enter" && !e.shiftKey && !e.isComposing) {
    e.preventDefault()
    void send()
  }
  if (e.key === "Escape" && !alwaysOpen) shut()
}

document.body.append(host)
if (alwaysOpen) {
  host.classList.add("page")
  void open()
} else if (sessionStorage.getItem(stored + " open")) {
  void open()
}
