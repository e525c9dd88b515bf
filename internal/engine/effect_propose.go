package engine

import (
	"context"
	"time"

	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

type proposeBody struct {
	Message  string `json:"message"` // of the customer, that says it was meant
	Question string `json:"question"`
	Answer   string `json:"answer"`
	Author   string `json:"author"`
}

// proposeKind proposes a house answer that a bot's brief lets it propose.
var proposeKind = EffectKind{
	Name: "propose", Time: within(60 * time.Second), Trouble: "A house answer could not be proposed",
	Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
		p := e.(dialogue.Propose)
		message := c.snapshot.Messages[len(c.snapshot.Messages)-1].ID
		c.Later("propose", "propose", proposeBody{message, p.Question, p.Answer, c.snapshot.Brief.Persona})
	},
	Carry: func(ctx context.Context, w *Workspace, e store.Effect) (any, error) {
		b, err := body[proposeBody](e)
		if err != nil {
			return nil, err
		}
		return nil, w.Library.Propose(ctx, e.ConversationID, b.Message, b.Question, b.Answer, b.Author)
	},
}
