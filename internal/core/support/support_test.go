package support_test

import (
	"os"
	"strings"
	"testing"

	"urgentparrot.example/internal/core/support"
	"urgentparrot.example/internal/core/text"
)

// A pair is a sentence with what it claims to stand on, and whether it does.
type pair struct {
	line  int
	holds bool
	support.Sentence
	ground support.Ground
	said   string
}

func pairs(t *testing.T) (list []pair) {
	t.Helper()
	raw, err := os.ReadFile("testdata/pairs.txt")
	if err != nil {
		t.Fatal(err)
	}
	for i, line := range strings.Split(string(raw), "\n") {
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		cells := strings.Split(line, "|")
		for len(cells) < 4 {
			cells = append(cells, "")
		}
		for k := range cells {
			cells[k] = strings.TrimSpace(cells[k])
		}
		p := pair{line: i + 1, holds: cells[0] == "holds", said: cells[3], ground: support.Ground{ID: "1", Text: cells[2]}}
		p.Says = cells[1]
		if means, ok := strings.CutPrefix(cells[3], "= "); ok {
			p.Means, p.said = means, ""
		}
		if cells[2] != "" {
			p.On = []string{"1"}
		}
		list = append(list, p)
	}
	return list
}

func TestSentencesAreHeldAgainstWhatTheyStandOn(t *testing.T) {
	list := pairs(t)
	if len(list) < 150 {
		t.Fatalf("there are %d pairs only", len(list))
	}
	var passed, stopped, right, wrong int
	c := support.Checker{Analyzer: text.NewAnalyzer("en", nil), Language: "en"}
	for _, p := range list {
		c.Said = p.said
		f := c.Check([]support.Sentence{p.Sentence}, []support.Ground{p.ground})[0]
		switch {
		case p.holds:
			right++
			if f.Fault != "" {
				stopped++
				t.Logf("line %d: %q is right, and stopped: %s (%s)", p.line, p.Says, f.Fault, f.Why)
			}
		default:
			wrong++
			if f.Fault == "" {
				passed++
				t.Logf("line %d: %q gets through", p.line, p.Says)
			}
		}
	}
	t.Logf("%d of %d wrong ones get through, %d of %d right ones are stopped", passed, wrong, stopped, right)
	if passed > 5 || stopped > 2 {
		t.Errorf("the check has become worse: %d of %d wrong ones get through, %d of %d right ones are stopped", passed, wrong, stopped, right)
	}
}

// A condition may stand in another sentence of the reply than what it belongs to; a bare
// sentence without it is stopped.
func TestAConditionMayStandInTheNextSentence(t *testing.T) {
	c := support.Checker{Analyzer: text.NewAnalyzer("en", nil), Language: "en"}
	ground := []support.Ground{{ID: "P1", Heads: []string{"Dogs"}, Text: "Dogs travel free, except on Sundays."}}
	free := support.Sentence{Says: "Dogs travel free.", On: []string{"P1"}}
	sundays := support.Sentence{Says: "That does not hold on Sundays.", On: []string{"P1"}}
	if f := c.Check([]support.Sentence{free}, ground); f[0].Fault != support.Unqualified {
		t.Errorf("alone: %q", f[0].Fault)
	}
	if f := c.Check([]support.Sentence{free, sundays}, ground); f[0].Fault != "" {
		t.Errorf("with the condition behind it: %q, %s", f[0].Fault, f[0].Why)
	}
}

// What is held against another passage than the one it names is not supported by it.
func TestASentenceStandsOnWhatItNames(t *testing.T) {
	c := support.Checker{Analyzer: text.NewAnalyzer("en", nil), Language: "en"}
	grounds := []support.Ground{{ID: "P1", Text: "Dogs travel free."}, {ID: "P2", Text: "Bicycles cost £2.50."}}
	for on, fault := range map[string]support.Fault{"P2": "", "P1": support.WrongNumber, "P9": support.NoGround} {
		if f := c.Check([]support.Sentence{{Says: "Bicycles cost £2.50.", On: []string{on}}}, grounds); f[0].Fault != fault {
			t.Errorf("on %s: %q, wanted %q", on, f[0].Fault, fault)
		}
	}
}
