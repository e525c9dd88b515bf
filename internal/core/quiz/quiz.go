// Package quiz judges how well knowledge answers: it puts questions whose right
// answers are known and counts what comes back.
package quiz

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/answer"
)

// A Question is one line of a quiz.
type Question struct {
	ID           string   `json:"id"`
	Question     string   `json:"question"`
	Kind         string   `json:"kind,omitempty"`  // free, for grouping
	After        string   `json:"after,omitempty"` // the question that it follows
	Mentions     []string `json:"mentions,omitempty"`
	Source       Sources  `json:"source,omitempty"`
	Parts        []Part   `json:"parts,omitempty"`
	Unanswerable bool     `json:"unanswerable,omitempty"`
}

// A Part says what answers one of the things that a question asks: what passage
// and answer must mention, each with alternatives parted by "|", and the sources
// of which one must be cited.
type Part struct {
	Mentions []string `json:"mentions,omitempty"`
	Source   Sources  `json:"source,omitempty"`
}

// Sources are names or addresses of sources; in JSON one string or a list.
type Sources []string

// UnmarshalJSON takes a string or a list of strings.
func (s *Sources) UnmarshalJSON(raw []byte) error {
	var one string
	if json.Unmarshal(raw, &one) == nil {
		*s = Sources{one}
		return nil
	}
	var list []string
	if err := json.Unmarshal(raw, &list); err != nil {
		return errors.New("source must be a text or a list of texts")
	}
	*s = list
	return nil
}

// Most bounds a quiz.
const (
	mostQuestions = 20_000
	longestLine   = 64 << 10
)

// Parse reads a quiz: JSON Lines. The error names the line.
func Parse(r io.Reader) ([]Question, error) {
	var questions []Question
	lines := bufio.NewScanner(r)
	lines.Buffer(nil, longestLine)
	for n := 1; lines.Scan(); n++ {
		line := bytes.TrimPrefix(bytes.TrimSpace(lines.Bytes()), []byte("\ufeff"))
		if len(line) == 0 {
			continue
		}
		var q Question
		if err := json.Unmarshal(line, &q); err != nil {
			return nil, fmt.Errorf("line %d: %w; each line is a JSON object with at least id and question", n, err)
		}
		if strings.TrimSpace(q.Question) == "" {
			return nil, fmt.Errorf("line %d: the question is missing", n)
		}
		if len(questions) == mostQuestions {
			return nil, fmt.Errorf("a quiz may have %d questions", mostQuestions)
		}
		questions = append(questions, q)
	}
	if errors.Is(lines.Err(), bufio.ErrTooLong) {
		return nil, fmt.Errorf("a line is longer than %d kB", longestLine>>10)
	}
	if lines.Err() == nil && len(questions) == 0 {
		return nil, errors.New("the file holds no question")
	}
	return questions, lines.Err()
}

// A Group counts the questions of one kind, or of all.
type Group struct {
	Questions            int     `json:"questions"`
	First                int     `json:"first"`       // right passage first
	FirstThree           int     `json:"first_three"` // right passage among the first three
	MRR                  float64 `json:"mrr"`         // mean of 1 over the right passage's place, 0 to 1
	AnsweredRight        int     `json:"answered_right"`
	AnsweredWrong        int     `json:"answered_wrong"`
	Withheld             int     `json:"withheld"`
	Unanswerable         int     `json:"unanswerable"`
	UnanswerableAnswered int     `json:"unanswerable_answered"`
	OfferedRight         int     `json:"offered_right"` // not answered, and the right passage among what was offered
	OfferedWrong         int     `json:"offered_wrong"`
	UnanswerableOffered  int     `json:"unanswerable_offered"`
	AUROC                float64 `json:"auroc"` // of confidence: right first against unanswerable, 0 to 1

	reciprocal   float64
	sure, unsure []float64 // confidences: right first, unanswerable
}

// A Failure is a question that was not answered rightly, with what was found.
type Failure struct {
	ID         string  `json:"id"`
	Question   string  `json:"question"`
	Kind       string  `json:"kind"`
	Why        string  `json:"why"` // such as: answered wrongly, offered wrongly, withheld, answered although nothing answers it
	Confidence float64 `json:"confidence"`
	Wanted     string  `json:"wanted,omitempty"`
	Source     string  `json:"source,omitempty"` // of the first passage
	Found      string  `json:"found,omitempty"`
	Answer     string  `json:"answer,omitempty"`
}

// A Bin is one row of the calibration table: of answers whose confidence lay
// between From and To, how many were right.
type Bin struct {
	From  float64 `json:"from"`
	To    float64 `json:"to"`
	Times int     `json:"times"`
	Right int     `json:"right"`
}

// A Report is what a quiz came to.
type Report struct {
	All         Group            `json:"all"`
	Kinds       map[string]Group `json:"kinds"`
	Calibration []Bin            `json:"calibration"`
	Failures    []Failure        `json:"failures"`
	Verdicts    []Verdict        `json:"-"` // of each question

	Threshold      float64 `json:"threshold"` // from which the bot answers
	OfferThreshold float64 `json:"offer_threshold"`
}

// A Verdict is what was made of one question.
type Verdict struct {
	ID, Kind, Said  string
	Answered, Right bool
	Place           int     // of the right passage, from 1; 0: not found, or there is none
	None            bool    // nothing answers it
	Confidence      float64 // of the first passage
	Likely          float64 // that one of the first three is right
}

// Run puts the questions and counts. Answer answers one: what is asked in it,
// each with what was found.
func Run(questions []Question, answerer func(question, after string) []answer.Reply) Report {
	r := Report{Kinds: map[string]Group{}, Calibration: make([]Bin, 10), Failures: []Failure{}}
	for i := range r.Calibration {
		r.Calibration[i].From, r.Calibration[i].To = float64(i)/10, float64(i+1)/10
	}
	for _, q := range questions {
		kind := cmp.Or(q.Kind, "other")
		group := r.Kinds[kind]
		v := judge(q, answerer(q.Question, q.After))
		r.All.count(q, v)
		group.count(q, v)
		r.Kinds[kind] = group
		r.Verdicts = append(r.Verdicts, Verdict{q.ID, kind, v.said, v.answered, v.right, v.place, q.Unanswerable, v.confidence, v.likely})
		if v.found != nil {
			bin := &r.Calibration[min(9, int(v.confidence*10))]
			bin.Times++
			if v.place == 1 && !q.Unanswerable {
				bin.Right++
			}
		}
		if v.why != "" {
			f := Failure{ID: q.ID, Question: q.Question, Kind: kind, Why: v.why, Confidence: v.confidence, Answer: v.said}
			for _, p := range q.parts() {
				f.Wanted += strings.Join(p.Mentions, " & ") + " (" + strings.Join(p.Source, ", ") + ") "
			}
			if q.Unanswerable {
				f.Wanted = ""
			}
			if v.found != nil {
				f.Source, f.Found = v.found.Source, v.found.Text
			}
			r.Failures = append(r.Failures, f)
		}
	}
	r.All.finish()
	for kind, group := range r.Kinds {
		group.finish()
		r.Kinds[kind] = group
	}
	return r
}

// A verdict is what was made of one question.
type verdict struct {
	place           int // of the right passage, from 1; 0: not found
	answered, right bool
	offered         bool // something, and nothing answered
	offeredRight    bool // for each part that is not answered
	confidence      float64
	likely          float64
	found           *answer.Candidate // the first passage
	said            string
	why             string // "" if all is well
}

func judge(q Question, replies []answer.Reply) (v verdict) {
	var said []string
	stray := false // something was said that answers no part
	for i := range replies {
		r := &replies[i]
		if len(r.Candidates) > 0 && (v.found == nil || r.Candidates[0].Confidence > v.confidence) {
			v.found, v.confidence = &r.Candidates[0], r.Candidates[0].Confidence
		}
		v.likely = max(v.likely, r.Likely)
		if r.Words != "" {
			v.answered = true
			said = append(said, r.Words)
			if !q.Unanswerable && !slices.ContainsFunc(q.parts(), func(p Part) bool { return p.answeredBy(r.Words, r.Candidates[0]) }) {
				stray = true
			}
		}
	}
	v.said = strings.Join(said, "\n")
	for _, r := range replies {
		v.offered = v.offered || len(r.Offer) > 0 && !v.answered
	}
	if q.Unanswerable {
		if v.answered {
			v.why = "answered although nothing answers it"
		} else if v.offered {
			v.why = "offered although nothing answers it"
		}
		return v
	}
	v.right, v.offeredRight = v.answered, v.offered
	for i, p := range q.parts() {
		place := 0
		answered, offered := false, false
		for _, r := range replies {
			offered = offered || slices.ContainsFunc(r.Offer, p.heldBy)
			for at, c := range r.Candidates {
				if p.heldBy(c) && (place == 0 || at+1 < place) {
					place = at + 1
				}
			}
			answered = answered || r.Words != "" && p.answeredBy(v.said, r.Candidates[0])
		}
		v.right, v.offeredRight = v.right && answered, v.offeredRight && (answered || offered)
		if i == 0 || place == 0 || place > v.place && v.place > 0 {
			v.place = place
		}
		if place == 0 {
			break
		}
	}
	switch {
	case v.right:
	case stray:
		v.why = "answered wrongly"
	case v.answered:
		v.why = "answered in part"
	case v.offeredRight:
		v.why = "offered"
	case v.offered:
		v.why = "offered wrongly"
	default:
		v.why = "withheld"
	}
	return v
}

func (q Question) parts() []Part {
	if len(q.Parts) > 0 {
		return q.Parts
	}
	return []Part{{q.Mentions, q.Source}}
}

// heldBy reports whether a passage answers the part.
func (p Part) heldBy(c answer.Candidate) bool {
	return p.cites(c) && p.mentionedIn(c.Question+"\n"+strings.Join(c.Trail, "\n")+"\n"+c.Text)
}

// answeredBy reports whether what was said, from a passage, answers the part.
func (p Part) answeredBy(said string, c answer.Candidate) bool {
	return p.cites(c) && p.mentionedIn(said)
}

func (p Part) cites(c answer.Candidate) bool {
	if len(p.Source) == 0 {
		return true
	}
	return slices.ContainsFunc(p.Source, func(s string) bool {
		return s == c.Source || s == c.Address || strings.HasSuffix(c.Source, "/"+s) || strings.HasSuffix(c.Address, "/"+s)
	})
}

func (p Part) mentionedIn(s string) bool {
	s = plain(s)
	for _, mention := range p.Mentions {
		if !slices.ContainsFunc(strings.Split(mention, "|"), func(m string) bool { return strings.Contains(s, plain(m)) }) {
			return false
		}
	}
	return true
}

// plain makes texts comparable: small letters, single spaces, plain quotes.
func plain(s string) string {
	s = strings.NewReplacer("’", "'", "‘", "'", "“", `"`, "”", `"`, "\u00a0", " ", "‑", "-", "–", "-").Replace(strings.ToLower(s))
	return strings.Join(strings.Fields(s), " ")
}

func (g *Group) count(q Question, v verdict) {
	g.Questions++
	if q.Unanswerable {
		g.Unanswerable++
		g.unsure = append(g.unsure, v.confidence)
		if v.answered {
			g.UnanswerableAnswered++
		} else if v.offered {
			g.UnanswerableOffered++
		}
		return
	}
	if v.place > 0 {
		g.reciprocal += 1 / float64(v.place)
	}
	if v.place == 1 {
		g.First++
		g.sure = append(g.sure, v.confidence)
	}
	if v.place >= 1 && v.place <= 3 {
		g.FirstThree++
	}
	switch {
	case v.right:
		g.AnsweredRight++
	case v.why == "answered wrongly":
		g.AnsweredWrong++
	case v.offeredRight:
		g.OfferedRight++
	case v.offered:
		g.OfferedWrong++
	default:
		g.Withheld++
	}
}

func (g *Group) finish() {
	if n := g.Questions - g.Unanswerable; n > 0 {
		g.MRR = g.reciprocal / float64(n)
	}
	// The chance that one that is right first is surer than an unanswerable one
	// (Mann and Whitney, 1947); ties count half.
	wins := 0.0
	for _, s := range g.sure {
		for _, u := range g.unsure {
			switch {
			case s > u:
				wins++
			case s == u:
				wins += 0.5
			}
		}
	}
	if pairs := len(g.sure) * len(g.unsure); pairs > 0 {
		g.AUROC = wins / float64(pairs)
	}
}

// Holds reports whether a passage answers any of the things that a question
// asks.
func Holds(q Question, c answer.Candidate) bool {
	return !q.Unanswerable && slices.ContainsFunc(q.parts(), func(p Part) bool { return p.heldBy(c) })
}
