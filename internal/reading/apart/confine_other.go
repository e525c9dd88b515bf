//go:build !linux

package apart

import "runtime"

func confine() (warning string) { return "not known how on " + runtime.GOOS }

// memoryOf returns 0: it is not known here.
func memoryOf(int) int { return 0 }
