package mail

import (
	"bytes"
	"context"
	"errors"
	"io"
	"strings"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
	"golang.org/x/sync/errgroup"

	"urgentparrot.example/internal/letter"
)

// Bounds of what is fetched, and of what is handed over at once.
const (
	batchMails = 50
	batchBytes = 4 << 20
	sideBySide = 16
)

// batch is how many of some mails are fetched at once: so many, and so much of them.
func batch(sizes []sized) (n int) {
	for bytes := int64(0); n < len(sizes) && n < batchMails && (n == 0 || bytes+sizes[n].size <= batchBytes); n++ {
		bytes += sizes[n].size
	}
	return n
}

// receive hands mails over, and marks them as read if that is wanted, once they are kept.
func (s *session) receive(ctx context.Context, mails []sized, mark bool, hand func(context.Context, []byte) error) error {
	var uids imap.UIDSet
	for _, mail := range mails {
		uids.AddNum(mail.uid)
	}
	section := &imap.FetchItemBodySection{Peek: true, Partial: &imap.SectionPartial{Size: letter.MostBytes + 1}}
	fetch := s.client.Fetch(uids, &imap.FetchOptions{UID: true, BodySection: []*imap.FetchItemBodySection{section}})
	var fetched [][]byte
	for data := fetch.Next(); data != nil; data = fetch.Next() {
		for item := data.Next(); item != nil; item = data.Next() {
			if body, ok := item.(imapclient.FetchItemDataBodySection); ok && body.Literal != nil {
				raw, err := io.ReadAll(body.Literal)
				if err != nil {
					return errors.Join(err, fetch.Close())
				}
				fetched = append(fetched, raw) // one that was deleted meanwhile has none
			}
		}
	}
	if err := fetch.Close(); err != nil {
		return err
	}
	if err := handOver(ctx, fetched, hand); err != nil {
		return err
	}
	if mark {
		return s.client.Store(uids, &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{imap.FlagSeen}}, nil).Close()
	}
	return nil
}

// handOver hands mails over side by side, so that many are kept with one commit. Those of one
// sender, and of one thread, come one after another, in their order.
func handOver(ctx context.Context, mails [][]byte, hand func(context.Context, []byte) error) error {
	at, with := map[string]int{}, make([]int, len(mails)) // the first mail that something stands for, and the one that each goes with
	var of func(i int) int
	of = func(i int) int {
		if with[i] != i {
			with[i] = of(with[i])
		}
		return with[i]
	}
	for i, raw := range mails {
		with[i] = i
		head, _, _ := bytes.Cut(raw, []byte("\r\n\r\n"))
		l := letter.Read(append(bytes.Clone(head), "\r\n\r\n"...))
		for _, tie := range append(l.References, l.ID, strings.ToLower(l.Sender().Address)) {
			if first, ok := at[tie]; tie == "" {
				continue
			} else if ok {
				with[of(i)] = of(first)
			} else {
				at[tie] = i
			}
		}
	}
	lanes := map[int][][]byte{}
	for i, raw := range mails {
		lanes[of(i)] = append(lanes[of(i)], raw)
	}
	group, within := errgroup.WithContext(ctx)
	group.SetLimit(sideBySide)
	for _, lane := range lanes {
		group.Go(func() error {
			for _, raw := range lane {
				if err := hand(within, raw); err != nil {
					return err
				}
			}
			return nil
		})
	}
	return group.Wait()
}
