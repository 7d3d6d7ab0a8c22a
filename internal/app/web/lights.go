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

// lightAction does what is more than setting a value with the lights of the board and with rigs;
// false where the action is none of them.
func (s *Server) lightAction(c *echo.Context, name string, shot *store.Shot, r *recipe.Recipe,
	version int64) (bool, error) {
	ctx, form := c.Request().Context(), c.Request().Form
	commit := func(next *recipe.Recipe, err error, title string) (bool, error) {
		if err != nil {
			return true, err
		}
		return true, s.commit(c, shot, version, next, title)
	}
	number := func(name string) float64 {
		v, err := strconv.ParseFloat(form.Get(name), 64)
		if err != nil {
			return -1e9 // refused as too far away
		}
		return v
	}
	light := func() (int, error) {
		i, err := strconv.Atoi(form.Get("light"))
		if err != nil || i < 0 || i >= len(r.Lights) {
			return 0, fault.New(fault.Invalid, "There is no such light in this shot.")
		}
		return i, nil
	}
	whole := func(name string) int {
		n, err := strconv.Atoi(form.Get(name))
		if err != nil {
			return -1
		}
		return n
	}
	switch name {
	case "cut-ray":
		i, err := light()
		if err != nil {
			return true, err
		}
		p, err := s.photo(ctx, shot.PhotoSHA)
		if err != nil {
			return true, err
		}
		q := render.Request{Photo: p, PhotoKey: shot.PhotoSHA, Recipe: r, Uncropped: true,
			LongEdge: r.Photo.LongEdge()}
		point, ray, at, err := s.engine.RayAt(ctx, q, i, number("x"), number("y"), number("within"))
		if err != nil {
			return true, err
		}
		title := "Shorten a ray of "
		if form.Get("restore") != "" {
			at, title = 1, "Restore a ray of "
		}
		next := r.Clone()
		next.Lights[i].Rays = next.Lights[i].Rays.CutRay(point, ray, at)
		return commit(next, next.Validate(), title+r.Lights[i].Name)
	case "vary":
		i, err := light()
		if err != nil {
			return true, err
		}
		next, err := r.Vary(i, recipe.Variation{Kinds: whole("kinds"), Hue: number("hue"),
			Light: number("lightness"), Seed: whole("seed")})
		return commit(next, err, "Points of "+r.Lights[i].Name+" varied")
	case "unlike":
		i, err := light()
		if err != nil {
			return true, err
		}
		next, err := r.Unlike(i, whole("seed"))
		if err != nil {
			return true, err
		}
		return true, s.choose(c, shot, version, next, "Add "+next.Lights[i+1].Name, i+1)
	case "add-orb":
		next, i, err := r.AddOrb(form.Get("kind"), number("x"), number("y"), number("radius"))
		if err != nil {
			return true, err
		}
		return true, s.choose(c, shot, version, next, "Add "+next.Lights[i].Name, i)
	case "add-points":
		var list []struct{ X, Y, Radius float64 }
		if err := json.Unmarshal([]byte(form.Get("points")), &list); err != nil {
			return true, fault.New(fault.Invalid, "The points cannot be read.")
		}
		spots := make([]shape.Spot, len(list))
		for k, p := range list {
			spots[k] = shape.Spot{At: shape.Point{X: p.X, Y: p.Y}, Radius: p.Radius}
		}
		next, i, err := r.AddPoints(spots, form.Get("kind") == "dead")
		if err != nil {
			return true, err
		}
		return true, s.choose(c, shot, version, next, "Add "+next.Lights[i].Name, i)
	case "scatter":
		i, err := light()
		if err != nil {
			return true, err
		}
		next, err := r.ScatterBulbs(i, shape.Scatter{Gap: number("gap"), Size: number("size"),
			Vary: number("vary"), Seed: whole("seed")})
		return commit(next, err, "Bulbs in "+r.Lights[i].Name)
	case "single":
		i, err := light()
		if err != nil {
			return true, err
		}
		gels, err := s.gelsOf(c.Request().Context(), shot, &r.Lights[i])
		if err != nil {
			return true, err
		}
		next, err := r.Single(i, gels)
		return commit(next, err, "Points of "+r.Lights[i].Name+" apart")
	case "deal":
		i, err := light()
		if err != nil {
			return true, err
		}
		next, err := r.Deal(i, form.Get("palette"), whole("seed"))
		return commit(next, err, "Gels of "+r.Lights[i].Name+" dealt")
	case "group-lights":
		next, err := r.GroupLights(strings.Split(form.Get("lights"), ","))
		return commit(next, err, "Group lights")
	case "ungroup":
		next, err := r.Ungroup(form.Get("group"))
		return commit(next, err, "Undo a group")
	case "move-light":
		from, err := strconv.Atoi(form.Get("from"))
		to, err2 := strconv.Atoi(form.Get("to"))
		if err != nil || err2 != nil {
			return true, fault.New(fault.Invalid, "There is no such light in this shot.")
		}
		next, i, err := r.MoveLight(from, to)
		if err != nil {
			return true, err
		}
		return true, s.choose(c, shot, version, next, "Order of lights", i)
	case "paste-lights":
		next, i, err := r.PasteLights([]byte(form.Get("doc")))
		if err != nil {
			return true, err
		}
		return true, s.choose(c, shot, version, next, "Paste "+next.Lights[i].Name, i)
	case "save-rig":
		i, err := light()
		if err != nil {
			return true, err
		}
		if _, err := s.store.SaveRig(ctx, recipe.NewRig(r.Lights[i].Name, &r.Lights[i],
			r.Photo)); err != nil {
			return true, err
		}
		return true, s.update(c, shot)
	case "read-rig":
		g, err := recipe.DecodeRig([]byte(form.Get("doc")))
		if err == nil {
			_, err = s.store.SaveRig(ctx, g)
		}
		if err != nil {
			return true, err
		}
		return true, s.update(c, shot)
	case "rename-rig":
		if err := s.store.RenameRig(ctx, form.Get("rig"),
			strings.TrimSpace(form.Get("name"))); err != nil {
			return true, err
		}
		return true, s.update(c, shot)
	case "remove-rig":
		if err := s.store.RemoveRig(ctx, form.Get("rig")); err != nil {
			return true, err
		}
		return true, s.update(c, shot)
	}
	return false, nil
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
