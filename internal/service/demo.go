package service

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"slices"
	"time"

	"urgentparrot.example/demo"
	"urgentparrot.example/internal/core/document"
	"urgentparrot.example/internal/store"
	"urgentparrot.example/internal/world"
)

// DemoWorkspace is the workspace of the demo business.
const DemoWorkspace = "brackwater"

// A Demo is a service with the demo business, and the outside world around it.
type Demo struct {
	*Service
	World    *world.World
	WorldURL string
	Fresh    bool // the folder was empty before

	http      *http.Server
	mail, box net.Listener
}

// StartDemo starts the outside world and the service, and fills an empty data
// folder with the demo business. The world listens on worldListen, its mailroom
// on mailListen, and the mailbox of the business in it on o.Mailbox.
func StartDemo(ctx context.Context, o Options, worldListen, mailListen string) (_ *Demo, err error) {
	o.Workspace = DemoWorkspace
	web, err := net.Listen("tcp", worldListen)
	if err != nil {
		return nil, err
	}
	mail, err := net.Listen("tcp", mailListen)
	if err != nil {
		return nil, errors.Join(err, web.Close())
	}
	box, err := net.Listen("tcp", cmp.Or(o.Mailbox, "127.0.0.1:0"))
	if err != nil {
		return nil, errors.Join(err, web.Close(), mail.Close())
	}
	d := &Demo{WorldURL: "http://" + web.Addr().String(), mail: mail, box: box, http: &http.Server{ReadHeaderTimeout: 10 * time.Second}}
	// The simulated outside world lies on this machine, which is not called otherwise.
	o.Engine.Rules.Allowed = append(o.Engine.Rules.Allowed, web.Addr().String(), mail.Addr().String(), box.Addr().String())
	o.Engine.Pace = 20 * time.Millisecond
	if d.Service, err = Start(ctx, o); err != nil {
		return nil, errors.Join(err, web.Close(), mail.Close(), box.Close())
	}
	var raw [32]byte
	if _, err := rand.Read(raw[:]); err != nil {
		return nil, errors.Join(err, d.Close())
	}
	secret := "whsec_" + base64.StdEncoding.EncodeToString(raw[:])
	zone, err := time.LoadLocation("Europe/London")
	if err != nil {
		zone = time.UTC // a machine without time zones shows the timetable in UTC
	}
	var now func() time.Time
	if o.Engine.Clock != nil {
		now = o.Engine.Clock.Now
	}
	if d.World, err = world.New(world.Options{Service: d.PublicURL, Workspace: DemoWorkspace, Secret: secret, Now: now, Zone: zone}); err != nil {
		return nil, errors.Join(err, d.Close())
	}
	d.http.Handler = d.World
	// Both end with their listeners, when the demo is closed.
	go func() { _ = d.http.Serve(web) }()
	go func() { _ = d.World.ServeMail(mail) }()
	go func() { _ = d.World.ServeMailbox(box) }()
	if err := d.fill(ctx, secret, o.Model); err != nil {
		return nil, errors.Join(err, d.Close())
	}
	return d, nil
}

// fill writes the demo business's documents, and in a fresh folder its knowledge. In a
// kept folder only what names the outside world is written anew, whose addresses may have
// changed: the rest may have been edited.
func (d *Demo) fill(ctx context.Context, secret, model string) error {
	w := d.Workspaces[DemoWorkspace]
	var settings *demo.Document
	secrets := map[string]string{"text-gateway": secret, "office-mailbox": world.OfficePassword}
	documents, err := demo.Documents(demo.Outside{World: d.WorldURL, Mailroom: d.mail.Addr().String(), Mailbox: d.box.Addr().String()})
	if err != nil {
		return err
	}
	kept, err := w.Store().Documents(ctx, "")
	if err != nil {
		return err
	}
	for _, doc := range documents {
		there := slices.ContainsFunc(kept, func(k store.Document) bool { return k.Kind == doc.Kind && k.Name == doc.Name })
		switch {
		case there && doc.Kind != "connection":
			continue
		case doc.Kind == "settings" && model != "":
			settings = &doc
		}
		if _, err := w.Documents.Put(ctx, doc.Kind, doc.Name, doc.Text, 0); err != nil {
			return err
		}
		if secret := secrets[doc.Name]; doc.Kind == "connection" && secret != "" { // before the channel that needs it
			if err := w.Documents.PutSecret(ctx, doc.Name, secret); err != nil {
				return err
			}
		}
	}
	if settings != nil { // with the connection that it names, which is there now
		if _, err := w.Documents.Put(ctx, settings.Kind, settings.Name, settings.Text+"model: "+model+"\nreading: { model: "+model+" }\n", 0); err != nil {
			return err
		}
	}
	for _, doc := range documents { // once all are there: flows name one another
		there := slices.ContainsFunc(kept, func(k store.Document) bool { return k.Kind == doc.Kind && k.Name == doc.Name })
		if kind, _ := document.Find(w.Documents.Kinds(), doc.Kind); kind.Drafts && !there {
			if err := w.Documents.GoLive(ctx, doc.Kind, doc.Name, 0, "the demo"); err != nil {
				return fmt.Errorf("flow %s: %w", doc.Name, err)
			}
		}
	}
	sources, err := w.Store().Sources(ctx)
	if err != nil || len(sources) > 0 {
		return err
	}
	d.Fresh = true
	if err := fs.WalkDir(demo.Knowledge(), ".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		content, err := fs.ReadFile(demo.Knowledge(), path)
		if err == nil {
			_, err = w.Library.AddFile(ctx, store.Source{Name: path}, content)
		}
		return err
	}); err != nil {
		return err
	}
	_, err = w.Library.AddWeb(ctx, store.Source{Name: "website", Kind: store.FromSite, Address: d.WorldURL + "/website/", Every: 24 * time.Hour})
	return err
}

// PlayDay lets the demo's customers write, once its bots find by meaning.
func (d *Demo) PlayDay(ctx context.Context) error {
	if err := d.Workspaces[DemoWorkspace].Library.Encoded(ctx); err != nil {
		return err
	}
	script, err := demo.Day()
	if err != nil {
		return err
	}
	return d.World.PlayDay(ctx, script)
}

// Close ends the service and the outside world.
func (d *Demo) Close() error {
	return errors.Join(d.Service.Close(), d.http.Close(), d.mail.Close(), d.box.Close())
}
