package engine

import (
	"context"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// stageOf is what the runs for a contact, in a conversation if there is one, are stepped on.
// Either may be nil.
func (w *Workspace) stageOf(ctx context.Context, who *store.Contact, c *store.Conversation, lines []flow.Line) (s flow.Stage, err error) {
	s = w.bareStage(ctx)
	if who != nil {
		s.Contact, s.Stands, s.Tags = memoryOf(who.Facts), who.Stage, who.Tags
	}
	if c == nil {
		return s, nil
	}
	w.setTalk(ctx, &s, *c, lines)
	s.OptedOut, err = w.store.OptedOut(ctx, c.Channel, c.Address)
	return s, err
}

// bareStage is a stage with nobody on it.
func (w *Workspace) bareStage(ctx context.Context) (s flow.Stage) {
	config := w.config.Load()
	s.Now = w.Clock.Now().In(config.settings.Zone())
	s.Fields = config.settings.Fields
	s.Open = func(hours string, at time.Time) (bool, time.Time, bool) {
		h, ok := find[workspace.Hours](config, hours)
		if !ok {
			return false, at, false
		}
		next := h.Next(at)
		return h.Open(at), next, !next.IsZero()
	}
	s.Lists = func(name string) []any { return w.list(ctx, name) }
	return s
}

// setTalk puts a conversation on a stage that has its contact already.
func (w *Workspace) setTalk(ctx context.Context, s *flow.Stage, c store.Conversation, lines []flow.Line) {
	s.Bot = c.Bot
	on := workspace.Channel{}
	if ch := w.Channels.named(c.Channel); ch != nil {
		on = ch.Channel
	}
	s.Quiet = w.config.Load().settings.QuietFor(on, s.Contact)
	s.Talk = &flow.Talk{
		ID: c.ID, Channel: c.Channel, Opened: c.OpenedAt.In(s.Now.Location()), Messages: c.Messages, Lines: lines, Reason: c.Reason, Outcome: c.Outcome, Tags: c.Tags,
		ByPerson: c.Lead == dialogue.LedByPerson, Closed: c.Lead == dialogue.Closed, Sums: dialogue.SumsOf(c.State, c.Lead),
	}
	s.Talk.Complaints = func() int {
		n, err := w.store.Counted(ctx, c.ContactID, store.Complaint, s.Now.Add(-flow.ComplaintsWithin))
		if err != nil {
			w.log.Error("complaints could not be counted", "conversation", c.ID, "error", err)
		}
		return n
	}
}

func memoryOf(facts []store.Fact) contact.Memory {
	m := contact.Memory{}
	for _, f := range facts {
		m[f.Field] = f.Fact
	}
	return m
}

// linesOf are the latest messages of a conversation, for flows.
func (w *Workspace) linesOf(ctx context.Context, conversation string) ([]flow.Line, error) {
	heard, err := w.store.Heard(ctx, conversation, heard)
	return linesFrom(heard, true), err
}

func linesFrom(messages []store.Message, undecided bool) (lines []flow.Line) {
	for _, m := range messages {
		switch m.Author {
		case store.ByCustomer, store.ByBot, store.ByPerson:
			if undecided || m.Author != store.ByCustomer || m.TurnID != "" {
				lines = append(lines, flow.Line{By: string(m.Author), Text: m.Text, At: m.At})
			}
		}
	}
	return lines
}

// What a loop over the workspace's own lists goes over at most.
const mostListed = 1000

// list is a list of the workspace, for loops of flows: conversations of a day, contacts,
// rows of a sheet. What cannot be read is left out.
func (w *Workspace) list(ctx context.Context, name string) (list []any) {
	settings := w.Documents.Settings()
	now := w.Clock.Now().In(settings.Zone())
	today := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
	if sheet, ok := strings.CutPrefix(name, "sheet "); ok {
		rows, err := w.store.Rows(ctx, sheet)
		if err != nil {
			w.log.Error("a sheet could not be read for a flow", "sheet", sheet, "error", err)
		}
		for _, row := range rows[:min(len(rows), mostListed)] {
			cells := map[string]any{}
			for column, cell := range row.Cells {
				cells[column] = cell
			}
			list = append(list, cells)
		}
		return list
	}
	if name == "contacts" {
		all, err := w.store.Contacts(ctx, store.ContactFilter{Limit: mostListed})
		if err != nil {
			w.log.Error("contacts could not be read for a flow", "error", err)
		}
		for _, c := range all {
			item := map[string]any{"id": c.ID, "stage": c.Stage, "tags": tagsOf(c.Tags)}
			for field, value := range settings.Fields.Values(memoryOf(c.Facts)) {
				item[field] = value
			}
			list = append(list, item)
		}
		return list
	}
	from, to := today, now.Add(time.Second)
	if name == "conversations yesterday" {
		from, to = today.AddDate(0, 0, -1), today
	}
	talks, err := w.store.TalksBetween(ctx, from, to, mostListed)
	if err != nil {
		w.log.Error("conversations could not be read for a flow", "error", err)
	}
	for _, c := range talks {
		lines, err := w.linesOf(ctx, c.ID)
		if err != nil {
			continue
		}
		who, err := w.store.Contact(ctx, c.ContactID)
		if err != nil {
			continue
		}
		stage, err := w.stageOf(ctx, &who, &c, lines)
		if err != nil {
			continue
		}
		sum := flow.Summarise(stage.Talk, stage)
		list = append(list, map[string]any{
			"id": c.ID, "channel": c.Channel, "contact": w.Channels.Who(settings.Fields.Person(stage.Contact), c.Channel, c.Address),
			"messages": float64(c.Messages), "led_by": string(c.Lead), "outcome": c.Outcome, "opened": c.OpenedAt.In(now.Location()).Format("2006-01-02 15:04"),
			"summary": sum["text"], "grade": sum["grade"], "mood": sum["mood"], "asked": sum["asked"], "open": sum["open"], "measures": sum["measures"],
		})
	}
	return list
}

func tagsOf(tags []string) []any {
	list := make([]any, len(tags))
	for i, tag := range tags {
		list[i] = tag
	}
	return list
}

// outOfTalk is the conduct of runs that are in no conversation: nobody answers there.
type outOfTalk struct {
	flow.Unaided
	w *Workspace
}

// Classify is flow.Conduct's.
func (o outOfTalk) Classify(said string, labels []flow.Label) (string, float64, bool) {
	label, sure := o.w.label(context.Background(), said, labels)
	return label, sure, true
}

// How like its examples a text must be to have a label, and clear by how much more than
// those of any other.
const (
	likeEnough = 0.5
	clearly    = 0.04
)

// label chooses the label that fits a text best, by its likeness to their examples.
func (w *Workspace) label(ctx context.Context, said string, labels []flow.Label) (string, float64) {
	best, second, chosen := 0.0, 0.0, ""
	for _, l := range labels {
		switch like := w.like(ctx, said, append([]string{l.About}, l.Examples...)); {
		case like > best:
			best, second, chosen = like, best, l.Name
		case like > second:
			second = like
		}
	}
	if best < likeEnough || best-second < clearly {
		chosen = ""
	}
	return chosen, min(1, best)
}

// like is the likeness of a text to the nearest of some examples, 0 to 1.
func (w *Workspace) like(ctx context.Context, said string, examples []string) (most float64) {
	w.Library.With(ctx, bot.Brief{}, func(f answer.Finder) { most = f.Like(ctx, said, examples) })
	return most
}
