package web

import (
	"context"
	"encoding/json"
	"image"
	"math"
	"net/http"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
)

// tones answers with the histograms of the shot, plain and lit, what is clipped, and how
// far the brightest light stands above what surrounds it.
func (s *Server) tones(c *echo.Context) error {
	ctx := c.Request().Context()
	var q struct {
		Patch json.RawMessage `json:"patch"`
		Page  string          `json:"page"`
		Step  string          `json:"step"`
		Pass  string          `json:"pass"` // whose curve is open; "" for none
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	shot, r, err := s.drafted(c, q.Patch)
	if err != nil {
		return err
	}
	return s.inTurn(ctx, shot, asker{shot.ID + q.Page + " tones", len(q.Patch) > 0},
		func(ctx context.Context, photo *photo.Photo) error {
			req := render.Request{Photo: photo, PhotoKey: shot.PhotoSHA, Recipe: r}
			t, err := s.engine.Tones(ctx, req)
			if err != nil {
				return err
			}
			part := func(h *render.Histogram) map[string]any {
				return map[string]any{"luma": scaled(h.Luma), "rgb": [][]float64{scaled(h.RGB[0]),
					scaled(h.RGB[1]), scaled(h.RGB[2])},
					"black": h.Black, "white": h.White, "whites": h.Whites}
			}
			out := map[string]any{
				"plain": part(&t.Plain),
				"lit":   part(&t.Lit),
				"stops": t.Stops,
				"light": "",
			}
			if t.Light >= 0 {
				out["light"] = r.Lights[t.Light].Name
			}
			if i := passIndex(r, q.Step, q.Pass); i >= 0 {
				h, err := s.engine.Before(ctx, req, q.Step, i)
				if err != nil {
					return err
				}
				out["before"] = part(h)
			}
			return c.JSON(http.StatusOK, out)
		})
}

// passIndex returns the index of a pass of a step by its id, -1 for none.
func passIndex(r *recipe.Recipe, step, id string) int {
	if list := r.Passes(step); list != nil {
		return slices.IndexFunc(*list, func(p pass.Pass) bool { return p.ID == id })
	}
	return -1
}

// scaled returns bins against the fullest but for both ends, where what is clipped would
// press all else flat.
func scaled(bins [render.Bins]float64) []float64 {
	most := 1e-9
	for _, v := range bins[1 : len(bins)-1] {
		most = math.Max(most, v)
	}
	out := make([]float64, len(bins))
	for i, v := range bins {
		out[i] = math.Round(1000*math.Min(v/most, 1)) / 1000
	}
	return out
}

// curvePoints is how many points of a curve the page gets.
const curvePoints = 65

// curve answers with the curves of a pass, for drawing them.
func (s *Server) curve(c *echo.Context) error {
	var q struct {
		Patch json.RawMessage `json:"patch"`
		Path  string          `json:"path"` // of the pass's curves in the recipe
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	_, r, err := s.drafted(c, q.Patch)
	if err != nil {
		return err
	}
	_, v, _ := setting.At(*r, q.Path)
	out := map[string][]float64{}
	sample := func(name string, at func(float64) float64) {
		for i := range curvePoints {
			out[name] = append(out[name], math.Round(1e4*at(float64(i)/(curvePoints-1)))/1e4)
		}
	}
	switch k := v.(type) {
	case pass.Curves:
		for name, knots := range map[string][]pass.Knot{"all": k.All, "red": k.Red,
			"green": k.Green, "blue": k.Blue} {
			sample(name, pass.NewCurve(knots).At)
		}
	case pass.Levels:
		sample("all", k.At)
	default:
		return fault.New(fault.Invalid, "There is no such curve in this shot.")
	}
	return c.JSON(http.StatusOK, out)
}

// coverage answers with how much an area, or a light, covers of each pixel of a part of the
// picture, one byte each.
func (s *Server) coverage(c *echo.Context) error {
	ctx := c.Request().Context()
	var q struct {
		frameRequest
		Area  area.Ref `json:"area"`
		Light string   `json:"light"` // its id, where no area is looked at
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	q.As = "pixels"
	if err := q.check(); err != nil {
		return err
	}
	shot, r, err := s.drafted(c, q.Patch)
	if err != nil {
		return err
	}
	light := lightIndex(r, q.Light)
	if q.Light != "" && light < 0 ||
		q.Light == "" && r.Area(q.Area) == nil { // deleted while it was looked at
		return c.NoContent(http.StatusNoContent)
	}
	return s.inTurn(ctx, shot, asker{shot.ID + q.Page + " coverage", len(q.Patch) > 0},
		func(ctx context.Context, photo *photo.Photo) error {
			req := render.Request{Photo: photo, PhotoKey: shot.PhotoSHA, Recipe: r,
				LongEdge: min(q.Long, max(r.Size())), Uncropped: q.Whole, View: image.Rect(q.X, q.Y,
					q.X+q.W, q.Y+q.H)}
			var m *raster.Plane
			if light >= 0 {
				m, err = s.engine.LightMask(ctx, req, light)
			} else {
				kind, _ := q.Area.Of()
				m, err = s.engine.AreaMask(ctx, req, q.Area, kind != "")
			}
			if err != nil {
				return err
			}
			if m.Rect.Dx() != q.W || m.Rect.Dy() != q.H {
				return fault.New(
					fault.Invalid,
					"The requested part lies outside the picture.",
				)
			}
			b := make([]byte, len(m.Pix))
			for i, v := range m.Pix {
				b[i] = uint8(min(max(v, 0), 1)*255 + 0.5)
			}
			return c.Blob(http.StatusOK, "application/octet-stream", b)
		})
}

// fit answers with a path of few nodes along a line that was drawn freehand.
func (s *Server) fit(c *echo.Context) error {
	var q struct {
		Points    [][2]float64 `json:"points"`
		Tolerance float64      `json:"tolerance"` // pixels of the photo
		Closed    bool         `json:"closed"`
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	if len(q.Points) < 2 || len(q.Points) > 20000 || !(q.Tolerance >= 0.05 && q.Tolerance <= 1000) {
		return fault.New(fault.Invalid, "A freehand line has 2 to 20000 points.")
	}
	line := make([]shape.Point, len(q.Points))
	for i, p := range q.Points {
		if !(math.Abs(p[0]) <= 4*codec.MaxEdge && math.Abs(p[1]) <= 4*codec.MaxEdge) {
			return fault.New(
				fault.Invalid,
				"A point of the line lies too far outside the photo.",
			)
		}
		line[i] = shape.Point{X: p[0], Y: p[1]}
	}
	nodes := rounded(shape.Fit(line, q.Closed, q.Tolerance)).All()
	return c.Blob(
		http.StatusOK,
		"application/json",
		append(append([]byte(`{"nodes":`), setting.Encode(nodes)...), '}'),
	)
}

// hue answers with red and blue against green in stops, hue and chroma in OKLCh of the photo round
// a place, and the gel of that colour as bright as it can be.
func (s *Server) hue(c *echo.Context) error {
	x, errX := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, errY := strconv.ParseFloat(c.QueryParam("y"), 64)
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	if errX != nil || errY != nil || !(x >= 0 && y >= 0 && x < float64(shot.Photo.Width) &&
		y < float64(shot.Photo.Height)) {
		return fault.New(fault.Invalid, "That place is outside the photo.")
	}
	p, err := s.photo(c.Request().Context(), shot.PhotoSHA)
	if err != nil {
		return err
	}
	// The mean over a few pixels, as grain has every hue.
	by := max(1, max(p.Width, p.Height)/600)
	var sum [3]float32
	n := 0
	row := make([]float32, 3)
	for v := max(int(y)-by, 0); v <= min(int(y)+by, p.Height-1); v++ {
		for u := max(int(x)-by, 0); u <= min(int(x)+by, p.Width-1); u++ {
			p.Linear(row, u, v, 1)
			for i := range sum {
				sum[i] += row[i]
			}
			n++
		}
	}
	k := 1 / float32(n)
	_, a, b := colour.OKLab(sum[0]*k, sum[1]*k, sum[2]*k)
	h := math.Mod(math.Atan2(b, a)*180/math.Pi+360, 360)
	top := max(sum[0], sum[1], sum[2], 1e-6)
	red, blue, tells := photo.Stops(sum[0]*k, sum[1]*k, sum[2]*k)
	return c.JSON(http.StatusOK, map[string]any{
		"red": hundredth(red), "blue": hundredth(blue), "tells": tells,
		"hue": math.Round(h), "chroma": math.Round(1000*math.Hypot(a, b)) / 1000,
		"gel": edit.GelOf(colour.RGB{R: sum[0] / top, G: sum[1] / top, B: sum[2] / top}),
	})
}

// daylight answers with the light in which the photo was taken, as far as it tells: red and blue
// against green in stops.
func (s *Server) daylight(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	p, err := s.photo(c.Request().Context(), shot.PhotoSHA)
	if err != nil {
		return err
	}
	red, blue, ok, err := p.Daylight(c.Request().Context())
	if err != nil {
		return err
	}
	if !ok {
		return fault.New(
			fault.Invalid,
			"The photo is too dark or too bright to estimate its light. Set red and blue by hand.",
		)
	}
	return c.JSON(http.StatusOK, map[string]any{"red": hundredth(red), "blue": hundredth(blue)})
}

// hundredth rounds stops as their fields do, within their range.
func hundredth(v float64) float64 {
	r := setting.Of[recipe.Spilled]("red")
	return math.Round(100*min(max(v, r.Min.A), r.Max.A)) / 100
}
