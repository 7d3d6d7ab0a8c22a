package scene

import (
	"cmp"
	"fmt"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// Recipe returns the recipe of a photo of w by h pixels in which the room, what stands in it and
// the lights are set up as they are marked. Lights have the names of their groups, and neither core
// nor glow.
func (s *Scene) Recipe(w, h int) (*recipe.Recipe, error) {
	r := recipe.New(w, h)
	k := float64(w) / s.Width
	at := func(p [2]float64) camera.Point { return camera.Point{X: p[0] * k, Y: p[1] * k} }
	points := func(list [][2]float64) recipe.Points {
		out := make([]camera.Point, len(list))
		for i, p := range list {
			out[i] = at(p)
		}
		return setting.ListOf(out...)
	}
	m := &r.Room
	m.On, m.Corners = true, points(s.Floor)
	for i, l := range s.Walls {
		m.Walls = append(m.Walls, recipe.Wall{ID: fmt.Sprintf("w%d", i), Name: l.Surface,
			From: at(l.Line[0]), To: at(l.Line[1])})
	}
	for i, p := range s.Platforms {
		m.Platforms = append(m.Platforms, recipe.Platform{ID: fmt.Sprintf("p%d", i),
			Name: cmp.Or(p.Called(), fmt.Sprintf("Platform %d", i+1)), Top: points(p.Top),
			Foot: at(p.Foot), Hollow: p.Hollow})
	}
	cut := func(name string, f *Field) (c cutout.CutOut, err error) {
		c = setting.New[cutout.CutOut](r.Photo.Frame())
		c.ID, c.Name = fmt.Sprintf("c%d", len(r.CutOuts)), name
		if c.Raster, err = f.Raster(float64(w)); err == nil {
			r.CutOuts = append(r.CutOuts, c)
		}
		return c, err
	}
	for i, p := range s.Platforms {
		if p.Called() == "" {
			continue
		}
		f, err := s.Mask(p.Called())
		if err != nil {
			return nil, err
		}
		c, err := cut(p.Called(), f)
		if err != nil {
			return nil, err
		}
		m.Platforms[i].Seen = cutout.Ref(c.ID)
	}
	for i, t := range s.Things {
		f, err := s.Thing(t)
		if err != nil {
			return nil, err
		}
		c, err := cut(cmp.Or(t.Name, fmt.Sprintf("%s %d", t.Mask, i)), f)
		if err != nil {
			return nil, err
		}
		m.Things = append(m.Things, recipe.Thing{ID: fmt.Sprintf("t%d", i), Of: cutout.Ref(c.ID),
			Foot: at(t.Foot), Lies: recipe.LiesAuto, Edge: 1, Broad: 1, Relief: recipe.UsualRelief})
	}
	for i, g := range s.Lights {
		l := recipe.DefaultLight(r.Photo)
		l.ID, l.Name = fmt.Sprintf("l%d", i), g.Group
		l.Core.On, l.Glow = false, false
		l.Gel = recipe.Gel{Lightness: 1}
		for n, p := range s.Platforms {
			if g.Platform != "" && p.Called() == g.Platform {
				l.Stand = recipe.StandOn(recipe.OnPlatform, m.Platforms[n].ID)
			}
		}
		for n, wl := range s.Walls {
			if g.Wall != "" && wl.Surface == g.Wall {
				l.Stand = recipe.StandOn(recipe.OnWall, m.Walls[n].ID)
			}
		}
		for n, t := range s.Things {
			if g.Faces != "" && (t.Name == g.Faces || t.Mask == g.Faces) && l.Stand == "" {
				l.Stand = recipe.StandOn(recipe.OnThing, m.Things[n].ID)
			}
		}
		for _, mk := range g.Shapes {
			feet := make([]shape.Foot, len(mk.Feet))
			for n, f := range mk.Feet {
				feet[n] = shape.Foot{X: f[0] * k, Y: f[1] * k}
			}
			for _, sh := range mk.scaled(k).Shape(0) {
				l.Shapes = append(l.Shapes, shape.Standing(sh, shape.FeetAt(feet...)))
			}
		}
		r.Lights = append(r.Lights, l)
	}
	return r, r.Validate()
}

func (m Mark) scaled(k float64) Mark {
	out := m
	out.Points = make([][2]float64, len(m.Points))
	for i, p := range m.Points {
		out.Points[i] = [2]float64{p[0] * k, p[1] * k}
	}
	out.At = [2]float64{m.At[0] * k, m.At[1] * k}
	out.Width *= k
	out.Radius *= k
	return out
}

// Raster returns coverage as a cut-out of a photo so wide has it.
func (f *Field) Raster(width float64) (cutout.Raster, error) {
	m := cutout.NewMask(f.W, f.H)
	tx, ty := m.Tiles()
	alpha, share := make([]float32, cutout.Tile*cutout.Tile),
		make([]float32, 3*cutout.Tile*cutout.Tile)
	for j := range ty {
		for i := range tx {
			for y := range cutout.Tile {
				for x := range cutout.Tile {
					n := y*cutout.Tile + x
					alpha[n] = f.At(i*cutout.Tile+x, j*cutout.Tile+y)
					for c := range 3 {
						share[3*n+c] = alpha[n]
					}
				}
			}
			m.Set(i, j, alpha, share)
		}
	}
	m, left, top := m.Trimmed()
	tiles, err := m.Pack()
	k := math.Max(width/float64(f.W), 1e-3)
	return cutout.Raster{Left: k * float64(left*cutout.Tile), Top: k * float64(top*cutout.Tile),
		Cell: k, Width: m.W, Height: m.H, Tiles: tiles}, err
}
