package engine

import (
	"context"
	"fmt"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/outbound"
	"urgentparrot.example/internal/store"
)

// A kind of effect says how it is kept, carried out, and told of. This one rings
// the harbour's bell; registered, it would stand in effectKinds.
func ExampleEffectKind() {
	ring := EffectKind{
		Name: "ring", Time: within(10 * time.Second), GiveUp: time.Hour, Trouble: "The bell could not be rung",
		Carry: func(_ context.Context, _ *Workspace, e store.Effect) (any, error) {
			b, err := body[struct{ Strokes int }](e)
			switch {
			case err != nil:
				return nil, err
			case b.Strokes > 8:
				return nil, fmt.Errorf("%w: more than eight bells", outbound.ErrRefused)
			}
			fmt.Printf("ding × %d under the key %s\n", b.Strokes, e.ID)
			return nil, nil
		},
	}
	_, err := registerEffects(append([]EffectKind{ring}, effectKinds...))
	fmt.Println(err)
	_, err = ring.Carry(context.Background(), nil, store.Effect{ID: "e-1", Body: `{"Strokes": 3}`})
	fmt.Println(err)
	_, err = ring.Carry(context.Background(), nil, store.Effect{ID: "e-2", Body: `{"Strokes": 9}`})
	fmt.Println(err)
	fmt.Println(dialogue.Escalate{Reason: "wish"})
	// Output:
	// <nil>
	// ding × 3 under the key e-1
	// <nil>
	// refused: more than eight bells
	// escalate: wish
}
