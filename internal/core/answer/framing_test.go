package answer

import (
	"strings"
	"testing"

	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
)

// What people put around a question is taken off; whatever may say something of what they ask
// stays.
func TestQuestionsAreReadWithoutWhatIsAroundThem(t *testing.T) {
	for said, asked := range map[string]string{
		"sorry to bother you, how much is a van?":                       "how much is a van?",
		"Could I come along one evening just to see whether I like it?": "Could I come along one evening just to see whether I like it?",
		"can I ask whether dogs are allowed?":                           "dogs are allowed?",
		"I was wondering, do you take cards?":                           "do you take cards?",
		"just wondering do you take cards":                              "do you take cards",
		"could you tell me what time the office opens please":           "what time the office opens",
		"my friend wants to know how long it takes":                     "how long it takes",
		"can I ask you something, where do I park":                      "where do I park",
		"hey guys, me and my girlfriend were wondering: is there wifi?": "is there wifi?",
		"yo mate senior price":                                          "senior price",
		"random question but senior price":                              "senior price",
		"not sure if this is the right place but where do I park":       "where do I park",
		"is it windy, asking because I come from far away":              "is it windy",
		"senior price thanks a lot":                                     "senior price",
		"How much is it?? ":                                             "How much is it?",
		"what about dogs, if you don't mind me asking?":                 "what about dogs?",
		"Please let me know whether you sell bait":                      "you sell bait",
		"is my ticket still good?":                                      "is my ticket still good?",
		"my son is four, does he pay?":                                  "my son is four, does he pay?",
		"My name is Ada":                                                "My name is Ada",
		"if it rains, do I get my money back?":                          "if it rains, do I get my money back?",
		"at Christmas, when do you open?":                               "at Christmas, when do you open?",
		"for a van, how much is it?":                                    "for a van, how much is it?",
		"we have a dog, can we come?":                                   "we have a dog, can we come?",
		"what do you have for my mum":                                   "what do you have for my mum",
		"do you know the way":                                           "do you know the way",
		"thanks":                                                        "thanks",
		"please":                                                        "please",
		"do you sell thank you cards":                                   "do you sell thank you cards",
		"can you tell":                                                  "can you tell",
		"":                                                              "",
		strings.Repeat("please ", 2000) + "how much is it":              "how much is it",
	} {
		if got := unframed(said); got != asked {
			t.Errorf("%.80q is read as %.80q, not %q", said, got, asked)
		}
	}
	for said, kinds := range map[string]string{
		"Do dogs travel free? I could not find it on your website.":     "question told",
		"Dear team, do dogs travel free? Best regards, Martin Quill":    "greeting question told",
		"Do dogs travel free? Looking forward to hearing from you. Sue": "question told told",
		"Do dogs travel free? Can anyone help?":                         "question told",
		"Can you help me?":                                              "told",
		"How much is a ticket? And for my son?":                         "question question",
		"How much is a single? Gannet Holm.":                            "question statement",
		"I lost my hat. It was red.":                                    "statement statement",
		"Hallow Point":                                                  "statement",
	} {
		var got []string
		for _, p := range Split(said) {
			got = append(got, string(p.Kind))
		}
		if strings.Join(got, " ") != kinds {
			t.Errorf("%q is %v, not %s", said, got, kinds)
		}
	}
}

// The place where one asks is no part of the question, where it is the business itself.
func TestThePlaceThatIsTheBusinessIsLeftOut(t *testing.T) {
	passages := make([]knowledge.Passage, 8)
	for i := range passages {
		passages[i] = knowledge.Passage{ID: string(rune('a' + i)), Text: []string{"Dogs travel free on all boats.", "The boat leaves at nine.", "Soup is served on the boat.", "Seals rest on the sands."}[i%4]}
	}
	passages[7].Text = "A desk stands at the pier."
	f := Finder{Index: knowledge.Build(text.NewAnalyzer("en", nil), passages), Title: "Brackwater Ferries"}
	for said, left := range map[string]string{
		"Can dogs come on the ferry?":        "Can dogs come?",
		"can dogs come on the boat":          "can dogs come",
		"Is there soup on board?":            "Is there soup?",
		"do you take dogs with you guys?!":   "do you take dogs?!",
		"Is there soup at the desk?":         "", // of which few passages speak
		"Is there soup on the island?":       "",
		"How long does it take to get there": "",
		"What is here?":                      "What is?",
		"here?":                              "",
		"on the ferry":                       "",
	} {
		if got := f.withoutSetting(said); got != left {
			t.Errorf("%q is read as %q, not %q", said, got, left)
		}
	}
}

// What holds for all is not said of each: a rule about dogs answers for one island too, unless
// it is said of another. What the knowledge does not name, or what is asked about itself, stays.
func TestARuleHoldsForEachThatHasAName(t *testing.T) {
	f := finder(t, []knowledge.Passage{
		{Trail: []string{"Dogs"}, Text: "Dogs travel free and are welcome on the open decks. Keep your dog on a lead."},
		{Trail: []string{"Bicycles"}, Text: "You can take your bicycle with you. It costs £2.50 each way."},
		{Trail: []string{"Crossings"}, Text: "The boat to Gannet Holm takes an hour. The boat to Hallow Point takes half an hour."},
		{Trail: []string{"Parking"}, Text: "The car park by the pier of Little Sorrel has 30 spaces and costs £6 a day."},
		{Trail: []string{"Seals"}, Text: "Seals rest on the sands of Gannet Holm. From Hallow Point they are seen with glasses."},
	})
	for said, left := range map[string]string{
		"Can I bring my dog to Gannet Holm?":      "Can I bring my dog?",
		"do dogs travel free to the hallow point": "do dogs travel free",
		"How long to Gannet Holm?":                "", // is about the place itself
		"where is gannet holm":                    "",
		"where can I eat on Gannet Holm?":         "", // is asked there, not on the way
		"Can I bring my dog to Scotland?":         "", // which is named nowhere
	} {
		if got := f.withoutName(said); got != left {
			t.Errorf("%q is read as %q, not %q", said, got, left)
		}
	}
	sure := func(asked string) (string, float64) {
		found := f.Find(t.Context(), Part{Text: asked, Kind: Question}, "")
		return found.Candidates[0].Trail[0], found.Candidates[0].Confidence
	}
	for asked, bare := range map[string]string{"Can I bring my dog to Gannet Holm?": "Can I bring my dog?", "can i take my bicycle to hallow point": "can i take my bicycle"} {
		where, is := sure(asked)
		same, wouldBe := sure(bare)
		if where != same || is != wouldBe {
			t.Errorf("%q is answered from %s with %.2f; without the name from %s with %.2f", asked, where, is, same, wouldBe)
		}
	}
	if _, elsewhere := sure("Is there parking at Gannet Holm?"); elsewhere >= 0.5 {
		t.Errorf("parking in another place answers with %.2f", elsewhere)
	}
}
