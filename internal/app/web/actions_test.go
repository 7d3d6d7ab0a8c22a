package web

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// What the page asks for is in the table of actions, and nothing is in it that no page asks for.
func TestActionsOfThePage(t *testing.T) {
	var text strings.Builder
	for _, dir := range []string{"static/js", "templates"} {
		err := filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() {
				return err
			}
			data, err := os.ReadFile(name)
			text.Write(data)
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	page := text.String()
	asked := regexp.MustCompile(`\bact\("([a-z-]+)"|data-action="([a-z-]+)"`)
	n := 0
	for _, m := range asked.FindAllStringSubmatch(page, -1) {
		n++
		if name := m[1] + m[2]; actions[name] == nil {
			t.Errorf("the page asks for %q, which is no action", name)
		}
	}
	if n < 30 {
		t.Errorf("only %d requests of the page were found", n)
	}
	for name := range actions {
		if !strings.Contains(page, `"`+name+`"`) {
			t.Errorf("no page asks for %q", name)
		}
	}
}
