package api

import (
	"net/http"

	"urgentparrot.example/client"
)

// The parameters of calls, for the OpenAPI document.
type (
	byID struct {
		ID string `path:"id"`
	}
	byName struct {
		Name string `path:"name"`
	}
	byKind struct {
		Kind string `path:"kind" enum:"settings,connections,sheets,tools,bots,channels"`
	}
	listing struct {
		Lead   string `query:"lead" enum:"bot,waiting,person,closed,urgent" description:"urgent: those who wait for a person, the most urgent first."`
		Search string `query:"search"`
		Cursor string `query:"cursor"`
	}
	paged struct {
		ID     string `path:"id"`
		Cursor string `query:"cursor"`
	}
	searched struct {
		Q string `query:"q" required:"true"`
	}
	upload struct {
		Name string `formData:"name" required:"true"`
		File string `formData:"file" format:"binary" required:"true"`
	}
	streamed struct {
		LastEventID string `header:"Last-Event-ID" description:"Go on after this event."`
	}
	said struct {
		ID  string `path:"id"`
		Key string `header:"Idempotency-Key" description:"A repeat with the same key is not sent again."`
		client.Reply
	}
	taken struct {
		ID string `path:"id"`
		client.Take
	}
	written struct {
		Kind    string `path:"kind" enum:"settings,connections,sheets,tools,bots,channels"`
		Name    string `path:"name"`
		IfMatch string `header:"If-Match" description:"The ETag that was read; without it, whatever is there is replaced."`
		client.DocumentText
	}
	oneDocument struct {
		Kind string `path:"kind" enum:"settings,connections,sheets,tools,bots,channels"`
		Name string `path:"name"`
	}
	checked struct {
		oneDocument
		client.DocumentText
	}
	sealed struct {
		Name string `path:"name"`
		client.Secret
	}
	questioned struct {
		Name string `path:"name"`
		client.Question
	}
	tried struct {
		Name string `path:"name"`
		client.Trial
	}
)

func (s *Server) routes() []route {
	const ok, created = http.StatusOK, http.StatusCreated
	return []route{
		{"POST", "/sessions", "Sign-in", "Sign in to the console with a link's code or a token", client.SignIn{}, client.Me{}, created, true, signIn},
		{"DELETE", "/sessions", "Sign-in", "Sign out", nil, nil, ok, false, signOut},
		{"POST", "/tokens", "Sign-in", "Make a token for a program", client.SignIn{}, client.NewToken{}, created, true, newToken},
		{"GET", "/me", "Sign-in", "Who is signed in", nil, client.Me{}, ok, false, me},

		{"GET", "/today", "Overview", "What matters now", nil, client.Today{}, ok, false, today},
		{"GET", "/status", "Overview", "Is it healthy", nil, client.Status{}, ok, false, status},
		{"GET", "/events", "Overview", "The event stream: server-sent events, each a CloudEvent", streamed{}, client.Event{}, ok, false, events},
		{"POST", "/effects/:id/retry", "Overview", "Try an effect again that was given up", byID{}, nil, ok, false, retryEffect},

		{"GET", "/conversations", "Inbox", "List conversations", listing{}, client.ConversationPage{}, ok, false, listConversations},
		{"GET", "/conversations/:id", "Inbox", "Show a conversation", byID{}, client.Conversation{}, ok, false, showConversation},
		{"GET", "/conversations/:id/messages", "Inbox", "The messages of a conversation", paged{}, client.MessagePage{}, ok, false, listMessages},
		{"POST", "/conversations/:id/messages", "Inbox", "Reply as a person", said{}, client.Message{}, created, false, reply},
		{"POST", "/conversations/:id/take", "Inbox", "Take a conversation; bots fall silent", taken{}, client.Conversation{}, ok, false, take},
		{"POST", "/conversations/:id/return", "Inbox", "Hand a conversation back to its bot", byID{}, client.Conversation{}, ok, false, giveBack},
		{"POST", "/conversations/:id/close", "Inbox", "Close a conversation", byID{}, client.Conversation{}, ok, false, closeConversation},
		{"GET", "/turns/:id", "Inbox", "How a turn was decided", byID{}, client.Turn{}, ok, false, showTurn},
		{"GET", "/contacts", "Inbox", "The newest contacts and what is known of them", nil, client.ContactPage{}, ok, false, listContacts},

		{"GET", "/sources", "Knowledge", "List sources", nil, client.SourcePage{}, ok, false, listSources},
		{"POST", "/sources", "Knowledge", "Read a file into passages, in place of the source of that name", upload{}, client.Source{}, created, false, addSource},
		{"DELETE", "/sources/:id", "Knowledge", "Remove a source", byID{}, nil, ok, false, removeSource},
		{"GET", "/sources/:id/passages", "Knowledge", "The passages of a source", byID{}, client.PassagePage{}, ok, false, listPassages},
		{"GET", "/knowledge/search", "Knowledge", "Find the passages that may answer a question", searched{}, client.Found{}, ok, false, search},

		{"GET", "/documents/:kind", "Documents", "List the documents of a kind", byKind{}, client.DocumentPage{}, ok, false, listDocuments},
		{"GET", "/documents/:kind/:name", "Documents", "Show a document", oneDocument{}, client.Document{}, ok, false, showDocument},
		{"PUT", "/documents/:kind/:name", "Documents", "Keep a document", written{}, client.Document{}, ok, false, putDocument},
		{"POST", "/documents/:kind/:name/check", "Documents", "Check a document and keep nothing", checked{}, client.Checked{}, ok, false, checkDocument},
		{"PUT", "/connections/:name/secret", "Documents", "Set the secret of a connection", sealed{}, nil, ok, false, putSecret},

		{"POST", "/bots/:name/ask", "Bots", "Put one question to a bot", questioned{}, client.Answer{}, ok, false, ask},
		{"POST", "/bots/:name/trial", "Bots", "Talk to a bot where nobody else sees it", tried{}, client.TrialTurn{}, ok, false, try},

		{"GET", "/sheets", "Sheets", "List sheets", nil, client.SheetPage{}, ok, false, listSheets},
		{"GET", "/sheets/:name/rows", "Sheets", "The rows of a sheet", byName{}, client.RowPage{}, ok, false, listRows},
		{"GET", "/sheets/:name/csv", "Sheets", "A sheet as CSV", byName{}, nil, ok, false, sheetCSV},
	}
}
