package world

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/emersion/go-imap/v2"
	"github.com/emersion/go-imap/v2/imapclient"
	"github.com/emersion/go-message/mail"
	"github.com/google/uuid"
)

// At the office, people read the mailbox with a mail program of their own: this is what it
// does.

// opened signs in to the mailbox and opens a folder.
func (m *Mailroom) opened(folder string) (*imapclient.Client, *imap.SelectData, error) {
	select {
	case <-m.served:
	case <-time.After(5 * time.Second):
		return nil, nil, errors.New("the mailbox is not served")
	}
	m.mu.Lock()
	address := m.address
	m.mu.Unlock()
	c, err := imapclient.DialInsecure(address, nil)
	if err != nil {
		return nil, nil, err
	}
	if err := c.Login(OfficeAddress, OfficePassword).Wait(); err != nil {
		return nil, nil, errors.Join(err, c.Close())
	}
	box, err := c.Select(folder, nil).Wait()
	if err != nil {
		return nil, nil, errors.Join(err, c.Close())
	}
	return c, box, nil
}

// Folder returns what a folder of the mailbox holds, oldest first.
func (m *Mailroom) Folder(folder string) (mails []Mail, err error) {
	c, box, err := m.opened(folder)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	if box.NumMessages == 0 {
		return nil, nil
	}
	var all imap.SeqSet
	all.AddRange(1, 0)
	whole := &imap.FetchItemBodySection{Peek: true}
	found, err := c.Fetch(all, &imap.FetchOptions{Flags: true, BodySection: []*imap.FetchItemBodySection{whole}}).Collect()
	if err != nil {
		return nil, err
	}
	for _, one := range found {
		read, err := readMail(one.FindBodySection(whole))
		if err != nil {
			continue // a mail that is broken is not shown
		}
		read.From, read.To = read.Header["From"], read.Header["To"]
		read.Flagged = slices.Contains(one.Flags, imap.FlagFlagged)
		mails = append(mails, read)
	}
	return mails, nil
}

// SendDraft sends a draft as somebody does who opens it in a mail program, with other words if
// some are given: it leaves under a Message-ID of the program's own, a copy lies among what was
// sent, and the draft is gone.
func (m *Mailroom) SendDraft(id, words string) error {
	drafts, err := m.Folder("Drafts")
	if err != nil {
		return err
	}
	at := slices.IndexFunc(drafts, func(d Mail) bool { return d.ID == id })
	if at < 0 {
		return fmt.Errorf("%w: %s", errNoDraft, id)
	}
	draft := drafts[at]
	if words == "" {
		words = draft.Body
	}
	to, err := mail.ParseAddressList(draft.To)
	if err != nil {
		return err
	}
	if err := m.SendAsOffice(to[0].Address, draft.Subject, words, draft.Answers); err != nil {
		return err
	}
	if err := m.DeleteDraft(id); !errors.Is(err, errNoDraft) {
		return err
	}
	return nil // the service saw what was sent, and took the draft out before us
}

// errNoDraft is that a draft is not there.
var errNoDraft = errors.New("there is no such draft")

// SendAsOffice sends a mail from the mailbox of the business, as its people do.
func (m *Mailroom) SendAsOffice(to, subject, body, answers string) error {
	var h mail.Header
	h.SetMessageID(uuid.NewString() + "@mail-program.example")
	h.SetDate(time.Now())
	h.SetSubject(subject)
	h.SetAddressList("From", []*mail.Address{{Name: "Robin", Address: OfficeAddress}})
	h.SetAddressList("To", []*mail.Address{{Address: to}})
	if answers != "" {
		h.SetMsgIDList("In-Reply-To", []string{answers})
		h.SetMsgIDList("References", []string{answers})
	}
	raw, err := plainMail(h, body)
	if err != nil {
		return err
	}
	one, err := readMail(raw)
	if err != nil {
		return err
	}
	one.From, one.To = OfficeAddress, to
	m.mu.Lock()
	m.mails = append(m.mails, one)
	m.mu.Unlock()
	return m.PutIn("Sent", raw)
}

// DeleteDraft removes a draft. It returns errNoDraft if it is not there.
func (m *Mailroom) DeleteDraft(id string) error {
	c, _, err := m.opened("Drafts")
	if err != nil {
		return err
	}
	defer c.Close()
	found, err := c.UIDSearch(&imap.SearchCriteria{Header: []imap.SearchCriteriaHeaderField{{Key: "Message-Id", Value: id}}}, nil).Wait()
	if err != nil {
		return err
	}
	if len(found.AllUIDs()) == 0 {
		return fmt.Errorf("%w: %s", errNoDraft, id)
	}
	set := imap.UIDSetNum(found.AllUIDs()...)
	if err := c.Store(set, &imap.StoreFlags{Op: imap.StoreFlagsAdd, Silent: true, Flags: []imap.Flag{imap.FlagDeleted}}, nil).Close(); err != nil {
		return err
	}
	return c.Expunge().Close()
}

// Mark gives a mail of a folder a flag or keyword, or takes it away, as somebody does in a mail
// program.
func (m *Mailroom) Mark(folder, id string, mark imap.Flag, on bool) error {
	return m.with(folder, id, func(c *imapclient.Client, mail imap.UIDSet) error {
		op := imap.StoreFlagsAdd
		if !on {
			op = imap.StoreFlagsDel
		}
		return c.Store(mail, &imap.StoreFlags{Op: op, Silent: true, Flags: []imap.Flag{mark}}, nil).Close()
	})
}

// File puts a copy of a mail into another folder.
func (m *Mailroom) File(folder, id, to string) error {
	return m.with(folder, id, func(c *imapclient.Client, mail imap.UIDSet) error {
		_, err := c.Copy(mail, to).Wait()
		return err
	})
}

// with does something with a mail of a folder.
func (m *Mailroom) with(folder, id string, do func(*imapclient.Client, imap.UIDSet) error) error {
	c, _, err := m.opened(folder)
	if err != nil {
		return err
	}
	defer c.Close()
	found, err := c.UIDSearch(&imap.SearchCriteria{Header: []imap.SearchCriteriaHeaderField{{Key: "Message-Id", Value: id}}}, nil).Wait()
	if err != nil {
		return err
	}
	if len(found.AllUIDs()) == 0 {
		return fmt.Errorf("there is no mail %s in %s", id, folder)
	}
	return do(c, imap.UIDSetNum(found.AllUIDs()...))
}

// inbox lists what the office has got, for the mailroom's page; mark flags one of these, or files
// it among what is worth knowing.
func (m *Mailroom) inbox(w http.ResponseWriter, _ *http.Request) {
	list, err := m.Folder("INBOX")
	if err != nil {
		http.Error(w, err.Error(), http.StatusServiceUnavailable)
		return
	}
	writeJSON(w, http.StatusOK, append([]Mail{}, list...))
}

func (m *Mailroom) mark(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
	var err error
	if id := r.FormValue("id"); r.FormValue("file") != "" {
		err = m.File("INBOX", id, WorthKnowing)
	} else {
		err = m.Mark("INBOX", id, imap.FlagFlagged, r.FormValue("flag") == "on")
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}

// showMood shows and changes the mood, for the mailroom's page.
func (m *Mailroom) showMood(w http.ResponseWriter, r *http.Request) {
	if r.Method == http.MethodPost {
		if err := m.SetMood(r.FormValue("mood")); err != nil {
			http.Error(w, err.Error(), http.StatusUnprocessableEntity)
			return
		}
	}
	writeJSON(w, http.StatusOK, map[string]any{"mood": m.Mood(), "moods": Moods})
}

// drafts lists the drafts for the mailroom's page, and draft sends or deletes one.
func (m *Mailroom) drafts(w http.ResponseWriter, _ *http.Request) {
	list, err := m.Folder("Drafts")
	if err != nil {
		http.Error(w, err.Error(), http.StatusServiceUnavailable)
		return
	}
	writeJSON(w, http.StatusOK, append([]Mail{}, list...))
}

func (m *Mailroom) draft(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
	var err error
	if id := r.FormValue("id"); r.FormValue("delete") != "" {
		err = m.DeleteDraft(id)
	} else {
		err = m.SendDraft(id, r.FormValue("body"))
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusUnprocessableEntity)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
