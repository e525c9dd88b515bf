import { QueryClient, QueryClientProvider } from "@tanstack/react-query"
import { StrictMode } from "react"
import { createRoot } from "react-dom/client"
import { BrowserRouter } from "react-router"
import { ProblemError } from "./api/client"
import { App } from "./App"
import "./look/look.css"

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // A "no" of the service is an answer; only what did not get through is tried again.
      retry: (times, error) => times < 2 && !(error instanceof ProblemError && error.status > 0),
      staleTime: 5_000,
    },
  },
})

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
