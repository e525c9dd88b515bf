// Bench measures the speed of the service against a floor in the same run: a
// bare Gin handler that does one durable insert with the same driver, settings
// and writer; and questions to 100,000 passages against SQLite's full-text
// search. Figures of different runs or machines do not compare; ratios do.
package main

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"errors"
	"flag"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"runtime/pprof"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"

	"urgentparrot.example/internal/service"
	"urgentparrot.example/internal/store"
)

const (
	clients = 64
	length  = 6 * time.Second // of each measurement
)

var questions = []string{"can i take my bike on the boat?", "is there food on board", "How much is a single to Hallow Point for an adult?", "what happens to my ticket if the boat is cancelled", "Are dogs allowed?"}

var (
	profile   = flag.String("profile", "", "write the processor's time in turns to this `file`")
	turnsOnly = flag.Bool("turns", false, "leave the large knowledge out")
	largeOnly = flag.Bool("large", false, "measure the large knowledge only")
	models    = flag.Bool("models", false, "measure turns with a model only")
	teamOnly  = flag.Bool("team", false, "measure a team of bots with many tools only")
	mailOnly  = flag.Bool("mail", false, "measure mails only")
	flowsOnly = flag.Bool("flows", false, "measure flows only")
)

func main() {
	flag.Parse()
	debug.SetGCPercent(400) // as parrot serve does
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run() (err error) {
	data, err := os.MkdirTemp("", "parrot-bench-*")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(data)) }()
	if *models {
		return measureModels(filepath.Join(data, "models"))
	}
	if *teamOnly {
		return measureTeam()
	}
	if *mailOnly {
		return measureMail(filepath.Join(data, "mail"))
	}
	if *flowsOnly {
		return measureFlows(filepath.Join(data, "flows"))
	}
	if *largeOnly {
		return measureKnowledge(filepath.Join(data, "library"))
	}
	alone, err := measureFloor(filepath.Join(data, "alone.db"), insertAlone)
	if err != nil {
		return err
	}
	floor, err := measureFloor(filepath.Join(data, "floor.db"), insertInGroups)
	if err != nil {
		return err
	}
	turns, p50, p99, half, err := measureTurns(filepath.Join(data, "demo"))
	if err != nil {
		return err
	}
	again, err := measureFloor(filepath.Join(data, "floor-again.db"), insertInGroups)
	if err != nil {
		return err
	}
	floor = (floor + again) / 2
	ready, err := measureReady(filepath.Join(data, "demo"))
	if err != nil {
		return err
	}
	fmt.Printf("%-58s %10s\n", "floor: bare handler, one durable insert each", fmt.Sprintf("%.0f/s", alone))
	fmt.Printf("%-58s %10s\n", "floor in groups: the same, commits shared by 64 clients", fmt.Sprintf("%.0f/s", floor))
	fmt.Printf("%-58s %10s\n", "turns through the text line, signed webhook to reply", fmt.Sprintf("%.0f/s", turns))
	fmt.Printf("%-58s %10.2f   (aim: at least 0.25)\n", "turns / floor", turns/alone)
	fmt.Printf("%-58s %10.2f   (aim: at least 0.25)\n", "turns / floor in groups", turns/floor)
	fmt.Printf("%-58s %10s\n", fmt.Sprintf("text to reply at %.0f/s, half that load: p50", half), p50.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10s   (aim: under 50 ms)\n", "the same: p99", p99.Round(10*time.Microsecond))
	fmt.Printf("%-58s %10s   (aim: under 300 ms)\n", "start to ready with the demo data, median of 7", ready.Round(time.Millisecond))
	if err := measureFlows(filepath.Join(data, "flows")); err != nil {
		return err
	}
	if err := measureTeam(); err != nil {
		return err
	}
	if err := measureModels(filepath.Join(data, "models")); err != nil || *turnsOnly {
		return err
	}
	return measureKnowledge(filepath.Join(data, "library"))
}

// load calls do from so many clients at once for a time, and returns calls per
// second.
func load(do func(client, i int) error) (float64, error) {
	var calls atomic.Int64
	var working sync.WaitGroup
	failures := make(chan error, clients)
	begun := time.Now()
	for client := range clients {
		working.Add(1)
		go func() {
			defer working.Done()
			for i := 0; time.Since(begun) < length; i++ {
				if err := do(client, i); err != nil {
					failures <- err
					return
				}
				calls.Add(1)
			}
		}()
	}
	working.Wait()
	select {
	case err := <-failures:
		return 0, err
	default:
	}
	return float64(calls.Load()) / time.Since(begun).Seconds(), nil
}

// An inserter opens a database and returns what inserts one row durably.
type inserter func(path string) (insert func(ctx context.Context, id, text string) error, close func() error, err error)

// insertInGroups inserts with the store's writer, which shares commits.
func insertInGroups(path string) (func(context.Context, string, string) error, func() error, error) {
	s, err := store.Open(context.Background(), path)
	if err != nil {
		return nil, nil, err
	}
	return func(ctx context.Context, id, text string) error {
		return s.Write(ctx, func(tx *store.Tx) error {
			_, err := tx.PutRequest(id, text, time.Now())
			return err
		})
	}, s.Close, nil
}

// insertAlone inserts with the same driver and settings, a commit for each row.
func insertAlone(path string) (func(context.Context, string, string) error, func() error, error) {
	s, err := store.Open(context.Background(), path)
	if err != nil {
		return nil, nil, err
	}
	if err := s.Close(); err != nil {
		return nil, nil, err
	}
	db, err := sql.Open("sqlite", "file:"+path+store.Pragmas+"&_txlock=immediate")
	if err != nil {
		return nil, nil, err
	}
	db.SetMaxOpenConns(1)
	statement, err := db.Prepare(`INSERT INTO request (key, body, at) VALUES (?, ?, ?)`)
	return func(_ context.Context, id, text string) error {
		_, err := statement.Exec(id, text, time.Now().UnixMilli())
		return err
	}, db.Close, err
}

// measureFloor returns the inserts per second of the bare handler.
func measureFloor(path string, open inserter) (rate float64, err error) {
	insert, closeDB, err := open(path)
	if err != nil {
		return 0, err
	}
	defer func() { err = errors.Join(err, closeDB()) }()
	gin.SetMode(gin.ReleaseMode)
	handler := gin.New()
	handler.POST("/", func(c *gin.Context) {
		var in struct{ ID, Text string }
		if err := c.ShouldBindJSON(&in); err != nil {
			c.Status(http.StatusBadRequest)
			return
		}
		if err := insert(c, in.ID, in.Text); err != nil {
			c.Status(http.StatusInternalServerError)
			return
		}
		c.Status(http.StatusAccepted)
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = server.Serve(listener) }() // ends with Close
	defer func() { err = errors.Join(err, server.Close()) }()
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = clients
	client := &http.Client{Transport: transport}
	address := "http://" + listener.Addr().String()
	return load(func(worker, i int) error {
		body := fmt.Sprintf(`{"ID":"%d-%d","Text":%q}`, worker, i, questions[i%len(questions)]+strings.Repeat(" and so on", 20))
		response, err := client.Post(address, "application/json", bytes.NewReader([]byte(body)))
		if err != nil {
			return err
		}
		_, err = io.Copy(io.Discard, response.Body)
		return errors.Join(err, response.Body.Close())
	})
}

// measureTurns returns how many turns per second the service makes when texts
// come as fast as replies go, and the time from text to reply at half that load.
func measureTurns(data string) (rate float64, p50, p99 time.Duration, half float64, err error) {
	ctx := context.Background()
	d, err := service.StartDemo(ctx, service.Options{Data: data, Listen: "127.0.0.1:0"}, "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return 0, 0, 0, 0, err
	}
	defer func() { err = errors.Join(err, d.Close()) }()
	// What the knowledge means is learnt first; it happens once.
	w := d.Workspaces[service.DemoWorkspace]
	for waiting := 1; waiting > 0; time.Sleep(50 * time.Millisecond) {
		sources, err := w.Store().Sources(ctx)
		if err != nil {
			return 0, 0, 0, 0, err
		}
		waiting = 0
		for _, s := range sources {
			waiting += s.Waiting
			if s.ReadAt.IsZero() {
				waiting++
			}
		}
	}
	handset := d.World.Handset
	ask := func(phone, id, question string) error {
		replied := handset.Expect(phone)
		if err := handset.Deliver(ctx, phone, id, question); err != nil {
			return err
		}
		select {
		case <-replied:
			return nil
		case <-time.After(30 * time.Second):
			return fmt.Errorf("%s got no reply", phone)
		}
	}
	if *profile != "" {
		file, err := os.Create(*profile)
		if err != nil {
			return 0, 0, 0, 0, err
		}
		defer file.Close()
		if err := pprof.StartCPUProfile(file); err != nil {
			return 0, 0, 0, 0, err
		}
		defer pprof.StopCPUProfile()
	}
	// Each client has telephones of its own, so that no two texts make one turn.
	rate, err = load(func(client, i int) error {
		return ask(fmt.Sprintf("+4477%03d%05d", client, i/4), fmt.Sprintf("%d-%d", client, i), questions[i%len(questions)])
	})
	if err != nil {
		return 0, 0, 0, 0, err
	}

	half = rate / 2
	count := int(half * length.Seconds())
	took := make([]time.Duration, count)
	failures := make(chan error, count)
	var waiting sync.WaitGroup
	begun := time.Now()
	for i := range count {
		due := begun.Add(time.Duration(float64(i) / half * float64(time.Second)))
		time.Sleep(time.Until(due))
		waiting.Add(1)
		go func() {
			defer waiting.Done()
			// Counted from when it was due, so that a late start is not overlooked.
			if err := ask(fmt.Sprintf("+4478%08d", i/4*4+i%4), fmt.Sprintf("h-%d", i), questions[i%len(questions)]); err != nil {
				failures <- err
			}
			took[i] = time.Since(due)
		}()
	}
	waiting.Wait()
	close(failures)
	slices.Sort(took)
	return rate, took[count/2], took[count*99/100], half, <-failures
}

// measureReady returns how long the program takes from its start until it
// answers, over the data of the demo.
func measureReady(data string) (time.Duration, error) {
	var times []time.Duration
	for range 7 {
		begun := time.Now()
		command := exec.Command("bin/parrot", "serve", "-data", data, "-listen", "127.0.0.1:0")
		out, err := command.StdoutPipe()
		if err != nil {
			return 0, err
		}
		if err := command.Start(); err != nil {
			return 0, err
		}
		line, err := bufio.NewReader(out).ReadString('\n')
		times = append(times, time.Since(begun))
		if err = errors.Join(err, command.Process.Signal(os.Interrupt), command.Wait()); err != nil {
			return 0, fmt.Errorf("%s: %w", line, err)
		}
	}
	slices.Sort(times)
	return times[len(times)/2], nil
}
