// Package atomicfile writes files that are there whole or not at all, also after a
// crash: the bytes are synced before the file takes its name, and the name before
// Write returns.
package atomicfile

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
)

// Prefix begins the names of files that are not finished.
const Prefix = ".new-"

// Write makes the file name with what write gives, in the place of one that has
// that name. Where it fails there is no new file, and an old one stays.
func Write(name string, mode os.FileMode, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(name), Prefix+"*")
	if err != nil {
		return err
	}
	named := false
	defer func() { // also where write panics
		if !named {
			_ = f.Close()
			_ = os.Remove(f.Name())
		}
	}()
	err = write(f)
	if err == nil {
		err = f.Chmod(mode)
	}
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if err := os.Rename(f.Name(), name); err != nil {
		return err
	}
	named = true
	return syncDir(filepath.Dir(name))
}

// syncDir makes the names in a folder last. Windows has no such call, and needs none.
func syncDir(dir string) error {
	if runtime.GOOS == "windows" {
		return nil
	}
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	return errors.Join(d.Sync(), d.Close())
}
