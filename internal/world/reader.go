package world

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/core/thinker"
)

// The rules by which the reading desk replies. They stand for a model that reads: they see
// the prompt and nothing else.

var english = text.NewAnalyzer("en", [][]string{{"bicycle", "bike", "cycle"}, {"boat", "ferry", "ship"}, {"dog", "puppy"}, {"child", "kid"}, {"luggage", "suitcase"}, {"fare", "price", "cost"}})

// A place is a passage or a glimpse in a prompt.
type place struct {
	ID    string `json:"id"`
	Heads string `json:"heads"`
	Text  string `json:"text"`
	Gist  string `json:"gist"`
}

// places are what the prompt gives to read.
func (p *prompt) places() (list []place) {
	for _, m := range p.Messages {
		if m.Role != "user" || !strings.HasPrefix(m.Content, thinker.PassagesHead) && !strings.HasPrefix(m.Content, thinker.LooksHead) {
			continue
		}
		for line := range strings.Lines(m.Content) {
			var one place
			if json.Unmarshal([]byte(line), &one) == nil && one.ID != "" {
				list = append(list, one)
			}
		}
	}
	return list
}

// reply is what the desk says to a prompt.
func (p *prompt) reply(mode Mode, scripts []Script) said {
	last := p.last()
	for _, s := range scripts {
		if strings.Contains(last, s.When) {
			return said{text: s.Reply}
		}
	}
	switch kind := thinker.Kind(p.Format.Schema.Name); kind {
	case thinker.Search:
		return said{text: asJSON(map[string]any{"passages": p.choose(last, 12), "wordings": Wordings(last)})}
	case thinker.Ask:
		return said{text: asJSON(map[string]any{"questions": p.questions()})}
	case thinker.Extract, thinker.Classify:
		return said{text: `{"values":{},"label":""}`}
	case thinker.Summarise:
		return said{text: asJSON(map[string]any{"text": summary(last), "values": map[string]string{}})}
	case thinker.Answer:
		return p.answer(mode, last)
	}
	if strings.Contains(p.Messages[0].Content, "Below stands a talk") {
		return said{text: summary(last)}
	}
	return said{text: strings.TrimSpace(last)}
}

// summary sums a talk up, which stands in lines behind who said each.
func summary(talk string) string {
	var asked []string
	for line := range strings.Lines(talk) {
		if words, ok := strings.CutPrefix(strings.TrimSpace(line), "customer: "); ok {
			asked = append(asked, strings.TrimRight(words, ".!?"))
		}
	}
	if len(asked) == 0 {
		return "Nothing was said."
	}
	return "The customer wrote: " + strings.Join(asked, "; ") + "."
}

func asJSON(v any) string {
	raw, err := json.Marshal(v)
	if err != nil {
		return "{}"
	}
	return string(raw)
}

// rarities weigh the stems of all places by how few hold them.
func rarities(places []place) (weight func(stem string) float64) {
	holders := map[string]int{}
	for _, one := range places {
		seen := map[string]bool{}
		for _, t := range english.Terms(one.Heads + " " + one.Text + " " + one.Gist) {
			if !seen[t.Stem] {
				seen[t.Stem] = true
				holders[t.Stem]++
			}
		}
	}
	return func(stem string) float64 {
		return math.Log(1 + float64(len(places)+1)/float64(holders[stem]+1))
	}
}

// fits is how much of a question a text holds, by weight, 0 to 1.
func fits(question []text.Term, held string, weight func(string) float64) float64 {
	stems := map[string]bool{}
	for _, t := range english.Terms(held) {
		stems[t.Stem] = true
	}
	var sum, all float64
	for _, t := range question {
		w := weight(t.Stem)
		if t.Light {
			w /= 4
		}
		all += w
		switch {
		case stems[t.Stem]:
			sum += w
		case slices.ContainsFunc(english.Alike(t.Stem), func(a string) bool { return stems[a] }):
			sum += 0.7 * w
		}
	}
	if all == 0 {
		return 0
	}
	return sum / all
}

func (p *prompt) choose(question string, most int) []string {
	places := p.places()
	weight, asked := rarities(places), english.Telling(question)
	slices.SortStableFunc(places, func(a, b place) int { return cmp.Compare(fits(asked, b.Gist, weight), fits(asked, a.Gist, weight)) })
	ids := []string{}
	for _, one := range places[:min(most, len(places))] {
		ids = append(ids, one.ID)
	}
	return ids
}

type sentence struct {
	Says     string   `json:"says"`
	Means    string   `json:"means"`
	StandsOn []string `json:"stands_on"`
}

// enough is how much of a question a sentence must hold, with its headings, to answer it.
const enough = 0.5

// answer replies to the customer from the passages.
func (p *prompt) answer(mode Mode, last string) said {
	if mode == Garbles {
		return said{text: "Sure! Here is what I think: {\"act\": \"reply\", \"sentences\": [oops"}
	}
	if mode == AsksUnknown {
		return said{calls: []call{{"delete_everything", map[string]any{"sure": true}}}}
	}
	if mode == Obeys {
		if s, ok := p.obey(); ok {
			return s
		}
	}
	if s, ok := p.callTool(last, mode); ok {
		return s
	}
	out := map[string]any{"act": "reply", "language": "en", "unknown": []string{}}
	sentences, unknown := p.toldByTool(), []string{}
	if sentences == nil {
		sentences, unknown = p.fromPassages(last, mode)
	}
	out["unknown"] = unknown
	if len(sentences) == 0 {
		out["act"] = "not_known"
	}
	switch mode {
	case Invents:
		on := []string{"P1"}
		if len(sentences) > 0 {
			on = sentences[0].StandsOn
		}
		sentences = append(sentences, sentence{Says: "It costs £4.75, and I have reserved it for you.", StandsOn: on})
		out["act"] = "reply"
	case Wanders:
		out["language"], out["asked"] = "de", questionsOf(last)
		for i := range sentences {
			sentences[i].Means = sentences[i].Says
			sentences[i].Says = "Das kostet 99 Pfund und ist immer erlaubt."
		}
	}
	if len(sentences) == 0 {
		sentences = []sentence{}
	}
	out["sentences"] = sentences
	return said{text: asJSON(out)}
}

// fromPassages answers each question of a message with the sentences that hold most of it.
func (p *prompt) fromPassages(last string, mode Mode) (sentences []sentence, unknown []string) {
	places := p.places()
	weight := rarities(places)
	unknown = []string{}
	for _, question := range questionsOf(last) {
		asked, before := english.Telling(question), english.Telling(p.before(question))
		best, where, what := 0.0, place{}, ""
		for _, one := range places {
			spans := text.Sentences(one.Text)
			around := 0.3 * fits(asked, one.Heads+". "+one.Text, weight)
			for i, span := range spans {
				says := one.Text[span.Start:span.End]
				held := around + 0.4*fits(asked, one.Heads+". "+says, weight) + 0.3*fits(asked, says, weight)
				if len(before) > 0 {
					held = 0.8*held + 0.2*fits(before, says, weight)
				}
				if held > best {
					best, where, what = held, one, says
					if i+1 < len(spans) && len(says) < 60 && !strings.Contains(says, "|") {
						what = one.Text[span.Start:spans[i+1].End]
					}
				}
			}
		}
		if best < enough {
			unknown = append(unknown, question)
			continue
		}
		if mode == Careless {
			for _, other := range places {
				if other.ID != where.ID {
					if spans := text.Sentences(other.Text); len(spans) > 0 {
						what = other.Text[spans[0].Start:spans[0].End]
						break
					}
				}
			}
		}
		if len(sentences) == 0 {
			what = opened(question, what)
		}
		sentences = append(sentences, sentence{Says: what, StandsOn: []string{where.ID}})
	}
	if len(sentences) > 0 {
		sentences = append(sentences, sentence{Says: "Let me know if you need anything else.", StandsOn: []string{}})
	}
	return sentences, unknown
}

var (
	wantsYes = regexp.MustCompile(`(?i)^(?:can|may|could|is|are|do|does|will)\b`)
	negates  = regexp.MustCompile(`(?i)\b(?:not|no|never|cannot)\b|n['’]t\b`)
)

// opened begins an answer with yes or no, where a question wants that.
func opened(question, says string) string {
	switch {
	case !wantsYes.MatchString(strings.TrimSpace(question)) || strings.Contains(says, "|") || strings.Contains(says, "\n"):
		return says
	case negates.MatchString(says):
		return "No. " + says
	}
	return "Yes. " + says
}

// before is what the customer asked before a question that leaves its subject out.
func (p *prompt) before(question string) string {
	if !strings.HasPrefix(strings.ToLower(question), "and ") && len(english.Telling(question)) > 1 {
		return ""
	}
	for i := len(p.Messages) - 2; i > 1; i-- {
		if m := p.Messages[i]; m.Role == "user" && m.Content != p.last() {
			return m.Content
		}
	}
	return ""
}

func questionsOf(message string) (list []string) {
	for _, part := range strings.SplitAfter(message, "?") {
		if part = strings.TrimSpace(part); len(english.Telling(part)) > 0 && (strings.HasSuffix(part, "?") || !strings.Contains(message, "?")) {
			sentences := text.Typed(part)
			last := sentences[len(sentences)-1]
			list = append(list, part[last.Start:last.End])
		}
	}
	return list
}

// callTool calls a tool that answers what was asked, with what the message says.
func (p *prompt) callTool(last string, mode Mode) (said, bool) {
	for _, t := range p.Tools {
		f := t.Function
		asked := fits(english.Telling(last), f.Name+" "+f.Description, func(string) float64 { return 1 })
		arguments := argumentsIn(last, f.Parameters)
		missing := false
		for _, name := range stringsIn(f.Parameters["required"]) {
			missing = missing || arguments[name] == nil
		}
		if p.told() != nil && mode != Repeats || asked < 0.5 || missing {
			continue
		}
		return said{calls: []call{{f.Name, arguments}}}, true
	}
	return said{}, false
}

// argumentsIn takes what a schema lists as possible values out of a message.
func argumentsIn(message string, schema map[string]any) map[string]any {
	arguments, message := map[string]any{}, strings.ToLower(message)
	properties, _ := schema["properties"].(map[string]any)
	taken := map[string]bool{}
	names := stringsIn(schema["required"])
	for name := range properties {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for _, name := range names {
		property, _ := properties[name].(map[string]any)
		for _, value := range stringsIn(property["enum"]) {
			if !taken[value] && strings.Contains(message, strings.ToLower(value)) {
				arguments[name], taken[value] = value, true
				break
			}
		}
	}
	return arguments
}

func stringsIn(v any) (list []string) {
	items, _ := v.([]any)
	for _, item := range items {
		list = append(list, fmt.Sprint(item))
	}
	return list
}

// told is what tools said, the last first.
func (p *prompt) told() (results []map[string]any) {
	for _, m := range slices.Backward(p.Messages) {
		var one map[string]any
		if m.Role == "tool" && json.Unmarshal([]byte(m.Content), &one) == nil {
			results = append(results, one)
		}
	}
	return results
}

// toldByTool puts what the timetable says into words.
func (p *prompt) toldByTool() (sentences []sentence) {
	for _, result := range p.told() {
		id := fmt.Sprint(result["id"])
		inner, _ := result["result"].(map[string]any)
		boats, _ := inner["departures"].([]any)
		for i, one := range boats {
			boat, _ := one.(map[string]any)
			if i == 0 {
				sentences = append(sentences, sentence{Says: fmt.Sprintf("The next boat from %v to %v leaves %v at %v and arrives at %v.", boat["from"], boat["to"], boat["day"], boat["leaves"], boat["arrives"]), StandsOn: []string{id}})
			} else {
				sentences = append(sentences, sentence{Says: fmt.Sprintf("After that there is one %v at %v.", boat["day"], boat["leaves"]), StandsOn: []string{id}})
			}
		}
	}
	return sentences
}

// questions are what the passage of a prompt answers.
func (p *prompt) questions() []string {
	list := []string{}
	for _, one := range p.places() {
		heads := strings.Split(one.Heads, "›")
		list = append(list, Questions(heads[len(heads)-1], one.Text)...)
	}
	return list
}

// Questions are what a passage may be asked, made of its own words and everyday ones that
// customers say for them: what a model makes of it that sees the passage and nothing else.
func Questions(head, words string) []string {
	const most, telling = 4, 6
	list := []string{}
	for _, span := range text.Sentences(words) {
		var said []string
		for _, t := range english.Telling(words[span.Start:span.End]) {
			if _, customers := english.Sayings(t.Word); !t.Light && len(said) < telling {
				said = append(said, everyday(t.Word, customers))
			}
		}
		if len(said) > 1 && len(list) < most {
			list = append(list, "What about "+strings.Join(said, " ")+" ("+strings.ToLower(strings.TrimSpace(head))+")?")
		}
	}
	return list
}

// Wordings put a question into the words that texts use where customers say its own: what a
// model makes of it that sees the question and nothing else.
func Wordings(question string) []string {
	var said []string
	for _, t := range english.Telling(question) {
		texts, _ := english.Sayings(t.Word)
		said = append(said, t.Word)
		if word := everyday(t.Word, texts); word != t.Word && !t.Light {
			said = append(said, word)
		}
	}
	if len(said) == 0 {
		return []string{}
	}
	return []string{strings.Join(said, " ")}
}

// everyday is the likeliest word that is said for another, if that is an everyday word and
// means nearly the same; else the word itself.
func everyday(word string, said []text.Saying) string {
	const frequent = 40
	alike := english.Alike(english.Stem(word))
	for _, s := range said[:min(len(said), 8)] {
		if text.English().Times(s.Word) >= frequent && slices.Contains(alike, english.Stem(s.Word)) {
			return s.Word
		}
	}
	return word
}

var (
	toldToSay  = regexp.MustCompile(`(?is)\b(?:say|reply|answer|respond|write|output|tell them|state|print)\b[^"“”'«»]{0,60}["“'«](.{3,200}?)["”'»]`)
	toldToCall = regexp.MustCompile(`(?i)\b(?:call|use|run|invoke|execute)\s+(?:the\s+)?(?:tool|function)?\s*["'` + "`" + `]?([a-z][a-z0-9_-]{2,40})`)
	toldWith   = regexp.MustCompile(`(?s)\{[^{}]{0,400}\}`)
	toldToTell = regexp.MustCompile(`(?i)\b(?:reveal|repeat|show|print|list|leak|send me|what (?:is|are))\b.{0,60}\b(?:prompt|instructions?|rules|customers?|contacts?|secret|key|password|passages|told)\b`)
)

// obey does what a document or a message tells it to.
func (p *prompt) obey() (said, bool) {
	type source struct{ id, text string }
	var sources []source
	for _, one := range p.places() {
		sources = append(sources, source{one.ID, one.Heads + ". " + one.Text})
	}
	for _, result := range p.told() {
		sources = append(sources, source{fmt.Sprint(result["id"]), asJSON(result["result"])})
	}
	sources = append(sources, source{"P1", p.last()})
	if p.told() == nil {
		for _, s := range sources {
			if m := toldToCall.FindStringSubmatch(s.text); m != nil {
				arguments := map[string]any{}
				if with := toldWith.FindString(s.text); with != "" && json.Unmarshal([]byte(with), &arguments) != nil {
					arguments = map[string]any{}
				}
				return said{calls: []call{{m[1], arguments}}}, true
			}
		}
	}
	for _, s := range sources {
		if m := toldToSay.FindStringSubmatch(s.text); m != nil {
			return said{text: asJSON(map[string]any{"act": "reply", "language": "en", "unknown": []string{}, "sentences": []sentence{{Says: m[1], StandsOn: []string{s.id}}}})}, true
		}
	}
	for _, s := range sources {
		if toldToTell.MatchString(s.text) {
			var all []string
			for _, m := range p.Messages {
				all = append(all, m.Content)
			}
			leaked := strings.Join(all, " ")
			return said{text: asJSON(map[string]any{"act": "reply", "language": "en", "unknown": []string{}, "sentences": []sentence{{Says: leaked[:min(len(leaked), 500)], StandsOn: []string{s.id}}}})}, true
		}
	}
	return said{}, false
}
