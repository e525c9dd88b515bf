package engine

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/contact"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/form"
	"urgentparrot.example/internal/core/rehearsal"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// house is what rehearsals are played in: the bots, and the drafts of flows, as they are
// kept now. With a text, that is the draft of the flow of its name.
func (w *Workspace) house(ctx context.Context, drafts map[string]*flow.Flow) rehearsal.House {
	config := w.config.Load()
	h := rehearsal.House{
		Settings: config.settings,
		Channels: func(name string) (workspace.Channel, workspace.Abilities, bool) {
			if ch := w.Channels.named(name); ch != nil {
				return ch.Channel, ch.abilities, true
			}
			if name != "" {
				return workspace.Channel{}, workspace.Abilities{}, false
			}
			open := *w.Channels.open.Load()
			if len(open) > 0 {
				first := open[slices.Min(slices.Collect(maps.Keys(open)))]
				return first.Channel, first.abilities, true
			}
			// Nobody can write yet; it is tried all the same.
			ch := trialChannel.Channel
			if bots := config.Names("bot"); len(bots) > 0 {
				ch.Bot = bots[0]
			}
			return ch, trialChannel.abilities, true
		},
		Snapshot: func(name string) (dialogue.Snapshot, bool) {
			desk, err := w.Desk(name)
			return desk.Snapshot, err == nil
		},
		Decide: func(ctx context.Context, s dialogue.Snapshot) (d dialogue.Decision) {
			w.Library.With(ctx, s.Brief, func(f answer.Finder) {
				s.Finder = f
				d = dialogue.Decide(ctx, s)
			})
			return d
		},
		Other: func(base dialogue.Snapshot, name string, work func(dialogue.Snapshot, bool)) {
			w.another(ctx, base, name, work)
		},
		Open: func(hours string, at time.Time) (bool, time.Time, bool) {
			h, ok := find[workspace.Hours](config, hours)
			if !ok {
				return false, at, false
			}
			next := h.Next(at)
			return h.Open(at), next, !next.IsZero()
		},
		Like:  func(said string, examples []string) float64 { return w.like(ctx, said, examples) },
		Label: func(said string, labels []flow.Label) (string, float64) { return w.label(ctx, said, labels) },
		Forms: w.Forms.Named,
		Clean: func(f workspace.Form, said map[string]string, now time.Time) (map[string]any, []contact.Fact) {
			e, _ := form.Clean(f, said, config.settings, now) // what is missing is missing
			return e.Values, e.Facts
		},
	}
	for _, kept := range config.kept {
		draft, ok := kept.read.(*flow.Flow)
		if own := drafts[kept.Name]; ok && own != nil {
			draft = own
		}
		if !ok {
			continue
		}
		if checked, findings := draft.Check(config); len(errorsOf(findings)) == 0 {
			h.Flows = append(h.Flows, checked)
		}
	}
	return h
}

// Rehearse plays rehearsals against the drafts, each for itself, and touches nothing real.
// drafts are texts of flows in place of those that are kept, by name.
func (w *Workspace) Rehearse(ctx context.Context, scripts []rehearsal.Script, drafts map[string]string) ([]rehearsal.Report, error) {
	read, err := w.drafts(drafts)
	if err != nil {
		return nil, err
	}
	house := w.house(ctx, read)
	var reports []rehearsal.Report
	for _, script := range scripts {
		started := w.Clock.Now()
		report := rehearsal.Play(ctx, house, script)
		report.Took = w.Clock.Now().Sub(started)
		if ctx.Err() != nil {
			return reports, ctx.Err()
		}
		reports = append(reports, report)
	}
	return reports, nil
}

// drafts reads texts of flows, by name. What is wrong with one is document.Problems.
func (w *Workspace) drafts(texts map[string]string) (map[string]*flow.Flow, error) {
	read := map[string]*flow.Flow{}
	kind, _ := document.Find(w.options.Documents, "flow")
	for name, text := range texts {
		d, err := kind.Parse(name, []byte(text))
		if err != nil {
			return nil, err
		}
		read[name] = d.(*flow.Flow)
		if problems := errorsOf(read[name].Hold(w.config.Load())); len(problems) > 0 {
			return nil, problems
		}
	}
	return read, nil
}

// Rehearsals returns the rehearsals that are kept, by name.
func (w *Workspace) Rehearsals() []rehearsal.Script { return all[rehearsal.Script](w.config.Load()) }

// rehearsalsPass says which of the kept rehearsals fail; those stand in the way of a flow
// that demands that they pass.
func (w *Workspace) rehearsalsPass(ctx context.Context, name string, draft *flow.Flow) error {
	var failed []string
	house := w.house(ctx, map[string]*flow.Flow{name: draft})
	for _, script := range w.Rehearsals() {
		if report := rehearsal.Play(ctx, house, script); !report.Passed {
			failed = append(failed, script.Title)
		}
	}
	if len(failed) > 0 {
		return fmt.Errorf("%wthe flow demands that the rehearsals pass, and these fail: %s", ErrNotLive, strings.Join(failed, "; "))
	}
	return nil
}

// SaveAsRehearsal keeps a rehearsal of a conversation, without the customer's details, and
// returns its name.
func (w *Workspace) SaveAsRehearsal(ctx context.Context, id string) (name string, err error) {
	c, err := w.store.Conversation(ctx, id)
	if err != nil {
		return "", err
	}
	const most = 200
	messages, err := w.store.Messages(ctx, id, 0, most)
	if err != nil {
		return "", err
	}
	facts, err := w.store.Facts(ctx, c.ContactID)
	if err != nil {
		return "", err
	}
	var known []string
	for _, f := range facts {
		known = append(known, f.Value)
	}
	var said []rehearsal.Said
	for _, m := range messages {
		if m.Author == store.ByCustomer || m.State == store.MessageSent || m.State == store.MessageMade {
			said = append(said, rehearsal.Said{By: string(m.Author), Text: m.Text, At: m.At})
		}
	}
	title := fmt.Sprintf("A conversation of %s, %s", c.OpenedAt.In(w.Documents.Settings().Zone()).Format("2 January 15.04"), id[len(id)-4:])
	text := rehearsal.Record(title, c.Channel, said, known)
	name = rehearsal.NameOf(title)
	_, err = w.Documents.Put(ctx, "rehearsal", name, text, 0)
	return name, err
}

// Replay plays the latest conversations again against the drafts, at most so many, and says
// which replies would be others. It only reads.
func (w *Workspace) Replay(ctx context.Context, most int, drafts map[string]string) ([]rehearsal.Report, error) {
	read, err := w.drafts(drafts)
	if err != nil {
		return nil, err
	}
	talks, err := w.store.Conversations(ctx, store.Filter{Limit: most}, w.Clock.Now())
	if err != nil {
		return nil, err
	}
	house := w.house(ctx, read)
	var reports []rehearsal.Report
	for _, c := range talks {
		past, err := w.past(ctx, c)
		if err != nil {
			return reports, err
		}
		started := w.Clock.Now()
		report := rehearsal.Replay(ctx, house, past)
		report.File, report.Took = c.ID, w.Clock.Now().Sub(started)
		reports = append(reports, report)
		if ctx.Err() != nil {
			return reports, ctx.Err()
		}
	}
	return reports, nil
}

// past is a real conversation as it went.
func (w *Workspace) past(ctx context.Context, c store.Conversation) (past rehearsal.Past, err error) {
	const most = 200
	messages, err := w.store.Messages(ctx, c.ID, 0, most)
	if err != nil {
		return past, err
	}
	facts, err := w.store.Facts(ctx, c.ContactID)
	if err != nil {
		return past, err
	}
	past = rehearsal.Past{Channel: c.Channel, Bot: c.Bot, Known: contact.Memory{}}
	for _, f := range facts {
		if f.Verified && f.VerifiedBy == c.Channel {
			past.Known[f.Field] = f.Fact
		}
	}
	past.Title = w.Channels.Who(w.Documents.Settings().Fields.Person(memoryOf(facts)), c.Channel, c.Address)
	seen := map[string]bool{}
	for _, m := range messages {
		if m.Author == store.ByCustomer || m.State == store.MessageSent || m.State == store.MessageMade {
			past.Said = append(past.Said, rehearsal.Said{By: string(m.Author), Text: m.Text, At: m.At})
		}
		if m.TurnID == "" || seen[m.TurnID] {
			continue
		}
		seen[m.TurnID] = true
		turn, err := w.store.Turn(ctx, m.TurnID)
		if err != nil {
			return past, err
		}
		for _, r := range turn.Results {
			past.Called = append(past.Called, r.Result)
		}
	}
	return past, nil
}
