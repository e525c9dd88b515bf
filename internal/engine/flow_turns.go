package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/store"
)

// furnish adds to a snapshot what it needs to play flows: the live ones that a message may
// start, and the runs in the conversation.
func (f *Flows) furnish(ctx context.Context, s *dialogue.Snapshot, c store.Conversation, h hearing) (runs []store.Run, err error) {
	w := f.w
	config := w.config.Load()
	var failed []string
	for _, wake := range s.Wakes {
		var body dialogue.RunWake
		if wake.Kind == dialogue.ByRun && json.Unmarshal([]byte(wake.Body), &body) == nil && body.Event.Kind == flow.Retried {
			failed = append(failed, body.Run)
		}
	}
	if c.Who.Runs > 0 || len(failed) > 0 {
		if runs, err = w.store.RunsIn(ctx, c.ID, failed); err != nil {
			return nil, err
		}
	}
	s.Blocked, s.NoBots = c.Who.Blocked, c.Who.NoBots
	var live []*flow.Checked
	if len(s.Messages) > 0 {
		for _, l := range config.live() {
			if l.Listens("message") {
				live = append(live, l.Checked)
			}
		}
	}
	if len(live) == 0 && len(runs) == 0 {
		s.Flows.Stage.OptedOut = c.Who.OptedOut
		return nil, nil
	}
	stage := w.bareStage(ctx)
	stage.Contact, stage.Stands, stage.Tags, stage.OptedOut = s.Memory, c.Who.Stage, c.Who.Tags, c.Who.OptedOut
	w.setTalk(ctx, &stage, c, h.lines)
	s.Flows.Stage = stage
	for _, kept := range runs {
		r, err := f.runOf(ctx, kept)
		var unreadable *undecidable
		if errors.As(err, &unreadable) { // the conversation goes on without it
			err = f.fail(kept.ID, unreadable)
			if err == nil {
				continue
			}
		}
		if err != nil {
			return nil, err
		}
		s.Runs = append(s.Runs, r)
	}
	s.Flows.Live, s.Flows.First, s.Flows.NewID = live, h.first, store.NewID
	s.Flows.Like = func(said string, examples []string) float64 { return w.like(ctx, said, examples) }
	s.Flows.Label = func(said string, labels []flow.Label) (string, float64) { return w.label(ctx, said, labels) }
	s.Flows.May = func(flow *flow.Checked) string {
		l := config.flows[flow.Name]
		if l == nil {
			return "it is not live any more"
		}
		return w.store.MayStart(ctx, store.Run{Flow: flow.Name, ContactID: c.ContactID, Limits: limitsOf(l)}, w.Clock.Now())
	}
	return runs, nil
}

// changes adds to a commit what becomes of runs in a turn.
func (f *Flows) changes(c *Committing, kept []store.Run, changed []dialogue.RunChange) {
	config := f.w.config.Load()
	for _, change := range changed {
		if change.Missed != "" {
			c.commit.Missed = append(c.commit.Missed, store.Missed{Flow: change.Flow.Name, Why: change.Missed})
			continue
		}
		r := store.Run{
			ID: change.ID, Flow: change.Flow.Name, ContactID: c.talk.ContactID, ConversationID: c.talk.ID, Talks: change.Flow.Talks(),
			StartedBy: change.By, Depth: change.Depth, New: change.New,
		}
		if live := config.flows[change.Flow.Name]; live != nil && change.New {
			r.Version, r.Limits = live.version, limitsOf(live)
			if live.AlreadyRunning == "start over" {
				r.Limits.One = false
			}
			c.commit.Begun = append(c.commit.Begun, "Flow started: "+change.Flow.Title)
		}
		for _, k := range kept {
			if k.ID == change.ID {
				r = k
			}
		}
		r.Passed = change.Passed
		r.Stand(change.State)
		if change.State.End != nil {
			c.Happened(fmt.Sprintf("Flow %s: %s (%s)", map[string]string{flow.Done: "ended", flow.Stopped: "stopped", flow.Failed: "failed"}[change.State.End.How], change.Flow.Title, change.State.End.Why))
		}
		c.commit.Runs = append(c.commit.Runs, r)
	}
}

// idle are the times after which flows want to know that nobody has written on a channel.
func (c *config) idle(channel string) (list []time.Duration) {
	for _, live := range c.live() {
		for _, t := range live.Triggers {
			if t.Has("idle") && (!t.Has("channel") || t.Raw("channel") == channel) {
				if d := t.Duration("idle", 0); !slices.Contains(list, d) {
					list = append(list, d)
				}
			}
		}
	}
	return list
}

// Place tells where a run stands: the title of its flow, the step, nil if it is not there,
// and the version of the flow that is live, 0 for none.
func (f *Flows) Place(ctx context.Context, r store.Run) (title string, step *flow.Step, live int) {
	on, err := f.at(ctx, r.Flow, r.Version)
	if err != nil {
		return "", nil, 0
	}
	if now := f.w.config.Load().flows[r.Flow]; now != nil {
		live = now.version
	}
	return on.Title, on.Step(r.Place), live
}
