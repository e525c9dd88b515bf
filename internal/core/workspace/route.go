package workspace

import (
	"fmt"
	"slices"

	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/template"
)

// A Route gives new conversations to a bot, if all that it says holds.
type Route struct {
	Bot       string   `yaml:"bot"`
	Hours     string   `yaml:"hours"`     // within these hours
	Outside   bool     `yaml:"outside"`   // outside of them, in place of within
	Languages []string `yaml:"languages"` // the message is in one of these, ISO 639-1
	Tag       string   `yaml:"tag"`       // the contact has it
	If        string   `yaml:"if"`        // a condition on contact, question (the message), channel and now

	condition *template.Expression
}

// An Arrival is what is known of a conversation that begins.
type Arrival struct {
	Open     func(hours string) bool // whether it is within hours of that name
	Language string                  // of the message; "" if it cannot be told
	Tags     []string                // of the contact
	Values   template.Values
}

// BotFor returns the bot that receives a new conversation: that of the first route that fits,
// else the channel's.
func (ch *Channel) BotFor(a Arrival) string {
	for _, r := range ch.Routes {
		if r.fits(a) {
			return r.Bot
		}
	}
	return ch.Bot
}

func (r Route) fits(a Arrival) bool {
	if r.Hours != "" && a.Open(r.Hours) == r.Outside || len(r.Languages) > 0 && !slices.Contains(r.Languages, a.Language) || r.Tag != "" && !slices.Contains(a.Tags, r.Tag) {
		return false
	}
	if r.condition == nil {
		return true
	}
	holds, err := r.condition.Holds(a.Values)
	return err == nil && holds // one that cannot be told does not hold
}

func (ch *Channel) checkRoutes(c *document.Checker) {
	for i := range ch.Routes {
		r, at := &ch.Routes[i], fmt.Sprintf("$.routes[%d]", i)
		c.Name(at+".bot", r.Bot)
		if r.Hours == "" && len(r.Languages) == 0 && r.Tag == "" && r.If == "" {
			c.Wrong(at, "say when %s receives a conversation: hours, languages, tag or if; otherwise it is the channel's bot", r.Bot)
		}
		if r.Outside && r.Hours == "" {
			c.Wrong(at+".outside", "say outside of which hours")
		}
		if r.If != "" {
			var err error
			if r.condition, err = template.Compile(r.If); err != nil {
				c.Wrong(at+".if", "%v", err)
			}
		}
	}
}

func (ch *Channel) routeRefers() (refers []document.Reference) {
	for i, r := range ch.Routes {
		at := fmt.Sprintf("$.routes[%d]", i)
		refers = append(refers, document.Reference{Path: at + ".bot", Kind: "bot", Name: r.Bot})
		if r.Hours != "" {
			refers = append(refers, document.Reference{Path: at + ".hours", Kind: "hours", Name: r.Hours})
		}
		if r.condition != nil {
			for _, field := range r.condition.Fields() {
				refers = append(refers, FieldKnown(at+".if", field))
			}
		}
	}
	return refers
}
