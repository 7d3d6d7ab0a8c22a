package main

import (
	"cmp"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// text is one text of the interface.
type text struct {
	words string
	files []string // base names of the files that it stands in, sorted
}

// collect returns all texts of the interface of the repository at root, sorted without regard to
// case.
func collect(root string) ([]text, error) {
	found := map[string]map[string]bool{}
	for dir, read := range map[string]func(name string, src []byte) ([]string, error){
		"internal/app/web/templates": templateTexts,
		"internal/app/web/static/js": scriptTexts,
		"internal":                   goTexts,
		"cmd":                        goTexts,
	} {
		err := filepath.WalkDir(filepath.Join(root, dir),
			func(path string, e fs.DirEntry, err error) error {
				if err != nil || e.IsDir() || !reads(dir, path) {
					return err
				}
				src, err := os.ReadFile(path)
				if err != nil {
					return err
				}
				words, err := read(path, src)
				for _, w := range words {
					w = strings.Join(strings.Fields(w), " ")
					if found[w] == nil {
						found[w] = map[string]bool{}
					}
					found[w][filepath.Base(path)] = true
				}
				return err
			})
		if err != nil {
			return nil, err
		}
	}
	var out []text
	for w, in := range found {
		t := text{words: w}
		for f := range in {
			t.files = append(t.files, f)
		}
		slices.Sort(t.files)
		out = append(out, t)
	}
	slices.SortFunc(out, func(a, b text) int {
		return cmp.Or(strings.Compare(strings.ToLower(a.words), strings.ToLower(b.words)),
			strings.Compare(a.words, b.words))
	})
	return out, nil
}

// silent are the folders of internal/ that say nothing to users.
var silent = []string{"internal/measure", "internal/base/simd", "internal/base/graph",
	"internal/base/samebits"}

// reads reports whether a file below dir is one to read.
func reads(dir, path string) bool {
	path = filepath.ToSlash(path)
	switch filepath.Ext(path) {
	case ".go":
		return !strings.HasSuffix(path, "_test.go") && !strings.Contains(path, "/icctest/") &&
			!slices.ContainsFunc(
				silent,
				func(s string) bool { return strings.Contains(path, s+"/") },
			)
	case ".html":
		return strings.Contains(dir, "templates")
	case ".js":
		return strings.HasSuffix(dir, "/js")
	}
	return false
}

// code are strings with spaces or capitals that are not for people: SQL, header names, functions of
// style sheets, paths of drawings, class names, formats of other files.
var code = regexp.MustCompile(`^[A-Z]{2,} [A-Z]{2,}|^[A-Z][a-zA-Z]*(-[A-Z][A-Za-z]*)+$|` +
	`^[Mm][0-9.]+ |^M[0-9.]+[ 0-9.]*[a-zA-Z]|^(Arrow|Mod\+|Alt\+|Backspace|Space Alt|n N|\.)|` +
	`^(hsl|rgb|color-mix|default-src|pyrant |btn |M…|[MC]%|local:|id: )|[\x00-\x1f]|; filename`)

// isText reports whether a string of a program is a text for people: it begins with a capital, or
// has a space between words, and is not made of names alone.
func isText(s string) bool {
	s = strings.TrimSpace(s)
	letters, space, lower := 0, strings.ContainsRune(s, ' '), false
	for _, r := range s {
		if unicode.IsLetter(r) {
			letters++
			lower = lower || unicode.IsLower(r)
		}
	}
	if letters < 2 || strings.HasPrefix(s, "<") || code.MatchString(s) {
		return false
	}
	first := []rune(s)[0]
	if unicode.IsUpper(first) || first == '“' {
		return lower && !strings.ContainsAny(s, "_={}")
	}
	return space && !strings.ContainsAny(s, "_={}[]#<>")
}
