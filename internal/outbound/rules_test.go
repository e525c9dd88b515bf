package outbound

import (
	"errors"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"strings"
	"syscall"
	"testing"
)

// What is not allowed is not even connected to: by number, by name, by a redirect
// from where it is allowed.
func TestOnlyAllowedAddressesAreCalled(t *testing.T) {
	calls := 0
	inside := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { calls++ }))
	defer inside.Close()
	outside := httptest.NewServer(http.RedirectHandler(inside.URL, http.StatusFound))
	defer outside.Close()
	host := strings.TrimPrefix(outside.URL, "http://")
	client := &http.Client{Transport: Rules{Allowed: []string{host}}.Transport()}
	for _, address := range []string{inside.URL, strings.Replace(inside.URL, "127.0.0.1", "localhost", 1), outside.URL} {
		if response, err := client.Get(address); !errors.Is(err, ErrNotPublic) {
			t.Errorf("%s: %v, %v", address, response, err)
		}
	}
	if calls > 0 {
		t.Errorf("it was called %d times", calls)
	}
	client.Transport = Rules{Allowed: []string{"127.0.0.1"}}.Transport()
	if _, err := client.Get(outside.URL); err != nil || calls != 1 {
		t.Errorf("what is allowed was called %d times: %v", calls, err)
	}
	for address, right := range map[string]bool{"93.184.216.34": true, "2606:2800:220:1::1": true, "10.1.2.3": false, "169.254.169.254": false, "100.64.0.1": false, "::ffff:127.0.0.1": false, "64:ff9b::7f00:1": false, "fe80::1": false, "224.0.0.1": false} {
		if err := public(netip.MustParseAddr(address)); (err == nil) != right {
			t.Errorf("%s: %v", address, err)
		}
	}
}

// Why nobody could be reached is said in words that tell what to look at, and the cause is kept.
func TestWhyNobodyIsReached(t *testing.T) {
	client := &http.Client{Transport: Rules{Allowed: []string{"127.0.0.1:1", "nowhere.invalid:80"}}.Transport()}
	for address, want := range map[string]string{
		"http://127.0.0.1:1/books?key=1": "nothing listens at that address and port",
		"http://nowhere.invalid/":        "nowhere.invalid",
		"http://192.168.1.9/":            "private network",
	} {
		_, err := client.Get(address)
		if why := Why(err); why == nil || !strings.Contains(why.Error(), want) || strings.Contains(why.Error(), "dial tcp") || strings.Contains(why.Error(), "http://") {
			t.Errorf("%s: %v", address, why)
		}
	}
	_, err := client.Get("http://127.0.0.1:1/")
	if !errors.Is(Why(err), syscall.ECONNREFUSED) {
		t.Errorf("the cause is lost: %v", err)
	}
	for cause, want := range map[error]string{
		&net.DNSError{Name: "a.example", IsNotFound: true}:    "there is no server called a.example",
		&net.DNSError{Name: "a.example", IsTemporary: true}:   "the name a.example cannot be looked up now",
		&net.OpError{Op: "dial", Err: os.ErrDeadlineExceeded}: "nobody answers there",
		syscall.ENETUNREACH: "no way leads there from this machine",
	} {
		if said := plainly(cause); said != want {
			t.Errorf("%v: %q", cause, said)
		}
	}
	if slow := (&unconnected{"", &net.OpError{Op: "dial", Err: os.ErrDeadlineExceeded}}); !slow.Timeout() {
		t.Error("that nobody answered in time is lost")
	}
}
