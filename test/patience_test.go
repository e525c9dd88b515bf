//go:build !race

package test

import "time"

// patience is how long a test waits for what must happen.
const patience = 20 * time.Second
