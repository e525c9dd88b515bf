// Package service puts a process together: the workspaces of a data folder and
// the server that serves them.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/internal/api"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/engine"
	"urgentparrot.example/internal/store"
)

// Options are what a service is started with.
type Options struct {
	Data      string         // the folder that holds a folder for each workspace
	Listen    string         // HOST:PORT; port 0 chooses one
	PublicURL string         // "" means the address it listens on
	Workspace string         // made if the folder holds none; "main" if ""
	New       bool           // the workspace is made beside those that are there, and served alone
	Proxies   []netip.Prefix // in front of the service, which say who asks
	Log       *slog.Logger
	Engine    engine.Options // Log and PublicURL are filled in
	Mailbox   string         // of a demo: where the outside world's mailbox listens; "": anywhere
	Post      *Post          // where mail servers forward mails to; nil: nowhere
	Model     string         // of a demo: the connection that its bots think with at first; "": none
}

// A Service is a running process's worth of workspaces.
type Service struct {
	Workspaces map[string]*engine.Workspace
	PublicURL  string
	PostAddr   string // where mails are taken; "": nowhere

	post   *smtp.Server
	server *http.Server
	cancel context.CancelFunc
	ended  chan error
	ready  atomic.Bool
	closed sync.Once
}

// Start opens the workspaces and serves them. When it returns, the service is
// ready.
func Start(ctx context.Context, o Options) (_ *Service, err error) {
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	listener, err := net.Listen("tcp", o.Listen)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("the address %s is in use by another program: stop that one, or choose another address with -listen", o.Listen)
	}
	if err != nil {
		return nil, fmt.Errorf("cannot listen on %s: %w", o.Listen, err)
	}
	s := &Service{Workspaces: map[string]*engine.Workspace{}, PublicURL: o.PublicURL, ended: make(chan error, 1)}
	if s.PublicURL == "" {
		s.PublicURL = "http://" + listener.Addr().String()
	}
	o.Engine.Log, o.Engine.PublicURL = o.Log, s.PublicURL
	if err := s.open(ctx, o); err != nil {
		return nil, errors.Join(err, s.closeWorkspaces(), listener.Close())
	}
	if o.Post != nil {
		post, mails, err := startPost(*o.Post, s.Workspaces, o.Log)
		if err != nil {
			return nil, errors.Join(err, s.closeWorkspaces(), listener.Close())
		}
		s.post, s.PostAddr = post, mails.Addr().String()
		go func() { _ = post.Serve(mails) }() // it ends with Close
	}
	streams, cancel := context.WithCancel(context.WithoutCancel(ctx))
	s.cancel = cancel
	s.server = &http.Server{
		Handler:           api.New(api.Options{Workspaces: s.Workspaces, PublicURL: s.PublicURL, Log: o.Log, Ready: s.ready.Load, Proxies: o.Proxies}),
		BaseContext:       func(net.Listener) context.Context { return streams },
		ReadHeaderTimeout: 10 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(o.Log.Handler(), slog.LevelDebug),
	}
	s.ready.Store(true)
	go func() { s.ended <- s.server.Serve(listener) }()
	return s, nil
}

// open opens every workspace in the data folder, or makes the first.
func (s *Service) open(ctx context.Context, o Options) error {
	folders, err := engine.Folders(o.Data)
	if err != nil {
		return err
	}
	name := o.Workspace
	if name == "" {
		name = "main"
	}
	if !document.IsName(name) {
		return fmt.Errorf("%q is not a name for a workspace: use small letters, digits and hyphens, at most 40", name)
	}
	if o.New {
		if slices.Contains(folders, o.Data) {
			return fmt.Errorf("%s is itself a workspace: name the folder that it stands in", o.Data)
		}
		if _, err := os.Stat(filepath.Join(o.Data, name)); err == nil {
			return fmt.Errorf("%s is there already: choose another name for the new workspace", filepath.Join(o.Data, name))
		}
	}
	if len(folders) == 0 || o.New {
		folders = []string{filepath.Join(o.Data, name)}
	}
	for _, folder := range folders {
		w, err := engine.Open(ctx, folder, o.Engine)
		if errors.Is(err, os.ErrPermission) {
			return fmt.Errorf("the data folder cannot be written: %w", err)
		}
		if err != nil {
			return err
		}
		s.Workspaces[w.Name] = w
	}
	return nil
}

// SignInLink returns an address that signs its opener in to a workspace, once.
func (s *Service) SignInLink(ctx context.Context, workspace, name string) (string, error) {
	code, err := s.Workspaces[workspace].Access.Grant(ctx, store.Link, name)
	return s.PublicURL + "/sign-in?code=" + code, err
}

// NewToken returns a token for programs.
func (s *Service) NewToken(ctx context.Context, workspace, name string) (string, error) {
	return s.Workspaces[workspace].Access.Grant(ctx, store.Token, name)
}

// Wait returns when the service has failed.
func (s *Service) Wait() error { return <-s.ended }

// shutTime is how long requests in hand may still take.
const shutTime = 3 * time.Second

// Close ends streams, waits for requests in hand and closes the workspaces. To close it once more
// does nothing.
func (s *Service) Close() (err error) {
	s.closed.Do(func() { err = s.close() })
	return err
}

func (s *Service) close() error {
	s.ready.Store(false)
	s.cancel()
	ctx, cancel := context.WithTimeout(context.Background(), shutTime)
	defer cancel()
	if s.post != nil {
		_ = s.post.Close() // a mail that was not acknowledged is brought again
	}
	err := s.server.Shutdown(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		err = s.server.Close()
	}
	return errors.Join(err, s.closeWorkspaces())
}

func (s *Service) closeWorkspaces() error {
	errs := make([]error, 0, len(s.Workspaces))
	var mu sync.Mutex
	var closing sync.WaitGroup
	for _, w := range s.Workspaces {
		closing.Go(func() {
			err := w.Close()
			mu.Lock()
			defer mu.Unlock()
			errs = append(errs, err)
		})
	}
	closing.Wait()
	return errors.Join(errs...)
}
