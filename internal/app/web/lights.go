package web

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
)

func (a *acting) cutRay() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	p, err := a.photo(a.ctx, a.shot.PhotoSHA)
	if err != nil {
		return err
	}
	q := render.Request{Photo: p, PhotoKey: a.shot.PhotoSHA, Recipe: a.r, Uncropped: true,
		LongEdge: a.r.Photo.LongEdge()}
	point, ray, at, err := a.engine.RayAt(a.ctx, q, i, a.number("x"), a.number("y"), a.number("within"))
	if err != nil {
		return err
	}
	title := "Shorten a ray of "
	if a.form.Get("restore") != "" {
		at, title = 1, "Restore a ray of "
	}
	next := a.r.Clone()
	next.Lights[i].Rays = next.Lights[i].Rays.CutRay(point, ray, at)
	return a.saveIf(next, next.Validate(), title+a.r.Lights[i].Name)
}

func (a *acting) vary() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.Vary(i, recipe.Variation{Kinds: a.whole("kinds"), Hue: a.number("hue"),
		Light: a.number("lightness"), Seed: a.whole("seed")})
	return a.saveIf(next, err, "Points of "+a.r.Lights[i].Name+" varied")
}

func (a *acting) unlike() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.Unlike(i, a.whole("seed"))
	if err != nil {
		return err
	}
	return a.show(next, "Add "+next.Lights[i+1].Name, i+1)
}

func (a *acting) addOrb() error {
	next, i, err := a.r.AddOrb(a.form.Get("kind"), a.number("x"), a.number("y"), a.number("radius"))
	if err != nil {
		return err
	}
	return a.show(next, "Add "+next.Lights[i].Name, i)
}

func (a *acting) addPoints() error {
	var list []struct{ X, Y, Radius float64 }
	if err := json.Unmarshal([]byte(a.form.Get("points")), &list); err != nil {
		return fault.New(fault.Invalid, "The points cannot be read.")
	}
	spots := make([]shape.Spot, len(list))
	for k, p := range list {
		spots[k] = shape.Spot{At: shape.Point{X: p.X, Y: p.Y}, Radius: p.Radius}
	}
	next, i, err := a.r.AddPoints(spots, a.form.Get("kind") == "dead")
	if err != nil {
		return err
	}
	return a.show(next, "Add "+next.Lights[i].Name, i)
}

func (a *acting) scatter() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.ScatterBulbs(i, shape.Scatter{Gap: a.number("gap"), Size: a.number("size"),
		Vary: a.number("vary"), Seed: a.whole("seed")})
	return a.saveIf(next, err, "Bulbs in "+a.r.Lights[i].Name)
}

func (a *acting) single() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	gels, err := a.gelsOf(a.ctx, a.shot, &a.r.Lights[i])
	if err != nil {
		return err
	}
	next, err := a.r.Single(i, gels)
	return a.saveIf(next, err, "Points of "+a.r.Lights[i].Name+" apart")
}

func (a *acting) deal() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	next, err := a.r.Deal(i, a.form.Get("palette"), a.whole("seed"))
	return a.saveIf(next, err, "Gels of "+a.r.Lights[i].Name+" dealt")
}

func (a *acting) groupLights() error {
	next, err := a.r.GroupLights(strings.Split(a.form.Get("lights"), ","))
	return a.saveIf(next, err, "Group lights")
}

func (a *acting) ungroup() error {
	next, err := a.r.Ungroup(a.form.Get("group"))
	return a.saveIf(next, err, "Undo a group")
}

func (a *acting) moveLight() error {
	from, err := strconv.Atoi(a.form.Get("from"))
	to, err2 := strconv.Atoi(a.form.Get("to"))
	if err != nil || err2 != nil {
		return fault.New(fault.Invalid, "There is no such light in this shot.")
	}
	next, i, err := a.r.MoveLight(from, to)
	if err != nil {
		return err
	}
	return a.show(next, "Order of lights", i)
}

func (a *acting) pasteLights() error {
	next, i, err := a.r.PasteLights([]byte(a.form.Get("doc")))
	if err != nil {
		return err
	}
	return a.show(next, "Paste "+next.Lights[i].Name, i)
}

func (a *acting) saveRig() error {
	i, err := a.light()
	if err != nil {
		return err
	}
	if _, err := a.store.SaveRig(a.ctx, recipe.NewRig(a.r.Lights[i].Name, &a.r.Lights[i],
		a.r.Photo)); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

func (a *acting) readRig() error {
	g, err := recipe.DecodeRig([]byte(a.form.Get("doc")))
	if err == nil {
		_, err = a.store.SaveRig(a.ctx, g)
	}
	if err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

func (a *acting) renameRig() error {
	if err := a.store.RenameRig(a.ctx, a.form.Get("rig"),
		strings.TrimSpace(a.form.Get("name"))); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

func (a *acting) removeRig() error {
	if err := a.store.RemoveRig(a.ctx, a.form.Get("rig")); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

// rigFile answers with a saved rig as a file.
func (s *Server) rigFile(c *echo.Context) error {
	list, err := s.store.Rigs(c.Request().Context())
	if err != nil {
		return err
	}
	for _, g := range list {
		if g.ID == c.Param("rig") {
			attach(c, "application/json", g.Name+".rig.json")
			return c.Blob(http.StatusOK, "application/json", []byte(g.Doc))
		}
	}
	return store.ErrNotFound
}

// copied answers with lights as JSON, to be pasted into this shot or another.
func (s *Server) copied(c *echo.Context) error {
	_, r, err := s.asked(c)
	if err != nil {
		return err
	}
	doc, err := r.CopyLights(strings.Split(c.QueryParam("lights"), ","))
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "application/json", doc)
}

// ownRig is a saved rig as the bench shows it.
type ownRig struct {
	try
	ID string
}

// OwnRigs lists the saved rigs that the chosen light can take.
func (p *page) OwnRigs() ([]ownRig, error) {
	list, err := p.rigs()
	var out []ownRig
	for _, g := range list {
		if _, err := g.Rig(); err != nil {
			continue // of a newer Pyrant
		}
		op := setting.Op{Op: "rig", Path: "/lights/" + strconv.Itoa(p.Light), Value: json.RawMessage(g.Doc)}
		out = append(out, ownRig{tryOf(g.Name, "saved from a light", false, op), g.ID})
	}
	return out, err
}

// Part is a part of the chosen light with its switch.
type part struct {
	Name, Path string
	On         bool
}

// LightParts lists what the chosen light gives, to be seen with and without.
func (p *page) LightParts() []part {
	l := p.L()
	return []part{{"Core", p.At("core/on"), l.Core.On}, {"Glow", p.At("glow"), l.Glow},
		{"Rays", p.At("rays/on"), l.Rays.On}, {"Spill", p.At("spill/on"), l.Spill.On}}
}
