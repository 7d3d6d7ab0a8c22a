package asset

import (
	"fmt"
	"strings"
	"testing"

	"pyrant/internal/base/fault"
)

func TestFilesAreNamedByTheirBytes(t *testing.T) {
	f := New(Photo, []byte("quay"))
	// As sha256sum prints it.
	if f.Sum != "33888e30626294cdd4a21da514cfcc1f2694c89482076e065f7eac1c2cf431bd" {
		t.Errorf("the file is named %s", f.Sum)
	}
	if err := f.Check(); err != nil {
		t.Errorf("a whole file is refused: %v", err)
	}
	f.Data = []byte("quai")
	if err := f.Check(); !fault.Is(err, fault.Invalid) || !strings.Contains(err.Error(), "photo") {
		t.Errorf("a damaged file: %v", err)
	}
	lists := Lists(map[string][]byte{"aa": {1}, "bb": {2, 3}})
	if len(lists) != 2 || lists[0].Role != Points || len(lists[0].Data)+len(lists[1].Data) != 3 {
		t.Errorf("lists become %v", lists)
	}
}

func ExampleFile_Check() {
	f := New(Points, []byte("the points of a long path"))
	fmt.Println(f.Sum[:16], f.Check())
	f.Data = f.Data[:10]
	fmt.Println(f.Check())
	// Output:
	// d29c8c375ab6ea26 <nil>
	// A file of this shot (its points) is damaged. Copy the shot file again.
}
