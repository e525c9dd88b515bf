package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/core/answer"
	"urgentparrot.example/internal/core/encoder"
	"urgentparrot.example/internal/core/knowledge"
	"urgentparrot.example/internal/core/text"
	"urgentparrot.example/internal/library"
	"urgentparrot.example/internal/reading"
	"urgentparrot.example/internal/store"
)

const (
	passages  = 100_000
	perSource = 200
	asked     = 400
)

// A library is 100,000 passages made up of the sentences of a manual, with words
// of their own strewn in as rarely as words are in large collections. Encoding
// them all would take half an hour, so each sentence has the vector of the one it
// was made of, a little turned.
type shelf struct {
	sentences []string
	vectors   [][]float32
	tokens    []encoder.Tokens
	words     []string
	random    *rand.Rand
}

func newLibrary() (*shelf, error) {
	l := &shelf{random: rand.New(rand.NewPCG(7, 8))}
	files, err := filepath.Glob("test/quality/bedrow/*.md")
	if err != nil || len(files) == 0 {
		return nil, errors.Join(err, errors.New("the manual is missing; run the benchmark from the top folder"))
	}
	e, err := encoder.Shared()
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		content, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		d, err := reading.Read(file, content)
		if err != nil {
			return nil, err
		}
		for _, p := range d.Passages() {
			for _, span := range text.Sentences(p.Text) {
				if s := p.Text[span.Start:span.End]; len(strings.Fields(s)) > 6 {
					r, err := e.Read(context.Background(), p.Trail[len(p.Trail)-1]+": "+s)
					if err != nil {
						return nil, err
					}
					l.sentences, l.vectors, l.tokens = append(l.sentences, s), append(l.vectors, r.Vector), append(l.tokens, r.Tokens)
				}
			}
		}
	}
	for i := range 30_000 {
		l.words = append(l.words, fmt.Sprintf("%c%c%c%c%c", "bdfgklmnprstv"[i%13], "aeiou"[i/13%5], "bdfgklmnprstv"[i/65%13], "aeiou"[i/845%5], "lmnrst"[i/4225%6]))
	}
	return l, nil
}

// word is one of the strewn words, the first ones far more often.
func (l *shelf) word() string {
	return l.words[int(math.Pow(l.random.Float64(), 3)*float64(len(l.words)))]
}

func (l *shelf) near(vector []float32) knowledge.Code {
	turned := make([]float32, len(vector))
	sum := 0.0
	for i, v := range vector {
		x := float64(v) + 0.02*l.random.NormFloat64()
		turned[i] = float32(x)
		sum += x * x
	}
	for i := range turned {
		turned[i] /= float32(math.Sqrt(sum))
	}
	return knowledge.Pack(turned)
}

func (l *shelf) passage() knowledge.Passage {
	p := knowledge.Passage{Trail: []string{"Manual", l.word() + " " + l.word()}}
	first := l.random.IntN(len(l.sentences))
	p.Views = append(p.Views, l.near(l.vectors[first]), l.near(l.vectors[first]))
	var said []string
	for i := range 5 {
		at := (first + i*i) % len(l.sentences)
		words := strings.Fields(l.sentences[at])
		for range 3 {
			words[l.random.IntN(len(words)-1)] = l.word()
		}
		said = append(said, strings.Join(words, " "))
	}
	p.Text = strings.Join(said, " ")
	spans := text.Sentences(p.Text)
	var tokens []encoder.Tokens
	for i := range spans {
		at := (first + i*i) % len(l.sentences)
		p.Views, tokens = append(p.Views, l.near(l.vectors[at])), append(tokens, l.tokens[at])
	}
	p.Tokens = encoder.Bytes(tokens)
	return p
}

// fill keeps the library in a workspace.
func (l *shelf) fill(folder string) (all []knowledge.Passage, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	ctx := context.Background()
	s, err := store.Open(ctx, filepath.Join(folder, "parrot.db"))
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	now := time.Now()
	for n := range passages / perSource {
		source := store.Source{ID: store.NewID(), Name: fmt.Sprintf("manual-%d.md", n), Kind: store.FromFile, ReadAt: now}
		page := store.ReadPage{Page: store.Page{ID: store.NewID(), Title: "Manual"}}
		for range perSource {
			p := l.passage()
			p.ID, p.SourceID, p.Source = store.NewID(), source.ID, source.Name
			page.Passages = append(page.Passages, p)
		}
		if err := s.Write(ctx, func(tx *store.Tx) error {
			if _, err := tx.AddSource(source, now); err != nil {
				return err
			}
			if err := tx.PutReading(source, []store.ReadPage{page}, true, now); err != nil {
				return err
			}
			return tx.PutViews(encoder.Version+"/"+knowledge.ViewsVersion, page.Passages)
		}); err != nil {
			return nil, err
		}
		for i := range page.Passages {
			page.Passages[i].Tokens = nil // on disk from now on
		}
		all = append(all, page.Passages...)
	}
	return all, nil
}

// question asks about a passage in some of its own words.
func (l *shelf) question(all []knowledge.Passage) string {
	p := all[l.random.IntN(len(all))]
	words := strings.Fields(strings.NewReplacer(".", "", "?", "", "!", "", ";", "", ":", "").Replace(p.Text)) // one sentence
	at := l.random.IntN(len(words) - 9)
	return "how do I " + strings.Join(words[at:at+9], " ") + "?"
}

// measureKnowledge prints how fast 100,000 passages are searched, beside SQLite's
// full-text search over the same ones.
func measureKnowledge(folder string) error {
	l, err := newLibrary()
	if err != nil {
		return err
	}
	workspace := filepath.Join(folder, "main")
	all, err := l.fill(workspace)
	if err != nil {
		return err
	}
	questions := make([]string, asked)
	for i := range questions {
		questions[i] = l.question(all)
	}
	plain, err := measureFTS(filepath.Join(folder, "fts.db"), all, questions)
	if err != nil {
		return err
	}
	var starts []time.Duration
	var resident int64
	for range 5 {
		ready, held, err := measureStart(folder)
		if err != nil {
			return err
		}
		starts, resident = append(starts, ready), held
	}
	ready, _ := spread(starts)
	ix := knowledge.Build(text.NewAnalyzer("en", nil), all)
	for i := range all {
		all[i].Views = nil
	}
	all = nil
	e, err := encoder.Shared()
	if err != nil {
		return err
	}
	ctx := context.Background()
	records, err := store.Open(ctx, filepath.Join(workspace, "parrot.db"))
	if err != nil {
		return err
	}
	defer records.Close()
	// Tokens are read from disk for each question: nothing is remembered.
	tokens := func(ctx context.Context, hits []knowledge.Hit) [][]encoder.Tokens {
		ids, all := make([]string, len(hits)), make([][]encoder.Tokens, len(hits))
		for i, hit := range hits {
			ids[i] = hit.ID
		}
		kept, _ := records.Tokens(ctx, encoder.Version+"/"+knowledge.ViewsVersion, ids) // what is missing shows: then nothing is judged
		for i, hit := range hits {
			all[i] = encoder.ParseTokens(kept[hit.ID])
		}
		return all
	}
	desk := library.PlainDesk(answer.Finder{Index: ix, Vectors: answer.NewVectors(e), Tokens: tokens})
	desk.Ask(ctx, "what does a folding boat cost in the off season?")
	runtime.GC()
	debug.FreeOSMemory()
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	before := runtime.GOMAXPROCS(1)
	var times, encoding []time.Duration
	for _, q := range questions {
		begun := time.Now()
		desk.Ask(ctx, q)
		times = append(times, time.Since(begun))
		begun = time.Now()
		if _, err := e.Encode(ctx, q); err != nil {
			return err
		}
		encoding = append(encoding, time.Since(begun))
	}
	var mails []time.Duration
	for i := range 40 {
		mail := "Good morning. "
		for k := range 9 {
			mail += "We saw that " + strings.TrimPrefix(strings.TrimSuffix(questions[(9*i+k)%len(questions)], "?"), "how do I ") + ". "
		}
		mail += questions[i]
		begun := time.Now()
		desk.Ask(ctx, mail)
		mails = append(mails, time.Since(begun))
	}
	if found := desk.Search(ctx, questions[0]); len(found.Candidates) == 0 || found.Candidates[0].Sure == 0 {
		return errors.New("the checker had no say: tokens are missing")
	}
	begun := time.Now()
	changed := ix.Change(nil, []knowledge.Passage{{ID: "new", SourceID: "new", Text: "The zebrafinch ferry has a lift."}})
	added := time.Since(begun)
	runtime.GOMAXPROCS(before)
	if found := changed.ByWords([]knowledge.Want{{{Stem: changed.Analyzer().Stem("zebrafinch"), Worth: 1}}}, knowledge.Scope{}, 1); len(found) != 1 || found[0].ID != "new" {
		return errors.New("what was added is not found")
	}
	speed, err := measureReading()
	if err != nil {
		return err
	}
	each, err := measureEncoding(e)
	if err != nil {
		return err
	}
	mail50, _ := spread(mails)
	p50, p95 := spread(times)
	fts50, _ := spread(plain)
	encode50, _ := spread(encoding)
	fmt.Printf("%-58s %10s   (aim: under 25 ms)\n", "100,000 passages: a question answered, one core, p50", p50.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10s   (aim: under 50 ms)\n", "the same: p95", p95.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10s\n", "of that, encoding the question, p50", encode50.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10s   (aim: under 250 ms)\n", "a mail of eleven sentences answered, one core, p50", mail50.Round(time.Millisecond))
	fmt.Printf("%-58s %7.0f min   (aim: under 40 min)\n", "encoding 100,000 passages of 60 words, two cores", each.Minutes()*100_000)
	fmt.Printf("%-58s %10s\n", "SQLite FTS5, bm25, first ten, same passages, p50", fts50.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10.2f   (aim: at most 2)\n", "answered / FTS5", float64(p50)/float64(fts50))
	fmt.Printf("%-58s %7d MB   (aim: under 700 MB)\n", "memory of the index with its texts", memory.HeapAlloc>>20)
	fmt.Printf("%-58s %7d MB\n", "memory of the program with them, resident", resident>>20)
	fmt.Printf("%-58s %10s   (aim: under 3 s)\n", "start to ready with them, median of 5", ready.Round(10*time.Millisecond))
	fmt.Printf("%-58s %10s   (aim: under 100 ms)\n", "adding one document, until it is found by its words", added.Round(10*time.Microsecond))
	fmt.Printf("%-58s %7.1f MB/s   (aim: at least 5 MB/s)\n", "reading HTML into passages, two cores", speed)
	runtime.KeepAlive(ix)
	return nil
}

func spread(times []time.Duration) (p50, p95 time.Duration) {
	slices.Sort(times)
	return times[len(times)/2], times[len(times)*95/100]
}

func measureFTS(path string, all []knowledge.Passage, questions []string) (times []time.Duration, err error) {
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(`CREATE VIRTUAL TABLE passage USING fts5 (head, body, tokenize = 'porter unicode61')`); err != nil {
		return nil, err
	}
	tx, err := db.Begin()
	if err != nil {
		return nil, err
	}
	for i, p := range all {
		if _, err := tx.Exec(`INSERT INTO passage (rowid, head, body) VALUES (?, ?, ?)`, i, strings.Join(p.Trail, " "), p.Text); err != nil {
			return nil, err
		}
	}
	if err := tx.Commit(); err != nil {
		return nil, err
	}
	for _, q := range questions {
		var words []string
		for _, t := range text.NewAnalyzer("en", nil).Terms(q) {
			if !t.Stop { // its own best case: without the words that all passages hold
				words = append(words, `"`+t.Word+`"`)
			}
		}
		begun := time.Now()
		rows, err := db.Query(`SELECT rowid FROM passage WHERE passage MATCH ? ORDER BY bm25(passage) LIMIT 10`, strings.Join(words, " OR "))
		if err != nil {
			return nil, err
		}
		for rows.Next() {
			var id int
			err = errors.Join(err, rows.Scan(&id))
		}
		if err = errors.Join(err, rows.Err(), rows.Close()); err != nil {
			return nil, err
		}
		times = append(times, time.Since(begun))
	}
	return times, nil
}

// measureStart starts the program over the library and returns how long it took
// until it answered, and the memory that it then holds.
func measureStart(data string) (ready time.Duration, resident int64, err error) {
	command := exec.Command("bin/parrot", "serve", "-data", data, "-listen", "127.0.0.1:0")
	out, err := command.StdoutPipe()
	if err != nil {
		return 0, 0, err
	}
	begun := time.Now()
	if err := command.Start(); err != nil {
		return 0, 0, err
	}
	first := make([]byte, 16)
	_, err = out.Read(first)
	ready = time.Since(begun)
	time.Sleep(5 * time.Second) // what loading took is given back behind the scenes
	if status, failed := os.ReadFile(fmt.Sprintf("/proc/%d/status", command.Process.Pid)); failed == nil {
		for line := range strings.Lines(string(status)) {
			var kb int64
			if n, _ := fmt.Sscanf(line, "VmRSS: %d kB", &kb); n == 1 {
				resident = kb << 10
			}
		}
	}
	return ready, resident, errors.Join(err, command.Process.Signal(os.Interrupt), command.Wait())
}

// measureReading returns how many megabytes of HTML a second become passages.
func measureReading() (float64, error) {
	var page strings.Builder
	page.WriteString("<html><body><nav><ul>" + strings.Repeat(`<li><a href="/x">A link</a>`, 40) + "</ul></nav><main>")
	for i := range 120 {
		fmt.Fprintf(&page, `<h2>Section %d</h2><div class="a"><p>The <b>boat</b> leaves at <i>noon</i> and comes back <a href="/y">later</a>; nobody knows when. Bring a coat, since it may rain.</p><ul><li>a coat</li><li>a hat</li></ul><table><tr><th>Who</th><th>Pays</th></tr><tr><td>All</td><td>£6</td></tr></table></div>`, i)
	}
	page.WriteString("</main></body></html>")
	content := []byte(page.String())
	const copies = 60
	begun := time.Now()
	failed := make(chan error, 2)
	for range 2 {
		go func() {
			for range copies {
				if _, err := reading.Read("page.html", content); err != nil {
					failed <- err
					return
				}
			}
			failed <- nil
		}()
	}
	err := errors.Join(<-failed, <-failed)
	return float64(2*copies*len(content)) / 1e6 / time.Since(begun).Seconds(), err
}

// measureEncoding returns how long a passage of 60 words takes to encode, with its headings
// and sentences, where two are encoded at once.
func measureEncoding(e *encoder.Encoder) (time.Duration, error) {
	const many = 60
	p := knowledge.Passage{Trail: []string{"Bicycles"}, Text: "You can take your bicycle on every boat that leaves from the pier. A bicycle costs two pounds each way, whatever the crossing. " +
		"Wheel it on by the stern ramp and lock it to the rail on the car deck. Each boat has room for many bicycles. On summer Saturdays, book a place for it together with your own ticket."}
	said := p.Said()
	var failed error
	var working sync.WaitGroup
	var mu sync.Mutex
	begun := time.Now()
	for range 2 {
		working.Go(func() {
			for range many {
				for _, s := range said {
					if _, err := e.Read(context.Background(), s); err != nil {
						mu.Lock()
						failed = err
						mu.Unlock()
					}
				}
			}
		})
	}
	working.Wait()
	return time.Since(begun) / (2 * many), failed
}
