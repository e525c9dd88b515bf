//go:build !race

package test

import "time"

// patience is how long a test waits for what must happen: long, as it costs nothing where it does.
const patience = time.Minute
