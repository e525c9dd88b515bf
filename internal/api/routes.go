package api

import (
	"net/http"
	"sync"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/kinds"
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
		Kind noun `path:"kind"`
	}
	oneDocument struct {
		Kind noun   `path:"kind"`
		Name string `path:"name"`
	}
	written struct {
		Kind    noun   `path:"kind"`
		Name    string `path:"name"`
		IfMatch string `header:"If-Match" description:"The ETag that was read; without it, whatever is there is replaced."`
		IfNone  string `header:"If-None-Match" enum:"*" description:"*: nothing is replaced that is there already."`
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
	ofBot struct {
		Bot string `query:"bot" description:"Whose sources and threshold count; all sources, if it is left out."`
	}
	byWord struct {
		Word string `path:"word"`
	}
	inState struct {
		State string `query:"state" enum:"proposed,approved,rejected"`
	}
	kept struct {
		ID      string `path:"id"`
		IfMatch string `header:"If-Match" description:"The ETag that was read; without it, whatever is there is replaced."`
	}
	once struct {
		ID  string `path:"id"`
		Key string `header:"Idempotency-Key" description:"A repeat with the same key is not sent again."`
	}
	upload struct {
		Name string `formData:"name" required:"true"`
		File string `formData:"file" format:"binary" required:"true"`
	}
	ofReturn struct {
		ID   string `path:"id"`
		Runs string `query:"runs" enum:"end" description:"End the runs of flows that the person paused; else they go on."`
	}
	ofRuns struct {
		Flow         string `query:"flow"`
		Contact      string `query:"contact"`
		Conversation string `query:"conversation"`
		Open         string `query:"open" enum:"true" description:"Only those that have not ended."`
		Failed       string `query:"failed" enum:"true" description:"Only those that failed."`
		Ends         string `query:"ends" description:"Only those whose id ends so."`
		Cursor       string `query:"cursor"`
	}
	ofTool struct {
		Tool string `query:"tool" description:"Only those of this tool."`
	}
	ofConversation struct {
		Conversation string `query:"conversation" description:"Only those of this conversation."`
	}
	ofContacts struct {
		Search  string `query:"search" description:"Words in what is known, handles, tags and notes."`
		Stage   string `query:"stage"`
		Tag     string `query:"tag"`
		Field   string `query:"field" description:"That it is known; with value, what it is."`
		Value   string `query:"value"`
		Channel string `query:"channel"`
		Blocked string `query:"blocked" enum:"true"`
		Cursor  string `query:"cursor"`
	}
	toFile struct {
		Format string `query:"format" enum:"csv,vcard,json"`
		Search string `query:"search"`
		Stage  string `query:"stage"`
		Tag    string `query:"tag"`
		Field  string `query:"field"`
		Value  string `query:"value"`
	}
	forgetting struct {
		ID     string `path:"id"`
		Copies string `query:"copies" enum:"remove" description:"Remove the copies of the records too that were made before an upgrade."`
	}
	oneFile struct {
		ID string `path:"id"`
		At int    `path:"at" description:"Its place among the files of the message, from 0."`
	}
	oneNote struct {
		ID   string `path:"id"`
		Note string `path:"note"`
	}
	mergingWith struct {
		ID   string `path:"id"`
		With string `query:"with" required:"true" description:"The contact that would go."`
	}
	actOnRun struct {
		ID   string `path:"id"`
		What string `path:"what" enum:"stop,retry,skip,move"`
	}
	streamed struct {
		LastEventID string `header:"Last-Event-ID" description:"Go on after this event."`
	}
)

// startLimit is the largest list that a flow is started for, and the largest set of
// rehearsals, in bytes.
const startLimit = 4 << 20

// A noun is a kind of document, in the plural.
type noun string

// Enum lists the nouns, for the OpenAPI document.
func (noun) Enum() (nouns []any) {
	for _, kind := range kinds.Documents {
		nouns = append(nouns, kind.Plural)
	}
	return nouns
}

var routes = sync.OnceValue(func() []route {
	const ok, created = http.StatusOK, http.StatusCreated
	return []route{
		{"POST", "/sessions", "Sign-in", "Sign in to the console with a link's code or a token", nil, takes(signIn), created, true},
		{"DELETE", "/sessions", "Sign-in", "Sign out: the session or the token that asks ends", nil, does(signOut), ok, false},
		{"GET", "/tokens", "Sign-in", "Who may come in: tokens, sessions and sign-in links", nil, gives(listTokens), ok, false},
		{"POST", "/tokens", "Sign-in", "Make a token for a program", nil, takes(newToken), created, true},
		{"DELETE", "/tokens/:id", "Sign-in", "Revoke a token, session or link; what goes on under it ends", byID{}, does(revokeToken), ok, false},
		{"GET", "/me", "Sign-in", "Who is signed in", nil, gives(me), ok, false},

		{"GET", "/today", "Overview", "What matters now", nil, gives(today), ok, false},
		{"GET", "/status", "Overview", "Is it healthy", nil, gives(status), ok, false},
		{"GET", "/events", "Overview", "The event stream: server-sent events, each a CloudEvent", streamed{}, writes("text/event-stream", client.Event{}, events), ok, false},
		{"POST", "/effects/:id/retry", "Overview", "Try an effect again that was given up", byID{}, does(retryEffect), ok, false},

		{"GET", "/conversations", "Inbox", "List conversations", listing{}, gives(listConversations), ok, false},
		{"GET", "/conversations/:id", "Inbox", "Show a conversation", byID{}, gives(showConversation), ok, false},
		{"PATCH", "/conversations/:id", "Inbox", "Change the tags of a conversation", byID{}, takes(changeConversation), ok, false},
		{"GET", "/conversations/:id/messages", "Inbox", "The messages of a conversation", paged{}, gives(listMessages), ok, false},
		{"POST", "/conversations/:id/messages", "Inbox", "Reply as a person", once{}, takes(reply), created, false},
		{"POST", "/conversations/:id/fact", "Inbox", "Reply with a bare fact, which the bot words", once{}, takes(replyWithFact), created, false},
		{"POST", "/conversations/:id/take", "Inbox", "Take a conversation; bots fall silent", byID{}, takes(take), ok, false},
		{"POST", "/conversations/:id/return", "Inbox", "Hand a conversation back to its bot", ofReturn{}, gives(giveBack), ok, false},
		{"POST", "/conversations/:id/close", "Inbox", "Close a conversation", byID{}, gives(closeConversation), ok, false},
		{"POST", "/messages/:id/approve", "Inbox", "Send a held reply of a bot, with other words if any are given", byID{}, takes(approveMessage), ok, false},
		{"POST", "/messages/:id/reject", "Inbox", "Withdraw a held reply; the customer waits for a person", byID{}, takes(rejectMessage), ok, false},
		{"GET", "/held", "Inbox", "The replies that wait for a person, the oldest first", nil, gives(listHeld), ok, false},
		{"GET", "/independence", "Inbox", "What people did with held replies, by topic, and what may go by itself", nil, gives(independence), ok, false},
		{"POST", "/independence", "Inbox", "Let replies of a topic go by themselves, or have them held again", nil, takes(trustTopic), ok, false},
		{"POST", "/messages/:id/answer", "Inbox", "Have a message answered that nothing was to answer", byID{}, does(answerAfterAll), ok, false},
		{"GET", "/messages/:id/files/:at", "Inbox", "A file that came with a message", oneFile{}, writes("application/octet-stream", nil, downloadFile), ok, false},
		{"GET", "/turns/:id", "Inbox", "How a turn was decided", byID{}, gives(showTurn), ok, false},

		{"GET", "/channel-states", "Channels", "Which channels there are, and whether they work", nil, gives(listChannels), ok, false},
		{"POST", "/channels/:name/look", "Channels", "Look for what is new at once", byName{}, does(lookAtChannel), ok, false},
		{"POST", "/channels/:name/test", "Channels", "Try whether all that a channel needs works; nothing is sent", byName{}, takes(testChannel), ok, false},
		{"POST", "/connections/:name/test", "Channels", "Try whether another system is there and lets the service in; nothing is sent or changed there", byName{}, takes(testConnection), ok, false},
		{"POST", "/channels/:name/try", "Channels", "What would be made of a message as it comes, and answered; nothing is kept or sent", byName{}, takesLarge(tryMessage, rawLimit), ok, false},
		{"POST", "/channels/:name/past", "Channels", "Take in what came before, without answering it", byName{}, takes(takePast), ok, false},

		{"GET", "/contacts", "Contacts", "Contacts and what is known of them, the newest first", ofContacts{}, gives(listContacts), ok, false},
		{"POST", "/contacts", "Contacts", "Enter a contact that has not written", nil, takes(addContact), created, false},
		{"POST", "/contacts/import", "Contacts", "Take contacts out of a CSV, vCard or JSON file, or look what would become of it", nil, takesLarge(importContacts, importLimit), ok, false},
		{"GET", "/contacts/export", "Contacts", "Contacts as a CSV, vCard or JSON file", toFile{}, writes("text/csv", nil, exportContacts), ok, false},
		{"GET", "/contacts/:id", "Contacts", "Show a contact and all that belongs to it", byID{}, gives(showContact), ok, false},
		{"PATCH", "/contacts/:id", "Contacts", "Change what is known of a contact, the stage, the tags; what a person enters is verified", byID{}, takes(changeContact), ok, false},
		{"DELETE", "/contacts/:id", "Contacts", "Forget a contact: it and all that belongs to it or names it is removed everywhere", forgetting{}, gives(forgetContact), ok, false},
		{"GET", "/contacts/:id/export", "Contacts", "All that is kept of a contact, to be handed to them", byID{}, gives(exportContact), ok, false},
		{"POST", "/contacts/:id/notes", "Contacts", "Keep a note about a contact", byID{}, takes(addContactNote), created, false},
		{"DELETE", "/contacts/:id/notes/:note", "Contacts", "Remove a note about a contact", oneNote{}, does(removeContactNote), ok, false},
		{"GET", "/contacts/:id/merge", "Contacts", "What would become of two contacts if they were joined", mergingWith{}, gives(previewMerge), ok, false},
		{"POST", "/contacts/:id/merge", "Contacts", "Join a contact with another, which goes", byID{}, takes(mergeContacts), ok, false},
		{"POST", "/merges/:id/undo", "Contacts", "Take two contacts apart that were joined", byID{}, gives(undoMerge), ok, false},
		{"GET", "/twins", "Contacts", "Contacts that may be one, by what is verified of both", nil, gives(listTwins), ok, false},
		{"GET", "/fields", "Contacts", "The fields, stages and tags that the settings declare", nil, gives(listFields), ok, false},

		{"GET", "/sources", "Knowledge", "List sources", nil, gives(listSources), ok, false},
		{"POST", "/sources", "Knowledge", "Read a file into passages, in place of the source of that name", upload{}, gives(addSource), created, false},
		{"POST", "/sources/text", "Knowledge", "Keep a typed text as a source", nil, takes(addText), created, false},
		{"POST", "/sources/web", "Knowledge", "Keep a page or a website as a source; it is read behind the scenes", nil, takes(addWeb), created, false},
		{"GET", "/sources/:id", "Knowledge", "Show a source", byID{}, gives(showSource), ok, false},
		{"PUT", "/sources/:id", "Knowledge", "Change when a source is read again and when it holds", byID{}, takes(changeSource), ok, false},
		{"POST", "/sources/:id/read", "Knowledge", "Read a web source again now", byID{}, gives(readSource), ok, false},
		{"DELETE", "/sources/:id", "Knowledge", "Remove a source", byID{}, does(removeSource), ok, false},
		{"GET", "/sources/:id/pages", "Knowledge", "The pages of a source", byID{}, gives(listPages), ok, false},
		{"GET", "/sources/:id/passages", "Knowledge", "The passages of a source", byID{}, gives(listPassages), ok, false},
		{"PUT", "/passages/:id/questions", "Knowledge", "Change the questions that a passage answers, by which it is found", byID{}, takes(putQuestions), ok, false},
		{"GET", "/knowledge/search", "Knowledge", "Find the passages that may answer a question", searched{}, gives(search), ok, false},
		{"POST", "/knowledge/quiz", "Knowledge", "Put questions with known answers to the knowledge", nil, takesLarge(runQuiz, quizLimit), ok, false},
		{"GET", "/house-answers", "Knowledge", "List house answers", nil, gives(listHouseAnswers), ok, false},
		{"POST", "/house-answers", "Knowledge", "Keep a new house answer", nil, takes(addHouseAnswer), created, false},
		{"PUT", "/house-answers/:id", "Knowledge", "Change a house answer", kept{}, takes(putHouseAnswer), ok, false},
		{"DELETE", "/house-answers/:id", "Knowledge", "Remove a house answer", byID{}, does(removeHouseAnswer), ok, false},
		{"GET", "/examples", "Knowledge", "What customers said to what was offered for their questions, the newest first", nil, gives(listExamples), ok, false},
		{"DELETE", "/examples/:id", "Knowledge", "Remove an example, as one that was said by mistake", byID{}, does(dropExample), ok, false},
		{"GET", "/confidence", "Knowledge", "What fitting confidence on what customers said to offers would come to", ofBot{}, gives(showConfidence), ok, false},
		{"PUT", "/confidence", "Knowledge", "Take confidence fitted on what customers said into use", ofBot{}, gives(fitConfidence), ok, false},
		{"DELETE", "/confidence", "Knowledge", "Go back to confidence as it was delivered", nil, does(putBackConfidence), ok, false},
		{"GET", "/words/:word", "Knowledge", "How customers use a word: what texts say for it, and what customers say for a word of texts", byWord{}, gives(showSayings), ok, false},
		{"GET", "/gaps", "Knowledge", "The questions that nobody's knowledge answered, the most frequent first", nil, gives(listGaps), ok, false},
		{"POST", "/gaps/:id/answer", "Knowledge", "Answer a gap with a house answer, and send it to those who wait", byID{}, takes(answerGap), ok, false},
		{"DELETE", "/gaps/:id", "Knowledge", "Set a gap aside", byID{}, does(dropGap), ok, false},
		{"GET", "/lessons", "Knowledge", "List lessons", inState{}, gives(listLessons), ok, false},
		{"POST", "/lessons/:id/approve", "Knowledge", "Make a lesson a house answer", byID{}, takes(approveLesson), ok, false},
		{"POST", "/lessons/:id/reject", "Knowledge", "Put a lesson aside", byID{}, does(rejectLesson), ok, false},

		{"GET", "/documents", "Documents", "The kinds of documents", nil, gives(listKinds), ok, false},
		{"GET", "/documents/:kind", "Documents", "List the documents of a kind", byKind{}, gives(listDocuments), ok, false},
		{"GET", "/documents/:kind/:name", "Documents", "Show a document", oneDocument{}, gives(showDocument), ok, false},
		{"PUT", "/documents/:kind/:name", "Documents", "Keep a document", written{}, takes(putDocument), ok, false},
		{"POST", "/documents/:kind/:name/check", "Documents", "Check a document and keep nothing", oneDocument{}, takes(checkDocument), ok, false},
		{"POST", "/documents/:kind/:name/rename", "Documents", "Give a document another name, and name it so wherever it is named", oneDocument{}, takes(renameDocument), ok, false},
		{"DELETE", "/documents/:kind/:name", "Documents", "Remove a document that no other refers to", oneDocument{}, does(removeDocument), ok, false},
		{"GET", "/template", "Documents", "All documents as one text, for the next business: YAML documents, one after another, without contacts, conversations, knowledge and secrets", nil, writes("application/yaml", nil, exportTemplate), ok, false},
		{"POST", "/template", "Documents", "Take in the documents of a template, each after what it refers to; what is still to do is listed", nil, takesLarge(importTemplate, importLimit), ok, false},
		{"GET", "/drafts/:kind", "Documents", "What is being written of the documents of a kind, beside those that are used; some may not be there otherwise", byKind{}, gives(listDrafts), ok, false},
		{"PUT", "/drafts/:kind/:name", "Documents", "Keep what is being written of a document, right or not; what is used stays as it is", oneDocument{}, doesWith(putDraft), ok, false},
		{"DELETE", "/drafts/:kind/:name", "Documents", "Throw a draft away", oneDocument{}, does(removeDraft), ok, false},
		{"GET", "/removed/:kind", "Documents", "The documents of a kind that were removed, as they were last; keeping one brings it back", byKind{}, gives(listRemoved), ok, false},
		{"GET", "/schemas/:kind", "Documents", "The JSON Schema of a kind of documents, for editors", byKind{}, writes("application/schema+json", nil, documentSchema), ok, false},
		{"PUT", "/connections/:name/secret", "Documents", "Set the secret of a connection", byName{}, doesWith(putSecret), ok, false},

		{"GET", "/connections/:name/consent", "Documents", "How it stands with the consent by which a connection works", byName{}, gives(showConsent), ok, false},
		{"POST", "/connections/:name/consent", "Documents", "Begin to ask for consent: where the person is asked, in a browser", byName{}, gives(askForConsent), created, false},
		{"DELETE", "/connections/:name/consent", "Documents", "Forget the consent of a connection, and tell the other side", byName{}, does(withdrawConsent), ok, false},
		{"GET", "/connections/:name/models", "Documents", "The models that a model server has", byName{}, gives(listModels), ok, false},

		{"POST", "/model-servers", "Documents", "The models that the server at an address has, before it is kept as a connection", nil, takes(modelsAt), ok, false},

		{"GET", "/tools", "Tools", "List tools and how they stand", nil, gives(listTools), ok, false},
		{"POST", "/tools/:name/try", "Tools", "Try a call of a tool, or of a draft of it", byName{}, takes(tryTool), ok, false},
		{"GET", "/tool-calls", "Tools", "What tools were called with, the latest first", ofTool{}, gives(listToolCalls), ok, false},
		{"GET", "/tool-calls/:id", "Tools", "One call: what was sent and what came back", byID{}, gives(showToolCall), ok, false},
		{"GET", "/connections/:name/tools", "Tools", "What the MCP server of a connection can do, as tools to be kept", byName{}, gives(listMCPTools), ok, false},
		{"POST", "/openapi", "Tools", "What an OpenAPI document says that a system can do, as tools to be kept", nil, takesLarge(listOperations, startLimit), ok, false},
		{"GET", "/allowances", "Tools", "The calls of tools that wait for a person to allow them, the oldest first", ofConversation{}, gives(listAllowances), ok, false},
		{"POST", "/allowances/:id/allow", "Tools", "Let a call that waits be made", byID{}, does(allow), ok, false},
		{"POST", "/allowances/:id/refuse", "Tools", "Keep a call that waits from being made; the customer is told", byID{}, doesWith(refuse), ok, false},

		{"POST", "/bots/:name/ask", "Bots", "Put one question to a bot", byName{}, takes(ask), ok, false},
		{"POST", "/bots/:name/trial", "Bots", "Talk to a bot where nobody else sees it", byName{}, takes(try), ok, false},
		{"POST", "/bots/:name/order", "Bots", "Set free notes in order: as parts of a brief, for a person to take over; nothing is kept", byName{}, takes(orderNotes), ok, false},
		{"POST", "/bots/:name/explain", "Bots", "Tell what a brief lets a bot do, in plain sentences, and what is still missing; nothing is kept", byName{}, takes(explainBot), ok, false},

		{"GET", "/documents/:kind/:name/versions", "Documents", "The versions of a document, the newest first", oneDocument{}, gives(listVersions), ok, false},

		{"GET", "/flows", "Flows", "List flows and how they stand", nil, gives(listFlows), ok, false},
		{"GET", "/flows/:name", "Flows", "Show a flow: how it stands, its text, and the same in plain sentences", byName{}, gives(showFlow), ok, false},
		{"POST", "/flows/:name/explain", "Flows", "Tell a text in plain sentences, with what is wrong in it; nothing is kept", byName{}, takes(explainFlow), ok, false},
		{"POST", "/flows/:name/live", "Flows", "Put a version live", byName{}, takes(goLive), ok, false},
		{"DELETE", "/flows/:name/live", "Flows", "Make it a draft alone: it does not start any more, and runs go on", byName{}, does(takeDown), ok, false},
		{"POST", "/flows/:name/start", "Flows", "Start it by hand, for contacts or for rows", byName{}, takesLarge(startFlow, startLimit), ok, false},
		{"POST", "/flows/:name/trial", "Flows", "Try a draft on something that happened, or one step of it; nothing real is touched", byName{}, takes(tryFlow), ok, false},
		{"GET", "/flows/:name/posted", "Flows", "The bodies that other systems posted to it, the newest first", byName{}, gives(listPosted), ok, false},
		{"POST", "/posted/:id/again", "Flows", "Take a posted body in again, as the flow is now", byID{}, does(playAgain), ok, false},
		{"GET", "/runs", "Flows", "List runs, the latest first", ofRuns{}, gives(listRuns), ok, false},
		{"GET", "/runs/:id", "Flows", "Show a run: where it stands, its values, what it did", byID{}, gives(showRun), ok, false},
		{"POST", "/runs/:id/:what", "Flows", "Have a run stop, retry its failed step, skip its wait, or move to the live version", actOnRun{}, gives(changeRun), ok, false},
		{"GET", "/pause", "Flows", "Is all that bots and flows do paused", nil, gives(showPause), ok, false},
		{"PUT", "/pause", "Flows", "Pause all that bots and flows do, or let them go on", nil, takes(setPause), ok, false},
		{"POST", "/rehearse", "Flows", "Play rehearsals against the drafts; nothing real is touched", nil, takesLarge(rehearse, startLimit), ok, false},
		{"POST", "/conversations/:id/rehearsal", "Flows", "Make a rehearsal of a conversation, without the customer's details", byID{}, gives(saveAsRehearsal), ok, false},
		{"GET", "/forms", "Flows", "List forms", nil, gives(listForms), ok, false},
		{"GET", "/forms/:name/entries", "Flows", "What was sent with a form, the newest first", byName{}, gives(listFormEntries), ok, false},

		{"GET", "/sheets", "Sheets", "List sheets", nil, gives(listSheets), ok, false},
		{"GET", "/sheets/:name/rows", "Sheets", "The rows of a sheet", byName{}, gives(listRows), ok, false},
		{"GET", "/sheets/:name/csv", "Sheets", "A sheet as CSV", byName{}, writes("text/csv", nil, sheetCSV), ok, false},
	}
})
