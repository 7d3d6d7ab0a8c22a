package web

import (
	"context"
	"fmt"
	"image"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"pyrant/demo"
	"pyrant/internal/app/job"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/edit"
	"pyrant/internal/light/match"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
	"pyrant/internal/vision/align"
)

// attachReference keeps the photo that comes as a shot's reference, and lays it on the shot's photo
// by itself.
func (s *Server) attachReference(c *echo.Context) error {
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	if c.QueryParam("demo") != "" && isDemoQuay(shot) {
		return s.keepReference(c, shot, r, "The quay, lit", demo.QuayLit)
	}
	data, err := s.file(c)
	if err != nil {
		return err
	}
	return s.keepReference(c, shot, r, c.QueryParam("name"), data)
}

// demoQuay is the sum of the demo's quay.
var demoQuay = sync.OnceValue(func() string { return asset.Sum(demo.Photo) })

func isDemoQuay(shot *store.Shot) bool { return shot.PhotoSHA == demoQuay() }

// DemoReference tells whether the demo has a reference for the shot's photo.
func (p *page) DemoReference() bool { return isDemoQuay(p.Shot) }

// keepReference commits a reference of a shot.
func (s *Server) keepReference(c *echo.Context, shot *store.Shot, r *recipe.Recipe, name string,
	data []byte) error {
	ctx := c.Request().Context()
	sum := asset.Sum(data)
	o, err := s.decoded(ctx, sum, job.Job{Title: "Reading " + fileName(name)},
		func() ([]byte, error) { return data, nil })
	if err != nil {
		return err
	}
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return err
	}
	ref := setting.New[recipe.Reference](r.Photo.Frame())
	ref.Sum, ref.Name, ref.Width, ref.Height = sum, fileName(name), o.Width, o.Height
	found, sure, err := align.Find(ctx, p, o)
	if err != nil {
		return err
	}
	laid := ref
	if sure >= align.Sure {
		laid = found.In(ref, r.Photo)
	}
	if _, err := s.put(ctx, shot.ID, "Attach a reference",
		func(r *recipe.Recipe) (*recipe.Recipe, error) {
			next := r.Clone()
			next.Reference = laid
			return next, next.Validate()
		}, asset.New(asset.Picture, data)); err != nil {
		return err
	}
	return c.JSON(
		http.StatusOK,
		map[string]any{"sure": sure, "says": said(r.Photo, ref, found, sure)},
	)
}

// said tells how a reference lies on the photo, in a sentence or two.
func said(p recipe.Photo, ref recipe.Reference, a align.Similarity, sure float64) string {
	var out []string
	if ref.Width != p.Width || ref.Height != p.Height {
		out = append(
			out,
			fmt.Sprintf(
				"The reference has %d × %d pixels, the photo %d × %d; it was scaled to fit.",
				ref.Width,
				ref.Height,
				p.Width,
				p.Height,
			),
		)
	}
	if sure < align.Sure {
		out = append(
			out,
			fmt.Sprintf(
				"The two photos agree in only %.0f %% of their details, so the reference was not aligned. Align it by two points, or attach a photo of the same set.",
				100*sure,
			),
		)
	} else {
		got := a.In(ref, p)
		out = append(out, fmt.Sprintf("Aligned: rotation %.2f°, offset %.1f and %.1f px; %.0f %% of the details agree.", a.Turn, a.X/a.Size, a.Y/a.Size, 100*sure))
		if math.Abs(got.Size-1) > 0.002 {
			out[len(out)-1] += fmt.Sprintf(" It is %.1f %% as large.", 100*got.Size)
		}
	}
	return strings.Join(out, " ")
}

// referenceOf returns a shot's reference as a photo.
func (s *Server) referenceOf(ctx context.Context, r *recipe.Recipe) (*photo.Photo, error) {
	if !r.Reference.There() {
		return nil, fault.New(
			fault.Gone,
			"This shot has no reference. Attach a second photo of the same set, with its lights on.",
		)
	}
	return s.photo(ctx, r.Reference.Sum)
}

// pair returns a shot's photo with its reference on it.
func (s *Server) pair(ctx context.Context, shot *store.Shot,
	r *recipe.Recipe) (*match.Pair, error) {
	o, err := s.referenceOf(ctx, r)
	if err != nil {
		return nil, err
	}
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	return graph.Get(ctx, s.engine.Cache, referencePair{s.input(shot.PhotoSHA, p),
		s.input(r.Reference.Sum, o), align.Of(r.Reference, r.Photo)})
}

// referenceLight answers with the light that falls at a place in the reference.
func (s *Server) referenceLight(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	x, errX := strconv.ParseFloat(c.QueryParam("x"), 64)
	y, errY := strconv.ParseFloat(c.QueryParam("y"), 64)
	if errX != nil || errY != nil {
		return fault.New(fault.Invalid, "The position is missing.")
	}
	if err := onPhoto(shot, x, y); err != nil {
		return err
	}
	p, err := s.pair(ctx, shot, r)
	if err != nil {
		return err
	}
	got, err := p.At(x, y)
	// Of a light that is traced in a room the fit of all lights tells more than its rim, on which
	// others shine as well.
	if tint, ok := s.fittedTint(ctx, shot, r, c.QueryParam("light"), x, y); ok {
		if err != nil {
			got, err = match.Reading{}, nil
		}
		got.Tint = tint
	}
	if err != nil {
		return err
	}
	tenth := func(v float64) float64 { return math.Round(10*v) / 10 }
	return c.JSON(http.StatusOK, map[string]any{"gel": edit.GelOf(got.Tint),
		"hex": got.Tint.Hex(), "stops": tenth(got.Stops), "daylight": tenth(got.Daylight)})
}

// fittedTint returns the tint of a light at whose shapes a place lies, by the fit of all lights to
// the reference; ok is false where there is no room, or the fit tells little.
func (s *Server) fittedTint(ctx context.Context, shot *store.Shot, r *recipe.Recipe, light string,
	x, y float64) (tint colour.RGB, ok bool) {
	i := lightIndex(r, light)
	if i < 0 || !r.Room.On {
		return tint, false
	}
	// On the light, or as near as a finger is wide.
	const across = 400
	scale := across / float64(r.Photo.LongEdge())
	m := r.Lights[i].Shapes.At(scale)
	row, near := make([]float32, 17), false
	for dy := -8; dy <= 8; dy++ {
		clear(row)
		m.Fill(row, int(x*scale)-8, int(y*scale)+dy)
		near = near || slices.ContainsFunc(row, func(v float32) bool { return v > 0.1 })
	}
	if !near {
		return tint, false
	}
	f, err := s.fittedTo(ctx, shot, r)
	if err != nil || f.Explained < 0.8 {
		return tint, false
	}
	g := f.Gains[i]
	most := max(g[0], g[1], g[2])
	if most < 1e-3 {
		return tint, false
	}
	return colour.RGB{R: float32(g[0] / most), G: float32(g[1] / most), B: float32(g[2] / most)},
		true
}

// fittedTo returns what the lights of a shot have to be for the picture to be its reference, kept
// for its version.
func (s *Server) fittedTo(ctx context.Context, shot *store.Shot, r *recipe.Recipe) (fitted, error) {
	return graph.Load(ctx, s.engine.Cache, fittedLights{shot.ID, shot.Version},
		func(ctx context.Context) (fitted, error) { return s.fitLights(ctx, shot, r) })
}

// lay saves the recipe with a new alignment of photo and reference.
func (a *acting) lay(lies align.Similarity, title string) error {
	next := a.r.Clone()
	next.Reference = lies.In(a.r.Reference, a.r.Photo)
	return a.saveIf(next, next.Validate(), title)
}

func (a *acting) alignReference(nothing) error {
	o, err := a.referenceOf(a.ctx, a.r)
	if err != nil {
		return err
	}
	p, err := a.photo(a.ctx, a.shot.PhotoSHA)
	if err != nil {
		return err
	}
	found, sure, err := align.Find(a.ctx, p, o)
	if err != nil {
		return err
	}
	if sure < align.Sure {
		return fault.New(fault.Invalid, "%s", said(a.r.Photo, a.r.Reference, found, sure))
	}
	return a.lay(found, "Align the reference")
}

// pairs are two pairs of places: on the photo and on the reference as it lies, twice.
type pairs struct {
	Points [4][2]float64 `form:"points"`
}

func (a *acting) pairReference(in pairs) error {
	if _, err := a.referenceOf(a.ctx, a.r); err != nil {
		return err
	}
	w, h, ow, oh := a.r.Photo.Width, a.r.Photo.Height, a.r.Reference.Width, a.r.Reference.Height
	now := align.Of(a.r.Reference, a.r.Photo)
	var from, to [2][2]float64
	for i := range from {
		from[i] = in.Points[2*i]
		to[i][0], to[i][1] = now.At(in.Points[2*i+1][0], in.Points[2*i+1][1], w, h, ow, oh)
	}
	if math.Hypot(from[0][0]-from[1][0],
		from[0][1]-from[1][1]) < float64(a.r.Photo.LongEdge())/50 {
		return fault.New(
			fault.Invalid,
			"The two points lie too close together. Choose two that lie far apart.",
		)
	}
	lies, ok := align.ByPairs(from, to, w, h, ow, oh)
	if !ok {
		return fault.New(fault.Invalid, "Both pairs mark the same place. Choose two that lie far apart.")
	}
	return a.lay(lies, "Align the reference by two points")
}

func (a *acting) matchReference(nothing) error {
	next, _, err := a.matched(a.ctx, a.shot, a.r)
	if err != nil {
		return err
	}
	return a.save(next, "Match the reference")
}

// fitted is what a match says.
type fitted struct {
	*match.Fitted
	reach float64 // by which all reaches are multiplied
}

func (f fitted) Bytes() int64 { return f.Left.Bytes() + 4*int64(len(f.Weight)) }

// reaches are tried where there is no room.
var reaches = []float64{1, 0.5, 0.7, 1.4, 2, 2.8}

// fitLights finds what the lights have to be for the picture to be its reference.
func (s *Server) fitLights(ctx context.Context, shot *store.Shot,
	r *recipe.Recipe) (fitted, error) {
	pair, err := s.pair(ctx, shot, r)
	if err != nil {
		return fitted{}, err
	}
	any := false
	lit := r.Lit()
	for i := range r.Lights {
		any = any || lit[i] && r.Lights[i].Spill.On
	}
	if !any {
		return fitted{}, fault.New(
			fault.Invalid,
			"No light has spill to match. Trace the lights first.",
		)
	}
	return inTurn(ctx, s, shot, asker{lane: "match"},
		func(ctx context.Context, p *photo.Photo) (fitted, error) {
			// Pixels that lights cover show the lights themselves, so the fit leaves them out.
			covered := raster.NewPlane(pair.Photo.Rect)
			for i := range r.Lights {
				if lit[i] {
					shapes := r.Lights[i].Shapes.At(1 / pair.Step)
					row := make([]float32, covered.Rect.Dx())
					for y := range covered.Rect.Dy() {
						shapes.Fill(row, 0, y)
						for x, v := range row {
							covered.Row(y)[x] = max(covered.Row(y)[x], v)
						}
					}
				}
			}
			near := grown(covered, max(covered.Rect.Dx()/200, 2))
			best := fitted{}
			try := reaches
			if r.Room.On {
				try = reaches[:1]
			}
			for _, k := range try {
				scaled := *r
				scaled.Lights = append(scaled.Lights[:0:0], r.Lights...)
				most := setting.Of[recipe.Spill]("reach").Max.A
				for i := range scaled.Lights {
					scaled.Lights[i].Spill.Reach = math.Min(scaled.Lights[i].Spill.Reach*k, most)
				}
				q := render.Request{Photo: p, PhotoKey: shot.PhotoSHA, Recipe: &scaled,
					LongEdge: max(pair.Photo.Rect.Dx(), pair.Photo.Rect.Dy())}
				fields, err := s.engine.Added(ctx, q, nil)
				if err != nil {
					return fitted{}, err
				}
				for i, f := range fields {
					if fields[i], err = onGrid(f, pair.Photo.Rect); err != nil {
						return fitted{}, err
					}
				}
				f, err := pair.Fit(ctx, fields, func(i int) bool { return near[i] })
				if err != nil {
					return fitted{}, err
				}
				if best.Fitted == nil || f.Explained > best.Explained+0.002 {
					best = fitted{f, k}
				}
			}
			return best, nil
		})
}

// onGrid returns a field on a grid of about its size.
func onGrid(f *raster.RGB, at image.Rectangle) (*raster.RGB, error) {
	if f.Rect == at {
		return f, nil
	}
	out := raster.NewRGB(at)
	for y := range at.Dy() {
		from, to := f.Row(min(y*f.Rect.Dy()/at.Dy(), f.Rect.Dy()-1)), out.Row(y)
		for x := range at.Dx() {
			copy(to[3*x:3*x+3], from[3*min(x*f.Rect.Dx()/at.Dx(), f.Rect.Dx()-1):])
		}
	}
	return out, nil
}

// grown tells which pixels lie within a distance of what is covered.
func grown(m *raster.Plane, by int) []bool {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	out := make([]bool, w*h)
	for y := range h {
		for x, v := range m.Row(y) {
			if v < 0.1 {
				continue
			}
			for j := max(y-by, 0); j <= min(y+by, h-1); j++ {
				for i := max(x-by, 0); i <= min(x+by, w-1); i++ {
					out[j*w+i] = true
				}
			}
		}
	}
	return out
}

// matched returns the recipe with its lights as the reference has them, and what was found.
func (s *Server) matched(ctx context.Context, shot *store.Shot,
	r *recipe.Recipe) (*recipe.Recipe, fitted, error) {
	f, err := s.fitLights(ctx, shot, r)
	if err != nil {
		return nil, f, err
	}
	next, err := edit.Matched(r, f.Gains, f.reach)
	return next, f, err
}

// left answers with what a match leaves over: lighter than grey where the reference is brighter,
// darker where it is darker, in a picture as the frame that is asked for.
func (s *Server) left(ctx context.Context, shot *store.Shot, r *recipe.Recipe,
	q render.Request) (*image.RGBA, error) {
	f, err := s.fittedTo(ctx, shot, r)
	if err != nil {
		return nil, err
	}
	o := &photo.Photo{Width: f.Left.Rect.Dx(), Height: f.Left.Rect.Dy(), Profile: colour.SRGB}
	o.Pix8 = make([]uint8, 3*o.Width*o.Height)
	for i, v := range f.Left.Pix {
		g := uint8(min(max(128+150*math.Tanh(1.8*float64(v)), 0), 255))
		c := []uint8{g, g, g}
		if f.Weight[i] == 0 { // it was not compared, or shows something that moved
			c = []uint8{40, 40, 40}
		}
		copy(o.Pix8[3*i:], c)
	}
	return s.engine.Reference(ctx, q, o, fmt.Sprintf("left %s %d", shot.ID, shot.Version),
		align.Fitted(r.Photo.Width, r.Photo.Height, o.Width, o.Height))
}

// matchSays answers with how well the lights match the reference as they are fitted.
func (s *Server) matchSays(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	f, err := s.fittedTo(ctx, shot, r)
	if err != nil {
		return err
	}
	day := (f.Daylight[0] + f.Daylight[1] + f.Daylight[2]) / 3
	return c.JSON(http.StatusOK, map[string]any{"explained": math.Round(1000*f.Explained) / 10,
		"daylight": math.Round(10*math.Log2(math.Max(day, 1e-4))) / 10})
}
