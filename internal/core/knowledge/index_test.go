package knowledge

import (
	"fmt"
	"math"
	"math/rand/v2"
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
	for _, h := range ix.ByMeaning(NewMeaning(question), Scope{}, 30) {
		if strings.HasSuffix(h.ID, "007") || h.ID == "7" {
			found++
		}
	}
	if found < 29 {
		t.Errorf("%d of 30 were found", found)
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
