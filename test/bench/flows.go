package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"time"

	_ "modernc.org/sqlite" // the driver of the floors

	"urgentparrot.example/demo"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/core/rehearsal"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/kinds"
	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/store"
)

// talkFree is a flow that takes steps and says nothing.
const talkFree = `flow: talk-free
when: by hand
already_running: both
steps:
  - loop:
      at_most: 100
      steps:
        - set: { values: { n: "{{ round }}" } }
        - branch: [ { if: "n > 1000", steps: [ end ] }, { else: [ { set: { values: { m: "{{ n * 2 }}" } } } ] } ]
        - record: { sheet: steps, key: "{{ run.id }}", row: { N: "{{ n }}" } }
`

// stepsOf is how many steps one run of it takes.
const stepsOf = 1 + 4*100

// measureFlows prints how fast flows are played, checked and rehearsed, and what waits cost.
func measureFlows(folder string) error {
	w, err := engine.Open(context.Background(), folder, engine.Options{})
	if err != nil {
		return err
	}
	defer w.Close()
	ctx := context.Background()
	for _, d := range [][3]string{{"sheet", "steps", "sheet: steps\ncolumns: [N]\n"}, {"flow", "talk-free", talkFree}} {
		if _, err := w.Documents.Put(ctx, d[0], d[1], d[2], 0); err != nil {
			return err
		}
	}
	if err := w.Documents.GoLive(ctx, "flow", "talk-free", 0, "bench"); err != nil {
		return err
	}
	runs := 0
	play := func(n int) (float64, error) {
		begun := time.Now()
		if err := w.Flows.Start(ctx, "talk-free", "bench", make([]engine.Start, n)); err != nil {
			return 0, err
		}
		runs += n
		for {
			fired, err := w.Store().Runs(ctx, store.RunFilter{Flow: "talk-free", Limit: 100_000})
			if err != nil {
				return 0, err
			}
			done := 0
			for _, r := range fired {
				if r.Status == "done" {
					done++
				}
			}
			if done == runs {
				return float64(n*stepsOf) / time.Since(begun).Seconds(), nil
			}
			time.Sleep(20 * time.Millisecond) // looking costs more than the steps that are looked for
		}
	}
	alone, err := bareInserts(filepath.Join(folder, "floor.db"), 3000)
	if err != nil {
		return err
	}
	one, err := play(8)
	if err != nil {
		return err
	}
	shared, err := sharedInserts(w.Store(), 64, 20_000)
	if err != nil {
		return err
	}
	many, err := play(64) // each takes some 400 steps
	if err != nil {
		return err
	}
	row := func(what, figure, aim string) { fmt.Printf("%-58s %10s   %s\n", what, figure, aim) }
	row("floor: one durable insert each, one connection", fmt.Sprintf("%.0f/s", alone), "")
	row("steps of a talk-free flow", fmt.Sprintf("%.0f/s", one), "")
	row("steps / floor", fmt.Sprintf("%.2f", one/alone), "(aim: at least 0.70)")
	row("floor: inserts of 64 callers that share commits", fmt.Sprintf("%.0f/s", shared), "")
	row("steps of 64 runs at once / that", fmt.Sprintf("%.2f", many/shared), "(aim: at least 0.50)")

	var long strings.Builder
	long.WriteString("flow: long\nwhen: by hand\nsteps:\n")
	for i := range 124 {
		fmt.Fprintf(&long, "  - ask: \"Question %d, {{ contact.first_name.orValue('you') }}?\"\n    save: v%d\n    as: integer\n    check: \"v%d > 0\"\n", i, i, i)
	}
	begun := time.Now()
	const times = 5
	for range times {
		if findings := w.Documents.Findings("flow", "long", long.String()); len(findings) > 0 && !findings[0].Warning {
			return findings[0].Problem
		}
	}
	row("a flow of 500 lines checked", (time.Since(begun) / times).Round(100*time.Microsecond).String(), "(aim: under 50 ms)")
	return errors.Join(measureRehearsals(filepath.Join(folder, "demo")), measureWaits(filepath.Join(folder, "waits")))
}

func bareInserts(file string, n int) (float64, error) {
	db, err := sql.Open("sqlite", "file:"+file+"?"+store.Pragmas)
	if err != nil {
		return 0, err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	if _, err := db.Exec(`CREATE TABLE step (id INTEGER PRIMARY KEY, words TEXT) STRICT`); err != nil {
		return 0, err
	}
	begun := time.Now()
	for range n {
		if _, err := db.Exec(`INSERT INTO step (words) VALUES ('a step that was taken')`); err != nil {
			return 0, err
		}
	}
	return float64(n) / time.Since(begun).Seconds(), nil
}

func sharedInserts(s *store.Store, callers, n int) (float64, error) {
	begun := time.Now()
	var working sync.WaitGroup
	errs := make(chan error, callers)
	for range callers {
		working.Go(func() {
			for range n / callers {
				if err := s.Write(context.Background(), func(tx *store.Tx) error {
					_, err := tx.PutRequest(store.NewID(), "a step that was taken", time.Now())
					return err
				}); err != nil {
					errs <- err
					return
				}
			}
		})
	}
	working.Wait()
	select {
	case err := <-errs:
		return 0, err
	default:
		return float64(n) / time.Since(begun).Seconds(), nil
	}
}

// measureRehearsals plays a hundred rehearsals of the demo's.
func measureRehearsals(folder string) error {
	d, err := service.StartDemo(context.Background(), service.Options{Data: folder, Listen: "127.0.0.1:0"}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer d.Close()
	kind, _ := document.Find(kinds.Documents, "rehearsal")
	var scripts []rehearsal.Script
	documents, err := demo.Documents(demo.Outside{World: d.WorldURL, Mailroom: "127.0.0.1:1", Mailbox: "127.0.0.1:1"})
	if err != nil {
		return err
	}
	for len(scripts) < 100 {
		for _, doc := range documents {
			if doc.Kind != kind.Name {
				continue
			}
			script, err := rehearsal.Parse(doc.Name, []byte(doc.Text))
			if err != nil {
				return err
			}
			scripts = append(scripts, script)
		}
	}
	begun := time.Now()
	if _, err := d.Workspaces[service.DemoWorkspace].Rehearse(context.Background(), scripts[:100], nil); err != nil {
		return err
	}
	fmt.Printf("%-58s %10s   (aim: under 5 s)\n", "100 rehearsals of the demo's", time.Since(begun).Round(time.Millisecond))
	return nil
}

// waits is how many runs wait at once.
const waits = 1_000_000

// measureWaits opens a workspace with a million runs that wait, and without.
func measureWaits(folder string) error {
	open := func() (time.Duration, uint64, error) {
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		begun := time.Now()
		w, err := engine.Open(context.Background(), folder, engine.Options{})
		if err != nil {
			return 0, 0, err
		}
		took := time.Since(begun)
		runtime.GC()
		runtime.ReadMemStats(&after)
		used := uint64(0)
		if after.HeapInuse > before.HeapInuse {
			used = after.HeapInuse - before.HeapInuse
		}
		return took, used, w.Close()
	}
	w, err := engine.Open(context.Background(), folder, engine.Options{})
	if err != nil {
		return err
	}
	const flow = "flow: waits\nwhen: by hand\nsteps:\n  - wait: 30d\n"
	if _, err := w.Documents.Put(context.Background(), "flow", "waits", flow, 0); err != nil {
		return err
	}
	if err := errors.Join(w.Documents.GoLive(context.Background(), "flow", "waits", 0, "bench"), w.Close()); err != nil {
		return err
	}
	without, lean, err := open()
	if err != nil {
		return err
	}
	db, err := sql.Open("sqlite", "file:"+filepath.Join(folder, "parrot.db")+"?"+store.Pragmas)
	if err != nil {
		return err
	}
	_, err = db.Exec(`WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?)
		INSERT INTO run (id, flow, version, status, talks, state, place, waits_for, until, started_by, started_at, updated_at)
		SELECT printf('run-%08d', i), 'waits', 1, 'waiting', 0, '{"frames":[{"block":"","step":0}],"values":{},"wait":{"id":1,"for":"time","until":"2099-01-01T00:00:00Z","since":"2026-11-26T00:00:00Z"},"waits":1,"taken":1}', '0', 'time', 4070908800000, 'bench', 0, 0 FROM n`, waits)
	if err == nil {
		_, err = db.Exec(`INSERT INTO timer (id, kind, subject, body, due_at) SELECT 'run/' || id, 'run', id, '1', until FROM run`)
	}
	if err = errors.Join(err, db.Close()); err != nil {
		return err
	}
	with, heavy, err := open()
	if err != nil {
		return err
	}
	fmt.Printf("%-58s %10s   (aim: under 1 s more)\n", "start with a million waits, beside none", fmt.Sprintf("%s / %s", with.Round(time.Millisecond), without.Round(time.Millisecond)))
	fmt.Printf("%-58s %10s   (aim: under 100 MB)\n", "memory more", fmt.Sprintf("%.1f MB", (float64(heavy)-float64(lean))/1e6))
	return os.RemoveAll(folder)
}
