package reading

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

// A Fetcher reads web pages. The zero Fetcher reads public addresses only. It is
// safe for concurrent use.
type Fetcher struct {
	Allowed []string      // hosts (HOST or HOST:PORT) that may be read although they are not public
	Pace    time.Duration // between two requests to one site; 250 ms if zero
}

// agent is how a fetcher calls itself to web servers and robots.txt.
const agent = "UrgentParrot/0.1"

// Check reports what is wrong with a web address, as far as can be seen without
// looking it up.
func (f *Fetcher) Check(address string) (*url.URL, error) {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "":
		return nil, fmt.Errorf("%q is not a web address; write one like https://www.example.org/help", address)
	case u.Scheme != "http" && u.Scheme != "https":
		return nil, fmt.Errorf("%s addresses are not read, only http and https", u.Scheme)
	case u.User != nil:
		return nil, errors.New("the address must not hold a user name or a password")
	}
	if ip, err := netip.ParseAddr(strings.Trim(u.Hostname(), "[]")); err == nil && !f.allows(u.Host) {
		if err := public(ip); err != nil {
			return nil, err
		}
	}
	u.Fragment = ""
	return u, nil
}

func (f *Fetcher) allows(host string) bool {
	name, _, err := net.SplitHostPort(host)
	return slices.Contains(f.Allowed, host) || err == nil && slices.Contains(f.Allowed, name)
}

// ErrNotPublic is returned for addresses of the server's own network.
var ErrNotPublic = errors.New("the address belongs to a private network or to this machine, which is not read; whoever runs the service can allow it with -allow")

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

// transport returns a transport that connects to allowed and public addresses
// only, whatever a name resolves to and wherever a redirect leads.
func (f *Fetcher) transport() *http.Transport {
	guarded := &net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		return public(at.Addr())
	}}
	open := &net.Dialer{Timeout: 10 * time.Second}
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.Proxy = nil // a proxy would look names up where they cannot be checked
	t.MaxIdleConnsPerHost = 2
	t.ResponseHeaderTimeout = 20 * time.Second
	t.DialContext = func(ctx context.Context, network, address string) (net.Conn, error) {
		if f.allows(address) {
			return open.DialContext(ctx, network, address)
		}
		return guarded.DialContext(ctx, network, address)
	}
	return t
}
