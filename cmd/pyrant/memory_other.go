//go:build !unix

package main

import "runtime"

// peakMemory returns the memory that Go has asked of the system, which is about the
// most that the process has had.
func peakMemory() int64 {
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.Sys)
}
