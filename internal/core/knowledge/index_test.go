package knowledge

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/text"
)

var english = text.NewAnalyzer("en", nil)

func stems(words ...string) (wants []Want) {
	for _, w := range words {
		wants = append(wants, Want{{Stem: english.Stem(w), Worth: 1}})
	}
	return wants
}

func passage(id, source, said string) Passage {
	return Passage{ID: id, SourceID: source, Source: source, Text: said}
}

func ids(hits []Hit) string {
	var list []string
	for _, h := range hits {
		list = append(list, h.ID)
	}
	return strings.Join(list, " ")
}

func TestAnIndexChangesInPlace(t *testing.T) {
	first := Build(english, []Passage{passage("1", "a", "Boats sail at noon."), passage("2", "b", "Dogs may sail too.")})
	second := first.Change(func(p *Passage) bool { return p.SourceID == "a" }, []Passage{passage("3", "a", "Boats sail at dusk.")})
	if got := ids(first.ByWords(stems("boats", "noon"), Scope{}, 9)); got != "1" {
		t.Errorf("the index before has changed: %s", got)
	}
	if got := ids(second.ByWords(stems("boats", "dusk"), Scope{}, 9)); got != "3" || second.Len() != 2 {
		t.Errorf("of %d passages it finds %s", second.Len(), got)
	}
	if got := ids(second.ByWords(stems("noon"), Scope{}, 9)); got != "" {
		t.Errorf("what was removed is found: %s", got)
	}
	// Many small changes are joined; nothing is lost or doubled on the way.
	ix := second
	for i := range 60 {
		id := fmt.Sprint("n", i)
		ix = ix.Change(nil, []Passage{passage(id, id, fmt.Sprintf("Skates of size %d.", i))})
		if i%3 == 0 {
			ix = ix.Change(func(p *Passage) bool { return p.ID == id }, nil)
		}
	}
	if got := ix.ByWords(stems("skates"), Scope{}, 99); len(got) != 40 || ix.Len() != 42 || len(ix.segments) > mostSegments {
		t.Errorf("%d of %d are found, in %d segments", len(got), ix.Len(), len(ix.segments))
	}
	if empty := second.Change(func(*Passage) bool { return true }, nil); empty.Len() != 0 || len(empty.ByWords(stems("boats"), Scope{}, 9)) != 0 {
		t.Error("an index without passages finds some")
	}
}

func TestPassagesAreUsedWithinTheirScope(t *testing.T) {
	now := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	over, later := passage("over", "a", "Boats sail."), passage("later", "a", "Boats sail.")
	over.Until, later.From = now, now.Add(time.Minute)
	ix := Build(english, []Passage{over, later, passage("a", "a", "Boats sail."), passage("b", "b", "Boats sail.")})
	if got := ids(ix.ByWords(stems("boats"), Scope{Now: now, Sources: map[string]int{"a": 0}}, 9)); got != "a" {
		t.Errorf("it finds %s", got)
	}
}

// unit returns a random unit vector near another, if there is one.
func unit(r *rand.Rand, near []float32, noise float64) []float32 {
	v := make([]float32, 512)
	sum := 0.0
	for i := range v {
		x := r.NormFloat64() * noise
		if near != nil {
			x += float64(near[i])
		}
		v[i] = float32(x)
		sum += x * x
	}
	for i := range v {
		v[i] /= float32(math.Sqrt(sum))
	}
	return v
}

func TestCodesKeepTheDirection(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		a := unit(r, nil, 1)
		b := unit(r, a, 0.06)
		exact := 0.0
		for i := range a {
			exact += float64(a[i]) * float64(b[i])
		}
		if got := newTarget(a).dot(Pack(b)); math.Abs(got-exact) > 0.03 {
			t.Errorf("%.4f, want %.4f", got, exact)
		}
	}
	codes := []Code{Pack(unit(r, nil, 1)), Pack(unit(r, nil, 1))}
	if again := Codes(Joined(codes)); len(again) != 2 || string(again[1]) != string(codes[1]) {
		t.Error("codes do not survive being kept")
	}
	if Codes([]byte("damaged")) != nil || Codes(nil) != nil {
		t.Error("damaged codes were taken")
	}
}

// Among many, the first cut by signs loses next to nothing of what is nearest.
func TestTheFirstCutKeepsTheNearest(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	question := unit(r, nil, 1)
	passages := make([]Passage, 30_000)
	for i := range passages {
		vector := unit(r, nil, 1)
		if i%1000 == 7 {
			vector = unit(r, question, 0.05) // likeness of about 0.66
		}
		passages[i] = Passage{ID: fmt.Sprint(i), Text: "x", Views: []Code{Pack(vector)}}
	}
	ix := Build(english, passages)
	found := 0
	for _, h := range ix.ByMeaning(NewAim(question), Scope{}, 30) {
		if strings.HasSuffix(h.ID, "007") || h.ID == "7" {
			found++
		}
	}
	if found < 29 {
		t.Errorf("%d of 30 were found", found)
	}
}

// Segments of any size beside one another are searched by meaning: few passages,
// compared exactly, and many, by their signs.
func TestSegmentsOfAllSizesAreSearchedByMeaning(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	question := unit(r, nil, 1)
	made := 0
	some := func(n int) (list []Passage) {
		for i := range n {
			vector := unit(r, nil, 1)
			if i == n/2 {
				vector = unit(r, question, 0.03)
			}
			made++
			list = append(list, Passage{ID: fmt.Sprint(n, " of ", made), Text: "x", Views: []Code{Pack(vector), Pack(unit(r, nil, 1))}})
		}
		return list
	}
	for _, sizes := range [][]int{{1}, {299}, {301}, {299, 301}, {2_000, 290, 1}, {2_000, 3_000, 310, 40}, {150, 160, 170, 180, 190}} {
		ix := Build(english, nil)
		for _, n := range sizes {
			ix = ix.Change(nil, some(n))
		}
		hits := ix.ByMeaning(NewAim(question), Scope{}, len(sizes))
		if len(hits) != len(sizes) {
			t.Errorf("%v: %d are found", sizes, len(hits))
		}
		for _, h := range hits {
			if like := NewAim(question).Likeness(h); like.Heading < 0.6 {
				t.Errorf("%v: %s is like the question by %.2f", sizes, h.ID, like.Heading)
			}
		}
	}
}

// What a scope has not hides nothing of what it has: a bot with little knowledge of its own
// finds it, though a large source beside it holds thousands that are nearer to the question.
func TestWhatIsOutOfScopeHidesNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	question := unit(r, nil, 1)
	for _, apart := range []bool{false, true} { // in one segment, and in two
		var large, small []Passage
		for i := range 20_000 {
			vector := unit(r, nil, 1)
			if i%4 == 0 {
				vector = unit(r, question, 0.04)
			}
			large = append(large, Passage{ID: fmt.Sprint("large ", i), SourceID: "large", Text: "x", Views: []Code{Pack(vector)}})
		}
		for i := range 2_000 {
			vector := unit(r, nil, 1)
			if i%200 == 0 {
				vector = unit(r, question, 0.06)
			}
			small = append(small, Passage{ID: fmt.Sprint("small ", i), SourceID: "small", Text: "x", Views: []Code{Pack(vector)}})
		}
		ix := Build(english, slices.Concat(large, small))
		if apart {
			ix = Build(english, large).Change(nil, small)
		}
		for _, scope := range []Scope{{Sources: map[string]int{"small": 0}}, {Without: map[string]bool{"large": true}}} {
			found := 0
			hits := ix.ByMeaning(NewAim(question), scope, 10)
			for _, h := range hits {
				if h.SourceID != "small" {
					t.Errorf("%s is found, which is out of scope", h.ID)
				}
				if NewAim(question).Likeness(h).Heading > 0.4 {
					found++
				}
			}
			if len(hits) != 10 || found < 9 {
				t.Errorf("in %+v %d of 10 are found, %d that are like the question", scope, len(hits), found)
			}
		}
	}
}

// A gist has the signs that most views have; where as many have the one as the
// other, either will do.
func TestAGistIsWhatMostViewsHave(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for views := range 40 {
		signs := make([]uint64, 3*views)
		for i := range signs {
			signs[i] = r.Uint64() & r.Uint64() // more zeros than ones
		}
		got := gist(signs, 3, nil)
		for bit := range 192 {
			ones := 0
			for v := range views {
				ones += int(signs[3*v+bit/64] >> (bit % 64) & 1)
			}
			if set := got[bit/64]>>(bit%64)&1 == 1; 2*ones > views && !set || 2*ones < views && set {
				t.Fatalf("%d of %d views have bit %d, the gist says %v", ones, views, bit, set)
			}
		}
	}
}

// What comes in parts from several goroutines is found as if it had come at once.
func TestPartsMakeOneIndex(t *testing.T) {
	b := Builder{Analyzer: english}
	var adding sync.WaitGroup
	for part := range 5 {
		adding.Go(func() {
			var list []Passage
			for i := range 20 * part { // the first part is empty
				list = append(list, passage(fmt.Sprint(part, "-", i), "a", fmt.Sprintf("Boats of part %d wait.", part)))
			}
			b.Add(list)
		})
	}
	adding.Wait()
	ix := b.Index()
	if got := ix.ByWords(stems("boats"), Scope{}, 999); ix.Len() != 200 || len(got) != 200 {
		t.Errorf("%d of %d are found", len(got), ix.Len())
	}
	if none := (&Builder{Analyzer: english}).Index(); none.Len() != 0 || len(none.ByWords(stems("boats"), Scope{}, 9)) != 0 {
		t.Error("an index of nothing finds something")
	}
}

// Passages are of a size to be quoted, end where sentences end, and never reach
// into the next section; what introduces a list stays with it.
func TestDocumentsAreCutIntoPassages(t *testing.T) {
	sentence := "The boat leaves the pier at noon and comes back before it gets dark in winter. "
	d := Document{
		Pairs: []Pair{{"Is there  soup?", "Yes."}, {"Nothing", " "}},
		Sections: []Section{
			{Trail: []string{"Boats"}, Text: strings.TrimSpace(strings.Repeat(sentence, 40))},
			{Trail: []string{"Bring"}, Text: strings.TrimSpace(strings.Repeat(sentence, 7)) + "\n\nPlease bring:\n\n- a coat\n- a hat"},
		},
	}
	passages := d.Passages()
	if passages[0].Question != "Is there soup?" || passages[0].Text != "Yes." {
		t.Errorf("the pair became %+v", passages[0])
	}
	all := 0
	for i, p := range passages[1:] {
		n := len(strings.Fields(p.Text))
		all += n
		if p.Position != i+1 || n > passageMaxWords || !strings.HasPrefix(p.Text, "The boat") && !strings.HasPrefix(p.Text, "Please") {
			t.Errorf("passage %d has %d words: %.60q", p.Position, n, p.Text)
		}
		if p.Trail[0] == "Boats" && i < 4 && (n < 60 || !strings.HasSuffix(p.Text, "winter.")) {
			t.Errorf("passage %d has %d words", p.Position, n)
		}
	}
	if want := len(strings.Fields(sentence))*47 + 8; all != want {
		t.Errorf("of %d words %d are left", want, all)
	}
	if last := passages[len(passages)-1].Text; !strings.Contains(last, "Please bring:\n\n- a coat\n- a hat") {
		t.Errorf("the list was torn apart: %q", last)
	}
	said := passages[len(passages)-1].Said()
	if said[0] != "Bring" || !strings.HasPrefix(said[2], "Bring: ") {
		t.Errorf("encoded is %q", said[:3])
	}
}

// Readers are never in the way of a change, nor it in theirs (run with -race).
func TestReadersSearchWhileTheIndexChanges(t *testing.T) {
	ix := Build(english, []Passage{passage("0", "a", "Boats sail at noon.")})
	var reading sync.WaitGroup
	for range 4 {
		reading.Go(func() {
			for range 200 {
				if got := ix.ByWords(stems("boats"), Scope{}, 3); len(got) != 1 {
					t.Errorf("it finds %d", len(got))
				}
			}
		})
	}
	next := ix
	for i := range 50 {
		next = next.Change(nil, []Passage{passage(fmt.Sprint("x", i), "b", "Boats wait.")})
	}
	reading.Wait()
	if next.Len() != 51 {
		t.Errorf("%d passages", next.Len())
	}
}
