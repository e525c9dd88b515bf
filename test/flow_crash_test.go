package test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"urgentparrot.example/internal/world"
)

// journey is a flow with every kind of step and wait that there is: it is killed at random.
const journey = `flow: journey
when:
  - message: { contains: [journey] }
steps:
  - say: { text: "One.", pause: 100ms }
  - ask: "Two: how many?"
    save: people
    as: integer
  - wait: 200ms
  - set: { values: { twice: "{{ people * 2 }}" }, stage: enquiry }
  - extract: { from: "{{ message.text }}", values: [ { name: found, as: integer } ] }
    save: taken
  - classify: { text: "{{ message.text }}", labels: [ { label: number, about: a number, examples: ["12", "7 people"] } ] }
    save: kind_of
  - phrase: { from: ["Three: {{ twice }} shoes."], at_most: 80 }
    save: phrased
  - say: "{{ phrased }}"
  - call: { tool: timetable, with: { from: Brackwater, to: Hallow Point, after: "{{ now.getHours() < 24 ? '09:00' : '' }}" } }
    save: boats
    on_error: [ { note: "No boats were found" } ]
  - loop:
      each: "['a', 'b', 'c']"
      steps:
        - record: { sheet: steps, row: { Who: "{{ contact.phone.orValue('') }}", What: "{{ item }}{{ round }}" } }
        - wait: 50ms
  - tag: group
  - untag: group
  - note: "On the way"
  - count: halfway
  - record: { sheet: steps, key: "{{ contact.phone.orValue('') }}", row: { Who: "{{ contact.phone.orValue('') }}", What: first } }
  - record: { sheet: steps, key: "{{ contact.phone.orValue('') }}", row: { Who: "{{ contact.phone.orValue('') }}", What: second } }
  - start: { flow: child, with: { who: "{{ contact.phone.orValue('') }}" } }
  - sync: client-book
  - notify: { connection: office-mail, to: team/crew, subject: "Journey of {{ contact.phone.orValue('') }}", text: Half way }
  - notify: { connection: pager, to: person/robin, subject: "Page of {{ contact.phone.orValue('') }}", text: Half way }
  - await_reply: 200ms
  - branch:
      - if: "replied"
        steps: [ { say: "Never." } ]
      - else: [ { say: "Four: nobody spoke." } ]
  - ask: "Five: anything else?"
    save: more
    patience: 10m
  - answer: { question: "{{ more }}" }
  - wait: { for: 100ms, or_reply: true }
  - say: "Six: {{ confidence > 0.5 ? 'sure' : 'unsure' }}."
  - summarise: { parts: [grade] }
    save: sum
  - record: { sheet: steps, row: { Who: "{{ contact.phone.orValue('') }}", What: "grade {{ sum.grade }}" } }
  - escalate: { because: "The journey ends", say: "Seven: a person comes." }
`

const child = `flow: child
when:
  - by hand: { with: [who] }
steps:
  - wait: 100ms
  - record: { sheet: steps, row: { Who: "{{ event.who.orValue('') }}", What: child } }
`

// said is what each telephone hears, in order; the answer of the bot stands between.
var said = []string{"One.", "Two: how many?", "Three: 24 shoes.", "Four: nobody spoke.", "Five: anything else?", "£2.50", "Six: sure.", "Seven: a person comes."}

// A run is taken up wherever the service is killed: the outside sees what it would have seen
// undisturbed, in the same order, and nothing twice. make kills does it two hundred times.
func TestACrashInAFlowIsNotSeen(t *testing.T) {
	kills := 4
	if more, err := strconv.Atoi(os.Getenv("KILLS")); err == nil {
		kills = 2 * more
	}
	const atOnce = 6
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute+time.Duration(kills)*10*time.Second)
	defer cancel()
	data, listen := t.TempDir(), freePort(t)
	outside, at, secret := around(t, listen)
	service := serve(t, data, listen)
	cl := service.signedIn(t)
	setUp(t, cl, at, secret)
	put := func(kind, name, text string) {
		if _, err := cl.PutDocument(ctx, kind, name, text, 0); err != nil {
			t.Fatalf("%s: %v", name, err)
		}
	}
	put("sheets", "steps", "sheet: steps\ncolumns: [Who, What]\n")
	put("flows", "child", child)
	put("flows", "journey", journey)
	for _, name := range []string{"child", "journey"} {
		if _, err := cl.GoLive(ctx, name, 0); err != nil {
			t.Fatal(err)
		}
	}

	stop, phones := make(chan struct{}), 0
	var mu sync.Mutex
	var travelling sync.WaitGroup
	next := func() (string, bool) {
		mu.Lock()
		defer mu.Unlock()
		select {
		case <-stop:
			return "", false
		default:
		}
		phones++
		return fmt.Sprintf("+4477%08d", 80_000_000+phones), true
	}
	for range atOnce {
		travelling.Go(func() {
			for phone, ok := next(); ok && ctx.Err() == nil; phone, ok = next() {
				travels(t, ctx, outside, phone)
			}
		})
	}
	chance := rand.New(rand.NewPCG(11, 26))
	for range kills {
		select {
		case <-time.After(time.Duration(50+chance.IntN(500)) * time.Millisecond):
		case <-ctx.Done():
			t.Fatal("it took too long")
		}
		service.kill()
		service = serve(t, data, listen)
	}
	close(stop)
	travelling.Wait()

	cl = service.signedIn(t)
	await := func(what string, holds func() bool) {
		t.Helper()
		for deadline := time.Now().Add(60 * time.Second); !holds(); time.Sleep(50 * time.Millisecond) {
			if time.Now().After(deadline) {
				t.Fatalf("it never came to pass that %s", what)
			}
		}
	}
	await("all runs are done", func() bool {
		page, err := cl.Runs(ctx, "", "", true)
		return err == nil && len(page.Items) == 0
	})
	for n := 1; n <= phones; n++ {
		phone := fmt.Sprintf("+4477%08d", 80_000_000+n)
		heard := outside.Handset.Texts(phone)
		var got []string
		for _, text := range heard {
			if text.Inward {
				got = append(got, text.Text)
			}
		}
		if len(got) != len(said) || slices.ContainsFunc(said, func(words string) bool { return !strings.Contains(got[slices.Index(said, words)], words) }) {
			t.Errorf("%s heard %q", phone, got)
		}
	}
	rows, err := cl.Rows(ctx, "steps")
	if err != nil {
		t.Fatal(err)
	}
	times := map[string]int{}
	for _, row := range rows.Items {
		times[row.Cells["What"]]++
	}
	for _, what := range []string{"a1", "b2", "c3", "second", "child", "grade 5"} {
		if times[what] != phones {
			t.Errorf("%d rows say %q, not %d", times[what], what, phones)
		}
	}
	if len(rows.Items) != 6*phones {
		t.Errorf("there are %d rows: %v", len(rows.Items), times)
	}
	await("all are told", func() bool {
		return len(outside.Pager.Alerts()) >= phones && mailsAbout(outside, "Journey of ") >= phones
	})
	if paged, mailed := len(outside.Pager.Alerts()), mailsAbout(outside, "Journey of "); paged != phones || mailed != phones {
		t.Errorf("%d alerts and %d mails for %d telephones", paged, mailed, phones)
	}
	t.Logf("%d telephones, %d kills", phones, kills)
}

func mailsAbout(outside *world.World, subject string) (n int) {
	for _, m := range outside.Mailroom.Mails() {
		if strings.HasPrefix(m.Subject, subject) {
			n++
		}
	}
	return n
}

// travels plays a telephone through the journey.
func travels(t *testing.T, ctx context.Context, outside *world.World, phone string) {
	for i, say := range []struct{ words, until string }{{"a journey please", "Two"}, {"12", "Five"}, {"what does a bicycle cost?", "Seven"}} {
		if err := outside.Handset.Send(ctx, phone, fmt.Sprintf("%s-%d", phone, i), say.words); err != nil {
			t.Errorf("%s: %v", phone, err)
			return
		}
		if _, err := outside.Handset.Await(ctx, phone, func(texts []world.Text) bool {
			return slices.ContainsFunc(texts, func(text world.Text) bool { return strings.HasPrefix(text.Text, say.until) })
		}); err != nil {
			t.Errorf("%s did not hear %q: %v", phone, say.until, err)
			return
		}
	}
}
