package store

import (
	"errors"
	"testing"
	"time"
)

// What is removed for good leaves the file, and writing goes on; a contact that is not there
// cannot be forgotten.
func TestCompactingGoesOnBesideWriting(t *testing.T) {
	s := openStore(t)
	id := ""
	add := func(tx *Tx) (err error) {
		id, err = tx.AddContact(nil, []Handle{{"bell", "+447700900150"}}, "", nil, time.Now())
		return err
	}
	if err := s.Write(t.Context(), add); err != nil {
		t.Fatal(err)
	}
	forget := func(tx *Tx) error { _, err := tx.Forget(id, time.Now()); return err }
	if err := s.Write(t.Context(), forget); err != nil {
		t.Fatal(err)
	}
	if err := s.Write(t.Context(), forget); !errors.Is(err, ErrNotFound) {
		t.Errorf("forgotten twice: %v", err)
	}
	written := make(chan error, 20)
	for range 20 {
		go func() {
			written <- s.Write(t.Context(), func(tx *Tx) error { return tx.AddContactNote("nobody", "x", "y", time.Now()) })
		}()
	}
	if err := s.Compact(t.Context()); err != nil {
		t.Fatal(err)
	}
	for range 20 {
		if err := <-written; !errors.Is(err, ErrNotFound) {
			t.Errorf("a write beside it: %v", err)
		}
	}
}
