// Package apart reads files in worker processes, so that a file that was made to do
// harm costs no more than itself: the worker is cut off from files and the network,
// and is ended when it takes too much memory or time.
package apart

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"urgentparrot.example/internal/reading"
)

// Limits are what reading one file may cost.
type Limits struct {
	Memory int           // bytes
	Time   time.Duration // for any file
	PerMB  time.Duration // and for each of its megabytes
	Output int           // bytes
}

// usual are the limits of a service.
var usual = Limits{Memory: 1 << 30, Time: 10 * time.Second, PerMB: 4 * time.Second, Output: 128 << 20}

// How many workers there are at once, after how many files one is replaced, and how
// long one waits for work before it ends.
const (
	workers   = 2
	filesEach = 500
	idleTime  = time.Minute
	startTime = 30 * time.Second // for one to get ready
)

// A Pool reads files in workers. It is safe for concurrent use.
type Pool struct {
	Limits
	log     *slog.Logger
	command []string
	slots   chan struct{}

	mu     sync.Mutex
	idle   []*worker
	closed bool
	warned sync.Once
	warns  string
}

// New returns a pool of workers that are started when there is something to read.
// command starts a worker: a program that calls Work.
func New(log *slog.Logger, command ...string) *Pool {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	return &Pool{Limits: usual, log: log, command: command, slots: make(chan struct{}, workers)}
}

// A worker is a process that reads one file after another.
type worker struct {
	process *exec.Cmd
	in      io.WriteCloser
	out     io.ReadCloser
	said    *tail // on standard error
	files   int
	retire  *time.Timer
	warning string // what keeps it from being cut off, "" if it is
}

// Read reads a file in a worker. If the worker crashes over it, or takes too much
// memory or time, the error wraps reading.ErrBroke.
func (p *Pool) Read(ctx context.Context, f reading.File) (c reading.Contents, err error) {
	if len(f.Content) > reading.Limit {
		return c, fmt.Errorf("the file has %d MB; at most %d MB are read", len(f.Content)>>20, reading.Limit>>20)
	}
	select {
	case p.slots <- struct{}{}:
		defer func() { <-p.slots }()
	case <-ctx.Done():
		return c, ctx.Err()
	}
	for {
		w, err := p.take()
		if err != nil {
			return c, fmt.Errorf("files cannot be read at the moment: %w", err)
		}
		answer, why := p.ask(ctx, w, f)
		if why == nil {
			w.files++
			p.put(w)
			if answer.Error != "" {
				err = errors.New(answer.Error)
			}
			return answer.Contents, err
		}
		said := w.end()
		switch {
		case ctx.Err() != nil:
			return c, ctx.Err()
		case p.isClosed():
			return c, context.Canceled
		case errors.Is(why, errCrashed) && w.files > 0:
			continue // it may have ended before, of something else
		}
		p.log.Warn("reading a file broke", "file", f.Name, "address", f.Web, "why", why, "said", said)
		return c, fmt.Errorf("reading it %w: the file is damaged, or made in a way that is not understood; save it anew, or as plain text; %w", why, reading.ErrBroke)
	}
}

// Why reading a file was broken off.
var (
	errCrashed = errors.New("made the program that reads it crash")
	errMemory  = errors.New("took more memory than a file may")
	errTime    = errors.New("took longer than a file may")
	errOutput  = errors.New("gave more text than a file may hold")
)

// ask has a worker read a file, and watches it.
func (p *Pool) ask(ctx context.Context, w *worker, f reading.File) (a answer, why error) {
	over := make(chan error, 1)
	done := make(chan struct{})
	var watching sync.WaitGroup
	watching.Go(func() {
		limit := time.NewTimer(p.Time + time.Duration(len(f.Content)>>20)*p.PerMB)
		look := time.NewTicker(20 * time.Millisecond)
		defer limit.Stop()
		defer look.Stop()
		for {
			select {
			case <-done:
				return
			case <-limit.C:
				over <- errTime
			case <-ctx.Done():
				over <- ctx.Err()
			case <-look.C:
				if memoryOf(w.process.Process.Pid) <= p.Memory {
					continue
				}
				over <- errMemory
			}
			w.kill()
			return
		}
	})
	err := send(w.in, question{File: f, Size: len(f.Content)}, f.Content)
	if err == nil {
		err = receive(w.out, p.Output, &a)
	}
	close(done)
	watching.Wait()
	select {
	case why = <-over:
		return a, why
	default:
	}
	switch {
	case errors.Is(err, errOutput):
		return a, errOutput
	case err != nil:
		return a, errCrashed
	}
	return a, nil
}

// take returns a worker that is idle, or a new one.
func (p *Pool) take() (*worker, error) {
	if w := p.idler(); w != nil {
		return w, nil
	}
	w, err := p.start()
	if err == nil && p.isClosed() {
		w.end()
		err = errors.New("the service is stopping")
	}
	return w, err
}

// idler takes a worker that is idle, nil if there is none.
func (p *Pool) idler() *worker {
	p.mu.Lock()
	defer p.mu.Unlock()
	for n := len(p.idle); n > 0; n = len(p.idle) {
		w := p.idle[n-1]
		p.idle = p.idle[:n-1]
		if w.retire.Stop() {
			return w
		}
		w.end() // it was just about to go
	}
	return nil
}

// put keeps a worker for the next file, for a while.
func (p *Pool) put(w *worker) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed || w.files >= filesEach || memoryOf(w.process.Process.Pid) > p.Memory/4 {
		w.end()
		return
	}
	p.idle = append(p.idle, w)
	w.retire = time.AfterFunc(idleTime, func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		for i, other := range p.idle {
			if other == w {
				p.idle = append(p.idle[:i], p.idle[i+1:]...)
				w.end()
				return
			}
		}
	})
}

// start starts a worker and waits until it is ready.
func (p *Pool) start() (*worker, error) {
	w := &worker{process: exec.Command(p.command[0], p.command[1:]...), said: &tail{}}
	// It is given nothing of the service's: no secrets of the environment, no folder.
	w.process.Env = []string{"GOMAXPROCS=1", "GOTRACEBACK=single"}
	w.process.Dir = os.TempDir()
	w.process.Stderr = w.said
	var err error
	if w.in, err = w.process.StdinPipe(); err != nil {
		return nil, err
	}
	if w.out, err = w.process.StdoutPipe(); err != nil {
		return nil, err
	}
	if err := w.process.Start(); err != nil {
		return nil, err
	}
	var ready hello
	late := time.AfterFunc(startTime, w.kill)
	defer late.Stop()
	if err := receive(w.out, 1<<16, &ready); err != nil {
		return nil, fmt.Errorf("the program that reads them did not start: %s", w.end())
	}
	w.warning = ready.Warning
	return w, nil
}

func (w *worker) kill() { _ = w.process.Process.Kill() } // one that has ended need not be

// end ends a worker, and returns the last that it said.
func (w *worker) end() string {
	_ = w.in.Close()
	w.kill()
	_ = w.process.Wait() // it was killed, which is an error
	return w.said.String()
}

// Warning says why workers are not cut off from files and the network, "" if they
// are. It starts one if none was started yet.
func (p *Pool) Warning() string {
	p.warned.Do(func() {
		w, err := p.take()
		if err != nil {
			p.warns = "Files cannot be read: " + err.Error()
			return
		}
		if w.warning != "" {
			p.warns = "This machine does not let the program that reads files be cut off from the network and from other files (" + w.warning + "); read files of people whom you trust only"
		}
		p.put(w)
	})
	return p.warns
}

func (p *Pool) isClosed() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.closed
}

// Close ends the workers.
func (p *Pool) Close() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.closed = true
	for _, w := range p.idle {
		w.retire.Stop()
		w.end()
	}
	p.idle = nil
}

// tail keeps the beginning of what a worker says when it crashes.
type tail struct {
	mu   sync.Mutex
	kept bytes.Buffer
}

func (t *tail) Write(b []byte) (int, error) {
	const most = 2000 // bytes
	t.mu.Lock()
	defer t.mu.Unlock()
	t.kept.Write(b[:min(len(b), max(0, most-t.kept.Len()))])
	return len(b), nil
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return strings.TrimSpace(t.kept.String())
}
