package mail

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
)

// Mails are handed over side by side, but never two of one sender or one thread, which stay in
// their order; one that cannot be kept is said.
func TestMailsAreHandedOverSideBySide(t *testing.T) {
	mail := func(id, from, answers string) []byte {
		if answers != "" {
			answers = "In-Reply-To: <" + answers + ">\r\n"
		}
		return fmt.Appendf(nil, "From: %s\r\nTo: office@brackwater.example\r\nSubject: %s\r\nMessage-ID: <%s>\r\n%s\r\nHello.\r\n", from, id, id, answers)
	}
	mails := [][]byte{
		mail("a1@x.org", "ada@example.org", ""), mail("b1@x.org", "ben@example.org", ""), mail("a2@x.org", "ADA@example.org", ""), mail("c1@x.org", "cy@example.org", "b1@x.org"),
		mail("d1@x.org", "dan@example.org", "c1@x.org"), mail("e1@x.org", "eve@example.org", ""), mail("", "fay@example.org", ""), mail("", "gus@example.org", ""), mail("d2@x.org", "dan@example.org", ""),
	}
	lanes := [][]int{{0, 2}, {1, 3, 4, 8}, {5}, {6}, {7}}
	var mu sync.Mutex
	going, most := 0, 0
	var order []int
	var begun sync.Once
	all := make(chan struct{})
	err := handOver(t.Context(), mails, func(_ context.Context, raw []byte) error {
		at := slices.IndexFunc(mails, func(m []byte) bool { return string(m) == string(raw) })
		mu.Lock()
		going++
		most = max(most, going)
		if going == len(lanes) {
			begun.Do(func() { close(all) })
		}
		mu.Unlock()
		if slices.ContainsFunc(lanes, func(lane []int) bool { return lane[0] == at }) {
			<-all // until the first of each lane is under way
		}
		mu.Lock()
		defer mu.Unlock()
		going--
		order = append(order, at)
		return nil
	})
	if err != nil || most != len(lanes) || len(order) != len(mails) {
		t.Errorf("%v: %d of %d lanes at once, handed over %v", err, most, len(lanes), order)
	}
	for _, lane := range lanes {
		for i := 1; i < len(lane); i++ {
			if slices.Index(order, lane[i]) < slices.Index(order, lane[i-1]) {
				t.Errorf("%d came before %d: %v", lane[i], lane[i-1], order)
			}
		}
	}
	full := errors.New("the disk is full")
	if err := handOver(t.Context(), mails, func(_ context.Context, raw []byte) error {
		if strings.Contains(string(raw), "eve@") {
			return full
		}
		return nil
	}); !errors.Is(err, full) {
		t.Errorf("one cannot be kept: %v", err)
	}
}
