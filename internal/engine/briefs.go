package engine

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/thinker"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// ExplainBot tells of a brief what the bot may do, one power after another, and what is still
// missing before customers are well served by it: each in a sentence.
func (w *Workspace) ExplainBot(ctx context.Context, b bot.Brief) (powers []bot.Power, missing []string, err error) {
	c := w.config.Load()
	powers = b.Powers(c)
	lacks := func(format string, args ...any) { missing = append(missing, fmt.Sprintf(format, args...)) }
	sources, err := w.store.Sources(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, name := range b.Sources {
		switch at := slices.IndexFunc(sources, func(s store.Source) bool { return s.Name == name }); {
		case at < 0:
			lacks("The source %s is not there: add it to the knowledge.", name)
		case sources[at].ReadAt.IsZero() && sources[at].Error == "":
			lacks("The source %s has not been read yet.", name)
		case sources[at].Error != "":
			lacks("The source %s could not be read last: %s.", name, sources[at].Error)
		case sources[at].Passages == 0:
			lacks("The source %s holds nothing.", name)
		}
	}
	if len(b.Sources) == 0 && !slices.ContainsFunc(sources, func(s store.Source) bool { return s.Passages > 0 }) {
		lacks("There is no knowledge yet: it can answer nothing.")
	}
	for _, name := range w.connectionsOf(c, b) {
		conn, ok := find[workspace.Connection](c, name)
		if !ok {
			continue // that is an error of the document
		}
		if conn.Consent != nil {
			if s, err := w.Consents.State(ctx, name); err == nil && s.Fault != "" {
				lacks("The connection %s: %s", name, s.Fault)
			}
		}
		_, _, none := w.store.Secret(ctx, name)
		if _, err := w.Documents.secret(ctx, conn); err != nil {
			lacks("%s", err.Error()+".")
		} else if none != nil && conn.Header != "" {
			lacks("The connection %s has no secret yet.", name)
		}
	}
	if b.Escalate.To == "" {
		lacks("Nobody is named who is asked when a person has to come in.")
	}
	if !w.reached(c, b.Name) {
		lacks("No customer reaches it: no channel names it, and no bot passes to it.")
	}
	return powers, missing, nil
}

// connectionsOf are those that a bot works through.
func (w *Workspace) connectionsOf(c *config, b bot.Brief) (names []string) {
	note := func(name string) {
		if name != "" && name != bot.BuiltIn && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for _, name := range b.Tools {
		note(c.tools[name].Connection)
	}
	note(b.Escalate.Notify)
	note(b.Model.Use)
	if b.Capture != nil {
		note(b.Capture.CRM)
	}
	return names
}

// reached reports whether a channel or another bot leads to a bot.
func (w *Workspace) reached(c *config, name string) bool {
	return slices.ContainsFunc(c.dependents("bot", name), func(k keptDocument) bool { return k.Kind == "channel" || k.Kind == "bot" || k.Kind == "flow" })
}

// A Proposal is what notes about a bot come to as parts of its brief, for a person to take over.
type Proposal struct {
	Values map[string]any // by key of the brief: voice.tone
	Placed []bot.Placed   // where each sentence of the notes went; none, where a model read them
	By     string         // the model that made it; "": the built-in means
	Why    string         // why no model did, where one might have
}

// partsOfBrief are what a model is asked to take out of notes.
var partsOfBrief = []thinker.Field{
	{Name: "name", Label: "what the bot calls itself", Type: "text"}, {Name: "role", Label: "what it is there for, in a sentence or two", Type: "text"},
	{Name: "duties", Label: "what it does, beginning with the verb", Type: "list"}, {Name: "rules", Label: "what it must keep to or must never do", Type: "list"},
	{Name: "voice.tone", Label: "how it sounds, in a few words", Type: "text"}, {Name: "order", Label: "what it does in a talk, one thing after another", Type: "list"},
	{Name: "wordings.greeting", Label: "the words of its greeting", Type: "list"}, {Name: "wordings.sign_off", Label: "the words below its replies", Type: "list"},
}

// SetInOrder sorts free notes into the parts of a brief: by the workspace's model where there
// is one that answers, else by the built-in means. Nothing is kept.
func (w *Workspace) SetInOrder(ctx context.Context, notes string) Proposal {
	placed := bot.SetInOrder(notes)
	p := Proposal{Values: bot.Gathered(placed), Placed: placed}
	connection := w.Documents.Settings().Model
	if connection == "" {
		return p
	}
	model, task := thinker.Model{}, thinker.Task{Kind: thinker.Extract, Said: notes, Fields: partsOfBrief}
	thought, use := w.askModel(ctx, connection, "", model.Ask(task))
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.NoteModelUse(use) }); err != nil {
		w.log.Warn("what a model used could not be noted", "error", err)
	}
	if thought.Error != "" {
		p.Why = thought.Error
		return p
	}
	o, err := model.Read(task, thought.Reply)
	if err != nil {
		p.Why = err.Error()
		return p
	}
	read := 0
	for _, f := range partsOfBrief {
		value := o.Values[f.Name]
		if value == "" {
			continue
		}
		if read++; f.Type != "list" {
			p.Values[f.Name] = value
			continue
		}
		var list []any
		for line := range strings.Lines(value) {
			list = append(list, strings.TrimSpace(line))
		}
		p.Values[f.Name] = list
	}
	if conn, ok := find[workspace.Connection](w.config.Load(), connection); ok && read > 0 {
		p.By, p.Placed = conn.Title, nil
	}
	return p
}
