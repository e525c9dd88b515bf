package mail

import (
	"context"
	"slices"

	"github.com/emersion/go-imap/v2"

	"urgentparrot.example/internal/channel"
)

// What people mark in their own mail program says something to the service: a flag asks for a
// draft of an answer, a keyword or a folder makes knowledge of a mail.

// marks are the marks that mean something here, with what is done with a mail that gets one.
func (m *mailbox) marks() map[imap.Flag]func(context.Context, []byte) error {
	marks := map[imap.Flag]func(context.Context, []byte) error{}
	if m.Flagged != nothing {
		marks[imap.FlagFlagged] = m.wanted
	}
	if m.Learns.Keyword != "" {
		marks[imap.Flag(m.Learns.Keyword)] = m.taught
	}
	return marks
}

// marked hands over the mails of a folder that were given a mark since the last look. Those
// that had it before the first look are left alone.
func (m *mailbox) marked(ctx context.Context, s *session, folder string, at *place) error {
	for flag, hand := range m.marks() {
		found, err := s.client.UIDSearch(&imap.SearchCriteria{Flag: []imap.Flag{flag}, NotFlag: []imap.Flag{imap.FlagDeleted}}, nil).Wait()
		if err != nil {
			return err
		}
		now := found.AllUIDs()
		before, looked := at.Marked[flag]
		if looked && slices.Equal(before, now) {
			continue
		}
		for _, uid := range now {
			if !looked || slices.Contains(before, uid) || uid > at.Last { // the last is taken in first
				continue
			}
			if err := s.receive(ctx, []sized{{uid: uid}}, false, hand); err != nil {
				return err
			}
		}
		if at.Marked == nil {
			at.Marked = map[imap.Flag][]imap.UID{}
		}
		at.Marked[flag] = slices.DeleteFunc(now, func(uid imap.UID) bool { return uid > at.Last })
		if err := m.keep(ctx, folder, *at); err != nil {
			return err
		}
	}
	return nil
}

// wanted has a draft of an answer made to a mail.
func (m *mailbox) wanted(ctx context.Context, raw []byte) error {
	in, l := m.incoming(ctx, raw, channel.Bringer{})
	if m.isOwn(l.From.Address) || in.Token != "" {
		return nil // nobody answers their own
	}
	return m.Room.Wanted(ctx, in)
}

// taught makes knowledge of a mail.
func (m *mailbox) taught(ctx context.Context, raw []byte) error {
	in, l := m.incoming(ctx, raw, channel.Bringer{})
	in.Text = l.Text
	return m.Room.Teach(ctx, channel.Taught{Incoming: in, Bot: m.Learns.Bot, Own: m.isOwn(l.From.Address)})
}
