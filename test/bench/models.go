package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/world"
)

// How the model of the outside world takes its time, and how many talk to the bot at once.
const (
	modelTakes = 200 * time.Millisecond
	talking    = 200
	waves      = 4
)

// measureModels measures what a turn takes beside a model that takes 200 ms, what many
// conversations at once wait for it, and what a model that hangs costs the others.
func measureModels(data string) (err error) {
	ctx := context.Background()
	d, err := service.StartDemo(ctx, service.Options{Data: data, Listen: "127.0.0.1:0", Model: "reading-desk"}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, d.Close()) }()
	w := d.Workspaces[service.DemoWorkspace]
	change := func(kind, name, old, by string) error {
		kept, err := w.Store().Documents(ctx, kind)
		if err != nil {
			return err
		}
		for _, k := range kept {
			if k.Name == name {
				_, err := w.Documents.Put(ctx, kind, name, strings.Replace(k.Text, old, by, 1), 0)
				return err
			}
		}
		return fmt.Errorf("there is no %s %s", kind, name)
	}
	if err := errors.Join(
		change("connection", "reading-desk", "at_once: 16", "at_once: 200"),
		change("channel", "text-line", "channel: text-line\n", "channel: text-line\npause: 0s\n"),
	); err != nil {
		return err
	}
	var phones atomic.Int64
	send := func(question string) (phone string, err error) {
		n := phones.Add(1)
		phone = fmt.Sprintf("+4477009%05d", n)
		return phone, d.World.Handset.Send(ctx, phone, fmt.Sprint("m", n), question)
	}
	ask := func(question string) (time.Duration, error) {
		limited, cancel := context.WithTimeout(ctx, time.Minute)
		defer cancel()
		began := time.Now()
		phone, err := send(question)
		if err == nil {
			_, err = d.World.Handset.Await(limited, phone, func(texts []world.Text) bool { return len(texts) > 0 })
		}
		return time.Since(began), err
	}
	// The rules of the desk take time of the same two cores: it replies by a script.
	if _, err := ask("Do dogs travel free?"); err != nil {
		return err
	}
	reply, err := scriptFor(d.World.Desk.Exchanges(), "Dogs travel free")
	if err != nil {
		return err
	}
	d.World.Desk.Put(world.Script{Reply: reply})
	d.World.Desk.Trouble.Set(false, modelTakes)

	var all []time.Duration
	for i := range 40 {
		took, err := ask([]string{"Do dogs travel free?", "Can I take my dog on the boat?", "Where can dogs go?", "Are dogs welcome in the saloon?"}[i%4])
		if err != nil {
			return err
		}
		all = append(all, took)
	}
	p50, p95 := spread(all)
	fmt.Printf("with a model that takes %v, from message to reply: p50 %v, p95 %v; of that ours: p50 %v, p95 %v   (aim: under 15 ms)\n", modelTakes, p50.Round(time.Millisecond), p95.Round(time.Millisecond),
		(p50 - modelTakes).Round(100*time.Microsecond), (p95 - modelTakes).Round(100*time.Microsecond))

	fmt.Printf("%d conversations at once, %d times:", talking, waves)
	for range waves {
		times, err := together(talking, ask)
		if err != nil {
			return err
		}
		p50, p95 := spread(times)
		fmt.Printf(" p50 %v, p95 %v;", p50.Round(10*time.Millisecond), p95.Round(10*time.Millisecond))
	}
	fmt.Println()

	// A model that hangs holds up those who wait for it, and nobody else.
	if err := change("bot", "front-desk", "bot: front-desk\n", "bot: front-desk\nmodel: { use: built-in }\n"); err != nil {
		return err
	}
	alone, err := together(talking, ask)
	if err != nil {
		return err
	}
	if err := change("bot", "front-desk", "model: { use: built-in }\n", ""); err != nil {
		return err
	}
	d.World.Desk.Set(world.Hangs)
	for range talking {
		if _, err := send("Do dogs travel free?"); err != nil {
			return err
		}
	}
	for deadline := time.Now().Add(time.Minute); d.World.Desk.Hanging() < talking; time.Sleep(10 * time.Millisecond) {
		if time.Now().After(deadline) {
			return fmt.Errorf("%d of %d wait for the model", d.World.Desk.Hanging(), talking)
		}
	}
	if err := change("bot", "front-desk", "bot: front-desk\n", "bot: front-desk\nmodel: { use: built-in }\n"); err != nil {
		return err
	}
	beside, err := together(talking, ask)
	if err != nil {
		return err
	}
	aloneP50, aloneP95 := spread(alone)
	besideP50, besideP95 := spread(beside)
	fmt.Printf("%d who do not wait for the model, p50 and p95: %v and %v; while it hangs for %d others: %v and %v\n", talking, aloneP50.Round(time.Millisecond), aloneP95.Round(time.Millisecond), talking, besideP50.Round(time.Millisecond), besideP95.Round(time.Millisecond))
	return nil
}

// together has many ask at once.
func together(n int, ask func(string) (time.Duration, error)) ([]time.Duration, error) {
	times, failed := make([]time.Duration, n), make([]error, n)
	var asking sync.WaitGroup
	for i := range n {
		asking.Go(func() { times[i], failed[i] = ask("Do dogs travel free?") })
	}
	asking.Wait()
	return times, errors.Join(failed...)
}

// scriptFor is the reply of a model that says what a passage says, by the prompt that it was
// given.
func scriptFor(exchanges []world.Exchange, says string) (string, error) {
	for _, x := range exchanges {
		for _, m := range x.Prompt {
			for line := range strings.Lines(m.Content) {
				var p struct{ ID, Text string }
				if json.Unmarshal([]byte(line), &p) == nil && strings.Contains(p.Text, says) {
					raw, err := json.Marshal(map[string]any{"act": "reply", "language": "en", "unknown": []string{}, "sentences": []any{
						map[string]any{"says": "Dogs travel free and are welcome on the open decks and in the lower saloon.", "means": "", "stands_on": []string{p.ID}},
					}})
					return string(raw), err
				}
			}
		}
	}
	return "", fmt.Errorf("none of %d prompts holds %q", len(exchanges), says)
}
