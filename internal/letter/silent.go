package letter

import (
	"bufio"
	"bytes"
	"net/textproto"
	"regexp"
	"strings"

	message "github.com/emersion/go-message"
)

// Mark is the header that our own mails carry, beside their Message-ID.
const Mark = "X-Parrot"

// bounced is how many servers a mail may have gone through: more is a ring.
const bounced = 25

var (
	nobody = regexp.MustCompile(`^(no[-_.]?reply|do[-_.]?not[-_.]?reply|noreply|mailer-daemon|postmaster|bounces?|auto[-_.]?(reply|responder)|nobody)([-+=.].*)?@`)
	away   = regexp.MustCompile(`(?i)^(\W|re:|aw:)*(out[- ]of[- ](the )?office|automatic reply|auto(matic)?[- ]?(reply|response|respond)|autoreply|abwesenheit|automatische antwort|abwesend|réponse automatique|absence du bureau|respuesta automática|fuera de la oficina|risposta automatica|fuori sede|automatisch antwoord|afwezig|autosvar|frånvaro|resposta automática|automatyczna odpowied|poissa|автоответ)`)
	gone   = regexp.MustCompile(`(?i)\b(out of (the )?office|on (annual |parental |sick )?leave|currently away|not in the office|im urlaub|nicht im (büro|haus)|en congé|absent(e)? du bureau|de vacaciones|in ferie|met vakantie|afwezig)\b`)
	back   = regexp.MustCompile(`(?i)\b(return|back|until|till|bis|ab dem|zurück|retour|jusqu|hasta|fino|tot|terug)\b`)
)

// silent is why a mail wants no answer, "" if it may have one.
func (l *Letter) silent(h *message.Header) string {
	said := func(key string) string { return strings.ToLower(strings.TrimSpace(h.Get(key))) }
	switch auto, precedence := said("Auto-Submitted"), said("Precedence"); {
	case h.Has(Mark):
		return "it is one of our own"
	case l.Report != nil:
		return "it is a delivery report"
	case auto != "" && auto != "no":
		return "it was sent by a machine (Auto-Submitted)"
	case h.Has("List-Id") || h.Has("List-Unsubscribe"):
		return "it went to a list (List-Id or List-Unsubscribe)"
	case precedence == "bulk" || precedence == "list" || precedence == "junk" || precedence == "auto_reply":
		return "it went to many (Precedence: " + precedence + ")"
	case h.Has("X-Auto-Response-Suppress") && strings.Contains(said("X-Auto-Response-Suppress"), "all"):
		return "its sender wants no automatic answer (X-Auto-Response-Suppress)"
	case h.Has("Return-Path") && strings.ReplaceAll(said("Return-Path"), " ", "") == "<>":
		return "it has no return path, as reports of machines have none"
	case l.From.Address == "":
		return "it does not say who it is from"
	case nobody.MatchString(l.From.Address) && l.ReplyTo.Address == "" || nobody.MatchString(l.ReplyTo.Address):
		return "nobody reads what is sent to " + l.Sender().Address
	case received(h) > bounced:
		return "it went in a ring: more than 25 servers passed it on"
	case away.MatchString(l.Subject) || gone.MatchString(start(l.Text)) && back.MatchString(start(l.Text)) && !strings.Contains(l.Text, "?") && len(l.References) > 0:
		return "its sender is away (out of office)"
	}
	return ""
}

func received(h *message.Header) (n int) {
	for fields := h.FieldsByKey("Received"); fields.Next(); {
		n++
	}
	return n
}

// start is how a text begins.
func start(s string) string { return s[:min(len(s), 300)] }

// Sender is whom an answer goes to.
func (l *Letter) Sender() Person {
	if l.ReplyTo.Address != "" {
		return l.ReplyTo
	}
	return l.From
}

// A Report says what became of a mail that was sent (RFC 3464).
type Report struct {
	About     string // the Message-ID of that mail, "" if it does not say
	Recipient string
	Failed    bool   // for good; else it is delayed or was delivered
	Delivered bool   // it arrived
	Why       string // as the other side says
}

// report reads a delivery report, nil if the mail is none.
func (r *reader) report(string) *Report {
	if r.status == nil {
		return nil
	}
	report := Report{}
	for _, group := range bytes.Split(bytes.ReplaceAll(r.status, []byte("\r\n"), []byte("\n")), []byte("\n\n")) {
		fields, err := textproto.NewReader(bufio.NewReader(bytes.NewReader(append(group, "\n\n"...)))).ReadMIMEHeader()
		if len(fields) == 0 && err != nil {
			continue
		}
		of := func(key string) string { // "rfc822; ada@example.org"
			_, value, ok := strings.Cut(fields.Get(key), ";")
			if !ok {
				value = fields.Get(key)
			}
			return clean(oneLine(value), 300)
		}
		if recipient := of("Final-Recipient"); recipient != "" && !report.Failed {
			report.Recipient = strings.ToLower(recipient)
			action := strings.ToLower(of("Action"))
			report.Failed, report.Delivered = action == "failed", action == "delivered" || action == "relayed"
			if report.Why = of("Diagnostic-Code"); report.Why == "" {
				report.Why = of("Status")
			}
		}
	}
	if report.Recipient == "" {
		return nil
	}
	if returned, err := message.Read(bytes.NewReader(append(bytes.Clone(r.returned), "\r\n\r\n"...))); returned != nil && (err == nil || message.IsUnknownCharset(err) || message.IsUnknownEncoding(err)) {
		report.About = strings.Trim(strings.TrimSpace(returned.Header.Get("Message-Id")), "<>")
	}
	return &report
}
