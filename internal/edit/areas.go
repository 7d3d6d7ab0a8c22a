package edit

import (
	"fmt"
	"slices"
	"strings"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// AddArea returns the recipe with one more area of the given parts, and its id.
func AddArea(r *recipe.Recipe, name string, parts ...area.Part) (*recipe.Recipe, area.Ref, error) {
	if most := setting.Of[recipe.Recipe]("areas").Count[1]; len(r.Areas) >= most {
		return nil, "", fault.New(
			fault.NoRoom,
			"A shot holds at most %d areas. Delete one that is not needed.",
			most,
		)
	}
	c := r.Clone()
	a := area.Area{Name: name, Parts: parts}
	if parts == nil {
		a.Parts = []area.Part{}
	}
	a.ID = setting.NewID("a")
	for n := 2; slices.ContainsFunc(c.Areas,
		func(o area.Area) bool { return o.Name == a.Name }); n++ {
		a.Name = fmt.Sprintf("%s %d", name, n)
	}
	c.Areas = append(c.Areas, a)
	return c, area.Ref(a.ID), nil
}

// RemoveArea returns the recipe without an area that nothing uses.
func RemoveArea(r *recipe.Recipe, id area.Ref) (*recipe.Recipe, error) {
	if used := r.Users(id); len(used) > 0 {
		return nil, fault.New(
			fault.Invalid,
			"The area “%s” is used by %s. Choose another area there first.",
			r.Area(id).Name,
			strings.Join(used, " and "),
		)
	}
	c := r.Clone()
	c.Areas = slices.DeleteFunc(c.Areas, func(a area.Area) bool { return a.ID == string(id) })
	return c, nil
}

func addPasses(r *recipe.Recipe, step string, p ...pass.Pass) (*recipe.Recipe, int, error) {
	if most := setting.Of[recipe.Finish]("passes").Count[1]; len(*r.Passes(step))+len(p) > most {
		return nil, 0, fault.New(
			fault.NoRoom,
			"A step holds at most %d passes. Delete one that is not needed.",
			most,
		)
	}
	c := r.Clone()
	list := c.Passes(step)
	*list = append(*list, p...)
	return c, len(*list) - 1, c.Validate()
}

// DuplicatePass returns the recipe with a copy of a pass behind it. The copy works in
// the same area.
func DuplicatePass(r *recipe.Recipe, step string, i int) (*recipe.Recipe, error) {
	if most := setting.Of[recipe.Finish]("passes").Count[1]; len(*r.Passes(step)) >= most {
		return nil, fault.New(
			fault.NoRoom,
			"A step holds at most %d passes. Delete one that is not needed.",
			most,
		)
	}
	c := r.Clone()
	list := c.Passes(step)
	p := setting.Clone((*list)[i])
	p.ID = setting.NewID("p")
	if name := p.Name + " copy"; len([]rune(name)) <= setting.Of[pass.Pass]("name").Count[1] {
		p.Name = name
	}
	*list = slices.Insert(*list, i+1, p)
	return c, nil
}

// AddCutOut returns the recipe with one more cut-out that covers nothing yet, and its index.
func AddCutOut(r *recipe.Recipe, name string) (*recipe.Recipe, int, error) {
	if most := setting.Of[recipe.Recipe]("cutouts").Count[1]; len(r.CutOuts) >= most {
		return nil, 0, fault.New(
			fault.NoRoom,
			"A shot holds at most %d cut-outs. Delete one that is not needed.",
			most,
		)
	}
	c := r.Clone()
	o := setting.New[cutout.CutOut](r.Photo.Frame())
	o.ID = setting.NewID("c")
	o.Name = name
	for n := 2; slices.ContainsFunc(c.CutOuts,
		func(k cutout.CutOut) bool { return k.Name == o.Name }); n++ {
		o.Name = fmt.Sprintf("%s %d", name, n)
	}
	c.CutOuts = append(c.CutOuts, o)
	return c, len(c.CutOuts) - 1, nil
}

// RemoveCutOut returns the recipe without a cut-out that nothing uses.
func RemoveCutOut(r *recipe.Recipe, id cutout.Ref) (*recipe.Recipe, error) {
	if used := r.CutOutUsers(id); len(used) > 0 {
		return nil, fault.New(
			fault.Invalid,
			"The cut-out “%s” is used by %s. Delete it there first.",
			r.CutOut(id).Name,
			strings.Join(used, " and "),
		)
	}
	c := r.Clone()
	c.CutOuts = slices.DeleteFunc(c.CutOuts,
		func(o cutout.CutOut) bool { return o.ID == string(id) })
	return c, nil
}
