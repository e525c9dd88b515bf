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
		Q   string `query:"q" required:"true"`
		Bot string `query:"bot" description:"Whose sources and threshold count; all sources, if it is left out."`
	}
	changedSource struct {
		ID string `path:"id"`
		client.SourceChange
	}
	inState struct {
		State string `query:"state" enum:"proposed,approved,rejected"`
	}
	houseWritten struct {
		ID      string `path:"id"`
		IfMatch string `header:"If-Match" description:"The ETag that was read; without it, whatever is there is replaced."`
		client.HouseAnswerText
	}
	gapAnswered struct {
		ID string `path:"id"`
		client.GapAnswer
	}
	lessonApproved struct {
		ID string `path:"id"`
		client.LessonText
	}
	factGiven struct {
		ID  string `path:"id"`
		Key string `header:"Idempotency-Key" description:"A repeat with the same key is not sent again."`
		client.BareFact
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
		{"POST", "/conversations/:id/fact", "Inbox", "Reply with a bare fact, which the bot words", factGiven{}, client.Message{}, created, false, replyWithFact},
		{"POST", "/conversations/:id/take", "Inbox", "Take a conversation; bots fall silent", taken{}, client.Conversation{}, ok, false, take},
		{"POST", "/conversations/:id/return", "Inbox", "Hand a conversation back to its bot", byID{}, client.Conversation{}, ok, false, giveBack},
		{"POST", "/conversations/:id/close", "Inbox", "Close a conversation", byID{}, client.Conversation{}, ok, false, closeConversation},
		{"GET", "/turns/:id", "Inbox", "How a turn was decided", byID{}, client.Turn{}, ok, false, showTurn},
		{"GET", "/contacts", "Inbox", "The newest contacts and what is known of them", nil, client.ContactPage{}, ok, false, listContacts},

		{"GET", "/sources", "Knowledge", "List sources", nil, client.SourcePage{}, ok, false, listSources},
		{"POST", "/sources", "Knowledge", "Read a file into passages, in place of the source of that name", upload{}, client.Source{}, created, false, addSource},
		{"POST", "/sources/text", "Knowledge", "Keep a typed text as a source", client.TypedSource{}, client.Source{}, created, false, addText},
		{"POST", "/sources/web", "Knowledge", "Keep a page or a website as a source; it is read behind the scenes", client.WebSource{}, client.Source{}, created, false, addWeb},
		{"GET", "/sources/:id", "Knowledge", "Show a source", byID{}, client.Source{}, ok, false, showSource},
		{"PUT", "/sources/:id", "Knowledge", "Change when a source is read again and when it holds", changedSource{}, client.Source{}, ok, false, changeSource},
		{"POST", "/sources/:id/read", "Knowledge", "Read a web source again now", byID{}, client.Source{}, ok, false, readSource},
		{"DELETE", "/sources/:id", "Knowledge", "Remove a source", byID{}, nil, ok, false, removeSource},
		{"GET", "/sources/:id/pages", "Knowledge", "The pages of a source", byID{}, client.ReadPageList{}, ok, false, listPages},
		{"GET", "/sources/:id/passages", "Knowledge", "The passages of a source", byID{}, client.PassagePage{}, ok, false, listPassages},
		{"GET", "/knowledge/search", "Knowledge", "Find the passages that may answer a question", searched{}, client.Found{}, ok, false, search},
		{"POST", "/knowledge/quiz", "Knowledge", "Put questions with known answers to the knowledge", client.Quiz{}, client.QuizReport{}, ok, false, runQuiz},
		{"GET", "/house-answers", "Knowledge", "List house answers", nil, client.HouseAnswerPage{}, ok, false, listHouseAnswers},
		{"POST", "/house-answers", "Knowledge", "Keep a new house answer", client.HouseAnswerText{}, client.HouseAnswer{}, created, false, addHouseAnswer},
		{"PUT", "/house-answers/:id", "Knowledge", "Change a house answer", houseWritten{}, client.HouseAnswer{}, ok, false, putHouseAnswer},
		{"DELETE", "/house-answers/:id", "Knowledge", "Remove a house answer", byID{}, nil, ok, false, removeHouseAnswer},
		{"GET", "/gaps", "Knowledge", "The questions that nobody's knowledge answered, the most frequent first", nil, client.GapPage{}, ok, false, listGaps},
		{"POST", "/gaps/:id/answer", "Knowledge", "Answer a gap with a house answer, and send it to those who wait", gapAnswered{}, client.GapAnswered{}, ok, false, answerGap},
		{"DELETE", "/gaps/:id", "Knowledge", "Set a gap aside", byID{}, nil, ok, false, dropGap},
		{"GET", "/lessons", "Knowledge", "List lessons", inState{}, client.LessonPage{}, ok, false, listLessons},
		{"POST", "/lessons/:id/approve", "Knowledge", "Make a lesson a house answer", lessonApproved{}, client.HouseAnswer{}, ok, false, approveLesson},
		{"POST", "/lessons/:id/reject", "Knowledge", "Put a lesson aside", byID{}, nil, ok, false, rejectLesson},

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
