package answer

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
)

// What was asked lately is not searched for again, and is the same as if it were;
// whatever it depends on makes it another question.
func TestWhatWasAskedLatelyIsFoundAgain(t *testing.T) {
	f := finder(t, pier.Passages())
	f.Lately = &Lately{}
	const dogs = "Do dogs travel free?"
	first := f.Find(t.Context(), Whole(dogs), "")
	plain := f
	plain.Lately = nil
	if again := f.Find(t.Context(), Whole(dogs), ""); !reflect.DeepEqual(again, first) || !reflect.DeepEqual(first.Candidates[0].Quote, plain.Find(t.Context(), Whole(dogs), "").Candidates[0].Quote) {
		t.Errorf("again it is %+v", again)
	}
	if after := f.Find(t.Context(), Whole("And for dogs?"), "What does it cost to take a bicycle?"); after.Meant == f.Find(t.Context(), Whole("And for dogs?"), "").Meant {
		t.Errorf("a follow-up found what it finds alone: %q", after.Meant)
	}
	other := f
	other.Scope.Sources, other.Sources = map[string]int{"elsewhere": 0}, "elsewhere"
	if found := other.Find(t.Context(), Whole(dogs), ""); len(found.Candidates) != 0 {
		t.Errorf("from other sources it is %+v", found.Candidates)
	}
	f.Index = f.Index.Change(func(p *knowledge.Passage) bool { return p.Text == first.Candidates[0].Text }, nil)
	if found := f.Find(t.Context(), Whole(dogs), ""); len(found.Candidates) > 0 && found.Candidates[0].Text == first.Candidates[0].Text {
		t.Error("a passage that was removed is found")
	}
	// What holds for a time is looked for each time.
	now := time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC)
	f.Index = f.Index.Change(nil, []knowledge.Passage{{ID: "storm", SourceID: "handbook", Text: "Dogs do not travel today.", Until: now.Add(time.Hour)}})
	finds := func(at time.Time) bool {
		f.Scope.Now = at
		for _, c := range f.Find(t.Context(), Whole(dogs), "").Candidates {
			if c.ID == "storm" {
				return true
			}
		}
		return false
	}
	if !finds(now) || finds(now.Add(2*time.Hour)) || !finds(now) {
		t.Error("what holds for a time was found when it does not hold, or not when it does")
	}
}

// A question whose meaning could not be had in time is not remembered so.
func TestWhatWasFoundByWordsAloneIsNotKept(t *testing.T) {
	f := finder(t, pier.Passages())
	e, err := encoder.Shared()
	if err != nil {
		t.Fatal(err)
	}
	f.Lately, f.Vectors = &Lately{}, NewVectors(e)
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	if c := f.Find(ended, Whole("taking a bike along"), "").Candidates; len(c) > 0 && c[0].Meaning != 0 {
		t.Errorf("without time its meaning is %v", c[0].Meaning)
	}
	if c := f.Find(t.Context(), Whole("taking a bike along"), "").Candidates; len(c) == 0 || c[0].Meaning == 0 {
		t.Errorf("with time it finds %+v", c)
	}
	// What another model has not made yet is wanted, once it is there it is used.
	var wanted []string
	f.Lately, f.Vectors, f.Wanted = &Lately{}, NewVectors(nil), &wanted
	f.Find(t.Context(), Whole("taking a bike along"), "")
	if fmt.Sprint(wanted) != "[taking a bike along]" {
		t.Errorf("wanted is %q", wanted)
	}
	vector, err := e.Encode(t.Context(), "taking a bike along")
	if err != nil {
		t.Fatal(err)
	}
	f.Vectors.Put("taking a bike along", vector)
	wanted = nil
	if c := f.Find(t.Context(), Whole("taking a bike along"), "").Candidates; len(wanted) != 0 || len(c) == 0 || c[0].Meaning == 0 {
		t.Errorf("wanted is %q, found is %+v", wanted, c)
	}
}

// What is compared ahead is what is compared when it is asked for, and is remembered until the index
// changes; a text that is asked for by many at once means the same to all.
func TestComparingAheadComparesTheSame(t *testing.T) {
	f := finder(t, pier.Passages())
	e, err := encoder.Shared()
	if err != nil {
		t.Fatal(err)
	}
	const asked = "can i take my bike on the boat"
	examples := []string{"May bicycles come aboard?", "What does a bicycle cost?", "Is the captain married?", ""}
	want := f.Likenesses(t.Context(), asked, examples)
	f.Lately, f.Vectors = &Lately{}, NewVectors(e)
	compared := f.Ahead(t.Context(), []Comparison{{asked, examples}, {"dogs?", examples[:1]}, {"x", nil}})
	var asking sync.WaitGroup
	for range 4 {
		asking.Go(func() {
			if got := f.Likenesses(t.Context(), asked, examples); !slices.Equal(got, want) {
				t.Errorf("beside it they are alike by %v, want %v", got, want)
			}
		})
	}
	asking.Wait()
	compared()
	if like, ok := f.Lately.likeness(f.Index, asked, examples[1]); !ok || like != want[1] {
		t.Errorf("remembered is %v, %v; want %v", like, ok, want[1])
	}
	if like, ok := f.Lately.likeness(f.Index.Change(nil, nil), asked, examples[1]); ok {
		t.Errorf("of another index %v is remembered", like)
	}
	long := strings.Repeat("and my bike ", 40)
	if f.Likenesses(t.Context(), long, examples); len(long) > shortEnough {
		if _, ok := f.Lately.likeness(f.Index, long, examples[1]); ok {
			t.Error("a long text is remembered")
		}
	}
	// Without time nothing is remembered, and with time it is made after all.
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	if like := f.Likenesses(ended, "tandems", examples[:1]); like[0].Meaning != 0 {
		t.Errorf("without time they are alike by %v", like)
	}
	if like := f.Likenesses(t.Context(), "tandems", examples[:1]); like[0].Meaning == 0 {
		t.Error("what could not be made in time is never made")
	}
}

// Many may ask at once, also while the index changes.
func TestManyAskAtOnce(t *testing.T) {
	f := finder(t, pier.Passages())
	f.Lately = &Lately{}
	var asking sync.WaitGroup
	for i := range 8 {
		asking.Go(func() {
			own := f
			for n := range 50 {
				if n == 25 {
					own.Index = f.Index.Change(nil, []knowledge.Passage{{ID: "new", SourceID: "handbook", Text: "The zebrafinch ferry has a lift."}})
				}
				if found := own.Find(t.Context(), Whole(fmt.Sprintf("Do %d dogs travel free?", (n+i)%5)), ""); len(found.Candidates) == 0 {
					t.Error("nothing was found")
				}
			}
		})
	}
	asking.Wait()
}
