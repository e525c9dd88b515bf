package main

import (
	"os"
	"runtime"
	"runtime/debug"
	"time"
)

// The collector is told to work seldom while little is held in memory, which
// saves much of its work and costs some tens of megabytes, and oftener the more
// is held, so that what waits to be collected stays within spareMemory.
const (
	seldom      = 400       // percent
	often       = 25        // percent
	spareMemory = 120 << 20 // bytes
)

// collectSeldom sets the collector's pace for a start, unless GOGC does.
func collectSeldom() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(seldom)
	}
}

// tendMemory keeps the collector's pace in line with what is held, and gives back
// what loading took. GOGC overrules it.
func tendMemory() {
	if os.Getenv("GOGC") != "" {
		return
	}
	for {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		debug.SetGCPercent(int(min(seldom, max(often, 100*spareMemory/m.HeapAlloc))))
		debug.FreeOSMemory()
		time.Sleep(10 * time.Minute)
	}
}
