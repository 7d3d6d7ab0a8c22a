package main

import (
	"bytes"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/html"
)

var (
	action  = regexp.MustCompile(`\{\{[^}]*\}\}`)
	literal = regexp.MustCompile(`"(?:[^"\\]|\\.)*"`)
	// quoted is an action with a string that is shown as it is, such as the title of an empty step.
	quoted = regexp.MustCompile(`^\{\{-? *(?:template "|\$?\.?AreaLine|.*\(print )`)
)

// spoken are the attributes that hold text for people.
var spoken = map[string]bool{"title": true, "aria-label": true, "placeholder": true, "alt": true,
	"data-busy": true, "data-about": true, "aria-valuetext": true, "data-confirm": true}

// templateTexts returns the texts of a page template. What an action puts in is shown as "…".
func templateTexts(_ string, src []byte) (out []string, err error) {
	for _, a := range action.FindAllString(string(src), -1) {
		if !quoted.MatchString(a) {
			continue
		}
		for _, l := range literal.FindAllString(a, -1) {
			if s, err := strconv.Unquote(l); err == nil && isText(s) {
				out = append(out, s)
			}
		}
	}
	bare := action.ReplaceAll(src, []byte("…"))
	lex := html.NewLexer(parse.NewInput(bytes.NewReader(bare)))
	for {
		kind, data := lex.Next()
		switch kind {
		case html.ErrorToken:
			return out, nil
		case html.TextToken:
			out = appendWords(out, string(data))
		case html.AttributeToken:
			if spoken[string(lex.AttrKey())] {
				out = appendWords(out, strings.Trim(string(lex.AttrVal()), `"'`))
			}
		}
	}
}

// appendWords appends a text that has letters outside of what actions put in.
func appendWords(out []string, s string) []string {
	s = strings.TrimSpace(strings.NewReplacer("&nbsp;", " ", "&amp;", "&").Replace(s))
	for strings.Contains(s, "……") {
		s = strings.ReplaceAll(s, "……", "…")
	}
	if !strings.ContainsFunc(s, unicode.IsLetter) {
		return out
	}
	return append(out, s)
}
