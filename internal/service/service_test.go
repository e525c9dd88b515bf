package service

import (
	"errors"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/emersion/go-smtp"

	"urgentparrot.example/client"
	"urgentparrot.example/internal/kinds"
)

func options(data string) Options {
	o := Options{Data: data, Listen: "127.0.0.1:0"}
	o.Engine.Channels = kinds.Channels
	return o
}

func start(t *testing.T, o Options) *Service {
	t.Helper()
	s, err := Start(t.Context(), o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// status asks for a page of the service.
func status(t *testing.T, c *http.Client, address string) int {
	t.Helper()
	response, err := c.Get(address)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	return response.StatusCode
}

// A service that Start returns is ready; its link signs in whoever opens it first, and nobody
// after; once it is closed nothing answers, and its folder may be opened again as it was.
func TestAServiceIsReadyAndGoesOnWhereItStopped(t *testing.T) {
	data := t.TempDir()
	s := start(t, options(data))
	if got := status(t, http.DefaultClient, s.PublicURL+"/readyz"); got != http.StatusOK {
		t.Errorf("when Start returns the service answers %d", got)
	}
	link, err := s.SignInLink(t.Context(), "main", "Owner")
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []int{http.StatusOK, http.StatusUnauthorized} {
		jar, _ := cookiejar.New(nil)
		c := &http.Client{Jar: jar}
		status(t, c, link) // which alone uses nothing up: mail programs look at links too
		_, code, _ := strings.Cut(link, "code=")
		response, err := c.Post(s.PublicURL+"/api/v1/sessions", "application/json", strings.NewReader(`{"code": "`+code+`"}`))
		if err != nil {
			t.Fatal(err)
		}
		response.Body.Close()
		if got := status(t, c, s.PublicURL+"/api/v1/documents/bots"); got != want {
			t.Errorf("the link opened %d times: %d", i+1, got)
		}
	}
	token, err := s.NewToken(t.Context(), "main", "Robin")
	if err != nil {
		t.Fatal(err)
	}
	c := &client.Client{Server: s.PublicURL, Token: token}
	if _, err := c.PutDocument(t.Context(), "sheets", "orders", "sheet: orders\ncolumns: [Name]\n", 0); err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatalf("closing: %v", err)
	}
	if err := s.Close(); err != nil {
		t.Errorf("closing once more: %v", err)
	}
	if _, err := c.Documents(t.Context(), "sheets"); !errors.Is(err, client.ErrUnreachable) {
		t.Errorf("a service that is closed answers: %v", err)
	}
	again := start(t, options(data))
	c.Server = again.PublicURL
	if page, err := c.Documents(t.Context(), "sheets"); err != nil || len(page.Items) != 1 {
		t.Errorf("the token or what was kept is lost: %+v, %v", page.Items, err)
	}
}

// Several workspaces of a process know nothing of one another.
func TestWorkspacesStandApart(t *testing.T) {
	data := t.TempDir()
	for _, name := range []string{"bakery", "boatyard"} {
		o := options(data)
		o.Workspace, o.New = name, true
		if err := start(t, o).Close(); err != nil {
			t.Fatal(err)
		}
	}
	s := start(t, options(data))
	if len(s.Workspaces) != 2 {
		t.Fatalf("served are %d workspaces", len(s.Workspaces))
	}
	clients := map[string]*client.Client{}
	for name := range s.Workspaces {
		token, err := s.NewToken(t.Context(), name, "Robin")
		if err != nil {
			t.Fatal(err)
		}
		clients[name] = &client.Client{Server: s.PublicURL, Token: token}
	}
	if _, err := clients["bakery"].AddContact(t.Context(), client.ContactChange{Facts: map[string]string{"name": "Ada Winter"}}); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]int{"bakery": 1, "boatyard": 0} {
		if page, err := clients[name].Contacts(t.Context(), client.ContactFilter{}); err != nil || len(page.Items) != want {
			t.Errorf("%s has %d contacts: %v", name, len(page.Items), err)
		}
	}
}

// What keeps a service from starting is said with what to do about it, and nothing is left
// behind: neither a folder nor an address that stays taken.
func TestWhyAServiceDoesNotStart(t *testing.T) {
	data := t.TempDir()
	running := start(t, options(data))
	address := strings.TrimPrefix(running.PublicURL, "http://")
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	listen := free.Addr().String()
	free.Close()
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		change func(*Options)
		want   string
	}{
		"taken address":     {func(o *Options) { o.Data, o.Listen = t.TempDir(), address }, "-listen"},
		"no address":        {func(o *Options) { o.Listen = "nowhere" }, "cannot listen on nowhere"},
		"served already":    {func(o *Options) { o.Listen = listen }, "main"},
		"bad name":          {func(o *Options) { o.Data, o.Workspace = t.TempDir(), "My Shop" }, "small letters"},
		"there already":     {func(o *Options) { o.Workspace, o.New = "main", true }, "choose another name"},
		"within another":    {func(o *Options) { o.Data, o.Workspace, o.New = filepath.Join(data, "main"), "inner", true }, "itself a workspace"},
		"no folder":         {func(o *Options) { o.Data = file }, "file"},
		"mails, no address": {func(o *Options) { o.Data, o.Post = t.TempDir(), &Post{Listen: "nowhere"} }, "cannot listen for mails"},
	} {
		o := options(data)
		c.change(&o)
		if s, err := Start(t.Context(), o); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", name, err)
			if err == nil {
				_ = s.Close()
			}
		}
	}
	if entries, _ := os.ReadDir(filepath.Join(data, "main", "inner")); len(entries) > 0 {
		t.Error("a workspace was made within another")
	}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		t.Fatalf("an address stays taken by a service that did not start: %v", err)
	}
	l.Close()
	if got := status(t, http.DefaultClient, running.PublicURL+"/readyz"); got != http.StatusOK {
		t.Errorf("the one that runs was disturbed: %d", got)
	}
}

// Mail servers that are too many are told to come again, and a place that is left is free again.
func TestOnlySoManyBringMailsAtOnce(t *testing.T) {
	o := options(t.TempDir())
	o.Post = &Post{Listen: "127.0.0.1:0"}
	s := start(t, o)
	var open []*smtp.Client
	dial := func() error {
		c, err := smtp.Dial(s.PostAddr)
		if err == nil {
			if err = c.Hello("mail.example.org"); err == nil {
				open = append(open, c)
				return nil
			}
			c.Close()
		}
		return err
	}
	for range postAtOnce {
		if err := dial(); err != nil {
			t.Fatalf("after %d: %v", len(open), err)
		}
	}
	var refused *smtp.SMTPError
	if err := dial(); !errors.As(err, &refused) || refused.Code != 421 {
		t.Errorf("one too many: %v", err)
	}
	if err := open[0].Mail("ada@example.org", nil); err != nil {
		t.Fatal(err)
	}
	if err := open[0].Rcpt("nobody@example.org", nil); !errors.As(err, &refused) || refused.Code != 550 {
		t.Errorf("a mail for nobody: %v", err)
	}
	if err := open[0].Quit(); err != nil {
		t.Fatal(err)
	}
	for err := dial(); err != nil; err = dial() { // until the place is free, or the test's time is over
		if !errors.As(err, &refused) {
			t.Fatal(err)
		}
	}
	for _, c := range open {
		c.Close()
	}
}
