package api

import (
	"io"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"
)

// How long a request may take to send its body: so long, and for each so many bytes of
// it a second more.
const (
	bodyTime      = 10 * time.Second
	bytesASecond  = 32 << 10
	unknownLength = 128 << 10 // of one that does not say how long it is
)

// ServeHTTP bounds the time in which a request is sent, and finds out where it comes
// from, before it is answered.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	r.RemoteAddr = s.remote(r)
	if r.Body != nil && r.ContentLength != 0 {
		length := r.ContentLength
		if length < 0 {
			length = unknownLength
		}
		control := http.NewResponseController(w)
		// A connection without deadlines, such as a test's, goes without.
		_ = control.SetReadDeadline(time.Now().Add(s.bodyTime + time.Duration(length/bytesASecond)*time.Second))
		r.Body = &timedBody{r.Body, func() { _ = control.SetReadDeadline(time.Time{}) }}
	}
	s.engine.ServeHTTP(w, r)
}

// timedBody is a body that must be sent in time; the answer may take longer.
type timedBody struct {
	io.ReadCloser
	read func()
}

func (b *timedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if err == io.EOF {
		b.read()
	}
	return n, err
}

// remote is where a request comes from: the other end of the connection or, where that
// is a trusted proxy, the last address in X-Forwarded-For that is none.
func (s *Server) remote(r *http.Request) string {
	at, err := netip.ParseAddrPort(r.RemoteAddr)
	if err != nil || !s.trusts(at.Addr()) {
		return r.RemoteAddr
	}
	client := at.Addr()
	hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for _, hop := range slices.Backward(hops) {
		hop = strings.TrimSpace(hop)
		if host, _, err := net.SplitHostPort(hop); err == nil {
			hop = host
		}
		addr, err := netip.ParseAddr(strings.Trim(hop, "[]"))
		if err != nil {
			break // who wrote that is not to be trusted further
		}
		if client = addr; !s.trusts(addr) {
			break
		}
	}
	return netip.AddrPortFrom(client, at.Port()).String()
}

func (s *Server) trusts(a netip.Addr) bool {
	a = a.Unmap()
	return slices.ContainsFunc(s.Proxies, func(p netip.Prefix) bool { return p.Contains(a) })
}
