package web

import (
	"context"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/cache"
	"pyrant/internal/fault"
	"pyrant/internal/points"
	"pyrant/internal/recipe"
	"pyrant/internal/setting"
	"pyrant/internal/shape"
	"pyrant/internal/store"
)

// foundPoints is the points of a photo, and how many more there were.
type foundPoints struct {
	list []points.Point
	more int
}

func (f *foundPoints) Bytes() int64 { return 100 * int64(len(f.list)+1) }

// points answers with the points of light in a shot's photo, or with bulbs that are not lit.
func (s *Server) points(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	kind := points.Lit
	switch of := c.QueryParam("kind"); of {
	case "lit":
	case "dead":
		kind = points.Dead
	default:
		return fault.In("kind", "There is no kind of point %q; there are lit and dead.", of)
	}
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return err
	}
	found, err := cache.Get(ctx, s.engine.Cache, "points "+shot.PhotoSHA+" "+strconv.Itoa(int(kind)), func(ctx context.Context) (*foundPoints, error) {
		list, more, err := points.Find(ctx, p, kind)
		return &foundPoints{list, more}, err
	})
	if err != nil {
		return err
	}
	type point struct {
		X      float64 `json:"x"`
		Y      float64 `json:"y"`
		Radius float64 `json:"radius"`
		Sure   float64 `json:"sure"`
		Hex    string  `json:"hex"`
	}
	out := make([]point, len(found.list))
	tenth := func(v float64) float64 { return math.Round(10*v) / 10 }
	for i, q := range found.list {
		out[i] = point{tenth(q.X), tenth(q.Y), tenth(q.Radius), math.Round(1000*q.Sure) / 1000, q.Colour.Hex()}
	}
	return c.JSON(http.StatusOK, map[string]any{"points": out, "more": found.more, "threshold": points.Threshold})
}

// gelsOf returns a gel for each point of a light: the colour that it has in the photo.
func (s *Server) gelsOf(ctx context.Context, shot *store.Shot, l *recipe.Light) (out []recipe.Gel, err error) {
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	for _, q := range l.Shapes.Spots() {
		hue, saturation, lightness := points.Colour(p, q.At.X, q.At.Y, q.Radius).HSL()
		out = append(out, recipe.Gel{Hue: math.Round(hue), Saturation: math.Round(100*saturation) / 100, Lightness: math.Round(100*lightness) / 100})
	}
	return out, nil
}

// Spots counts the points of the chosen light.
func (p *page) Spots() int { return len(p.L().Shapes.Spots()) }

// Scatter is the rows of how bulbs are scattered.
func (p *page) Scatter() []row {
	return localRows(p, setting.New[shape.Scatter](p.frame()), "scatter-")
}

// Palettes lists what the chosen light's points can be dealt, each with its gels as colours.
func (p *page) Palettes() (out []palette) {
	for _, q := range recipe.Palettes {
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
		return "of one point"
	default:
		return "of " + strconv.Itoa(n) + " points"
	}
}
