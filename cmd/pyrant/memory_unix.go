//go:build unix

package main

import (
	"runtime"
	"syscall"
)

// peakMemory returns the most bytes of memory that the process has had, as the
// system counts them.
func peakMemory() int64 {
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		return 0
	}
	if runtime.GOOS == "darwin" || runtime.GOOS == "ios" {
		return int64(u.Maxrss)
	}
	return int64(u.Maxrss) << 10
}
