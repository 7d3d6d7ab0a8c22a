package main

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// scriptTexts returns the texts of a script of the page. What a template literal puts in is shown
// as "…".
func scriptTexts(name string, src []byte) ([]string, error) {
	tree, err := js.Parse(parse.NewInputBytes(src), js.Options{})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	v := &scriptVisitor{}
	js.Walk(v, tree)
	return v.out, nil
}

type scriptVisitor struct{ out []string }

// selectors are the functions whose strings are for the browser.
var selectors = []string{"querySelector", "querySelectorAll", "closest", "matches",
	"addEventListener", "getElementById", "toggle", "Error"}

func (v *scriptVisitor) Exit(js.INode) {}

func (v *scriptVisitor) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.ImportStmt:
		return nil
	case *js.CallExpr:
		name := n.X.String()
		if dot, ok := n.X.(*js.DotExpr); ok {
			name = dot.Y.String()
		}
		if slices.Contains(selectors, name) {
			js.Walk(v, n.X)
			return nil
		}
	case *js.BinaryExpr:
		// What is compared with is a name; what is assigned to a class is one too.
		if n.Op == js.EqEqEqToken || n.Op == js.NotEqEqToken ||
			n.Op == js.EqToken && strings.HasSuffix(n.X.String(), ".className") {
			return nil
		}
	case *js.Property:
		if n.Name != nil && slices.Contains([]string{"class", "className", "d"}, n.Name.String()) {
			return nil
		}
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken {
			v.add(unquote(string(n.Data)))
		}
	case *js.TemplateExpr:
		var s strings.Builder
		for _, part := range n.List {
			s.WriteString(strings.TrimSuffix(strings.TrimLeft(string(part.Value), "`}"), "${") + "…")
		}
		s.WriteString(strings.Trim(string(n.Tail), "`}"))
		v.add(s.String())
	}
	return v
}

func (v *scriptVisitor) add(s string) {
	// What makes elements of the page is read as a template.
	if strings.HasPrefix(s, "<") {
		texts, _ := templateTexts("", []byte(s))
		v.out = append(v.out, texts...)
		return
	}
	if isText(s) && strings.ContainsFunc(strings.ReplaceAll(s, "…", ""), isWordLetter) {
		v.out = append(v.out, s)
	}
}

func isWordLetter(r rune) bool { return r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' }

// unquote returns what a string literal of JavaScript holds.
func unquote(s string) string {
	if out, err := strconv.Unquote(`"` + strings.ReplaceAll(s[1:len(s)-1], `"`, `\"`) + `"`); err == nil {
		return out
	}
	return s[1 : len(s)-1]
}
