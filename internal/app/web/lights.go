package web

import (
	"encoding/json"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pyrant/internal/edit"
	"pyrant/internal/edit/action"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
)

// rayCut shortens a ray where it passes a place of the photo, or restores it.
type rayCut struct {
	action.OfLight
	X       float64 `form:"x"`
	Y       float64 `form:"y"`
	Within  float64 `form:"within"`
	Restore bool    `form:"restore"`
}

func (a *acting) cutRay(in rayCut) error {
	l, i, err := in.Of(a.r)
	if err != nil {
		return err
	}
	p, err := a.photo(a.ctx, a.shot.PhotoSHA)
	if err != nil {
		return err
	}
	q := render.Request{Photo: p, PhotoKey: a.shot.PhotoSHA, Recipe: a.r, Uncropped: true,
		LongEdge: a.r.Photo.LongEdge()}
	point, ray, at, err := a.engine.RayAt(a.ctx, q, i, in.X, in.Y, in.Within)
	if err != nil {
		return err
	}
	title := "Shorten a ray of "
	if in.Restore {
		at, title = 1, "Restore a ray of "
	}
	next := a.r.Clone()
	next.Lights[i].Rays = edit.CutRay(l.Rays, point, ray, at)
	return a.saveIf(next, next.Validate(), title+l.Name)
}

func (a *acting) single(in action.OfLight) error {
	l, i, err := in.Of(a.r)
	if err != nil {
		return err
	}
	gels, err := a.gelsOf(a.ctx, a.shot, l)
	if err != nil {
		return err
	}
	next, err := edit.Single(a.r, i, gels)
	return a.saveIf(next, err, "Points of "+l.Name+" apart")
}

func (a *acting) saveRig(in action.OfLight) error {
	l, _, err := in.Of(a.r)
	if err != nil {
		return err
	}
	if _, err := a.store.SaveRig(a.ctx, recipe.NewRig(l.Name, l, a.r.Photo)); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

// rigDoc is a saved rig's file.
type rigDoc struct {
	Doc string `form:"doc"`
}

func (a *acting) readRig(in rigDoc) error {
	g, err := recipe.DecodeRig([]byte(in.Doc))
	if err == nil {
		_, err = a.store.SaveRig(a.ctx, g)
	}
	if err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

// ofRig names a saved rig, and what it is to be called.
type ofRig struct {
	Rig  string `form:"rig"`
	Name string `form:"name,optional"`
}

func (a *acting) renameRig(in ofRig) error {
	if err := a.store.RenameRig(a.ctx, in.Rig, strings.TrimSpace(in.Name)); err != nil {
		return err
	}
	return a.update(a.c, a.shot)
}

func (a *acting) removeRig(in ofRig) error {
	if err := a.store.RemoveRig(a.ctx, in.Rig); err != nil {
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
	doc, err := edit.CopyLights(r, strings.Split(c.QueryParam("lights"), ","))
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
		op := setting.Op{
			Op:    "rig",
			Path:  p.Path("/lights/" + strconv.Itoa(p.Light)),
			Value: json.RawMessage(g.Doc),
		}
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
