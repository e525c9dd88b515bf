package engine

import (
	"context"

	"urgentparrot.example/internal/store"
)

// sendingPaused is the switch that pauses all that bots and flows do.
const sendingPaused = "paused"

// Paused says who paused all that bots and flows do, and when; nil if nobody did. What comes
// in meanwhile is kept and waits.
func (w *Workspace) Paused() *store.Switch { return w.paused.Load() }

// Pause pauses all that bots and flows do in the workspace, or lets them go on; what waited
// is then looked at.
func (w *Workspace) Pause(ctx context.Context, on bool, person string) error {
	if err := w.write(ctx, func(tx *store.Tx) error { return tx.SetSwitch(sendingPaused, on, person, w.Clock.Now()) }); err != nil {
		return err
	}
	if err := w.loadPause(ctx); err != nil || on {
		return err
	}
	return w.takeUp(ctx)
}

func (w *Workspace) loadPause(ctx context.Context) error {
	sw, err := w.store.Switch(ctx, sendingPaused)
	w.paused.Store(sw)
	return err
}

// takeUp has all looked at that nobody has decided on: messages, runs, what may start flows.
func (w *Workspace) takeUp(ctx context.Context) error {
	undecided, err := w.store.Undecided(ctx)
	if err != nil {
		return err
	}
	for _, id := range undecided {
		w.turns.signal(id)
	}
	runs, err := w.store.RunEvents(ctx, "")
	if err != nil {
		return err
	}
	for _, e := range runs {
		w.Flows.runs.signal(e.RunID)
	}
	homeless, err := w.store.Homeless(ctx)
	if err != nil {
		return err
	}
	for _, r := range homeless {
		w.Flows.settle(r)
	}
	w.Flows.happening.signal("")
	w.Flows.tellOfFailures()
	return nil
}
