package answer

import (
	"sync"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// stems remember the passages that were weighed lately by the stems of their words, which have
// a number each: a passage is held against many questions, and taken apart once. They are safe for
// concurrent use.
type stems struct {
	mu       sync.Mutex
	numbers  map[string]int32
	passages recent[knowledge.Place, *apartness]
}

// How many passages are remembered at least, of about 1 kB each; and how many stems are numbered
// before that begins anew: what customers write is numbered too.
const (
	keptPassages = 10_000
	mostStems    = 300_000
)

func newStems() *stems {
	return &stems{numbers: map[string]int32{}, passages: recent[knowledge.Place, *apartness]{most: keptPassages}}
}

// stemsOf returns those of an index.
func (l *Lately) stemsOf(ix *knowledge.Index) *stems {
	if l == nil {
		return newStems()
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.of(ix); l.stems == nil || l.stems.full() {
		l.stems = newStems()
	}
	return l.stems
}

func (s *stems) full() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.numbers) > mostStems
}

// A stemmed is a word of a text: the number of its stem, or, of a stop word, what ^ makes of it.
type stemmed int32

// number is that of the stem.
func (s stemmed) number() int32 { return int32(max(s, ^s)) }

func (s stemmed) isStop() bool { return s < 0 }

// A said is a text taken apart.
type said struct {
	words []stemmed
	days  text.Weekdays // that it names
}

// An apartness is a passage taken apart.
type apartness struct {
	sentences    []text.Span
	question     said
	trail, asked []said
	said         []said      // by sentence
	headTells    []text.Term // what tells of its question, or the innermost heading
}

// number returns that of a stem. The caller holds the lock.
func (s *stems) number(stem string) int32 {
	n, ok := s.numbers[stem]
	if !ok {
		n = int32(len(s.numbers))
		s.numbers[stem] = n
	}
	return n
}

// numbered has what is known by stem known by their numbers.
func (s *stems) numbered(by map[string]sought) map[int32]sought {
	s.mu.Lock()
	defer s.mu.Unlock()
	numbered := make(map[int32]sought, len(by))
	for stem, of := range by {
		numbered[s.number(stem)] = of
	}
	return numbered
}

// said takes a text apart.
func (s *stems) said(analyzer *text.Analyzer, content string) said {
	if content == "" {
		return said{}
	}
	type word struct {
		stem string
		stop bool
	}
	var read []word // stems are found before the lock is taken
	for w := range text.EachWord(content) {
		read = append(read, word{analyzer.Stem(w.Folded), analyzer.IsStop(content[w.Start:w.End], w.Folded)})
	}
	words, days := make([]stemmed, len(read)), text.DaysIn(content)
	s.mu.Lock()
	defer s.mu.Unlock()
	for i, w := range read {
		if words[i] = stemmed(s.number(w.stem)); w.stop {
			words[i] = ^words[i]
		}
	}
	return said{words, days}
}

// apart takes a passage apart, or remembers it.
func (s *stems) apart(analyzer *text.Analyzer, hit *knowledge.Hit) *apartness {
	at := hit.Place()
	s.mu.Lock()
	known, ok := s.passages.get(at)
	s.mu.Unlock()
	if ok {
		return known
	}
	of := &apartness{sentences: text.Sentences(hit.Text), question: s.said(analyzer, hit.Question)}
	for _, heading := range hit.Trail {
		of.trail = append(of.trail, s.said(analyzer, heading))
	}
	for _, asked := range hit.Asked {
		of.asked = append(of.asked, s.said(analyzer, asked))
	}
	for _, span := range of.sentences {
		of.said = append(of.said, s.said(analyzer, hit.Text[span.Start:span.End]))
	}
	head := hit.Question
	if head == "" && len(hit.Trail) > 0 {
		head = hit.Trail[len(hit.Trail)-1]
	}
	of.headTells = analyzer.Telling(head)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.passages.put(at, of)
	return of
}
