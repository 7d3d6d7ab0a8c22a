package main

import (
	"fmt"
	"syscall"
)

// mount makes a file system of so many bytes, in memory.
func mount(dir string, size int) error {
	return syscall.Mount("tmpfs", dir, "tmpfs", 0, fmt.Sprintf("size=%d,mode=700", size))
}

func unmount(dir string) { _ = syscall.Unmount(dir, syscall.MNT_DETACH) }
