package engine

import (
	"fmt"
	"sync"
	"time"
)

// resting are models that failed again and again: they are left alone for a while, so that
// nobody waits for them.
type resting struct {
	mu    sync.Mutex
	inRow map[string]int
	until map[string]time.Time
}

// A model rests after so many failures in a row, for so long.
const (
	failuresInRow = 3
	rest          = 30 * time.Second
)

func (r *resting) failed(connection string, now time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.inRow == nil {
		r.inRow, r.until = map[string]int{}, map[string]time.Time{}
	}
	if r.inRow[connection]++; r.inRow[connection] >= failuresInRow {
		r.until[connection] = now.Add(rest)
	}
}

func (r *resting) worked(connection string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.inRow, connection)
	delete(r.until, connection)
}

// why says why a model is left alone, "" if it is not.
func (r *resting) why(connection string, now time.Time) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	if until := r.until[connection]; now.Before(until) {
		return fmt.Sprintf("the model failed %d times in a row; it is asked again at %s", r.inRow[connection], until.In(now.Location()).Format("15:04:05"))
	}
	return ""
}
