package engine

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/rehearsal"
	"urgentparrot.example/internal/store"
)

// A FlowTrial says how a draft of a flow is tried, and on what. One of the ids or texts says
// what starts it; with none of them it is started by hand, or as its first trigger says.
type FlowTrial struct {
	Flow, Text   string // its name, and a text in place of the draft that is kept
	Message      string // what a customer writes
	Body         any    // what another system posts
	Posted       string // the id of what one posted; Latest for the last
	Entry        string // of what was sent with a form; Latest for the last of a form that starts the flow
	Run          string // of a run: what started it; Latest for the last of the flow
	Conversation string // of a conversation: what the customer said in it
	Contact      string // of the contact whose fields, stage and tags are known
	Event        map[string]any
	rehearsal.Trying
}

// Latest stands for the newest of what is kept.
const Latest = "latest"

// ErrTrial wraps why a flow cannot be tried so.
var ErrTrial = errors.New("")

// Try tries a draft of a flow on something that happened, or might. Nothing real is touched.
func (f *Flows) Try(ctx context.Context, t FlowTrial) (rehearsal.Tried, error) {
	w := f.w
	texts := map[string]string{}
	if t.Text != "" {
		texts[t.Flow] = t.Text
	}
	drafts, err := w.drafts(texts)
	if err != nil {
		return rehearsal.Tried{}, err
	}
	if t.Text == "" && !f.kept(t.Flow) {
		return rehearsal.Tried{}, fmt.Errorf("%w%s", ErrTrial, document.Missing("flow", t.Flow, f.names()))
	}
	house := w.house(ctx, drafts)
	if draft := drafts[t.Flow]; draft != nil && !f.kept(t.Flow) { // one that was never kept
		if checked, found := draft.Check(w.config.Load()); len(errorsOf(found)) == 0 {
			house.Flows = append(house.Flows, checked)
		}
	}
	trying := t.Trying
	trying.Flow, trying.Now = t.Flow, w.Clock.Now()
	if err := f.startOf(ctx, &t, &trying, house.Flows); err != nil {
		return rehearsal.Tried{}, err
	}
	if trying.Starts.Kind == triggers.Webhook {
		if err := bodyFits(house.Flows, t.Flow, trying.Starts.Values["body"]); err != nil {
			return rehearsal.Tried{}, err
		}
	}
	if t.Contact != "" {
		who, err := w.store.Contact(ctx, t.Contact)
		if err != nil {
			return rehearsal.Tried{}, noSuch(err, "contact", t.Contact)
		}
		trying.Known, trying.Stage, trying.Tags = memoryOf(who.Facts), who.Stage, who.Tags
	}
	tried, err := rehearsal.Try(ctx, house, trying)
	if err != nil && ctx.Err() == nil {
		err = fmt.Errorf("%w%w", ErrTrial, err)
	}
	return tried, err
}

// bodyFits holds a body against the schema of the flow's webhook, as the flow's address does.
func bodyFits(flows []*flow.Checked, name string, body any) error {
	raw, err := json.Marshal(body)
	for _, f := range flows {
		for _, t := range f.Triggers {
			if f.Name == name && t.Kind.Name == triggers.Webhook && err == nil {
				_, err = fits(t, raw)
			}
		}
	}
	return err
}

func (f *Flows) kept(name string) bool {
	_, ok := find[*flow.Flow](f.w.config.Load(), name)
	return ok
}

func (f *Flows) names() (list []string) {
	for _, kept := range all[*flow.Flow](f.w.config.Load()) {
		list = append(list, kept.Name)
	}
	return list
}

func noSuch(err error, what, id string) error {
	if errors.Is(err, store.ErrNotFound) {
		return fmt.Errorf("%wthere is no %s %q", ErrTrial, what, id)
	}
	return err
}

// startOf finds what starts the flow that is tried.
func (f *Flows) startOf(ctx context.Context, t *FlowTrial, trying *rehearsal.Trying, flows []*flow.Checked) error {
	w := f.w
	starts := &trying.Starts
	switch {
	case t.Message != "":
		*starts = flow.Happening{Kind: triggers.Message, Values: map[string]any{"text": t.Message, "first": true}}
	case t.Body != nil:
		*starts = flow.Happening{Kind: triggers.Webhook, Values: map[string]any{"body": t.Body}}
	case t.Posted != "":
		return f.startOfPosted(ctx, t, starts)
	case t.Entry != "":
		return f.startOfEntry(ctx, t, starts, flows)
	case t.Run != "":
		r, err := w.store.Run(ctx, t.Run)
		if t.Run == Latest {
			var list []store.Run
			if list, err = w.store.Runs(ctx, store.RunFilter{Flow: t.Flow, Limit: 1}); len(list) > 0 {
				r = list[0]
			} else if err == nil {
				return fmt.Errorf("%wthe flow has not run yet", ErrTrial)
			}
		}
		if err != nil {
			return noSuch(err, "run", t.Run)
		}
		var state flow.State
		if err := json.Unmarshal([]byte(r.State), &state); err != nil {
			return err
		}
		kind, _ := state.Event["kind"].(string)
		*starts = flow.Happening{Kind: kind, Values: state.Event}
		t.Contact, trying.Now = cmp.Or(t.Contact, r.ContactID), r.StartedAt
	case t.Conversation != "":
		return f.startOfTalk(ctx, t, trying)
	default:
		starts.Values = t.Event
	}
	return nil
}

func (f *Flows) startOfPosted(ctx context.Context, t *FlowTrial, starts *flow.Happening) error {
	kept, err := f.w.store.PostedBody(ctx, t.Posted)
	if t.Posted == Latest {
		var list []store.Posted
		if list, err = f.w.store.PostedTo(ctx, t.Flow, 1); len(list) > 0 {
			kept = list[0]
		} else if err == nil {
			return fmt.Errorf("%wnothing was posted to the flow yet", ErrTrial)
		}
	}
	if err != nil {
		return noSuch(err, "posted body", t.Posted)
	}
	var body any
	if err := json.Unmarshal([]byte(kept.Body), &body); err != nil {
		return fmt.Errorf("%wthe body is no JSON: %w", ErrTrial, err)
	}
	*starts = flow.Happening{Kind: triggers.Webhook, Values: map[string]any{"body": body}}
	return nil
}

func (f *Flows) startOfEntry(ctx context.Context, t *FlowTrial, starts *flow.Happening, flows []*flow.Checked) error {
	const looked = 1000
	for _, one := range flows {
		if one.Name != t.Flow {
			continue
		}
		for _, trigger := range one.Triggers {
			if trigger.Kind.Name != triggers.Form {
				continue
			}
			entries, err := f.w.store.FormEntries(ctx, trigger.Raw("form"), looked)
			if err != nil {
				return err
			}
			for _, e := range entries {
				if e.ID != t.Entry && t.Entry != Latest {
					continue
				}
				values := map[string]any{"form": e.Form, "entry": e.ID}
				for field, value := range e.Cleaned {
					values[field] = value
				}
				*starts = flow.Happening{Kind: triggers.Form, Values: values}
				t.Contact = cmp.Or(t.Contact, e.ContactID)
				return nil
			}
		}
	}
	return fmt.Errorf("%wno form that starts the flow was sent so", ErrTrial)
}

func (f *Flows) startOfTalk(ctx context.Context, t *FlowTrial, trying *rehearsal.Trying) error {
	const most = 200
	c, err := f.w.store.Conversation(ctx, t.Conversation)
	if err != nil {
		return noSuch(err, "conversation", t.Conversation)
	}
	messages, err := f.w.store.Messages(ctx, c.ID, 0, most)
	if err != nil {
		return err
	}
	for _, m := range messages {
		switch {
		case m.Author != store.ByCustomer:
		case trying.Starts.Kind == "":
			trying.Starts = flow.Happening{Kind: triggers.Message, Values: map[string]any{"text": m.Text, "first": true}}
			trying.Now = m.At
		default:
			trying.Says = append(trying.Says, m.Text)
		}
	}
	if trying.Starts.Kind == "" {
		return fmt.Errorf("%wthe customer said nothing in that conversation", ErrTrial)
	}
	trying.Channel = cmp.Or(trying.Channel, c.Channel)
	return nil
}
