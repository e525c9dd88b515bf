package letter

import (
	"bytes"
	"html"
	"strings"
	"time"

	message "github.com/emersion/go-message"
	letters "github.com/emersion/go-message/mail"
)

// An Answer is a mail to be written.
type Answer struct {
	ID         string // the Message-ID, without brackets: the same with every try
	From       Person
	ReplyTo    Person // where answers go, if not to From
	To         []Person
	Copy       []Person
	Subject    string
	References []string // the mails that it belongs to, the latest last, without brackets
	At         time.Time
	Text       string // plain; HTML is made of it
	Sources    []Source
	Quoted     string // of the mail that it answers, below; "": it is not quoted
	QuotedFrom string // who wrote that
	QuotedAt   time.Time
	Automatic  bool // it was not written by a person
}

// A Source is what an answer stands on.
type Source struct{ Title, Address string }

// Write returns the mail as it is sent: plain text and the same as HTML.
func Write(a Answer) ([]byte, error) {
	var h letters.Header
	h.SetMessageID(a.ID)
	h.SetDate(a.At)
	h.SetAddressList("From", addresses([]Person{a.From}))
	h.SetAddressList("To", addresses(a.To))
	if a.ReplyTo.Address != "" {
		h.SetAddressList("Reply-To", addresses([]Person{a.ReplyTo}))
	}
	if len(a.Copy) > 0 {
		h.SetAddressList("Cc", addresses(a.Copy))
	}
	h.SetSubject(oneLine(a.Subject))
	if n := len(a.References); n > 0 {
		h.SetMsgIDList("In-Reply-To", a.References[n-1:])
		h.SetMsgIDList("References", a.References[max(0, n-mostThread):])
	}
	h.Set(Mark, a.ID)
	if a.Automatic {
		kind := "auto-generated"
		if len(a.References) > 0 {
			kind = "auto-replied"
		}
		h.Set("Auto-Submitted", kind)
	}
	var b bytes.Buffer
	w, err := letters.CreateInlineWriter(&b, h)
	if err != nil {
		return nil, err
	}
	for _, part := range []struct{ kind, body string }{{"text/plain", a.plain()}, {"text/html", a.html()}} {
		var ph letters.InlineHeader
		ph.Header = message.Header{}
		ph.SetContentType(part.kind, map[string]string{"charset": "utf-8"})
		ph.Set("Content-Transfer-Encoding", "quoted-printable")
		pw, err := w.CreatePart(ph)
		if err != nil {
			return nil, err
		}
		if _, err := pw.Write([]byte(strings.ReplaceAll(part.body, "\n", "\r\n"))); err != nil {
			return nil, err
		}
		if err := pw.Close(); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func addresses(list []Person) (out []*letters.Address) {
	for _, p := range list {
		out = append(out, &letters.Address{Name: p.Name, Address: p.Address})
	}
	return out
}

// intro says whose words are quoted, in no language: the mail may be in any.
func (a *Answer) intro() string {
	return a.QuotedFrom + ", " + a.QuotedAt.Format("2006-01-02 15:04") + ":"
}

func (a *Answer) plain() string {
	var b strings.Builder
	b.WriteString(a.Text + "\n")
	if len(a.Sources) > 0 {
		b.WriteString("\nFrom:\n")
		for _, s := range a.Sources {
			b.WriteString("- " + strings.TrimSpace(s.Title+" "+s.Address) + "\n")
		}
	}
	if a.Quoted != "" {
		b.WriteString("\n" + a.intro() + "\n")
		for line := range strings.SplitSeq(a.Quoted, "\n") {
			b.WriteString(strings.TrimRight("> "+line, " ") + "\n")
		}
	}
	return b.String()
}

func (a *Answer) html() string {
	var b strings.Builder
	paragraphs := func(text string) {
		for paragraph := range strings.SplitSeq(text, "\n\n") {
			b.WriteString("<p>" + strings.ReplaceAll(html.EscapeString(paragraph), "\n", "<br>\n") + "</p>\n")
		}
	}
	b.WriteString("<!DOCTYPE html>\n<html><body>\n")
	paragraphs(a.Text)
	if len(a.Sources) > 0 {
		b.WriteString("<p>From:</p>\n<ul>\n")
		for _, s := range a.Sources {
			item := html.EscapeString(s.Title)
			if strings.HasPrefix(s.Address, "https://") || strings.HasPrefix(s.Address, "http://") {
				item = `<a href="` + html.EscapeString(s.Address) + `">` + item + "</a>"
			}
			b.WriteString("<li>" + item + "</li>\n")
		}
		b.WriteString("</ul>\n")
	}
	if a.Quoted != "" {
		b.WriteString("<p>" + html.EscapeString(a.intro()) + "</p>\n<blockquote>\n")
		paragraphs(a.Quoted)
		b.WriteString("</blockquote>\n")
	}
	b.WriteString("</body></html>\n")
	return b.String()
}
