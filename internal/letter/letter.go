// Package letter understands mails, and writes them: what somebody wrote now apart from what
// is quoted, signed and enclosed; what it belongs to; and why it wants no answer. It opens no
// connection and no file.
package letter

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/mail"
	"path"
	"regexp"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	message "github.com/emersion/go-message"
	_ "github.com/emersion/go-message/charset" // all character sets
	letters "github.com/emersion/go-message/mail"
	"github.com/gabriel-vasile/mimetype"
	"golang.org/x/text/encoding/charmap"
)

// Bounds of what is read of one mail. What lies beyond is left out, and Problems says so.
const (
	MostBytes    = 25 << 20 // of the whole, as it comes
	mostHeader   = 256 << 10
	mostParts    = 200
	mostDepth    = 16
	mostText     = 256 << 10 // of one text
	mostFiles    = 50
	mostPeople   = 100 // in one header
	mostThread   = 100 // mails that it refers to
	mostSubject  = 500 // runes
	mostFileName = 200 // runes
)

// A Letter is a mail as it is understood. All texts are UTF-8 without control characters.
type Letter struct {
	ID         string   // the Message-ID without brackets; "" if it has none
	References []string // the mails that it belongs to, the latest last
	From       Person
	ReplyTo    Person // where it differs from From
	To, Copy   []Person
	Subject    string
	At         time.Time // as the sender says; zero if not

	Text      string // what was written now
	Quoted    string // what was written before, with the headers above it
	Signature string // with what stands below it
	Forwarded bool   // nothing was written now: Text is what was forwarded
	Files     []File

	Silent   string  // why it wants no answer, "" if it may have one
	Report   *Report // it is a delivery report
	Problems []string
}

// A Person is who a mail is from or to.
type Person struct {
	Name    string `json:"name,omitempty"`
	Address string `json:"address" required:"true"`
}

// String is the person as in a header, for people.
func (p Person) String() string {
	if p.Name == "" {
		return p.Address
	}
	return p.Name + " <" + p.Address + ">"
}

// A File is what is enclosed in a mail.
type File struct {
	Name   string
	Type   string // as its content shows, not as it is called
	Inline bool   // a picture in the text
	Bytes  []byte
}

// Read understands a mail. It never fails: what is broken is read as far as it can be, and
// Problems says what was. More than MostBytes are not read.
func Read(raw []byte) (l Letter) {
	defer func() { // whatever a library makes of a hostile mail, it holds up none of the others
		if broken := recover(); broken != nil {
			l.problem("it could not be read to its end")
			l.Silent = "it is no mail that can be read"
		}
	}()
	if len(raw) > MostBytes {
		raw = raw[:MostBytes]
		l.problem("it is larger than %d MiB; the rest was left out", MostBytes>>20)
	}
	raw = l.boundHeader(raw)
	entity, err := message.Read(bytes.NewReader(raw))
	if entity == nil {
		l.problem("its headers cannot be read: %v", err)
		l.Text = clean(string(body(raw)), mostText)
		l.Silent = "it is no mail that can be read"
		return l
	}
	l.noteUnknown(err)
	l.headers(letters.Header{Header: entity.Header})
	r := reader{letter: &l, raw: body(raw)}
	r.part(entity, 0)
	l.split(r.text())
	l.Report = r.report(l.ID)
	l.Silent = l.silent(&entity.Header)
	return l
}

// Hash tells a mail from others with the same Message-ID: of what its sender wrote, not of
// what is added on its way.
func (l *Letter) Hash() string {
	h := sha256.New()
	fmt.Fprintf(h, "%s\x00%s\x00%d\x00%s\x00%s\x00%s", l.From.Address, l.Subject, l.At.Unix(), l.Text, l.Quoted, l.Signature)
	for _, f := range l.Files {
		fmt.Fprintf(h, "\x00%s\x00%d", f.Name, len(f.Bytes))
	}
	return hex.EncodeToString(h.Sum(nil)[:8])
}

func (l *Letter) problem(format string, args ...any) {
	if len(l.Problems) < 20 {
		l.Problems = append(l.Problems, fmt.Sprintf(format, args...))
	}
}

// noteUnknown notes a character set or an encoding that is not known.
func (l *Letter) noteUnknown(err error) {
	if message.IsUnknownCharset(err) {
		l.problem("a part is in a character set that is not known")
	} else if message.IsUnknownEncoding(err) {
		l.problem("a part is in an encoding that is not known")
	}
}

// boundHeader cuts headers that are too long and leaves out lines that are none, keeping the
// body.
func (l *Letter) boundHeader(raw []byte) []byte {
	raw = bytes.TrimLeft(raw, "\r\n")
	if from, rest, ok := bytes.Cut(raw, []byte("\n")); ok && bytes.HasPrefix(from, []byte("From ")) {
		raw = rest // of a file of mails
	}
	below := body(raw)
	head := raw[:len(raw)-len(below)]
	if len(head) > mostHeader {
		l.problem("its headers are longer than %d KiB; the rest of them was left out", mostHeader>>10)
		head = head[:bytes.LastIndexByte(head[:mostHeader], '\n')+1]
	}
	var kept []byte
	broken := false
	for line := range bytes.Lines(head) {
		switch {
		case len(bytes.TrimSpace(line)) == 0:
		case headerLine.Match(line), len(kept) > 0 && (line[0] == ' ' || line[0] == '\t'):
			kept = append(kept, line...)
		default:
			broken = true
		}
	}
	if broken {
		l.problem("some of its headers cannot be read")
	}
	return append(append(kept, "\r\n"...), below...)
}

var headerLine = regexp.MustCompile(`^[!-9;-~]+[ \t]*:`)

var blankLine = regexp.MustCompile(`\r?\n\r?\n`)

// body is what stands behind the headers.
func body(raw []byte) []byte {
	if at := blankLine.FindIndex(raw); at != nil {
		return raw[at[1]:]
	}
	return nil
}

func (l *Letter) headers(h letters.Header) {
	l.ID, _ = h.MessageID()
	if l.ID == "" {
		l.ID = strings.Trim(strings.TrimSpace(h.Get("Message-Id")), "<>")
	}
	l.ID = clean(l.ID, 500)
	references, _ := h.MsgIDList("References")
	if last, err := h.MsgIDList("In-Reply-To"); err == nil && len(last) > 0 {
		references = append(references, last[0])
	}
	for _, id := range references {
		if id = clean(id, 500); id != "" && (len(l.References) == 0 || l.References[len(l.References)-1] != id) {
			l.References = append(l.References, id)
		}
	}
	l.References = l.References[max(0, len(l.References)-mostThread):]
	l.Subject = clean(oneLine(decoded(&h, "Subject")), mostSubject)
	if at, err := h.Date(); err == nil {
		l.At = at.UTC()
	}
	first := func(list []Person) (p Person) {
		if len(list) > 0 {
			p = list[0]
		}
		return p
	}
	if l.From = first(people(&h, "From")); l.From.Address == "" {
		l.From = first(people(&h, "Sender"))
	}
	if l.ReplyTo = first(people(&h, "Reply-To")); l.ReplyTo.Address == l.From.Address {
		l.ReplyTo = Person{}
	}
	l.To, l.Copy = people(&h, "To"), people(&h, "Cc")
}

func decoded(h *letters.Header, key string) string {
	s, err := h.Text(key)
	if err != nil {
		return h.Get(key)
	}
	return s
}

var addressInText = regexp.MustCompile(`[^\s<>"',;:()\[\]]+@[^\s<>"',;:()\[\]]+`)

// people reads a header of addresses; what is no address is left out, and one that is written
// wrongly is taken where it can be found.
func people(h *letters.Header, key string) (list []Person) {
	add := func(name, address string) {
		address = strings.ToLower(clean(address, 254))
		if len(list) < mostPeople && strings.Contains(address, "@") {
			list = append(list, Person{clean(oneLine(name), 200), address})
		}
	}
	if addresses, err := h.AddressList(key); err == nil {
		for _, a := range addresses {
			add(a.Name, a.Address)
		}
		return list
	}
	said := decoded(h, key)
	for i, address := range addressInText.FindAllString(said, mostPeople) {
		name := ""
		if at := strings.Index(said, address); i == 0 {
			name = strings.Trim(said[:at], " \t\"'<(")
		}
		add(name, address)
	}
	return list
}

// clean makes a text valid, without control characters but line ends and tabs, without those
// that turn or hide text, and of bounded length in runes.
func clean(s string, most int) string {
	if !utf8.ValidString(s) { // it says that it is, and is most likely not
		if western, err := charmap.Windows1252.NewDecoder().String(s); err == nil {
			s = western
		}
		s = strings.ToValidUTF8(s, "\uFFFD")
	}
	s = strings.Map(func(r rune) rune {
		switch {
		case r == '\n', r == '\t':
			return r
		case r == '\u00a0', r == '\u202f':
			return ' '
		case unicode.IsControl(r), r >= '\u202a' && r <= '\u202e', r >= '\u2066' && r <= '\u2069', r == '\u200b', r == '\u200e', r == '\u200f', r == '\u2060', r == '\ufeff', r == '\u00ad':
			return -1
		}
		return r
	}, strings.ReplaceAll(strings.ReplaceAll(s, "\r\n", "\n"), "\r", "\n"))
	if len(s) > most {
		if runes := []rune(s); len(runes) > most {
			s = string(runes[:most])
		}
	}
	return strings.TrimSpace(s)
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

// A reader walks through the parts of a mail.
type reader struct {
	letter      *Letter
	raw         []byte // the body as it came
	parts       int
	plain, html []string
	status      []byte // of a delivery report
	returned    []byte // the headers of the mail that it is about
	reports     bool
}

func (r *reader) part(e *message.Entity, depth int) {
	if r.parts++; r.parts > mostParts || depth > mostDepth {
		if r.parts == mostParts+1 || depth == mostDepth+1 {
			r.letter.problem("it has more parts than are read")
		}
		return
	}
	kind, params, err := e.Header.ContentType()
	if err != nil || kind == "" {
		kind = "text/plain"
	}
	kind = strings.ToLower(kind)
	if strings.HasPrefix(kind, "multipart/") {
		r.reports = r.reports || kind == "multipart/report"
		r.multipart(e, kind, depth)
		return
	}
	disposition, given, _ := e.Header.ContentDisposition()
	name := given["filename"]
	if name == "" {
		name = params["name"]
	}
	content, err := io.ReadAll(io.LimitReader(e.Body, MostBytes))
	if err != nil && len(content) == 0 && !errors.Is(err, io.ErrUnexpectedEOF) {
		r.letter.problem("a part cannot be read: %v", err)
	}
	enclosed := strings.EqualFold(disposition, "attachment")
	switch {
	case r.reports && kind == "message/delivery-status":
		r.status = content
	case r.reports && (kind == "message/rfc822" || kind == "text/rfc822-headers" || kind == "message/rfc822-headers" || kind == "message/global"):
		r.returned = content
	case kind == "text/plain" && !enclosed && (name == "" || len(r.plain) == 0):
		if strings.EqualFold(params["format"], "flowed") {
			content = unfolded(content, strings.EqualFold(params["delsp"], "yes"))
		}
		r.plain = append(r.plain, clean(string(content), mostText))
	case kind == "text/html" && !enclosed && (name == "" || len(r.html) == 0):
		r.html = append(r.html, plainOf(content))
	default:
		r.enclose(kind, name, e.Header.Get("Content-Id") != "" && !enclosed, content)
	}
}

// unfolded joins lines that were only broken for being sent (RFC 3676).
func unfolded(content []byte, without bool) []byte {
	var b bytes.Buffer
	for line := range bytes.Lines(content) {
		bare := bytes.TrimRight(line, "\r\n")
		if soft := bytes.HasSuffix(bare, []byte(" ")) && !bytes.Equal(bare, []byte("-- ")) && !bytes.HasPrefix(bare, []byte(">")); soft {
			if without {
				bare = bare[:len(bare)-1]
			}
			b.Write(bare)
			continue
		}
		b.Write(bytes.TrimPrefix(line, []byte(" ")))
	}
	return b.Bytes()
}

// multipart reads the parts of a part; of alternatives the texts are the same in other forms.
func (r *reader) multipart(e *message.Entity, kind string, depth int) {
	parts := e.MultipartReader()
	if parts == nil {
		return
	}
	if kind == "multipart/encrypted" {
		r.letter.problem("it is encrypted, and cannot be read here")
	}
	before := r.parts
	plain, html := r.plain, r.html
	if kind == "multipart/alternative" {
		r.plain, r.html = nil, nil
	}
	for r.parts <= mostParts {
		part, err := parts.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if part == nil {
			r.letter.problem("it breaks off within a part, or its parts are not marked as it says")
			if r.parts == before && depth == 0 {
				r.plain = append(r.plain, clean(string(r.raw), mostText))
			}
			break
		}
		r.letter.noteUnknown(err)
		r.part(part, depth+1)
	}
	if kind == "multipart/alternative" {
		if better := better(r.plain, r.html); better != "" {
			plain = append(plain, better)
		}
		r.plain, r.html = plain, html
	}
}

// better is the plain text, or the HTML where the plain text is a stand-in for it.
func better(plain, html []string) string {
	p, h := strings.Join(plain, "\n\n"), strings.Join(html, "\n\n")
	if n := len(strings.Fields(p)); n < 20 && len(strings.Fields(h)) > 3*n+5 || n == 0 {
		return h
	}
	return p
}

// text is all that was written.
func (r *reader) text() string {
	return strings.Join(append(r.plain, r.html...), "\n\n")
}

func (r *reader) enclose(kind, name string, inline bool, content []byte) {
	l := r.letter
	if len(l.Files) == mostFiles {
		l.problem("it has more than %d files; the rest was left out", mostFiles)
	}
	if len(l.Files) >= mostFiles {
		return
	}
	name = clean(oneLine(path.Base(strings.ReplaceAll(name, `\`, "/"))), mostFileName)
	name = strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/:*?"<>|`, r) {
			return '_'
		}
		return r
	}, name)
	sniffed := mimetype.Detect(content)
	if name == "" || name == "." {
		name = "file" + sniffed.Extension()
		if kind == "message/rfc822" {
			name = "mail.eml"
		}
	}
	l.Files = append(l.Files, File{Name: name, Type: sniffed.String(), Inline: inline && strings.HasPrefix(sniffed.String(), "image/"), Bytes: content})
}

// ParseAddress reads one address, as "Ada <ada@example.org>" or alone.
func ParseAddress(s string) (Person, error) {
	a, err := mail.ParseAddress(s)
	if err != nil {
		return Person{}, fmt.Errorf("%q is no mail address", s)
	}
	return Person{a.Name, strings.ToLower(a.Address)}, nil
}
