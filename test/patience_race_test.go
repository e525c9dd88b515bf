//go:build race

package test

import "time"

// patience is how long a test waits for what must happen: under the race detector
// everything takes ten times as long, and making the vectors of passages longer.
const patience = 2 * time.Minute
