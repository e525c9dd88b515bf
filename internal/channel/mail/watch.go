package mail

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
	"github.com/emersion/go-sasl"
	"golang.org/x/sync/errgroup"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/core/workspace"
	"urgentparrot.example/internal/letter"
	"urgentparrot.example/internal/outbound"
)

// How long is waited for what.
const (
	signInTime = 30 * time.Second
	longest    = 9 * time.Minute        // between two looks, also where the server tells by itself
	settling   = 500 * time.Millisecond // and to the one after news; from there twice as long each time, as some servers keep to themselves what comes between a look and the wait
)

// Run watches the folders until ctx ends or one of them fails.
func (m *mailbox) Run(ctx context.Context) error {
	if m.Forwarded {
		return nil
	}
	group, within := errgroup.WithContext(ctx)
	for _, folder := range m.Folders {
		group.Go(func() error {
			return m.watch(within, folder, m.MarkSeen, func(ctx context.Context, raw []byte) error { return m.hand(ctx, raw, "") })
		})
	}
	if m.Learns.Folder != "" {
		group.Go(func() error { return m.watch(within, m.Learns.Folder, false, m.taught) })
	}
	group.Go(func() error { return m.drafts(within, group) })
	if err := group.Wait(); ctx.Err() == nil {
		return err
	}
	return nil // whatever broke off, it was asked to end
}

// A place is how far a folder has been read. A folder whose validity is another has other
// numbers: what came since is told by date then.
type place struct {
	Validity uint32    `json:"validity"`
	Last     imap.UID  `json:"last"`
	At       time.Time `json:"at"` // it was looked into

	Marked map[imap.Flag][]imap.UID `json:"marked,omitempty"` // the mails that have a mark, of each that was looked for
}

// watchSent takes in what people send from their own mail programs.
func (m *mailbox) watchSent(ctx context.Context) error {
	s, err := m.connect(ctx)
	if err != nil {
		return err
	}
	folder, err := s.special(imap.MailboxAttrSent, "Sent")
	s.close()
	if err != nil {
		return err
	}
	return m.watch(ctx, folder, false, m.sent)
}

// watch hands over what comes into a folder, and marks it as read then, if that is wanted.
func (m *mailbox) watch(ctx context.Context, folder string, mark bool, hand func(context.Context, []byte) error) error {
	s, err := m.connect(ctx)
	if err != nil {
		return err
	}
	defer s.close()
	box, err := s.client.Select(folder, &imap.SelectOptions{ReadOnly: !mark}).Wait()
	if err != nil {
		return s.noFolder(folder, err)
	}
	at, err := m.placeIn(ctx, s, folder, box)
	if err != nil {
		return err
	}
	for idle := time.Duration(settling); ; idle = min(2*idle, longest) {
		before := at.Last
		if err := m.take(ctx, s, folder, &at, mark, hand); err != nil {
			return s.failed("the mailbox broke off", err)
		}
		if slices.Contains(m.Folders, folder) {
			if err := m.marked(ctx, s, folder, &at); err != nil {
				return s.failed("the mailbox broke off", err)
			}
		}
		news, err := s.wait(ctx, m, idle)
		if err != nil {
			return s.failed("the mailbox broke off", err)
		}
		if news || at.Last != before {
			idle = settling / 2
		}
	}
}

// placeIn is how far a folder has been read: the first time, to its end.
func (m *mailbox) placeIn(ctx context.Context, s *session, folder string, box *imap.SelectData) (at place, err error) {
	kept, err := m.Room.Recall(ctx, "folder "+folder)
	if err != nil {
		return at, err
	}
	if kept != "" {
		if err := json.Unmarshal([]byte(kept), &at); err != nil {
			return at, err
		}
	}
	now := m.Clock.Now()
	switch {
	case at.Validity == box.UIDValidity:
		return at, nil
	case at.Validity != 0: // numbered anew: what came since, by date; what is here already is recognised
		day := at.At.AddDate(0, 0, -1)
		found, err := s.client.UIDSearch(&imap.SearchCriteria{Since: day}, nil).Wait()
		if err != nil {
			return at, s.failed("the mailbox could not be searched", err)
		}
		at = place{Validity: box.UIDValidity, At: now}
		if uids := found.AllUIDs(); len(uids) > 0 {
			at.Last = slices.Min(uids) - 1
		} else if box.UIDNext > 0 {
			at.Last = box.UIDNext - 1
		}
	default:
		at = place{Validity: box.UIDValidity, At: now}
		if box.UIDNext > 0 {
			at.Last = box.UIDNext - 1
		}
	}
	return at, m.keep(ctx, folder, at)
}

func (m *mailbox) keep(ctx context.Context, folder string, at place) error {
	raw, err := json.Marshal(at)
	if err != nil {
		return err
	}
	return m.Room.Keep(ctx, "folder "+folder, string(raw))
}

// take takes in what a folder holds behind a place.
func (m *mailbox) take(ctx context.Context, s *session, folder string, at *place, mark bool, hand func(context.Context, []byte) error) error {
	sizes, err := s.sizes(at.Last + 1)
	if err != nil {
		return err
	}
	for len(sizes) > 0 {
		n := batch(sizes)
		if err := s.receive(ctx, sizes[:n], mark, hand); err != nil {
			return err
		}
		at.Last, at.At = sizes[n-1].uid, m.Clock.Now()
		if err := m.keep(ctx, folder, *at); err != nil {
			return err
		}
		sizes = sizes[n:]
	}
	return nil
}

// hand hands one mail over. When it returns without an error, it is on disk.
func (m *mailbox) hand(ctx context.Context, raw []byte, silent string) error {
	return m.handed(ctx, raw, silent, channel.Bringer{})
}

func (m *mailbox) handed(ctx context.Context, raw []byte, silent string, by channel.Bringer) error {
	in, l := m.incoming(ctx, raw, by)
	if silent != "" && in.Beside.Silent == "" {
		in.Beside.Silent = silent
	}
	if _, err := m.Room.Receive(ctx, in); err != nil {
		return fmt.Errorf("a mail could not be kept: %w", err)
	}
	if l.Report != nil && l.Report.Failed && l.Report.About != "" {
		id, domain, _ := strings.Cut(l.Report.About, "@")
		if strings.EqualFold(domain, m.domain) {
			return m.Room.Undelivered(ctx, id, fmt.Sprintf("%s, says the server of %s", l.Report.Why, l.Report.Recipient))
		}
	}
	return nil
}

// A session is one connection to the mailbox.
type session struct {
	client *imapclient.Client
	stop   func() bool
	news   chan struct{}
}

// errSignIn is wrapped by what a mailbox says to those whom it does not let in.
var errSignIn = errors.New("the mailbox does not let")

// connect signs in to the mailbox. A token that it does not take is renewed once.
func (m *mailbox) connect(ctx context.Context) (*session, error) {
	if m.Token == nil {
		return m.connectWith(ctx, m.Secret)
	}
	token, err := m.Token(ctx, "")
	if err != nil {
		return nil, err
	}
	s, err := m.connectWith(ctx, token)
	if errors.Is(err, errSignIn) {
		if token, err = m.Token(ctx, token); err == nil {
			s, err = m.connectWith(ctx, token)
		}
	}
	return s, err
}

func (m *mailbox) connectWith(ctx context.Context, secret string) (*session, error) {
	s, conn, err := m.greeted(ctx)
	if err != nil {
		return nil, err
	}
	if m.Token != nil {
		err = s.client.Authenticate(sasl.NewOAuthBearerClient(&sasl.OAuthBearerOptions{Username: m.user(), Token: secret}))
	} else {
		err = s.client.Login(m.user(), secret).Wait()
	}
	if err != nil {
		s.close()
		return nil, fmt.Errorf("%w %s sign in: %s", errSignIn, m.user(), outbound.Excerpt([]byte(err.Error())))
	}
	if err := conn.SetDeadline(time.Time{}); err != nil {
		s.close()
		return nil, err
	}
	return s, nil
}

// greeted connects to the mailbox, which then has a while to let somebody sign in.
func (m *mailbox) greeted(ctx context.Context) (*session, net.Conn, error) {
	conn, err := m.Rules.Dial(ctx, "tcp", m.Other.Address)
	if err != nil {
		return nil, nil, fmt.Errorf("the mailbox cannot be reached at %s: %w", m.Other.Address, err)
	}
	if err := conn.SetDeadline(time.Now().Add(signInTime)); err != nil {
		return nil, nil, errors.Join(err, conn.Close())
	}
	s := &session{news: make(chan struct{}, 1)}
	news := func() {
		select {
		case s.news <- struct{}{}:
		default:
		}
	}
	options := &imapclient.Options{UnilateralDataHandler: &imapclient.UnilateralDataHandler{
		Mailbox: func(*imapclient.UnilateralDataMailbox) { news() },
		Fetch: func(changed *imapclient.FetchMessageData) { // a flag
			for changed.Next() != nil {
			}
			news()
		},
	}}
	host, _, _ := net.SplitHostPort(m.Other.Address)
	options.TLSConfig = &tls.Config{ServerName: host}
	switch m.Other.SecurityAt(m.Other.Address) {
	case workspace.TLS:
		s.client = imapclient.New(tls.Client(conn, options.TLSConfig), options)
	case workspace.StartTLS:
		if s.client, err = imapclient.NewStartTLS(conn, options); err != nil {
			return nil, nil, errors.Join(m.notIMAP(err), conn.Close())
		}
	default:
		s.client = imapclient.New(conn, options)
	}
	s.stop = context.AfterFunc(ctx, func() { s.client.Close() })
	if err := s.client.WaitGreeting(); err != nil {
		s.close()
		return nil, nil, m.notIMAP(err)
	}
	return s, conn, nil
}

// notIMAP says why a session could not begin, without telling what another protocol says there.
func (m *mailbox) notIMAP(err error) error {
	var certificate *tls.CertificateVerificationError
	if errors.As(err, &certificate) {
		return fmt.Errorf("the certificate of the mailbox at %s is not trusted: %w", m.Other.Address, certificate.Err)
	}
	return fmt.Errorf("what answers at %s does not speak IMAP, or not with the encryption that is set, or broke off", m.Other.Address)
}

func (s *session) close() {
	s.stop()
	s.client.Close()
}

// failed says what went wrong; nothing did if the session was ended.
func (s *session) failed(what string, err error) error {
	if errors.Is(err, context.Canceled) {
		return err
	}
	return fmt.Errorf("%s: %s", what, outbound.Excerpt([]byte(err.Error())))
}

// noFolder says which folders there are.
func (s *session) noFolder(folder string, err error) error {
	names, listed := s.folders()
	if listed != nil || slices.Contains(names, folder) {
		return s.failed("the folder "+folder+" could not be opened", err)
	}
	return fmt.Errorf("the mailbox has no folder %s; it has %s", folder, strings.Join(names, ", "))
}

// folders are the names of the folders of the mailbox.
func (s *session) folders() (names []string, err error) {
	list, err := s.client.List("", "*", nil).Collect()
	for _, box := range list {
		if !slices.Contains(box.Attrs, imap.MailboxAttrNoSelect) {
			names = append(names, box.Mailbox)
		}
	}
	return names, err
}

// A sized mail is one that a folder holds.
type sized struct {
	uid  imap.UID
	size int64
}

// sizes are the mails of the folder from a number on, in order.
func (s *session) sizes(from imap.UID) ([]sized, error) {
	var uids imap.UIDSet
	uids.AddRange(from, 0)
	return s.sizesOf(uids, from)
}

func (s *session) sizesOf(uids imap.UIDSet, from imap.UID) (list []sized, err error) {
	found, err := s.client.Fetch(uids, &imap.FetchOptions{UID: true, RFC822Size: true}).Collect()
	for _, mail := range found {
		if mail.UID >= from { // the last one is told of, however low its number is
			list = append(list, sized{mail.UID, min(mail.RFC822Size, letter.MostBytes)})
		}
	}
	slices.SortFunc(list, func(a, b sized) int { return int(int64(a.uid) - int64(b.uid)) })
	return list, err
}

// wait waits until there may be something new: the server tells, or the most has passed; the
// interval that is set, if the server does not tell.
func (s *session) wait(ctx context.Context, m *mailbox, most time.Duration) (news bool, err error) {
	pause := time.Duration(m.Every)
	idles := s.client.Caps().Has(imap.CapIdle)
	var idle *imapclient.IdleCommand
	if idles {
		pause = most
		if idle, err = s.client.Idle(); err != nil {
			return false, err
		}
	}
	passed, stop := m.Clock.Timer(pause)
	defer stop()
	select {
	case <-s.news:
		news = true
	case <-m.look:
	case <-passed:
	case <-s.client.Closed():
		if ctx.Err() != nil {
			return news, ctx.Err()
		}
		return news, errors.New("the server closed the connection")
	case <-ctx.Done():
		return news, ctx.Err()
	}
	if idle == nil {
		return news, s.client.Noop().Wait()
	}
	if err := idle.Close(); err != nil {
		return news, err
	}
	return news, idle.Wait()
}

// Past takes in what came to the folders from a day to another, without answering any of it.
// It tells how far it is.
func (m *mailbox) Past(ctx context.Context, from, to time.Time, progress func(done, all int)) error {
	s, err := m.connect(ctx)
	if err != nil {
		return err
	}
	defer s.close()
	old := func(ctx context.Context, raw []byte) error {
		return m.hand(ctx, raw, "it was there before; nothing of the old pile is answered by itself")
	}
	done := 0
	var counting sync.Mutex
	for _, folder := range m.Folders {
		if _, err := s.client.Select(folder, &imap.SelectOptions{ReadOnly: true}).Wait(); err != nil {
			return s.noFolder(folder, err)
		}
		found, err := s.client.UIDSearch(&imap.SearchCriteria{Since: from, Before: to}, nil).Wait()
		if err != nil {
			return s.failed("the mailbox could not be searched", err)
		}
		uids := found.AllUIDs()
		all := done + len(uids)
		for some := range slices.Chunk(uids, batchMails) {
			sizes, err := s.sizesOf(imap.UIDSetNum(some...), 0)
			if err != nil {
				return s.failed("the mailbox broke off", err)
			}
			counted := func(ctx context.Context, raw []byte) error {
				if err := old(ctx, raw); err != nil {
					return err
				}
				counting.Lock()
				defer counting.Unlock()
				done++
				progress(done, all)
				return nil
			}
			for len(sizes) > 0 {
				n := batch(sizes)
				if err := s.receive(ctx, sizes[:n], false, counted); err != nil {
					return err
				}
				sizes = sizes[n:]
			}
		}
	}
	return nil
}

// Test signs in both ways, and returns the folders that the mailbox has.
func (m *mailbox) Test(ctx context.Context) (found []string, err error) {
	if m.Token == nil && m.Secret == "" {
		return nil, m.testWithout(ctx)
	}
	s, err := m.connect(ctx)
	if err != nil {
		return nil, err
	}
	defer s.close()
	if found, err = s.folders(); err != nil {
		return nil, s.failed("the folders could not be listed", err)
	}
	for _, folder := range m.Folders {
		if !slices.Contains(found, folder) {
			return found, fmt.Errorf("the mailbox has no folder %s; it has %s", folder, strings.Join(found, ", "))
		}
	}
	client, err := m.server.Connect(ctx)
	if err != nil {
		return found, fmt.Errorf("mails come in, but cannot go out by %s: %w", m.Other.Sends, err)
	}
	client.Close()
	return found, nil
}

// testWithout tries what can be tried while there is no password.
func (m *mailbox) testWithout(ctx context.Context) error {
	s, _, err := m.greeted(ctx)
	if err != nil {
		return err
	}
	s.close()
	client, err := m.server.Connect(ctx) // as nobody
	if err != nil {
		return fmt.Errorf("mails come in, but cannot go out by %s: %w", m.Other.Sends, err)
	}
	client.Close()
	return errors.New("both servers answer; set the password, and it can sign in")
}
