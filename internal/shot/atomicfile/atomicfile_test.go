package atomicfile

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"
)

// names lists a folder.
func names(t *testing.T, dir string) (out []string) {
	t.Helper()
	files, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		out = append(out, f.Name())
	}
	return out
}

func TestWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "shot")
	put := func(text string, fail error) error {
		return Write(name, 0o640, func(w io.Writer) error {
			if _, err := io.WriteString(w, text); err != nil {
				return err
			}
			if old, err := os.ReadFile(name); err == nil && string(old) == text {
				t.Error("the file has its new bytes before they are all written")
			}
			return fail
		})
	}
	holds := func(want string) {
		t.Helper()
		if b, err := os.ReadFile(name); string(b) != want || err != nil {
			t.Errorf("the file holds %q, %v; want %q", b, err, want)
		}
		if n := names(t, dir); len(n) != 1 {
			t.Errorf("beside it lie %v", n)
		}
	}
	if err := put("first", io.ErrClosedPipe); !errors.Is(err, io.ErrClosedPipe) ||
		len(names(t, dir)) != 0 {
		t.Errorf("a write that fails: %v, %v", err, names(t, dir))
	}
	if err := put("first", nil); err != nil {
		t.Fatal(err)
	}
	holds("first")
	if info, err := os.Stat(name); err != nil || info.Mode().Perm() != 0o640 {
		t.Errorf("its mode is %v, %v", info.Mode(), err)
	}
	if err := put("second, but broken off", io.ErrUnexpectedEOF); err == nil {
		t.Error("a failure is not told")
	}
	holds("first")
	if err := put("second", nil); err != nil {
		t.Fatal(err)
	}
	holds("second")
	func() {
		defer func() {
			if recover() == nil {
				t.Error("a panic is swallowed")
			}
		}()
		_ = Write(name, 0o600, func(io.Writer) error { panic("in the middle") })
	}()
	holds("second")
	if err := Write(filepath.Join(dir, "nowhere", "shot"), 0o600,
		func(io.Writer) error { return nil }); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("into a folder that is not there: %v", err)
	}
	// A name that is a folder cannot be taken; nothing is left of the attempt.
	if err := os.Mkdir(filepath.Join(dir, "taken"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := Write(filepath.Join(dir, "taken"), 0o600,
		func(io.Writer) error { return nil }); err == nil || len(names(t, dir)) != 2 {
		t.Errorf("onto a folder: %v, %v", err, names(t, dir))
	}
}

func ExampleWrite() {
	dir, _ := os.MkdirTemp("", "example")
	defer os.RemoveAll(dir)
	name := filepath.Join(dir, "recipe.json")
	err := Write(name, 0o600, func(w io.Writer) error {
		_, err := io.WriteString(w, "{}")
		return err
	})
	fmt.Println(err)
	err = Write(name, 0o600, func(w io.Writer) error {
		io.WriteString(w, "{ half of it")
		return errors.New("the pipe broke")
	})
	b, _ := os.ReadFile(name)
	fmt.Println(err, string(b))
	// Output:
	// <nil>
	// the pipe broke {}
}
