package bot

import (
	"regexp"
	"slices"
	"strings"

	"urgentparrot.example/internal/core/text"
)

// A Placed is a sentence of somebody's notes, and where in the brief it belongs.
type Placed struct {
	Sentence string `json:"sentence"`
	Key      string `json:"key"` // of the brief: rules, voice.tone; "": nowhere
	Value    any    `json:"value,omitempty"`
}

// A sorter puts a sentence into one part of the brief. Value makes of it what stands there: a
// text, one entry of a list, or a block; nil: it is none of that part's after all.
type sorter struct {
	key    string
	list   bool // what stands there is a list, to which entries are added
	fits   *regexp.Regexp
	differ *regexp.Regexp // where this fits, it is something else; nil: nothing is
	value  func(sentence string, groups []string) any
}

func whole(s string, _ []string) any { return strings.TrimRight(strings.TrimSpace(s), ".") }
func just(value any) func(string, []string) any {
	return func(string, []string) any { return value }
}
func first(_ string, groups []string) any {
	for _, g := range groups[1:] {
		if g = strings.TrimSpace(g); g != "" {
			return g
		}
	}
	return nil
}

const (
	quoted = `["“”„'‘’]{0,2}`
)

// sorters are asked in order; the first that fits has the sentence.
var sorters = []sorter{
	{key: "examples", list: true, fits: regexp.MustCompile(`(?i)^(?:q|customer|question)\s*[:.]\s*(.+?)\s*(?:\n|\s)(?:a|bot|answer|you)\s*[:.]\s*(.+)$`), value: exchange},
	{key: "examples", list: true, fits: regexp.MustCompile(`(?i)\b(?:asks?|says?|writes?|wants to know)\b[^"“„]*["“„](.+?)["”“]\s*,?\s*(?:then\s+)?(?:you\s+)?(?:say|answer|reply|write|tell them|respond)s?\b[^"“„]*["“„](.+?)["”“]`), value: exchange},
	{key: "wordings.sign_off", list: true, fits: regexp.MustCompile(`(?i)\b(?:sign(?:s|ing)? off|sign(?:ed)? (?:it|your|repl(?:y|ies)|messages|mails|your (?:replies|messages|mails))|(?:end|finish|close) (?:each|every|all|your|the) (?:messages?|repl(?:y|ies)|answers?|mails?)|(?:messages?|repl(?:y|ies)|answers?|mails?) (?:always )?(?:ends?|close|closes|finish|finishes)|(?:always |please )?(?:end|finish|close) (?:off )?with)\b[^"“„]*["“„](.+?)["”“]`), value: first},
	{key: "wordings.greeting", list: true, fits: regexp.MustCompile(`(?i)\b(?:greet|start|begin|open|say hello|welcome)\b[^"“„]*["“„](.+?)["”“]`), value: first},
	{key: "off_topic.questions", list: true, fits: regexp.MustCompile(`(?i)\b(?:nothing to do with|off[- ]topic|unrelated|not about)\b[^"“„]*["“„](.+?)["”“]`), value: first},
	{key: "voice.call", fits: regexp.MustCompile(`(?i)\b(?:say|call (?:it|them|us)|write|use|speak of)\s+(?:the\s+)?(?:words?\s+)?` + quoted + `([\w -]{2,30}?)` + quoted + `[,;]?\s+(?:and\s+)?(?:not|never|instead of|rather than)\s+(?:the\s+)?` + quoted + `([\w -]{2,30}?)` + quoted + `\.?$`), value: func(_ string, g []string) any {
		return map[string]any{strings.TrimSpace(g[2]): strings.TrimSpace(g[1])}
	}},
	{key: "voice.call", fits: regexp.MustCompile(`(?i)^(?:we|they) call (?:our |the )?([a-z-]+) (?:our )?` + quoted + `([a-z-]+)` + quoted + `\.?$`), value: func(_ string, g []string) any {
		return map[string]any{g[1]: g[2]}
	}},
	{key: "limits.turns", fits: regexp.MustCompile(`(?i)\bafter (\w+) (?:repl(?:y|ies)|answers|messages|turns)\b`), value: numeral},
	{key: "limits.length", fits: regexp.MustCompile(`(?i)\b(\d{2,4}) (?:characters|letters|signs)\b`), value: numeral},
	{key: "assistant", fits: regexp.MustCompile(`(?i)\b(?:bot|robot|machine|automated|ai|computer)\b.*\b(?:only )?(?:when|if) (?:they |someone |somebody |people |customers? |you are )?ask|\bonly\b.*\b(?:admit|say)\b.*\b(?:bot|robot|machine|automated|computer)\b`), value: just(WhenAsked)},
	{key: "assistant", fits: regexp.MustCompile(`(?i)\b(?:say|tell|mention|admit|make clear)\b.*\byou(?: are|'re|’re)\b.*\b(?:bot|robot|machine|automated|ai|computer)\b`), value: just(InFirstReply)},
	{key: "closes", fits: regexp.MustCompile(`(?i)\b(?:end|close|finish)\b.*\b(?:chat|conversation|talk)\b|\b(?:chat|conversation|talk) is (?:over|closed|finished)\b`), value: just(true)},
	{key: "escalate.on", list: true, fits: regexp.MustCompile(`(?i)\b(?:angry|anger|upset|furious|annoyed|cross|complain\w*|mad)\b`), differ: regexp.MustCompile(`(?i)\b(?:never|don't|do not) (?:get|be)\b`), value: just(OnAnger)},
	{key: "escalate.on", list: true, fits: regexp.MustCompile(`(?i)\b(?:(?:don't|do not|doesn't|cannot|can't|can not) (?:know|answer|help)|not sure|unsure|in doubt|no answer|not in the)\b`), differ: regexp.MustCompile(`(?i)\b(?:make (?:it|something) up|guess)\b`), value: just(OnNotKnown)},
	{key: "escalate.on", list: true, fits: regexp.MustCompile(`(?i)(?:\b(?:asks?|want|wants|wish|wishes|rather|prefers?|insists?)\b.*\b(?:human|person|real|speak to|talk to|someone|somebody|colleague|agent)\b)`), value: just(OnWish)},
	{key: "wordings.handed_over", list: true, fits: regexp.MustCompile(`(?i)\b(?:(?:don't|do not|doesn't) know|not sure|unsure|in doubt|no answer)\b[^"“„]*\b(?:say|write|reply|tell them|answer)\b[^"“„]*["“„](.+?)["”“]`), value: first},
	{key: "order", list: true, fits: regexp.MustCompile(`(?i)^(?:(?:first|begin|start)\b.*(?:\bthen\b|;|\bafter that\b|\bnext\b|\bat the end\b)|[^,;]+[,;].+[,;]\s*(?:and )?(?:then|finally|at the end|last)\b)`), value: steps},
	{key: "voice.address", fits: regexp.MustCompile(`(?i)\b(?:formal(?:ly)?|last names?|surnames?|sir|madam|mr|mrs)\b`), value: just(formally)},
	{key: "voice.address", fits: regexp.MustCompile(`(?i)\bfirst names?\b`), differ: regexp.MustCompile(`(?i)\b(?:never|not|don't|no)\b`), value: just(byFirstName)},
	{key: "voice.length", fits: regexp.MustCompile(`(?i)\b(?:short|brief(?:ly)?|concise|(?:one|two|three|1|2|3) sentences?|few words|not too long|no long)\b`), value: just("short")},
	{key: "voice.length", fits: regexp.MustCompile(`(?i)\b(?:detailed|in detail|at length|thorough(?:ly)?|full answers)\b`), value: just("full")},
	{key: "remembers", list: true, fits: regexp.MustCompile(`(?i)^(?:please )?(?:remember|note(?: down)?|keep|write down|save|store|record)\b.*\b(?:names?|e-?mails?|phone|telephone|address(?:es)?|numbers?)\b`), value: fieldsOf},
	{key: "rules", list: true, fits: regexp.MustCompile(`(?i)\b(?:never|always|must|don't|do not|don’t|forbidden|not allowed|may not|no circumstances|only (?:speak|talk|answer|say|use)|refuse|avoid|leave out|stay away|keep (?:it|that|this|them) to yourself|no (?:medical|legal|financial|political) )\b`), value: whole},
	{key: "voice.tone", fits: regexp.MustCompile(`(?i)^(?:please )?(?:be|sound|stay|speak|write|talk|your tone|tone|keep (?:it|the tone)|use (?:a |an )?\w+ (?:tone|language))\b|\b(?:tone|jargon|plain words|friendly|polite|warm|cheerful|calm|patient|humou?r|funny)\b`), differ: regexp.MustCompile(`(?i)\b(?:assistant|helps?|answers? questions)\b`), value: tone},
	{key: "name", fits: regexp.MustCompile(`^(?:(?i:you are|you're|your name is|call yourself|name:)|(?i:it|(?:the|our|this) (?:bot|assistant|helper))(?:'s name)? (?:is|goes by|is called|is named))\s+([A-Z][\w’'-]{1,30})(?:,.*|\s+(?:the|of|from|at)\b.*|\.?)$`), value: first},
	{key: "duties", list: true, fits: regexp.MustCompile(`(?i)^(?:it |you )?(?:should |can |must )?be able to\b|^(?:it|she|he) [a-z]+s\b|\b(?:people|customers|guests|visitors|clients|members) (?:can|may|should be able to)\b|^(?:please |it should |you should |you |it |it can |you can )?(?:answers?|help|helps|take|takes|tell|tells|explain|explains|book|books|collect|collects|find|give|gives|sell|recommend|advise|inform|look up|check|ask for|offer|make|handle|sort|arrange|confirm|send|show|support|deal with|guide|describe|suggest|register|report|schedule|capture|qualify)\b`), differ: regexp.MustCompile(`(?i)^you are\b`), value: whole},
	{key: "role", fits: regexp.MustCompile(`(?i)^(?:you|the bot|it|this bot|the assistant)\s+(?:are|is|looks?|helps?|works?|serves?|represents?|answers?|takes?|cares?|handles?|speaks?|talks?|runs?|assists?|supports?)\b`), value: whole},
}

func exchange(_ string, g []string) any {
	return map[string]any{"customer": strings.TrimSpace(g[1]), "bot": strings.TrimSpace(g[2])}
}

var numerals = map[string]int{"two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "twelve": 12, "fifteen": 15, "twenty": 20}

func numeral(_ string, g []string) any {
	if n, ok := numerals[strings.ToLower(g[1])]; ok {
		return n
	}
	n := 0
	for _, r := range g[1] {
		if r < '0' || r > '9' {
			return nil
		}
		n = 10*n + int(r-'0')
	}
	return n
}

var between = regexp.MustCompile(`(?i)\s*(?:[,;]\s*(?:and\s+)?(?:then|after that|next|finally)?|\bthen\b)\s*`)

// steps are the parts of what is done one after another.
func steps(s string, _ []string) any {
	var list []any
	for _, part := range between.Split(strings.TrimRight(s, "."), -1) {
		if part = strings.TrimSpace(leading.ReplaceAllString(part, "")); part != "" {
			list = append(list, strings.ToLower(part[:1])+part[1:])
		}
	}
	return list
}

var (
	leading  = regexp.MustCompile(`(?i)^(?:first(?:ly)?|begin with|start (?:with|by)|and|you)\s+`)
	beTone   = regexp.MustCompile(`(?i)^(?:please\s+)?(?:be|sound|stay|your tone is|tone:|keep it|keep the tone)\s+`)
	fieldFor = []struct {
		field string
		said  *regexp.Regexp
	}{
		{"name", regexp.MustCompile(`(?i)\b(?:their|the customer's|people's|first|last|full)?\s*names?\b`)},
		{"email", regexp.MustCompile(`(?i)\be-?mails?\b`)},
		{"phone", regexp.MustCompile(`(?i)\b(?:phone|telephone|mobile)\b`)},
	}
)

func tone(s string, _ []string) any {
	return strings.TrimRight(beTone.ReplaceAllString(strings.TrimSpace(s), ""), ".")
}

// fieldsOf are the fields that a sentence speaks of, by the names that most workspaces give
// them.
func fieldsOf(s string, _ []string) any {
	var list []any
	for _, f := range fieldFor {
		if f.said.MatchString(s) {
			list = append(list, f.field)
		}
	}
	if list == nil {
		return nil
	}
	return list
}

// mostNotes bounds the sentences of notes that are sorted.
const mostNotes = 200

var bullet = regexp.MustCompile(`^\s*(?:[-*•·–]|\d{1,2}[.)])\s+`)

// SetInOrder sorts free notes about a bot, sentence by sentence, into the parts of a brief. What
// says nothing that a brief has a place for stands under the key "".
func SetInOrder(notes string) (list []Placed) {
	called := ""
	for _, sentence := range sentencesOf(notes) {
		p := place(sentence, called, nil)
		if name, ok := p.Value.(string); ok && p.Key == "name" {
			called = name
		}
		list = append(list, p)
		list = append(list, alsoSaid(p, called)...)
	}
	return list
}

// together are parts of the brief that people speak of in one breath: "be friendly and brief, and
// use first names", "if you don't know, say that you ask, and fetch somebody".
var together = [][]string{{"voice.address", "voice.length", "voice.tone"}, {"escalate.on", "wordings.handed_over"}}

// alsoSaid is what a sentence that was placed says of the parts that go together with its own.
func alsoSaid(p Placed, called string) (list []Placed) {
	for _, keys := range together {
		if !slices.Contains(keys, p.Key) {
			continue
		}
		for _, key := range keys {
			if key == p.Key {
				continue
			}
			also := place(p.Sentence, called, func(s sorter) bool { return s.key == key })
			if manner, ok := also.Value.(string); ok && key == "voice.tone" {
				also.Value = strings.ToLower(strings.Join(manners.FindAllString(manner, -1), ", "))
			}
			if also.Key != "" && also.Value != "" {
				list = append(list, also)
			}
		}
	}
	return list
}

// manners are words of a tone.
var manners = regexp.MustCompile(`(?i)\b(?:friendly|polite|warm|cheerful|calm|patient|humorous|funny|helpful|casual|relaxed|professional|respectful|kind|upbeat|playful|honest|plain|caring|gentle|enthusiastic)\b`)

var (
	asksFirst    = regexp.MustCompile(`(?i)^(?:q|customer|question)\s*[:.]`)
	answersAfter = regexp.MustCompile(`(?i)^(?:a|bot|answer|you)\s*[:.]`)
)

// sentencesOf cuts notes into sentences, at most mostNotes; an example with its answer stays
// whole.
func sentencesOf(notes string) (list []string) {
	for line := range strings.Lines(notes) {
		for _, s := range sentencesIn(strings.TrimSpace(bullet.ReplaceAllString(line, ""))) {
			last := len(list) - 1
			switch {
			case last >= 0 && answersAfter.MatchString(s) && asksFirst.MatchString(list[last]) && !sorters[0].fits.MatchString(list[last]):
				list[last] += " " + s
			case len(list) == mostNotes:
				return list
			default:
				list = append(list, s)
			}
		}
	}
	return list
}

// sentencesIn cuts a line into sentences; what stands in quotes stays whole.
func sentencesIn(line string) (list []string) {
	if sorters[0].fits.MatchString(line) {
		return []string{line}
	}
	open := ""
	for _, span := range text.Typed(line) {
		s := strings.TrimSpace(line[span.Start:span.End])
		if open != "" {
			s = open + " " + s
		}
		if open = ""; strings.Count(s, `"`)%2 == 1 || strings.Count(s, "“") > strings.Count(s, "”") {
			open = s
			continue
		}
		list = append(list, s)
	}
	if open != "" {
		list = append(list, open)
	}
	return list
}

// place puts one sentence where it belongs; what is said of the name that the bot was given
// is said of it. Where among is not nil, only these parts are asked.
func place(sentence, called string, among func(sorter) bool) Placed {
	read := sentence
	if rest, is := strings.CutPrefix(sentence, called+" "); is && called != "" {
		read = "The bot " + rest
	}
	for _, s := range sorters {
		if among != nil && !among(s) {
			continue
		}
		groups := s.fits.FindStringSubmatch(read)
		if groups == nil || s.differ != nil && s.differ.MatchString(read) {
			continue
		}
		if value := s.value(sentence, groups); value != nil && value != "" {
			return Placed{Sentence: sentence, Key: s.key, Value: value}
		}
	}
	return Placed{Sentence: sentence}
}

// Gathered puts what was placed together, by key: lists grow, blocks are joined, and of texts
// the first stands, but that those of the role and the tone follow each other.
func Gathered(list []Placed) map[string]any {
	brief := map[string]any{}
	for _, p := range list {
		if p.Key == "" {
			continue
		}
		isList := false
		for _, s := range sorters {
			isList = isList || s.key == p.Key && s.list
		}
		switch before := brief[p.Key]; {
		case isList:
			entries, _ := before.([]any)
			more, several := p.Value.([]any)
			if !several {
				more = []any{p.Value}
			}
			for _, one := range more {
				if !holds(entries, one) {
					entries = append(entries, one)
				}
			}
			brief[p.Key] = entries
		case before == nil:
			brief[p.Key] = p.Value
		default:
			joined, block := before.(map[string]any)
			more, _ := p.Value.(map[string]any)
			if block {
				for k, v := range more {
					joined[k] = v
				}
			} else if words, is := before.(string); is && (p.Key == "role" || p.Key == "voice.tone") {
				if s, ok := p.Value.(string); ok {
					brief[p.Key] = words + ". " + strings.ToUpper(s[:1]) + s[1:]
				}
			}
		}
	}
	return brief
}

func holds(list []any, one any) bool {
	s, ok := one.(string)
	for _, other := range list {
		if o, is := other.(string); ok && is && o == s {
			return true
		}
	}
	return false
}
