package recipe

import (
	"bytes"
	"errors"

	"pyrant/internal/recipe/setting"
)

//go:generate go run ../../scripts/schema ../..

// The table of settings in docs/recipe.md stands between these lines.
const (
	tableBegins = "<!-- settings: made by go generate ./internal/recipe -->\n"
	tableEnds   = "<!-- end of settings -->\n"
)

// Manual returns docs/recipe.md with its table of settings made anew from the
// declarations.
func Manual(doc []byte) ([]byte, error) {
	before, rest, ok := bytes.Cut(doc, []byte(tableBegins))
	_, after, ok2 := bytes.Cut(rest, []byte(tableEnds))
	if !ok || !ok2 {
		return nil, errors.New("recipe: the manual has no place for the table of settings")
	}
	return bytes.Join([][]byte{before, []byte(tableBegins), []byte(setting.Manual[Recipe]()),
		[]byte(tableEnds), after}, nil), nil
}
