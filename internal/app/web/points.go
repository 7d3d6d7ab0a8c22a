package web

import (
	"bytes"
	"context"
	"image"
	"image/png"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
	"pyrant/internal/vision/pointlight"
)

// foundPoints is the points of a photo, and how many more there were.
type foundPoints struct {
	list []pointlight.Point
	more int
}

func (f *foundPoints) Bytes() int64 { return 100 * int64(len(f.list)+1) }

// search is what a search for points gives: those that the picture shows and no area keeps off, the
// surest first.
type search struct {
	photo     *photo.Photo
	list      []pointlight.Point
	more, off int
}

// search looks for points of light in a shot's photo, or for bulbs that are not lit.
func (s *Server) search(c *echo.Context) (out search, err error) {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return out, err
	}
	kind := pointlight.Lit
	switch of := c.QueryParam("kind"); of {
	case "lit":
	case "dead":
		kind = pointlight.Dead
	default:
		return out, fault.In("kind", "%q is not a choice; choose lit or dead.", of)
	}
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return out, err
	}
	found, err := graph.Get(ctx, s.engine.Cache, pointLights{s.input(shot.PhotoSHA, p), kind})
	if err != nil {
		return out, err
	}
	list, err := s.inFrame(ctx, shot, found.list)
	if err != nil {
		return out, err
	}
	out = search{photo: p, list: list, more: found.more}
	if off := area.Ref(c.QueryParam("off")); off != "" {
		if out.list, err = s.keptOff(ctx, shot, list, off); err != nil {
			return out, err
		}
		out.off = len(list) - len(out.list)
	}
	return out, nil
}

// tile is the edge of the small picture of a point, and tiles how many stand in a row of them.
const (
	tile  = 32
	tiles = 20
)

// pointTiles answers with small pictures of what points does, in its order.
func (s *Server) pointTiles(c *echo.Context) error {
	f, err := s.search(c)
	if err != nil {
		return err
	}
	m := image.NewRGBA(image.Rect(0, 0, tiles*tile, max((len(f.list)+tiles-1)/tiles, 1)*tile))
	row := make([]float32, 3)
	for i, q := range f.list {
		// Six radii across, so that what is round it is seen; each pixel by four places.
		step := math.Max(6*q.Radius, 14) / tile
		for y := range tile {
			for x := range tile {
				var sum [3]float32
				for k := range 4 {
					u := q.X + (float64(x)-tile/2+0.25+0.5*float64(k%2))*step
					v := q.Y + (float64(y)-tile/2+0.25+0.5*float64(k/2))*step
					f.photo.Linear(row, min(max(int(u), 0), f.photo.Width-1),
						min(max(int(v), 0), f.photo.Height-1), 1)
					for c := range sum {
						sum[c] += row[c] / 4
					}
				}
				d := m.Pix[m.PixOffset(i%tiles*tile+x, i/tiles*tile+y):][:4]
				for c, v := range sum {
					d[c] = uint8(255*colour.Display.At(min(max(v, 0), 1)) + 0.5)
				}
				d[3] = 255
			}
		}
	}
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "image/png", b.Bytes())
}

// points answers with the points of light in a shot's photo, or with bulbs that are not lit.
func (s *Server) points(c *echo.Context) error {
	f, err := s.search(c)
	if err != nil {
		return err
	}
	list := f.list
	type point struct {
		X      float64 `json:"x"`
		Y      float64 `json:"y"`
		Radius float64 `json:"radius"`
		Sure   float64 `json:"sure"`
		Hex    string  `json:"hex"`
	}
	out := make([]point, len(list))
	tenth := func(v float64) float64 { return math.Round(10*v) / 10 }
	for i, q := range list {
		out[i] = point{tenth(q.X), tenth(q.Y), tenth(q.Radius), math.Round(1000*q.Sure) / 1000,
			q.Colour.Hex()}
	}
	return c.JSON(http.StatusOK, map[string]any{"points": out, "more": f.more, "off": f.off,
		"threshold": pointlight.Threshold})
}

// inFrame returns those of points of a photo that the picture shows.
func (s *Server) inFrame(ctx context.Context, shot *store.Shot,
	list []pointlight.Point) (out []pointlight.Point, err error) {
	r, err := s.head(ctx, shot)
	if err != nil || r.Crop.Idle() {
		return list, err
	}
	m := r.Crop.ToPicture(r.Photo.Width, r.Photo.Height)
	w, h := r.Size()
	for _, q := range list {
		if x, y := m.At(q.X, q.Y); x > -q.Radius && y > -q.Radius && x < float64(w)+q.Radius &&
			y < float64(h)+q.Radius {
			out = append(out, q)
		}
	}
	return out, nil
}

// keptOff returns those of points of a photo that an area of a shot leaves out.
func (s *Server) keptOff(ctx context.Context, shot *store.Shot, list []pointlight.Point,
	off area.Ref) (out []pointlight.Point, err error) {
	r, err := s.head(ctx, shot)
	if err != nil {
		return nil, err
	}
	if r.Area(off) == nil {
		return nil, fault.New(fault.Gone, "That area is no longer in this shot. Reload the page.")
	}
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	m, err := s.engine.AreaMask(ctx, render.Request{Photo: p, PhotoKey: shot.PhotoSHA, Recipe: r,
		Uncropped: true, LongEdge: min(1600, r.Photo.LongEdge())}, off, true)
	if err != nil {
		return nil, err
	}
	k := float64(m.Rect.Dx()) / float64(p.Width)
	for _, q := range list {
		if m.At(min(int(q.X*k), m.Rect.Dx()-1), min(int(q.Y*k), m.Rect.Dy()-1)) < 0.5 {
			out = append(out, q)
		}
	}
	return out, nil
}

// Refs lists what of the shot can be named where an area is asked for.
func (p *page) Refs() (out []setting.Choice) {
	for i := range p.R.Areas {
		out = append(out, setting.Choice{Value: p.R.Areas[i].ID, Label: p.R.Areas[i].Name})
	}
	return append(out, standing(p.R)...)
}

// gelsOf returns a gel for each point of a light: the colour that it has in the photo.
func (s *Server) gelsOf(ctx context.Context, shot *store.Shot,
	l *recipe.Light) (out []recipe.Gel, err error) {
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	for _, q := range l.Shapes.Spots() {
		hue, saturation, lightness := pointlight.Colour(p, q.At.X, q.At.Y, q.Radius).HSL()
		out = append(out, recipe.Gel{Hue: math.Round(hue),
			Saturation: math.Round(100*saturation) / 100,
			Lightness:  math.Round(100*lightness) / 100})
	}
	return out, nil
}

// Spots counts the points of the chosen light.
func (p *page) Spots() int { return len(p.L().Shapes.Spots()) }

// Scatter is the rows of how bulbs are scattered.
func (p *page) Scatter() []row {
	return localRows(p, setting.New[shape.Scatter](p.frame()), "scatter-")
}

// Variation is the rows of how unlike each other points become.
func (p *page) Variation() []row {
	return localRows(p, setting.New[edit.Variation](p.frame()), "vary-")
}

// Palettes lists what the chosen light's points can be dealt, each with its gels as colours.
func (p *page) Palettes() (out []palette) {
	for _, q := range edit.Palettes {
		if p.Spots() < len(q.Gels) {
			continue
		}
		one := palette{ID: q.ID, Name: q.Name}
		for _, g := range q.Gels {
			one.Hexes = append(one.Hexes, g.Colour().Hex())
		}
		out = append(out, one)
	}
	return
}

// palette is a button.
type palette struct {
	ID, Name string
	Hexes    []string
}

// RaysBrief says how many points have rays.
func (p *page) RaysBrief() string {
	switch n := p.Spots(); {
	case !p.L().Rays.On:
		return "none"
	case n == 1:
		return "1 point light"
	default:
		return strconv.Itoa(n) + " point lights"
	}
}
