package hostile

import (
	"net/http"
	"os/signal"
	"strings"
	"syscall"
	"testing"
	"time"
)

// A disk that takes nothing more is seen from outside, nothing is acknowledged
// meanwhile, and when there is room again all goes on.
func TestAFullDiskIsSeen(t *testing.T) {
	signal.Ignore(syscall.SIGXFSZ) // a write that is too long fails instead
	defer signal.Reset(syscall.SIGXFSZ)
	var usual syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_FSIZE, &usual); err != nil {
		t.Skipf("not on this machine: %v", err)
	}
	full := usual
	full.Cur = 4096
	if err := syscall.Setrlimit(syscall.RLIMIT_FSIZE, &full); err != nil {
		t.Skipf("not on this machine: %v", err)
	}
	room := func() {
		if err := syscall.Setrlimit(syscall.RLIMIT_FSIZE, &usual); err != nil {
			t.Fatal(err)
		}
	}
	defer room()
	phone := under.phone()
	if err := under.World.Handset.Deliver(t.Context(), phone, "full", "Is there food on board?"); err == nil {
		t.Error("a text was acknowledged")
	}
	ready := under.asks(t, http.MethodGet, "/readyz", nil, "Authorization", "")
	if ready.StatusCode != http.StatusServiceUnavailable || strings.Contains(ready.body, under.data) {
		t.Errorf("/readyz answers %d %s", ready.StatusCode, ready.body)
	}
	for _, path := range []string{"/api/v1/status", "/api/v1/today"} {
		if a := under.asks(t, http.MethodGet, path, nil); a.StatusCode != http.StatusOK || !strings.Contains(a.body, "Nothing can be kept safely") {
			t.Errorf("%s: %d %.300s", path, a.StatusCode, a.body)
		}
	}
	room()
	for deadline := time.Now().Add(patience); under.asks(t, http.MethodGet, "/readyz", nil).StatusCode != http.StatusOK; {
		if time.Now().After(deadline) {
			t.Fatal("with room again it is not ready")
		}
	}
	if reply := under.texts(t, phone, "Is there food on board?"); !strings.Contains(reply, "soup") {
		t.Errorf("with room again: %q", reply)
	}
	under.stands(t)
}
