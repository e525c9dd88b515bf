// Package outbound holds the rules for what the service may call: public
// addresses, and those that whoever runs it has allowed.
package outbound

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"syscall"
	"time"
)

// Rules say what may be called. The zero Rules allow public addresses only. They
// are safe for concurrent use.
type Rules struct {
	Allowed []string // hosts (HOST or HOST:PORT) that may be called although they are not public
}

// Check reports what is wrong with a web address, as far as can be seen without
// looking it up.
func (r Rules) Check(address string) (*url.URL, error) {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "":
		return nil, fmt.Errorf("%q is not a web address; write one like https://www.example.org/help", address)
	case u.Scheme != "http" && u.Scheme != "https":
		return nil, fmt.Errorf("%s addresses are not called, only http and https", u.Scheme)
	case u.User != nil:
		return nil, errors.New("the address must not hold a user name or a password")
	}
	if ip, err := netip.ParseAddr(strings.Trim(u.Hostname(), "[]")); err == nil && !r.allows(u.Host) {
		if err := public(ip); err != nil {
			return nil, err
		}
	}
	u.Fragment = ""
	return u, nil
}

// ErrRefused is wrapped by errors that are a final no of the other side: trying
// again will not help.
var ErrRefused = errors.New("refused")

func (r Rules) allows(host string) bool {
	name, _, err := net.SplitHostPort(host)
	return slices.Contains(r.Allowed, host) || err == nil && slices.Contains(r.Allowed, name)
}

// ErrNotPublic is returned for addresses of the server's own network.
var ErrNotPublic = errors.New("the address belongs to a private network or to this machine, which is not called; whoever runs the service can allow it with -allow HOST:PORT")

// public reports whether an address is one of the public internet.
func public(ip netip.Addr) error {
	ip = ip.Unmap()
	if !ip.IsGlobalUnicast() || ip.IsPrivate() || ip.IsLoopback() || ip.IsLinkLocalUnicast() {
		return ErrNotPublic
	}
	for _, special := range specialPrefixes {
		if special.Contains(ip) {
			return ErrNotPublic
		}
	}
	return nil
}

// specialPrefixes are ranges that look public and lead elsewhere: shared address
// space, protocol assignments, benchmarking, reserved, and IPv6 ranges that carry
// IPv4 addresses (RFC 6890, RFC 6598, RFC 6052, RFC 3056, RFC 4380).
var specialPrefixes = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"), netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("240.0.0.0/4"), netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"),
	netip.MustParsePrefix("2002::/16"), netip.MustParsePrefix("2001::/32"), netip.MustParsePrefix("fec0::/10"),
}

// Dial connects to an address that is allowed or public, whatever a name resolves to.
func (r Rules) Dial(ctx context.Context, network, address string) (net.Conn, error) {
	d := &net.Dialer{Timeout: 10 * time.Second}
	if !r.allows(address) {
		d.Control = func(_, address string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(address)
			if err != nil {
				return err
			}
			return public(at.Addr())
		}
	}
	conn, err := d.DialContext(ctx, network, address)
	if err != nil {
		return nil, &unconnected{plainly(err), err}
	}
	return conn, nil
}

// unconnected is an error of Dial, in words that say what to look at.
type unconnected struct {
	why string
	err error
}

func (u *unconnected) Error() string { return u.why }
func (u *unconnected) Unwrap() error { return u.err }

// Timeout reports whether nobody answered in time, as net.Error has it.
func (u *unconnected) Timeout() bool {
	var timed net.Error
	return errors.As(u.err, &timed) && timed.Timeout()
}

// plainly says why no connection came about.
func plainly(err error) string {
	var lookup *net.DNSError
	var timed net.Error
	switch {
	case errors.Is(err, ErrNotPublic):
		return ErrNotPublic.Error()
	case errors.As(err, &lookup) && lookup.IsNotFound:
		return "there is no server called " + lookup.Name
	case errors.As(err, &lookup):
		return "the name " + lookup.Name + " cannot be looked up now"
	case errors.Is(err, syscall.ECONNREFUSED):
		return "nothing listens at that address and port"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return "no way leads there from this machine"
	case errors.As(err, &timed) && timed.Timeout():
		return "nobody answers there"
	}
	return err.Error()
}

// Why says why a request came to nothing, without the address that is known anyhow.
func Why(err error) error {
	for {
		var request *url.Error
		if !errors.As(err, &request) {
			return err
		}
		err = request.Err
	}
}

// Transport returns a transport that connects to allowed and public addresses
// only, whatever a name resolves to and wherever a redirect leads.
func (r Rules) Transport() *http.Transport {
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.Proxy = nil // a proxy would look names up where they cannot be checked
	t.MaxIdleConnsPerHost = 2
	t.ResponseHeaderTimeout = 20 * time.Second
	t.DialContext = r.Dial
	return t
}

// A Token gives what requests to another system are signed with, of a system that somebody has
// let the service in to. refused is one that the system did not take, "" for none: another is
// got then. An error says why there is none.
type Token func(ctx context.Context, refused string) (string, error)

// Excerpt is the beginning of what another system says, on one line, for messages.
func Excerpt(said []byte) string {
	const most = 200 // letters
	words := []rune(strings.Join(strings.Fields(strings.ToValidUTF8(string(said[:min(len(said), 4*most)]), "")), " "))
	return string(words[:min(len(words), most)])
}
