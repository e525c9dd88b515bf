// Package safely runs work so that a panic in it costs that work only.
package safely

import (
	"fmt"
	"runtime/debug"
)

// A Broken is the error of work that panicked.
type Broken struct {
	Cause any
	Stack string // for the log
}

func (b *Broken) Error() string { return fmt.Sprintf("it broke: %v", b.Cause) }

// Do runs work. If it panics, the error is a Broken. What the runtime cannot recover
// from, such as a stack that overflows, still ends the process.
func Do(work func() error) (err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = &Broken{cause, string(debug.Stack())}
		}
	}()
	return work()
}
