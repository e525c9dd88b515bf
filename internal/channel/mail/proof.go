package mail

import (
	"bytes"
	"context"
	"net"
	"strings"
	"time"

	"blitiri.com.ar/go/spf"
	message "github.com/emersion/go-message"
	"github.com/emersion/go-msgauth/authres"
	"github.com/emersion/go-msgauth/dkim"
	"github.com/emersion/go-msgauth/dmarc"
	"golang.org/x/net/publicsuffix"

	"urgentparrot.example/internal/channel"
	"urgentparrot.example/internal/letter"
)

// A proof says whether a mail is from whom it says.
type proof struct {
	aligned bool   // somebody who answers for the sender's domain vouches for it
	says    string // for people
}

// Bounds of checking signatures.
const (
	proofTime      = 10 * time.Second
	mostSignatures = 3
)

// prove looks whether the domain that a mail says it is from vouches for it: as the trusted
// server says, or by its own signature (DKIM, RFC 6376), or by the server that brought it (SPF,
// RFC 7208), and what the domain asks for (DMARC, RFC 7489).
func (m *mailbox) prove(ctx context.Context, l *letter.Letter, raw []byte, by channel.Bringer) proof {
	domain := l.From.Address[strings.LastIndexByte(l.From.Address, '@')+1:]
	if m.Trusts != "" {
		return trusted(raw, m.Trusts, domain)
	}
	ctx, cancel := context.WithTimeout(ctx, proofTime)
	defer cancel()
	names := m.Names
	if names == nil {
		names = net.DefaultResolver
	}
	signed := signature(ctx, names, raw, domain)
	if signed.aligned || by.IP == nil || by.IP.IsLoopback() || by.IP.IsPrivate() { // what stands in the own network was named by nobody
		return signed
	}
	brought := broughtBy(ctx, names, by, domain)
	brought.says = signed.says + "; " + brought.says
	return brought
}

// broughtBy looks whether the domain of the envelope names the server that brought a mail, and
// answers for the domain that the mail says it is from.
func broughtBy(ctx context.Context, names channel.Names, by channel.Bringer, domain string) proof {
	envelope := by.From[strings.LastIndexByte(by.From, '@')+1:]
	if envelope == "" {
		envelope = by.Hello
	}
	result, _ := spf.CheckHostWithSender(by.IP, by.Hello, by.From, spf.WithContext(ctx), spf.WithResolver(names))
	switch {
	case result == spf.None:
		return proof{says: envelope + " names no servers (SPF)"}
	case result != spf.Pass:
		return proof{says: "brought by a server that " + envelope + " does not name (SPF: " + string(result) + ")"}
	}
	strict := false
	if record, err := policy(ctx, names, domain); err == nil {
		strict = record.SPFAlignment == dmarc.AlignmentStrict
	}
	if strings.EqualFold(envelope, domain) || !strict && organization(envelope) == organization(domain) {
		return proof{true, "brought by a server of " + envelope + " (SPF)"}
	}
	return proof{says: "brought by a server of " + envelope + " (SPF), which does not answer for " + domain}
}

// policy is what a domain asks for (DMARC).
func policy(ctx context.Context, names channel.Names, domain string) (*dmarc.Record, error) {
	return dmarc.LookupWithOptions(organization(domain), &dmarc.LookupOptions{LookupTXT: func(name string) ([]string, error) { return names.LookupTXT(ctx, name) }})
}

// signature looks whether a mail is signed by the domain that it says it is from.
func signature(ctx context.Context, names channel.Names, raw []byte, domain string) proof {
	if !bytes.Contains(bytes.ToLower(raw[:min(len(raw), 64<<10)]), []byte("dkim-signature:")) {
		return proof{says: "not signed"}
	}
	txt := func(name string) ([]string, error) { return names.LookupTXT(ctx, name) }
	found, err := dkim.VerifyWithOptions(bytes.NewReader(raw), &dkim.VerifyOptions{LookupTXT: txt, MaxVerifications: mostSignatures})
	if err != nil && len(found) == 0 {
		return proof{says: "its signature (DKIM) cannot be read"}
	}
	strict := false
	if record, err := policy(ctx, names, domain); err == nil {
		strict = record.DKIMAlignment == dmarc.AlignmentStrict
	}
	others := ""
	for _, v := range found {
		switch {
		case v.Err != nil:
		case strings.EqualFold(v.Domain, domain) || !strict && organization(v.Domain) == organization(domain):
			return proof{true, "signed by " + v.Domain + " (DKIM)"}
		default:
			others = v.Domain
		}
	}
	if others != "" {
		return proof{says: "signed by " + others + ", which does not answer for " + domain}
	}
	return proof{says: "its signature (DKIM) does not hold"}
}

// organization is the domain that answers for a domain: example.org for mail.example.org.
func organization(domain string) string {
	if of, err := publicsuffix.EffectiveTLDPlusOne(strings.ToLower(domain)); err == nil {
		return of
	}
	return strings.ToLower(domain)
}

// trusted is what the trusted server says (Authentication-Results, RFC 8601): the topmost of
// its headers, since those below may come from anybody.
func trusted(raw []byte, server, domain string) proof {
	entity, _ := message.Read(bytes.NewReader(raw))
	if entity == nil {
		return proof{says: "not checked"}
	}
	for fields := entity.Header.FieldsByKey("Authentication-Results"); fields.Next(); {
		by, results, err := authres.Parse(fields.Value())
		if err != nil || !strings.EqualFold(by, server) {
			continue
		}
		for _, r := range results {
			if r, ok := r.(*authres.DMARCResult); ok {
				if from := r.From[strings.LastIndexByte(r.From, '@')+1:]; r.Value == authres.ResultPass && strings.EqualFold(from, domain) {
					return proof{true, server + " says that it is from " + domain + " (DMARC)"}
				}
				return proof{says: server + " says that it may not be from " + domain + " (DMARC: " + string(r.Value) + ")"}
			}
		}
		return proof{says: server + " does not say whether it is from " + domain}
	}
	return proof{says: "not checked by " + server}
}
