package main

import (
	"fmt"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// module is what the paths of this repository's packages begin with.
const module = "pyrant/internal/"

// folders are the folders of internal/, the highest first. A package imports packages of its own
// folder and of folders further down. Tests may import any.
var folders = []string{"app", "shot", "edit", "render", "light", "vision", "recipe", "base"}

// measure holds what only tests and scripts use: scenes of which the truth is known.
const measure = "measure"

// imports returns the imports that go up.
func imports(root string) (faults []string, err error) {
	err = goFiles(filepath.Join(root, "internal"), func(name string) error {
		if strings.HasSuffix(name, "_test.go") {
			return nil
		}
		rel, err := filepath.Rel(filepath.Join(root, "internal"), filepath.Dir(name))
		if err != nil {
			return err
		}
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range f.Imports {
			path, err := strconv.Unquote(i.Path.Value)
			if err != nil {
				return err
			}
			to, ours := strings.CutPrefix(path, module)
			if !ours {
				continue
			}
			if why := goesUp(filepath.ToSlash(rel), to); why != "" {
				faults = append(faults, fmt.Sprintf("%s: %s", fset.Position(i.Pos()), why))
			}
		}
		return nil
	})
	slices.Sort(faults)
	return faults, err
}

// goesUp says why one package must not import another; both are paths under internal/.
func goesUp(from, to string) string {
	top := func(path string) string { return strings.SplitN(path, "/", 2)[0] }
	a, b := top(from), top(to)
	if a == measure {
		return ""
	}
	if b == measure {
		return fmt.Sprintf("internal/%s imports internal/%s, which is for tests and scripts.", from, to)
	}
	i, j := slices.Index(folders, a), slices.Index(folders, b)
	switch {
	case i < 0:
		return fmt.Sprintf("internal/%s is in none of the folders %s.", from, strings.Join(folders, ", "))
	case j < 0:
		return fmt.Sprintf("internal/%s is in none of the folders %s.", to, strings.Join(folders, ", "))
	case j < i:
		return fmt.Sprintf("internal/%s imports internal/%s, which stands above it.", from, to)
	}
	return ""
}

// goFiles calls do for each Go file below a folder.
func goFiles(root string, do func(name string) error) error {
	return filepath.WalkDir(root, func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && name != root && (strings.HasPrefix(d.Name(), ".") ||
			d.Name() == "node_modules" || d.Name() == "testdata"):
			return fs.SkipDir
		case d.IsDir() || !strings.HasSuffix(name, ".go"):
			return nil
		}
		return do(name)
	})
}
