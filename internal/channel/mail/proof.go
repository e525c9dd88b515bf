package mail

import (
	"bytes"
	"context"
	"net"
	"strings"
	"time"

	message "github.com/emersion/go-message"
	"github.com/emersion/go-msgauth/authres"
	"github.com/emersion/go-msgauth/dkim"
	"github.com/emersion/go-msgauth/dmarc"
	"golang.org/x/net/publicsuffix"

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
// server says, or by its own signature (DKIM, RFC 6376) and what the domain asks for (DMARC,
// RFC 7489).
func (m *mailbox) prove(ctx context.Context, l *letter.Letter, raw []byte) proof {
	domain := l.From.Address[strings.LastIndexByte(l.From.Address, '@')+1:]
	if m.Trusts != "" {
		return trusted(raw, m.Trusts, domain)
	}
	if !bytes.Contains(bytes.ToLower(raw[:min(len(raw), 64<<10)]), []byte("dkim-signature:")) {
		return proof{says: "not signed"}
	}
	ctx, cancel := context.WithTimeout(ctx, proofTime)
	defer cancel()
	lookup := m.LookupTXT
	if lookup == nil {
		lookup = net.DefaultResolver.LookupTXT
	}
	txt := func(name string) ([]string, error) { return lookup(ctx, name) }
	found, err := dkim.VerifyWithOptions(bytes.NewReader(raw), &dkim.VerifyOptions{LookupTXT: txt, MaxVerifications: mostSignatures})
	if err != nil && len(found) == 0 {
		return proof{says: "its signature (DKIM) cannot be read"}
	}
	strict := false
	if record, err := dmarc.LookupWithOptions(organization(domain), &dmarc.LookupOptions{LookupTXT: txt}); err == nil {
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
