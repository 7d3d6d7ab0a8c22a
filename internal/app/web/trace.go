package web

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"math"
	"net/http"
	"sync"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/recipe/svg"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
	"pyrant/internal/vision/bulb"
	"pyrant/internal/vision/caliper"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/livewire"
	"pyrant/internal/vision/region"
)

// ground returns a shot's photo made ready for hands that look for edges.
func (s *Server) ground(ctx context.Context, shot *store.Shot) (*region.Ground, error) {
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	return s.groundOf(ctx, shot.PhotoSHA, p)
}

func (s *Server) groundOf(ctx context.Context, sha string,
	p *photo.Photo) (g *region.Ground, err error) {
	err = s.board.Run(ctx, job.Job{Kind: job.Ground, Subject: sha,
		Title: "Preparing photo"},
		func(ctx context.Context, report job.Report) error {
			far := func(share float64) { report("Finding edges", share) }
			g, err = graph.Get(context.WithValue(ctx, progress{}, far), s.engine.Cache,
				edges{s.input(sha, p)})
			return err
		})
	return g, err
}

// prepare has a shot's photo made ready, and answers when it is.
func (s *Server) prepare(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	if _, err := s.ground(ctx, shot); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// spot is a place on a shot's photo, as a hand asks about it.
type spot struct {
	X    float64 `json:"x"`
	Y    float64 `json:"y"`
	Page string  `json:"page"`
}

// looked does what a hand asks about the edges of a shot's photo when it is the page's turn;
// of what waits the newest only.
func (s *Server) looked(c *echo.Context, q any, page *string, what string,
	do func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error)) error {
	ctx := c.Request().Context()
	if err := bindJSON(c, q); err != nil {
		return err
	}
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	g, err := s.ground(ctx, shot)
	if err != nil {
		return err
	}
	return s.turns.run(ctx, asker{shot.ID + *page + " " + what, true},
		func(ctx context.Context) error {
			out, err := do(ctx, shot, g)
			if err != nil {
				return err
			}
			return c.JSON(http.StatusOK, out)
		})
}

// found is a region as a page gets it: the shapes it becomes, the first of them its outline
// and the others what is taken away from it, and its share of the photo.
type found struct {
	Shapes json.RawMessage `json:"shapes"`
	Share  float64         `json:"share"`
	None   string          `json:"none,omitempty"` // why nothing is found
}

// region answers with the shape under a place of the photo.
func (s *Server) region(c *echo.Context) error {
	var q struct {
		spot
		Widen float64 `json:"widen"`
		Quick bool    `json:"quick"`
		Hover bool    `json:"hover"` // nothing is clicked yet: to find nothing is no error
		All   bool    `json:"all"`   // every region of its tone or colour
		// the area that it is looked for in; "" for all of the photo
		Within area.Ref `json:"within"`
	}
	return s.looked(c, &q, &q.Page, "region",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			pick := region.Pick{X: q.X, Y: q.Y, Widen: math.Min(math.Max(q.Widen, -6), 6),
				Quick: q.Quick}
			within, err := s.within(ctx, shot, g, q.Within)
			if err != nil {
				return nil, err
			}
			none := func(err error) (any, error) {
				if f := (*fault.Error)(nil); q.Hover && errors.As(err, &f) &&
					f.Kind == fault.Invalid {
					return found{Shapes: json.RawMessage("[]"), None: f.Msg}, nil
				}
				return nil, err
			}
			if i, ok := g.Fine.At(q.X, q.Y); ok && within != nil && !within(i) {
				return none(
					fault.New(
						fault.Invalid,
						"That place is outside the search area. Click inside it, or search the whole photo.",
					),
				)
			}
			var all []*region.Found
			if q.All && !q.Quick {
				all, err = g.Alike(ctx, pick, within)
			} else {
				var f *region.Found
				if f, err = g.Find(ctx, pick); err == nil {
					all = []*region.Found{f}
				}
			}
			if err != nil {
				return none(err)
			}
			eye := edge.NewEye(g.Photo)
			var shapes shape.Shapes
			var away shape.Shapes
			share := 0.0
			for _, f := range all {
				share += f.Share
				if q.Quick {
					shapes = append(shapes, shape.Outline{Nodes: rounded(f.Guess())})
					continue
				}
				shapes = append(shapes, shape.Outline{Nodes: rounded(f.Outline(eye))})
				for _, h := range g.Holes(f) {
					away = append(away, shape.Outline{Away: true, Nodes: rounded(h.Outline(eye))})
				}
				if err := ctx.Err(); err != nil {
					return nil, err
				}
			}
			return found{Shapes: setting.Encode(append(shapes, away...)), Share: share}, nil
		})
}

// within returns what of the pixels of a ground's fine sheet an area covers; nil for all.
func (s *Server) within(ctx context.Context, shot *store.Shot, g *region.Ground,
	id area.Ref) (func(i int) bool, error) {
	if id == "" {
		return nil, nil
	}
	r, err := s.head(ctx, shot)
	if err != nil {
		return nil, err
	}
	if r.Area(id) == nil {
		return nil, fault.New(fault.Gone, "That area is no longer in this shot. Reload the page.")
	}
	w, h := g.Fine.Rect.Dx(), g.Fine.Rect.Dy()
	m, err := s.engine.AreaMask(ctx, render.Request{Photo: g.Photo, PhotoKey: shot.PhotoSHA,
		Recipe: r, Uncropped: true, LongEdge: max(w, h)}, id, true)
	if err != nil {
		return nil, err
	}
	return func(i int) bool {
		return m.At(min(i%w, m.Rect.Dx()-1), min(i/w, m.Rect.Dy()-1)) > 0.5
	}, nil
}

// rounded returns a path in hundredths of a pixel, as pages send them.
func rounded(p shape.Path) shape.Path {
	nodes := append([]shape.Node(nil), p.All()...)
	for i := range nodes {
		n := &nodes[i]
		for _, v := range []*float64{&n.X, &n.Y, &n.In[0], &n.In[1], &n.Out[0], &n.Out[1]} {
			*v = math.Round(100**v) / 100
		}
	}
	return shape.PathOf(nodes...)
}

// wire is a wire in the cache; one request at a time goes along it.
type wire struct {
	mu sync.Mutex
	*livewire.Wire
}

// wire returns the lines from a place that is known to a hundredth of a pixel.
func (s *Server) wire(ctx context.Context, shot *store.Shot, g *region.Ground,
	from shape.Point) (*wire, error) {
	from = shape.Point{X: math.Round(100*from.X) / 100, Y: math.Round(100*from.Y) / 100}
	return graph.Get(ctx, s.engine.Cache, wires{edges{s.input(shot.PhotoSHA, g.Photo)}, from})
}

// cling answers with the way along the photo's edges from a pin to the pointer, and where a
// pin would be set there.
func (s *Server) cling(c *echo.Context) error {
	var q struct {
		spot
		From *[2]float64 `json:"from"` // nil before the first pin
		// how far a pin may be set from the pointer, in pixels of the photo
		Reach float64 `json:"reach"`
	}
	return s.looked(c, &q, &q.Page, "cling",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			if err := onPhoto(shot, q.X, q.Y); err != nil {
				return nil, err
			}
			pin := livewire.Near(g.Fine, shape.Point{X: q.X, Y: q.Y}, reached(g, q.Reach))
			line := [][2]float64{}
			if q.From != nil {
				w, err := s.wire(ctx, shot, g, shape.Point{X: q.From[0], Y: q.From[1]})
				if err != nil {
					return nil, err
				}
				w.mu.Lock()
				defer w.mu.Unlock()
				way, err := w.To(ctx, pin)
				if err != nil {
					return nil, err
				}
				for _, p := range way {
					line = append(line, [2]float64{p.X, p.Y})
				}
			}
			return map[string]any{"line": line, "pin": [2]float64{pin.X, pin.Y}}, nil
		})
}

// reached returns how far from a click an edge is looked for: as far as the page says, as on its
// screen a finger is as wide at every zoom, but no farther than a finger is on the whole photo.
func reached(g *region.Ground, page float64) float64 {
	if page <= 0 {
		return g.Finger()
	}
	return math.Min(math.Max(page, 1.5*float64(g.Fine.Step)), g.Finger())
}

// maxPins is how many pins an outline that clings can have.
const maxPins = 500

// clung answers with the outline that clings to the photo's edges through pins.
func (s *Server) clung(c *echo.Context) error {
	var q struct {
		Page  string  `json:"page"`
		Reach float64 `json:"reach"`
		Pins  []struct {
			X        float64 `json:"x"`
			Y        float64 `json:"y"`
			Straight bool    `json:"straight"` // the line to the next pin is straight
		} `json:"pins"`
	}
	return s.looked(c, &q, &q.Page, "clung",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			n := len(q.Pins)
			if n < 2 || n > maxPins {
				return nil, fault.New(
					fault.Invalid,
					"A live-wire outline has 2 to %d anchors.",
					maxPins,
				)
			}
			pins := make([]livewire.Pin, n)
			for i, p := range q.Pins {
				if err := onPhoto(shot, p.X, p.Y); err != nil {
					return nil, err
				}
				pins[i] = livewire.Pin{At: shape.Point{X: p.X, Y: p.Y}, Straight: p.Straight}
			}
			path, err := livewire.Trace(ctx, g.Fine, edge.NewEye(g.Photo), pins,
				reached(g, q.Reach))
			if err != nil {
				return nil, err
			}
			if path.Len() < 3 {
				return nil, fault.New(
					fault.Invalid,
					"The anchors lie too close together for an outline.",
				)
			}
			outline := shape.Outline{Nodes: rounded(path)}
			return found{Shapes: setting.Encode(shape.Shapes{outline})}, nil
		})
}

// gauge answers with a centre line moved to the middle of the tube that it runs along, and
// with how wide that is.
func (s *Server) gauge(c *echo.Context) error {
	var q struct {
		Page  string          `json:"page"`
		Shape json.RawMessage `json:"shape"`
	}
	return s.looked(c, &q, &q.Page, "gauge",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			one, err := oneShape(q.Shape, g)
			if err != nil {
				return nil, err
			}
			t, ok := one.(shape.Tube)
			if !ok || t.Nodes.Len() > 500 {
				return nil, fault.New(
					fault.Invalid,
					"Only a tube of at most 500 nodes can be measured.",
				)
			}
			m := caliper.Tube(edge.NewEye(g.Photo), t.Nodes.All(), t.Closed,
				caliper.Widest(g.Photo))
			if m.Sure >= caliper.Certain {
				t.Nodes, t.Width, t.Flat = rounded(shape.PathOf(m.Nodes...)),
					math.Round(10*m.Width)/10,
					m.Flat
			}
			return map[string]any{"shapes": json.RawMessage(setting.Encode(shape.Shapes{t})),
				"sure": math.Round(100*m.Sure) / 100}, nil
		})
}

// oneShape reads a shape that a page sends.
func oneShape(raw json.RawMessage, g *region.Ground) (shape.Shape, error) {
	one, err := setting.Parse(raw, "shape")
	if err != nil {
		return nil, err
	}
	var v struct {
		Shapes shape.Shapes `json:"shapes"`
	}
	frame := setting.Frame{W: float64(g.Photo.Width), H: float64(g.Photo.Height)}
	if err := setting.Decode(map[string]any{"shapes": []any{one}}, &v, frame); err != nil {
		return nil, err
	}
	return v.Shapes[0], nil
}

// hang answers with a string whose bulbs are set on the round things along it, and with how many
// of these there are.
func (s *Server) hang(c *echo.Context) error {
	var q struct {
		Page  string          `json:"page"`
		Shape json.RawMessage `json:"shape"`
		Count bool            `json:"count"` // it gets as many bulbs as there are round things
	}
	return s.looked(c, &q, &q.Page, "hang",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			one, err := oneShape(q.Shape, g)
			if err != nil {
				return nil, err
			}
			str, ok := one.(shape.String)
			if !ok || str.Nodes.Len() > 500 {
				return nil, fault.New(
					fault.Invalid,
					"Only a string of at most 500 nodes can be snapped to the photo.",
				)
			}
			reach := bulb.Reach(float64(max(g.Photo.Width, g.Photo.Height)))
			found, err := bulb.Find(ctx, g.Photo, g.Fine, shape.Flatten(str.Cord(), str.Closed),
				str.Closed, reach)
			if err != nil {
				return nil, err
			}
			return map[string]any{
				"shapes": json.RawMessage(setting.Encode(shape.Shapes{bulb.Hang(str,
					found, q.Count)})),
				"found": len(found),
			}, nil
		})
}

// ball answers with the round thing under a place of the photo, as the shape of a bulb: a
// circle of its area.
func (s *Server) ball(c *echo.Context) error {
	var q spot
	return s.looked(c, &q, &q.Page, "ball",
		func(ctx context.Context, shot *store.Shot, g *region.Ground) (any, error) {
			e, err := g.Ball(ctx, q.X, q.Y)
			if err != nil {
				return nil, err
			}
			d := math.Round(100*math.Sqrt(e.Width*e.Height)) / 100
			return found{Shapes: setting.Encode(shape.Shapes{shape.Ellipse{X: math.Round(100*e.X) /
				100,
				Y: math.Round(100*e.Y) / 100, Width: d, Height: d}})}, nil
		})
}

// rim answers with the ellipse through five points or more of its rim.
func (s *Server) rim(c *echo.Context) error {
	var q struct {
		Points [][2]float64 `json:"points"`
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	if len(q.Points) < 5 || len(q.Points) > 100 {
		return fault.New(fault.Invalid, "An ellipse needs 5 to 100 points on its edge.")
	}
	p := make([]shape.Point, len(q.Points))
	for i, v := range q.Points {
		p[i] = shape.Point{X: v[0], Y: v[1]}
	}
	e, ok := shape.EllipseThrough(p...)
	if long := 2 * float64(max(shot.Photo.Width, shot.Photo.Height)); !ok || e.Width > long ||
		e.Height < 0.1 {
		return fault.New(
			fault.Invalid,
			"No ellipse fits these points. Place them all round the edge.",
		)
	}
	for _, v := range []*float64{&e.X, &e.Y, &e.Width, &e.Height, &e.Turn} {
		*v = math.Round(100**v) / 100
	}
	return c.JSON(http.StatusOK, found{Shapes: setting.Encode(shape.Shapes{e})})
}

// readDrawing answers with the shapes of an SVG file, scaled to the photo, and what was left
// out of it.
func (s *Server) readDrawing(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	data, err := io.ReadAll(io.LimitReader(c.Request().Body, svg.MaxBytes+1))
	if err != nil {
		return badBody(err, unreadable)
	}
	shapes, left, err := svg.Read(data, float64(shot.Photo.Width), float64(shot.Photo.Height))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"shapes": json.RawMessage(setting.Encode(shapes)),
		"left": left})
}

// drawing answers with the shapes of a light as an SVG file.
func (s *Server) drawing(c *echo.Context) error {
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	i := lightIndex(r, c.QueryParam("light"))
	if i < 0 {
		return fault.New(fault.Gone, "There is no such light in this shot.")
	}
	attach(c, "image/svg+xml", shot.Name+", "+r.Lights[i].Name+".svg")
	return c.Blob(http.StatusOK, "image/svg+xml", svg.Write(r.Lights[i].Shapes,
		float64(shot.Photo.Width), float64(shot.Photo.Height)))
}

// onPhoto says that a place does not lie on a shot's photo, or nothing.
func onPhoto(shot *store.Shot, x, y float64) error {
	if x >= 0 && y >= 0 && x <= float64(shot.Photo.Width) && y <= float64(shot.Photo.Height) {
		return nil
	}
	return fault.New(fault.Invalid, "That place is outside the photo.")
}
