package engine

import (
	"context"
	"fmt"
	"slices"

	"urgentparrot.example/internal/core/bot"
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
