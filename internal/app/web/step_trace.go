package web

import (
	"fmt"
	"slices"
	"strings"

	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

var traceStep = &step{
	ID:     "trace",
	Name:   "Trace",
	Filled: anyLight(func(*recipe.Light) bool { return true }),
}

// traced is a shape as the list of shapes shows it.
type traced struct {
	Index  int
	Path   string // of the shape in the recipe
	Name   string // its kind and what sets it apart
	Parts  string // how many points or bulbs it has
	Away   bool
	String bool
	Own    int // how many bulbs have a place of their own
	Rows   []row
	CutOut cutout.Ref // that it is; "" for a traced shape
}

// Traced lists the shapes of the chosen light.
func (p *page) Traced() []traced {
	var out []traced
	for j, s := range p.L().Shapes {
		t := traced{Index: j, Path: p.At(fmt.Sprintf("shapes/%d", j)),
			Name: kindLabel(shape.KindOf(s)), Away: s.Taken(), Parts: plural(shape.Nodes(s).Len(),
				"node", "nodes")}
		if tube, ok := s.(shape.Tube); ok && tube.Closed {
			t.Name += ", closed"
		}
		if k, ok := s.(shape.CutOut); ok {
			t.Parts, t.CutOut = "", k.Of
			if o := p.R.CutOut(k.Of); o != nil {
				t.Name += " " + o.Name
			}
		}
		if str, ok := s.(shape.String); ok {
			t.String, t.Own = true, len(str.Own)
			there := 0
			for _, h := range str.Bulbs() {
				if !h.Gone {
					there++
				}
			}
			t.Parts = plural(there, "bulb", "bulbs")
		}
		if t.Away {
			t.Name += ", subtracts"
		}
		t.Rows = p.Rows(t.Path)
		out = append(out, t)
	}
	return out
}

func kindLabel(word string) string {
	i := slices.IndexFunc(shape.Kinds, func(k setting.Kind) bool { return k.Word == word })
	return shape.Kinds[i].Label
}

// Describe says what a light is made of.
func (p *page) Describe(l *recipe.Light) string {
	count := map[string]int{}
	for _, s := range l.Shapes {
		count[shape.KindOf(s)]++
	}
	var parts []string
	for _, k := range shape.Kinds {
		if n := count[k.Word]; n > 0 {
			name := strings.ToLower(k.Label)
			parts = append(parts, plural(n, name, name+"s"))
		}
	}
	if len(parts) == 0 {
		return "no shapes yet"
	}
	return strings.Join(parts, ", ")
}
