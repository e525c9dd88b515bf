package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/rehearsal"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/problem"
	"urgentparrot.example/internal/store"
)

func findingsOf(list []document.Finding) []client.Finding {
	out := make([]client.Finding, len(list))
	for i, f := range list {
		out[i] = client.Finding{Problem: client.Problem(f.Problem), Warning: f.Warning}
	}
	return out
}

func when(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (q *request) flow(s engine.FlowState) client.Flow {
	f := client.Flow{
		Name: s.Name, Title: s.Title, Starts: s.Starts, Triggers: s.Triggers, Version: s.Version, Live: s.Live, LiveBy: s.LiveBy, UpdatedAt: s.UpdatedAt,
		Findings: findingsOf(s.Findings), Broken: findingsOf(s.Broken), FiredAt: when(s.Fired.FiredAt), MissedAt: when(s.Fired.MissedAt), Missed: s.Fired.Missed,
		Open: s.Fired.Open, Failed: s.Fired.Failed,
	}
	f.With, f.WithOptional = s.With, s.WithOptional
	if s.Live > 0 {
		f.LiveAt = when(s.LiveAt)
	}
	if address, err := q.hookAddress(s.Name); err == nil {
		f.Address = address
	}
	return f
}

// hookAddress is where other systems post to a flow.
func (q *request) hookAddress(name string) (string, error) {
	_, signed, err := q.workspace.Flows.HookSecret(q.Request.Context(), name)
	if errors.Is(err, store.ErrNotFound) {
		return "", err
	}
	address := "/hook/" + q.workspace.Name + "/" + name
	if signed {
		return address, nil
	}
	token, err := q.workspace.Flows.HookToken(name)
	return address + "/" + token, err
}

func listFlows(q *request) (page client.FlowPage, err error) {
	states, err := q.workspace.Flows.States(q.Request.Context())
	page.Items = make([]client.Flow, len(states))
	for i, s := range states {
		page.Items[i] = q.flow(s)
	}
	return page, err
}

func showFlow(q *request) (out client.FlowDetail, err error) {
	name := q.Param("name")
	states, err := q.workspace.Flows.States(q.Request.Context())
	if err != nil {
		return out, err
	}
	names := make([]string, len(states))
	for i, s := range states {
		names[i] = s.Name
		if s.Name != name {
			continue
		}
		text, err := q.workspace.Store().Version(q.Request.Context(), "flow", name, s.Version)
		if err != nil {
			return out, err
		}
		q.Header("ETag", fmt.Sprintf("%q", fmt.Sprint(s.Version)))
		return client.FlowDetail{Flow: q.flow(s), Text: text, Sentences: explained(name, text).Sentences}, nil
	}
	return out, problem.New(problem.NotFound, document.Missing("flow", name, names), "name")
}

// explained tells what can be read of a flow's text in plain sentences.
func explained(name, text string) client.Explained {
	read, err := kinds.Language.Parse(name, []byte(text))
	told := client.Explained{Sentences: []client.Sentence{}, Starts: []client.Sentence{}, Names: append([]string{}, read.Names()...), Readable: err == nil}
	for _, s := range read.ExplainStarts() {
		told.Starts = append(told.Starts, client.Sentence(s))
	}
	if len(read.Triggers) == 0 && len(read.Body.Steps) == 0 {
		return told
	}
	for _, s := range read.Explain() {
		told.Sentences = append(told.Sentences, client.Sentence(s))
	}
	return told
}

func explainFlow(q *request, in client.DocumentText) (client.Explained, error) {
	name := q.Param("name")
	told := explained(name, in.Text)
	told.Findings = findingsOf(q.workspace.Documents.Findings("flow", name, in.Text))
	return told, nil
}

func goLive(q *request, in client.GoLive) (out client.FlowDetail, err error) {
	if err := q.workspace.Documents.GoLive(q.Request.Context(), "flow", q.Param("name"), in.Version, q.access.Label); err != nil {
		return out, err
	}
	return showFlow(q)
}

func takeDown(q *request) error {
	return q.workspace.Documents.TakeDown(q.Request.Context(), "flow", q.Param("name"), q.access.Label)
}

// mostStarts is for how many contacts, or rows, a flow is started at once.
const mostStarts = 5_000

func startFlow(q *request, in client.StartFlow) (client.Started, error) {
	if len(in.Contacts)+len(in.Rows) > mostStarts {
		return client.Started{}, problem.New(problem.TooLarge, fmt.Sprintf("a flow is started for at most %d at once", mostStarts), "contacts")
	}
	values := func(of map[string]string) map[string]any {
		m := map[string]any{}
		for name, value := range in.Values {
			m[name] = value
		}
		for name, value := range of {
			m[name] = value
		}
		return m
	}
	var starts []engine.Start
	for _, id := range in.Contacts {
		if _, err := q.workspace.Store().Contact(q.Request.Context(), id); err != nil {
			return client.Started{}, problem.New(problem.NotFound, fmt.Sprintf("there is no contact %q", id), "contacts")
		}
		starts = append(starts, engine.Start{Contact: id, Values: values(nil)})
	}
	for i, row := range in.Rows {
		if id := row["contact"]; id != "" {
			if _, err := q.workspace.Store().Contact(q.Request.Context(), id); err != nil {
				return client.Started{}, problem.New(problem.NotFound, fmt.Sprintf("row %d: there is no contact %q; leave the column out where a row is for nobody", i+1, id), "rows")
			}
		}
		starts = append(starts, engine.Start{Contact: row["contact"], Values: values(row)})
	}
	if len(starts) == 0 {
		starts = []engine.Start{{Values: values(nil)}}
	}
	return client.Started{Asked: len(starts)}, q.workspace.Flows.Start(q.Request.Context(), q.Param("name"), q.access.Label, starts)
}

func tryFlow(q *request, in client.FlowTrial) (out client.TriedFlow, err error) {
	t := engine.FlowTrial{
		Flow: q.Param("name"), Text: in.Text, Message: in.Message, Body: in.Body, Posted: in.Posted, Entry: in.Entry, Run: in.Run, Conversation: in.Conversation, Contact: in.Contact,
		Event: map[string]any{}, Trying: rehearsal.Trying{Channel: in.Channel, Says: in.Says, Answers: in.Answers, Step: in.Step, Before: in.Before, Values: in.Saved},
	}
	for name, value := range in.Values {
		t.Event[name] = value
	}
	if in.Pass != "" {
		if t.Pass, err = flow.ParseDuration(in.Pass); err != nil {
			return out, problem.New(problem.BadInput, fmt.Sprintf("%q is not a time; write it like 30m, 4h or 3d", in.Pass), "pass")
		}
	}
	tried, err := q.workspace.Flows.Try(q.Request.Context(), t)
	if err != nil {
		return out, err
	}
	out = client.TriedFlow{Triggers: []client.TriedTrigger{}, Steps: []client.TriedStep{}, Talk: []client.TriedLine{}, Happened: tried.Happened, Values: tried.Values, Stands: tried.Stands, Missed: tried.Missed}
	if out.Happened == nil {
		out.Happened = []string{}
	}
	if out.Values == nil {
		out.Values = map[string]any{}
	}
	for _, f := range tried.Fits {
		out.Triggers = append(out.Triggers, client.TriedTrigger{Words: f.Trigger.Kind.Plain(f.Trigger), Line: f.Trigger.At.Line, Fires: f.Fits, Why: f.Why})
	}
	for _, s := range tried.Steps {
		out.Steps = append(out.Steps, client.TriedStep{Flow: s.Flow, Passed: client.Passed{Number: s.Number, Line: s.Line, Words: s.Words, At: s.At}})
	}
	for _, l := range tried.Talk {
		out.Talk = append(out.Talk, client.TriedLine{By: l.By, Text: l.Text, At: l.At})
	}
	return out, nil
}

func listVersions(q *request) (page client.VersionPage, err error) {
	kind, err := q.kind()
	if err != nil {
		return page, err
	}
	list, err := q.workspace.Store().Versions(q.Request.Context(), kind.Name, q.Param("name"))
	page.Items = make([]client.Version, len(list))
	for i, d := range list {
		page.Items[i] = client.Version{Version: d.Version, Author: d.Author, At: d.UpdatedAt, Text: d.Text}
	}
	return page, err
}

func (q *request) run(r store.Run) client.Run {
	out := client.Run{
		ID: r.ID, Flow: r.Flow, Title: r.Flow, Version: r.Version, Contact: r.ContactID, Who: "Nobody", Conversation: r.ConversationID, Status: r.Status,
		WaitsFor: string(r.WaitsFor), Until: when(r.Until), Why: r.Why, StartedBy: r.StartedBy, StartedAt: r.StartedAt, UpdatedAt: r.UpdatedAt,
	}
	if r.ContactID != "" {
		if c, err := q.workspace.Store().Contact(q.Request.Context(), r.ContactID); err == nil {
			out.Who = q.contact(c).Who
		}
	}
	title, step, live := q.workspace.Flows.Place(q.Request.Context(), r)
	if title != "" {
		out.Title = title
	}
	if step != nil {
		out.Step, out.Line, out.Words = step.Number, step.At.Line, step.Words()
	}
	out.Behind = live > 0 && live != r.Version
	return out
}

func listRuns(q *request) (page client.RunPage, err error) {
	f := store.RunFilter{Flow: q.Query("flow"), Conversation: q.Query("conversation"), Contact: q.Query("contact"), Open: q.Query("open") == "true", Failed: q.Query("failed") == "true", Ends: q.Query("ends"), Before: q.Query("cursor"), Limit: pageSize + 1}
	list, err := q.workspace.Store().Runs(q.Request.Context(), f)
	if err != nil {
		return page, err
	}
	if len(list) > pageSize {
		list = list[:pageSize]
		page.Next = list[pageSize-1].ID
	}
	page.Items = make([]client.Run, len(list))
	for i, r := range list {
		page.Items[i] = q.run(r)
	}
	return page, nil
}

func showRun(q *request) (out client.RunDetail, err error) {
	r, err := q.workspace.Store().Run(q.Request.Context(), q.Param("id"))
	if err != nil {
		return out, err
	}
	var state flow.State
	if err := json.Unmarshal([]byte(r.State), &state); err != nil {
		return out, err
	}
	steps, err := q.workspace.Store().RunSteps(q.Request.Context(), r.ID)
	if err != nil {
		return out, err
	}
	out = client.RunDetail{Run: q.run(r), Values: state.Values, Event: state.Event, Path: []client.Passed{}}
	if out.Values == nil {
		out.Values = map[string]any{}
	}
	if out.Event == nil {
		out.Event = map[string]any{}
	}
	for _, p := range steps {
		out.Path = append(out.Path, client.Passed{Number: p.Number, Line: p.Line, Words: p.Words, At: p.At})
	}
	return out, nil
}

func changeRun(q *request) (out client.RunDetail, err error) {
	ctx, id, flows := q.Request.Context(), q.Param("id"), q.workspace.Flows
	switch q.Param("what") {
	case "stop":
		err = flows.Stop(ctx, id, q.access.Label)
	case "retry":
		err = flows.Retry(ctx, id)
	case "skip":
		err = flows.Skip(ctx, id)
	case "move":
		err = flows.Move(ctx, id)
	default:
		err = problem.New(problem.NotFound, "a run may: stop, retry, skip (its wait), move (to the live version)", "what")
	}
	if errors.Is(err, store.ErrNotFound) {
		err = problem.New(problem.Conflict, "there is no such run, or it has come to its end", "id")
	}
	if err != nil {
		return out, err
	}
	return showRun(q)
}

func listPosted(q *request) (page client.PostedPage, err error) {
	list, err := q.workspace.Store().PostedTo(q.Request.Context(), q.Param("name"), pageSize)
	page.Items = make([]client.Posted, len(list))
	for i, p := range list {
		page.Items[i] = client.Posted{ID: p.ID, Body: p.Body, Error: p.Error, At: p.At}
	}
	return page, err
}

func playAgain(q *request) error {
	return q.workspace.Flows.PlayAgain(q.Request.Context(), q.Param("id"))
}

func showPause(q *request) (client.Pause, error) {
	sw := q.workspace.Paused()
	if sw == nil {
		return client.Pause{}, nil
	}
	return client.Pause{Paused: true, By: sw.By, At: &sw.At}, nil
}

func setPause(q *request, in client.Pause) (client.Pause, error) {
	if err := q.workspace.Pause(q.Request.Context(), in.Paused, q.access.Label); err != nil {
		return client.Pause{}, err
	}
	return showPause(q)
}

func listForms(q *request) (page client.FormPage, err error) {
	page.Items = []client.Form{}
	for _, f := range q.workspace.Forms.All() {
		form := client.Form{Name: f.Name, Title: f.Title, Fields: []client.FormField{}, Address: "/form/" + q.workspace.Name + "/" + f.Name}
		for _, field := range f.Fields {
			form.Fields = append(form.Fields, client.FormField{Name: field.Name, Label: field.Label, As: field.As})
		}
		entries, err := q.workspace.Store().FormEntries(q.Request.Context(), f.Name, 100)
		if err != nil {
			return page, err
		}
		form.Entries = len(entries)
		page.Items = append(page.Items, form)
	}
	return page, nil
}

func listFormEntries(q *request) (page client.FormEntryPage, err error) {
	list, err := q.workspace.Store().FormEntries(q.Request.Context(), q.Param("name"), 100)
	page.Items = make([]client.FormEntry, len(list))
	for i, e := range list {
		page.Items[i] = client.FormEntry{ID: e.ID, Said: e.Said, Cleaned: e.Cleaned, Doubtful: e.Doubtful, Contact: e.ContactID, At: e.At}
	}
	return page, err
}

// mostScripts is how many rehearsals are played at once.
const mostScripts = 500

func rehearse(q *request, in client.Rehearse) (out client.Rehearsed, err error) {
	out.Items = []client.RehearsalReport{}
	if len(in.Scripts) > mostScripts {
		return out, problem.New(problem.TooLarge, fmt.Sprintf("at most %d rehearsals are played at once", mostScripts), "scripts")
	}
	var scripts []rehearsal.Script
	var files []string
	for _, s := range in.Scripts {
		script, err := rehearsal.Parse(s.File, []byte(s.Text))
		if err != nil {
			return out, err
		}
		scripts, files = append(scripts, script), append(files, s.File)
	}
	if len(in.Scripts) == 0 {
		scripts = q.workspace.Rehearsals()
	}
	play := func() ([]rehearsal.Report, error) {
		return q.workspace.Rehearse(q.Request.Context(), scripts, in.Drafts)
	}
	const mostLast = 200
	if in.Last > 0 {
		play = func() ([]rehearsal.Report, error) {
			return q.workspace.Replay(q.Request.Context(), min(in.Last, mostLast), in.Drafts)
		}
	}
	reports, err := play()
	for i, r := range reports {
		report := client.RehearsalReport{Title: r.Title, File: r.File, Passed: r.Passed, Lines: []client.RehearsedLine{}, Took: float64(r.Took.Microseconds()) / 1000}
		if i < len(files) {
			report.File = files[i]
		}
		for _, l := range r.Lines {
			report.Lines = append(report.Lines, client.RehearsedLine(l))
		}
		out.Items = append(out.Items, report)
	}
	return out, err
}

func saveAsRehearsal(q *request) (client.Document, error) {
	name, err := q.workspace.SaveAsRehearsal(q.Request.Context(), q.Param("id"))
	if err != nil {
		return client.Document{}, err
	}
	list, err := q.workspace.Store().Documents(q.Request.Context(), "rehearsal")
	for _, d := range list {
		if d.Name == name {
			return documentOf(d), err
		}
	}
	return client.Document{}, errors.Join(err, store.ErrNotFound)
}

// hooks takes what other systems post to flows: signed, or with the token in the address.
func (s *Server) hook(w http.ResponseWriter, r *http.Request, workspace *engine.Workspace, name, token string) error {
	raw, err := readAll(w, r, bodyLimit)
	if err != nil {
		return err
	}
	secret, signed, err := workspace.Flows.HookSecret(r.Context(), name)
	if err != nil {
		return err
	}
	if signed {
		err = verifySigned(secret, raw, r.Header)
	} else if want, failed := workspace.Flows.HookToken(name); failed != nil || !sameToken(want, token) {
		err = problem.New(problem.NotFound, "there is nothing at this address", "")
	}
	if err != nil {
		return err
	}
	err = workspace.Flows.Posted(r.Context(), name, raw)
	if errors.Is(err, engine.ErrUnfit) {
		d := problem.New(problem.BadInput, err.Error(), "")
		var unfit *engine.UnfitBody
		if errors.As(err, &unfit) {
			d.Field = strings.TrimPrefix(unfit.Field, "body.")
		}
		d.Status = http.StatusBadRequest // which senders of webhooks know
		return d
	}
	return err
}
