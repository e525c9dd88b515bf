package engine

import (
	"context"
	"strings"
	"time"

	"urgentparrot.example/internal/core/bot"
	"urgentparrot.example/internal/core/dialogue"
	"urgentparrot.example/internal/store"
)

// What follows is recorded with the turn, and done with that.

// rememberKind keeps what a customer says of themselves.
var rememberKind = EffectKind{Name: "remember", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	r := e.(dialogue.Remember)
	c.commit.Facts = append(c.commit.Facts, store.Fact{Fact: r.Fact, MessageID: r.MessageID, LearntAt: c.now})
}}

// escalateKind hands the conversation to people.
var escalateKind = EffectKind{Name: "escalate", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	escalate := e.(dialogue.Escalate)
	c.commit.Escalate = &escalate
	if within := time.Duration(c.snapshot.Brief.Escalate.Within); within > 0 && c.talk.ID != "" {
		timer := promiseTimer(c.talk.ID, promise{Within: within.Milliseconds(), Since: c.now, Bot: c.snapshot.Brief.Name}, c.now.Add(within))
		c.commit.Promise = &timer
	}
	c.Happened("Escalated to people: " + bot.Because(escalate.Reason))
	if m := c.snapshot.Model; m != nil && m.Unavailable(c.snapshot.Brief) == "" {
		c.Later("summarise", "summarise/"+c.talk.ID, thinkBody{m.Connection.Name, c.snapshot.Brief.Name})
	}
}}

// passKind gives the conversation to another bot, or tells that it went to people.
var passKind = EffectKind{Name: "pass", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	pass := e.(dialogue.Pass)
	if name, is := strings.CutPrefix(pass.To, "bot/"); is {
		c.commit.Bot = name
	}
	why := ""
	if pass.Why != "" {
		why = ": " + pass.Why
	}
	c.commit.Begun = append(c.commit.Begun, "Passed to "+pass.Who+why)
}}

// gapKind notes what the knowledge does not answer.
var gapKind = EffectKind{Name: "gap", Decide: func(ctx context.Context, c *Committing, e dialogue.Effect) {
	if c.snapshot.Brief.Private {
		return // what is asked within is no question for house answers, which every bot may give
	}
	c.commit.Gaps = append(c.commit.Gaps, c.w.Library.GapFor(ctx, e.(dialogue.Missed).Question))
}}

// exampleKind keeps what a customer said to an offer.
var exampleKind = EffectKind{Name: "example", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	c.commit.Examples = append(c.commit.Examples, e.(dialogue.Example))
}}

// rowKind writes a row of a sheet; its file follows.
var rowKind = EffectKind{Name: "row", Decide: func(_ context.Context, c *Committing, e dialogue.Effect) {
	row := e.(dialogue.WriteRow)
	c.commit.Rows = append(c.commit.Rows, row)
	c.Happened("Row written to the sheet " + row.Sheet)
}}
