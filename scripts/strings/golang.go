package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// goTexts returns the texts of a Go file: those that the tags of its settings declare, and those of
// its strings that are for people. Errors for programmers, log messages and panics are not.
func goTexts(name string, src []byte) (out []string, err error) {
	file, err := parser.ParseFile(token.NewFileSet(), name, src, 0)
	if err != nil {
		return nil, err
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec:
			return false
		case *ast.Field:
			if n.Tag == nil {
				return true
			}
			tag, err := strconv.Unquote(n.Tag.Value)
			if err != nil {
				return true
			}
			for _, key := range []string{"label", "title", "each", "doc"} {
				if s := reflect.StructTag(tag).Get(key); s != "" && s != "*" {
					out = append(out, s)
				}
			}
			ast.Inspect(n.Type, func(ast.Node) bool { return true })
			return false
		case *ast.CallExpr:
			return !forProgrammers(n.Fun)
		case *ast.BinaryExpr:
			return n.Op != token.EQL && n.Op != token.NEQ
		case *ast.BasicLit:
			if n.Kind != token.STRING {
				return true
			}
			if s, err := strconv.Unquote(n.Value); err == nil && isText(s) {
				out = append(out, s)
			}
		}
		return true
	})
	return out, nil
}

// forProgrammers reports whether what a function is given is not for users.
func forProgrammers(fun ast.Expr) bool {
	switch f := fun.(type) {
	case *ast.Ident:
		return f.Name == "panic"
	case *ast.SelectorExpr:
		pkg, _ := f.X.(*ast.Ident)
		if pkg == nil {
			return slices.Contains([]string{"Exec", "Raw", "Where", "Order", "Joins", "Select", "Query",
				"Header", "Set"}, f.Sel.Name)
		}
		switch pkg.Name {
		case "errors", "slog", "log", "regexp":
			return true
		case "fmt":
			return f.Sel.Name == "Errorf"
		}
		return strings.HasPrefix(f.Sel.Name, "MustCompile") ||
			slices.Contains([]string{"Exec", "Raw", "Where", "Order", "Joins", "Select", "Header"}, f.Sel.Name)
	}
	return false
}
