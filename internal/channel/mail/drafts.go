package mail

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
	"golang.org/x/sync/errgroup"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/letter"
)

// Where replies are laid into the mailbox's drafts, what lies there is held against what waits
// for a person, again and again: a reply that is not there yet is laid, one that waits no more
// is taken out, and one that a person has deleted counts as rejected. So nothing is laid twice
// or forgotten, whatever broke off in between.

// Bounds of looking after drafts.
const (
	draftPause = 15 * time.Second // between two looks, unless something tells that it changed
	draftGone  = time.Minute      // after which one that is not there any more was deleted, and not just sent
)

// drafts looks after drafts from the first reply on that is to be laid among them, and takes in
// what people send.
func (m *mailbox) drafts(ctx context.Context, group *errgroup.Group) error {
	if err := m.someDrafts(ctx); err != nil {
		return err
	}
	group.Go(func() error { return m.watchSent(ctx) })
	return m.tendDrafts(ctx)
}

// someDrafts waits until a draft is to be laid, or was once.
func (m *mailbox) someDrafts(ctx context.Context) error {
	changed, stop := m.Room.Changed()
	defer stop()
	for m.Replies != workspace.Draft {
		laid, err := m.Room.Recall(ctx, "drafts")
		if err != nil || laid != "" {
			return err
		}
		waiting, err := m.Room.Drafts(ctx)
		if err != nil || len(waiting) > 0 {
			return errors.Join(err, m.Room.Keep(ctx, "drafts", "laid"))
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// tendDrafts keeps the drafts of the mailbox as they should be until ctx ends.
func (m *mailbox) tendDrafts(ctx context.Context) error {
	s, err := m.connect(ctx)
	if err != nil {
		return err
	}
	defer s.close()
	folder, err := s.special(imap.MailboxAttrDrafts, "Drafts")
	if err != nil {
		return err
	}
	changed, stop := m.Room.Changed()
	defer stop()
	seen, look := "", true
	for {
		waiting, err := m.Room.Drafts(ctx)
		if err != nil {
			return err
		}
		if ids := idsOf(waiting); look || ids != seen { // much changes that is no draft
			if err := m.tendOnce(ctx, s, folder, waiting); err != nil {
				return s.failed("the drafts could not be looked after", err)
			}
			seen = ids
		}
		look = false
		passed, stop := m.Clock.Timer(draftPause)
		select {
		case <-changed:
		case <-passed:
			look = true
		case <-s.client.Closed():
			stop()
			if ctx.Err() != nil {
				return ctx.Err()
			}
			return fmt.Errorf("the server closed the connection")
		case <-ctx.Done():
			stop()
			return ctx.Err()
		}
		stop()
	}
}

// idsOf are the ids of replies, as one text.
func idsOf(list []channel.Outgoing) string {
	var b strings.Builder
	for _, out := range list {
		b.WriteString(out.ID + " ")
	}
	return b.String()
}

// special is the folder of a special use (RFC 6154), or the one that is called so. It is made
// where there is none.
func (s *session) special(use imap.MailboxAttr, name string) (string, error) {
	list, err := s.client.List("", "*", &imap.ListOptions{ReturnSpecialUse: s.client.Caps().Has(imap.CapSpecialUse) && s.client.Caps().Has("LIST-EXTENDED")}).Collect()
	if err != nil {
		return "", s.failed("the folders could not be listed", err)
	}
	for _, box := range list {
		if slices.Contains(box.Attrs, use) {
			return box.Mailbox, nil
		}
	}
	for _, box := range list {
		if strings.EqualFold(box.Mailbox, name) {
			return box.Mailbox, nil
		}
	}
	if err := s.client.Create(name, nil).Wait(); err != nil {
		return "", s.failed("the mailbox has no folder for "+strings.ToLower(name)+", and none can be made", err)
	}
	return name, nil
}

// tendOnce holds the drafts against what waits.
func (m *mailbox) tendOnce(ctx context.Context, s *session, folder string, waiting []channel.Outgoing) error {
	if _, err := s.client.Select(folder, nil).Wait(); err != nil {
		return err
	}
	there, err := s.ours(m.domain)
	if err != nil {
		return err
	}
	for _, out := range waiting {
		if err := m.tend(ctx, s, folder, out, there[out.ID] != 0); err != nil {
			return err
		}
		delete(there, out.ID)
	}
	for id, uid := range there { // these wait no more
		set := imap.UIDSetNum(uid)
		if err := s.client.Store(set, &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{imap.FlagDeleted}}, nil).Close(); err != nil {
			return err
		}
		var removed *imapclient.ExpungeCommand
		if s.client.Caps().Has(imap.CapUIDPlus) {
			removed = s.client.UIDExpunge(set)
		} else {
			removed = s.client.Expunge()
		}
		if err := removed.Close(); err != nil {
			return err
		}
		if err := m.Room.Keep(ctx, "draft "+id, ""); err != nil {
			return err
		}
	}
	return nil
}

// tend lays one reply, or tells that a person has deleted it.
func (m *mailbox) tend(ctx context.Context, s *session, folder string, out channel.Outgoing, isThere bool) error {
	key := "draft " + out.ID
	state, err := m.Room.Recall(ctx, key)
	if err != nil {
		return err
	}
	gone, _ := time.Parse(time.RFC3339, state)
	switch {
	case isThere:
		if state == "laid" {
			return nil
		}
		return m.Room.Keep(ctx, key, "laid") // it was laid, and that broke off, or it came back
	case state == "laid":
		return m.Room.Keep(ctx, key, m.Clock.Now().UTC().Format(time.RFC3339)) // it may just be sent
	case !gone.IsZero() && m.Clock.Now().Sub(gone) < draftGone:
		return nil
	case !gone.IsZero():
		return m.Room.Discarded(ctx, out.ID)
	}
	a := m.answer(out)
	a.Automatic = false // a person sends it
	written, err := letter.Write(a)
	if err != nil {
		return err
	}
	w := s.client.Append(folder, int64(len(written)), &imap.AppendOptions{Flags: []imap.Flag{imap.FlagDraft, imap.FlagSeen}, Time: out.At})
	if _, err := w.Write(written); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	if _, err := w.Wait(); err != nil {
		return err
	}
	return m.Room.Keep(ctx, key, "laid")
}

// ours are the mails of the folder that we made, by the id of their message.
func (s *session) ours(domain string) (map[string]imap.UID, error) {
	there := map[string]imap.UID{}
	found, err := s.client.UIDSearch(&imap.SearchCriteria{Header: []imap.SearchCriteriaHeaderField{{Key: letter.Mark}}, NotFlag: []imap.Flag{imap.FlagDeleted}}, nil).Wait()
	if err != nil || len(found.AllUIDs()) == 0 {
		return there, err
	}
	section := &imap.FetchItemBodySection{Specifier: imap.PartSpecifierHeader, Peek: true}
	mails, err := s.client.Fetch(imap.UIDSetNum(found.AllUIDs()...), &imap.FetchOptions{UID: true, BodySection: []*imap.FetchItemBodySection{section}}).Collect()
	if err != nil {
		return nil, err
	}
	for _, mail := range mails {
		raw := mail.FindBodySection(section)
		id, of, _ := strings.Cut(letter.Read(append(bytes.Clone(raw), "\r\n"...)).ID, "@")
		if strings.EqualFold(of, domain) {
			there[id] = mail.UID
		}
	}
	return there, nil
}

// sent hands over a mail that a person sent from their own mail program.
func (m *mailbox) sent(ctx context.Context, raw []byte) error {
	in, l := m.incoming(ctx, raw, channel.Bringer{})
	if len(l.To) == 0 || !m.isOwn(l.From.Address) {
		return nil
	}
	in.Text = l.Text
	in.Address = l.To[0].Address
	in.Beside.Silent = ""
	return m.Room.Sent(ctx, in)
}
