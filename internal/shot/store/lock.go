package store

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/gofrs/flock"
)

// ErrTaken says that another Pyrant has the data folder open.
var ErrTaken = errors.New("the data folder is taken")

// take locks a data folder, so that two programs do not write to it at once. The
// system lets go of the lock when the program ends, however it ends. In the file stands
// who holds it.
func take(dir string) (*flock.Flock, error) {
	name := filepath.Join(dir, "lock")
	l := flock.New(name, flock.SetPermissions(0o600))
	got, err := l.TryLock()
	if err != nil {
		return nil, fmt.Errorf("store: locking %s: %w", dir, err)
	}
	if !got {
		who, _ := os.ReadFile(name)
		if len(who) == 0 {
			who = []byte("another program")
		}
		return nil, fmt.Errorf("%w: %s is in use by %s. Stop that one, or choose another folder with --data", ErrTaken, dir, strings.TrimSpace(string(who)))
	}
	// Not locked by others, so it may be written; a full disk does not matter here.
	_ = os.WriteFile(name, fmt.Appendf(nil, "process %d, since %s\n", os.Getpid(), time.Now().Format("2 Jan 2006, 15:04")), 0o600)
	return l, nil
}
