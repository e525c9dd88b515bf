package mail

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/rsa"
	"crypto/x509"
	"encoding/base64"
	"net"
	"strings"
	"testing"

	"github.com/emersion/go-msgauth/dkim"

	"urgentparrot.example/internal/channel"
)

// records are the text records of a domain name system that holds nothing else.
type records map[string]string

func (r records) LookupTXT(_ context.Context, name string) ([]string, error) {
	if text, ok := r[strings.TrimSuffix(name, ".")]; ok {
		return []string{text}, nil
	}
	return nil, &net.DNSError{Err: "no such host", Name: name, IsNotFound: true}
}
func (r records) LookupMX(context.Context, string) ([]*net.MX, error)        { return nil, nil }
func (r records) LookupIPAddr(context.Context, string) ([]net.IPAddr, error) { return nil, nil }
func (r records) LookupAddr(context.Context, string) ([]string, error)       { return nil, nil }

// An address is proven where its domain vouches for it: by a signature that holds and is
// aligned, or as the server says that is trusted; nothing below that server's own word counts.
func TestWhoWroteIsProven(t *testing.T) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	public, err := x509.MarshalPKIXPublicKey(&key.PublicKey)
	if err != nil {
		t.Fatal(err)
	}
	names := records{"_dmarc.example.org": "v=DMARC1; p=reject"}
	for _, domain := range []string{"example.org", "mail.example.org", "evil.example"} {
		names["post._domainkey."+domain] = "v=DKIM1; k=rsa; p=" + base64.StdEncoding.EncodeToString(public)
	}
	mail := "From: Ada <ada@example.org>\r\nTo: office@brackwater.example\r\nSubject: Dogs\r\nMessage-ID: <p@example.org>\r\n\r\nCan I bring my dog?\r\n"
	signed := func(domain string) string {
		var b bytes.Buffer
		if err := dkim.Sign(&b, strings.NewReader(mail), &dkim.SignOptions{Domain: domain, Selector: "post", Signer: key}); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	const says = "Authentication-Results: mx.example; dmarc=pass header.from=example.org\r\n"
	for _, c := range []struct {
		what, trusts, raw, says string
		proven                  bool
	}{
		{"not signed", "", mail, "not signed", false},
		{"signed by the domain", "", signed("example.org"), "signed by example.org (DKIM)", true},
		{"signed by a part of it", "", signed("mail.example.org"), "signed by mail.example.org (DKIM)", true},
		{"signed by another", "", signed("evil.example"), "does not answer for example.org", false},
		{"changed on the way", "", strings.Replace(signed("example.org"), "my dog", "my money", 1), "does not hold", false},
		{"answers go elsewhere", "", strings.Replace(signed("example.org"), "To: office", "Reply-To: eve@evil.example\r\nTo: office", 1), "signed by example.org", false},
		{"the trusted server says so", "mx.example", says + mail, "mx.example says that it is from example.org", true},
		{"another server says so", "mx.example", strings.Replace(says, "mx.example", "mx.evil", 1) + mail, "not checked by mx.example", false},
		{"the trusted server says no, above what says yes", "mx.example", strings.Replace(says, "pass", "fail", 1) + says + mail, "may not be from example.org", false},
		{"the trusted server speaks of another", "mx.example", strings.Replace(says, "from=example.org", "from=evil.example", 1) + mail, "may not be from", false},
	} {
		more := ""
		if c.trusts != "" {
			more = "trusts: " + c.trusts + "\n"
		}
		o := newOffice(t, more)
		o.box.Names = names
		in := o.box.Understand(t.Context(), []byte(c.raw))
		if in.Unproven == c.proven || !strings.Contains(in.Beside.Proof, c.says) {
			t.Errorf("%s: proven %v, %q", c.what, !in.Unproven, in.Beside.Proof)
		}
	}
}

// A mail that a server brings to the service itself is proven by that server, where the domain
// that the mail is from names it.
func TestWhoBringsAMailProvesIt(t *testing.T) {
	names := records{
		"example.org": "v=spf1 ip4:198.51.100.7 -all", "news.example.org": "v=spf1 ip4:198.51.100.8 -all", "evil.example": "v=spf1 +all", "loops.example": "v=spf1 include:loops.example -all",
		"example.com": "v=spf1 ip4:198.51.100.7 -all", "post.example.com": "v=spf1 ip4:198.51.100.7 -all", "_dmarc.example.com": "v=DMARC1; p=reject; aspf=s",
	}
	for _, c := range []struct {
		what, from, ip, envelope, says string
		proven                         bool
	}{
		{"by a server of the domain", "example.org", "198.51.100.7", "ada@example.org", "brought by a server of example.org (SPF)", true},
		{"by a server of a part of it", "example.org", "198.51.100.8", "list@news.example.org", "brought by a server of news.example.org (SPF)", true},
		{"by a part of it, where that is not enough", "example.com", "198.51.100.7", "ada@post.example.com", "which does not answer for example.com", false},
		{"by another server", "example.org", "203.0.113.9", "ada@example.org", "does not name (SPF: fail)", false},
		{"by a server of somebody else", "example.org", "203.0.113.9", "eve@evil.example", "which does not answer for example.org", false},
		{"from a domain that names none", "other.example", "203.0.113.9", "ada@other.example", "names no servers", false},
		{"from a domain that names itself for ever", "loops.example", "203.0.113.9", "ada@loops.example", "does not name (SPF: permerror)", false},
		{"by a server that says from nobody", "example.org", "198.51.100.7", "", "(SPF)", true},
		{"from the machine itself", "example.org", "127.0.0.1", "ada@example.org", "not signed", false},
	} {
		o := newOffice(t, "receives: [office@brackwater.example]\n")
		o.box.Names = names
		raw := "From: Ada <ada@" + c.from + ">\r\nTo: office@brackwater.example\r\nSubject: Dogs\r\nMessage-ID: <p@" + c.from + ">\r\n\r\nCan I bring my dog?\r\n"
		if err := o.box.Take(t.Context(), []byte(raw), channel.Bringer{IP: net.ParseIP(c.ip), Hello: "example.org", From: c.envelope}); err != nil {
			t.Fatal(err)
		}
		if in := o.room.Received()[0]; in.Unproven == c.proven || !strings.Contains(in.Beside.Proof, c.says) {
			t.Errorf("%s: proven %v, %q", c.what, !in.Unproven, in.Beside.Proof)
		}
	}
}
