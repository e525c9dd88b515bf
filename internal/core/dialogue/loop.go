package dialogue

import (
	"time"

	"urgentparrot.example/internal/core/text"
)

// A Moment is one message of a conversation, as the guard against loops sees it.
type Moment struct {
	By   Speaker
	At   time.Time
	Text string
}

// Speaker says who wrote a message.
type Speaker int

// Who writes.
const (
	Customer Speaker = iota
	Bot
	Person
)

// When a sender is taken for a program: it answers the bot within so short a time, or
// in the same words, or it keeps up such a pace for so long.
const (
	quick     = 2 * time.Second
	sameRunes = 8 // shorter words, such as "yes", are said again by people too
	paceOver  = 5 * time.Minute
	paceTimes = 28              // in that time
	rest      = 2 * time.Minute // one who has been silent for so long begins anew
)

// How many answers of a program are put up with, and at how many people come in.
// Between them the bot's replies wait, twice as long each time.
const (
	streakFree = 8
	streakEnds = 15
	firstPause = time.Second
)

// Streak returns how many of the customer's latest messages in a row look like those
// of a program that answers the bot: an automatic responder, or another bot. A message
// that does not, or a person's, ends it. talk is in order, and need not be whole.
func Streak(talk []Moment) (streak int) {
	var last Moment // of the bot
	var latest time.Time
	said := map[string]bool{}
	answered := false // since the bot's last message
	var exchanges []time.Time
	for _, m := range talk {
		switch m.By {
		case Person:
			streak, last, answered, exchanges = 0, Moment{}, false, nil
		case Bot:
			last, answered = m, true
		case Customer:
			words := text.Squeeze(text.Fold(m.Text))
			if !answered && m.At.Sub(latest) > rest && !said[words] {
				streak = 0
			}
			if answered {
				if m.At.Sub(last.At) < quick || len([]rune(words)) >= sameRunes && said[words] {
					streak++
				} else {
					streak = 0
				}
				exchanges = append(exchanges, m.At)
				answered = false
			}
			said[words] = true
		}
		latest = m.At
	}
	if n := len(exchanges); n >= paceTimes && exchanges[n-1].Sub(exchanges[n-paceTimes]) < paceOver {
		streak = max(streak, streakEnds)
	}
	return streak
}

// LoopPause is how long a bot waits before it answers somebody with a streak.
func LoopPause(streak int) time.Duration {
	if streak <= streakFree || streak >= streakEnds {
		return 0
	}
	return firstPause << (streak - streakFree - 1)
}
