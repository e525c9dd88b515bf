package engine

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"urgentparrot.example/internal/core/flow"
	"urgentparrot.example/internal/core/flow/triggers"
	"urgentparrot.example/internal/core/form"
	"urgentparrot.example/internal/core/schema"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/store"
)

// Forms are the pages that customers fill in and send. It is safe for concurrent use.
type Forms struct{ w *Workspace }

// Named returns a form.
func (f *Forms) Named(name string) (workspace.Form, bool) {
	return find[workspace.Form](f.w.config.Load(), name)
}

// All returns the forms, by name.
func (f *Forms) All() []workspace.Form { return all[workspace.Form](f.w.config.Load()) }

// Submit keeps what was typed into a form, and starts the flows that it starts. A form that
// is not there is store.ErrNotFound; what is missing is form.Missing. Once it returns, the
// entry is on disk. Whoever sent it is a contact of their own: what they say of themselves
// are claims.
func (f *Forms) Submit(ctx context.Context, name string, typed map[string]string) (entry string, err error) {
	w := f.w
	doc, ok := f.Named(name)
	if !ok {
		return "", store.ErrNotFound
	}
	masked := map[string]string{}
	for name, said := range typed {
		masked[name] = text.Masked(said)
	}
	typed = masked
	settings, now := w.Documents.Settings(), w.Clock.Now()
	cleaned, err := form.Clean(doc, typed, settings, now.In(settings.Zone()))
	if err != nil {
		return "", err
	}
	kept := map[string]string{}
	for _, field := range doc.Fields {
		if said := typed[field.Name]; said != "" {
			kept[field.Name] = said
		}
	}
	err = w.write(ctx, func(tx *store.Tx) (err error) {
		entry, err = tx.PutFormEntry(name, kept, cleaned.Values, cleaned.Doubtful, cleaned.Facts, now)
		return err
	})
	return entry, err
}

// ErrUnfit is wrapped by errors of bodies that do not fit a flow's schema.
var ErrUnfit = errors.New("")

// Posted takes a body that was posted to a flow's address. It is kept whether it fits the
// flow's schema or not; one that does not is ErrUnfit, naming the field. A flow that is not
// live, or takes no posts, is store.ErrNotFound.
func (f *Flows) Posted(ctx context.Context, name string, raw []byte) error {
	live, t := f.hook(name)
	if live == nil {
		return store.ErrNotFound
	}
	body, unfit := fits(t, raw)
	return f.takeIn(ctx, live, t, raw, body, unfit, "")
}

// PlayAgain takes a posted body in again, against the flow as it is now.
func (f *Flows) PlayAgain(ctx context.Context, id string) error {
	kept, err := f.w.store.PostedBody(ctx, id)
	if err != nil {
		return err
	}
	live, t := f.hook(kept.Flow)
	if live == nil {
		return fmt.Errorf("%wthe flow %s is not live, or takes no posts", ErrNotLive, kept.Flow)
	}
	body, unfit := fits(t, []byte(kept.Body))
	return f.takeIn(ctx, live, t, []byte(kept.Body), body, unfit, id)
}

func (f *Flows) takeIn(ctx context.Context, live *liveFlow, t *flow.Trigger, raw []byte, body any, unfit error, again string) error {
	w := f.w
	why := ""
	if unfit != nil {
		why = unfit.Error()
	}
	facts := map[string]string{}
	if unfit == nil && t.Has("contact") {
		settings := w.Documents.Settings()
		for _, cell := range t.Args["contact"].Cells {
			field, ok := settings.Fields.Named(cell.Key)
			if value, there := flow.Dig(map[string]any{"body": body}, cell.Text); ok && there {
				if read, err := field.Read(fmt.Sprint(value), settings.Region, w.Clock.Now().In(settings.Zone())); err == nil {
					facts[cell.Key] = read
				}
			}
		}
	}
	if err := w.write(ctx, func(tx *store.Tx) error {
		return tx.PutPosted(again, live.Name, string(raw), why, facts, flow.Happening{Kind: triggers.Webhook, Flow: live.Name, Index: t.Index, Values: map[string]any{"body": body}}, w.Clock.Now())
	}); err != nil {
		return err
	}
	return unfit
}

// hook is the trigger by which a live flow takes posts, nil if it takes none.
func (f *Flows) hook(name string) (*liveFlow, *flow.Trigger) {
	live := f.w.config.Load().flows[name]
	if live == nil || !live.works() {
		return nil, nil
	}
	for _, t := range live.Triggers {
		if t.Kind.Name == triggers.Webhook {
			return live, t
		}
	}
	return nil, nil
}

// HookSecret returns what signs the posts to a flow, "" if the token in the address does.
func (f *Flows) HookSecret(ctx context.Context, name string) (secret string, signed bool, err error) {
	live, t := f.hook(name)
	if live == nil {
		return "", false, store.ErrNotFound
	}
	if !t.Has("connection") {
		return "", false, nil
	}
	conn, _ := find[workspace.Connection](f.w.config.Load(), t.Raw("connection"))
	secret, err = f.w.Documents.secret(ctx, conn)
	if err == nil && secret == "" {
		err = fmt.Errorf("the connection %s has no secret yet", conn.Name)
	}
	return secret, true, err
}

// HookToken is what stands in the address of a flow that is not signed: nobody can guess it,
// and it is the same as long as the workspace has its key.
func (f *Flows) HookToken(name string) (string, error) {
	key, err := derive(f.w.key, "hook "+name)
	if err != nil {
		return "", err
	}
	const letters = 24
	return fmt.Sprintf("%x", key)[:letters], nil
}

// fits reads a body and holds it against the trigger's schema.
func fits(t *flow.Trigger, raw []byte) (body any, err error) {
	if err := json.Unmarshal(raw, &body); err != nil {
		return nil, fmt.Errorf("%wthe body is no JSON: %w", ErrUnfit, err)
	}
	if !t.Has("body") {
		return body, nil
	}
	compiled, err := schema.Compile(t.Args["body"].JSON)
	if err != nil {
		return body, fmt.Errorf("%wthe flow's schema cannot be read: %w", ErrUnfit, err)
	}
	var misfit *schema.Misfit
	if err := compiled.Check(body); errors.As(err, &misfit) {
		at := "body"
		if misfit.Field != "" {
			at += "." + misfit.Field
		}
		return body, &UnfitBody{Field: at, Why: misfit.Why}
	}
	return body, nil
}

// An UnfitBody names the field of a posted body that does not fit.
type UnfitBody struct{ Field, Why string }

func (u *UnfitBody) Error() string { return u.Field + ": " + u.Why }

// Unwrap makes it an ErrUnfit.
func (u *UnfitBody) Unwrap() error { return ErrUnfit }
