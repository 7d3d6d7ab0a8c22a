package web

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"math"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/edit/action"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
	"pyrant/internal/vision/segment"
)

// scribbling returns a shot's photo made ready to be scribbled on.
func (s *Server) scribbling(ctx context.Context, shot *store.Shot) (*segment.Ground, error) {
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	return graph.Get(ctx, s.engine.Cache, cutGround{s.input(shot.PhotoSHA, p)})
}

// readyToScribble has a shot's photo made ready, so that the first stroke need not wait.
func (s *Server) readyToScribble(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err == nil {
		_, err = s.scribbling(ctx, shot)
	}
	if err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// recut gives cut-outs whose strokes a change has touched their pixels; rough ones, where those of
// the photo itself take longer.
func (s *Server) recut(ctx context.Context, shot *store.Shot, before,
	next *recipe.Recipe) (*recipe.Recipe, error) {
	own := false
	for i := range next.CutOuts {
		was := before.CutOut(cutout.Ref(next.CutOuts[i].ID))
		if !segment.Changed(was, &next.CutOuts[i]) {
			continue
		}
		g, err := s.scribbling(ctx, shot)
		if err != nil {
			return nil, err
		}
		r, err := g.Update(ctx, was, &next.CutOuts[i])
		if err != nil {
			return nil, err
		}
		if !own {
			next, own = next.Clone(), true
		}
		next.CutOuts[i].Raster = r
	}
	if own {
		return next, next.Validate()
	}
	return next, nil
}

// refined returns the recipe with the pixels of all rough cut-outs found on the photo itself. They
// are kept, so that the same are not found twice.
func (s *Server) refined(ctx context.Context, photoSum string,
	r *recipe.Recipe) (*recipe.Recipe, error) {
	own := false
	for i := range r.CutOuts {
		c := &r.CutOuts[i]
		if !c.Raster.Rough {
			continue
		}
		p, err := s.photo(ctx, photoSum)
		if err != nil {
			return nil, err
		}
		of := cutout.CutOut{Band: c.Band, Strokes: c.Strokes, Mends: c.Mends}
		got, err := graph.Get(ctx, s.engine.Cache, cutPixels{
			cutGround{s.input(photoSum, p)},
			graph.Intern(s.engine.Cache, setting.Key(of), of)})
		if err != nil {
			return nil, err
		}
		if !own {
			r, own = r.Clone(), true
		}
		r.CutOuts[i].Raster = cutout.Raster(got)
	}
	return r, nil
}

type rasterNode cutout.Raster

func (r rasterNode) Bytes() int64 { return int64(r.Tiles.Len()) + 128 }

// refine starts a job that refines a shot's rough cut-outs at full resolution. Pages receive a
// revision event when it is done.
func (s *Server) refine(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	j, err := s.board.Go(job.Job{Kind: job.Edges, Subject: shot.ID,
		Title: "Improving outlines of " + shot.Name},
		func(ctx context.Context, _ job.Report) error { return s.refineAll(ctx, shot.ID) })
	if err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, j)
}

// refineAll gives a shot's rough cut-outs the pixels of the photo itself. What is changed meanwhile
// stays: pixels are given to cut-outs whose strokes are still the same.
func (s *Server) refineAll(ctx context.Context, id string) error {
	for {
		shot, err := s.store.Shot(ctx, id)
		if err != nil {
			return err
		}
		r, err := s.head(ctx, shot)
		if err != nil {
			return err
		}
		next, err := s.refined(ctx, shot.PhotoSHA, r)
		if err != nil || next == r {
			return err
		}
		if err := next.Fits(); err != nil {
			return err
		}
		was := shot.Version
		shot, err = s.store.Amend(ctx, id, was, next)
		if errors.Is(err, store.ErrStale) {
			continue // with what is in force now
		}
		if err != nil {
			return err
		}
		s.amends.add(id, was, shot.Version)
		s.remember(ctx, shot, next)
	}
}

// amends remembers which versions of shots came of others by finer pixels alone: a change that was
// made of one of those fits what came of it as well.
type amends struct {
	mu  sync.Mutex
	all map[amended]int64
}

type amended struct {
	shot    string
	version int64
}

func (a *amends) add(shot string, from, to int64) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.all == nil {
		a.all = map[amended]int64{}
	}
	a.all[amended{shot, from}] = to
}

// lead tells whether a version of a shot is another, or became it by amends.
func (a *amends) lead(shot string, from, to int64) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	for from != to {
		next, ok := a.all[amended{shot, from}]
		if !ok {
			return false
		}
		from = next
	}
	return true
}

// apart answers with a cut-out by itself over a ground, in bare pixels.
func (s *Server) apart(c *echo.Context) error {
	ctx := c.Request().Context()
	var q struct {
		frameRequest
		Cut    cutout.Ref    `json:"cut"`
		Ground render.Ground `json:"ground"`
	}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	q.As = "pixels"
	if err := q.check(); err != nil {
		return err
	}
	if !slices.Contains([]render.Ground{render.OnBlack, render.OnWhite, render.OnDark,
		render.OnEdge}, q.Ground) {
		return fault.New(
			fault.Invalid,
			"Choose one of these views: black, white, dark or edge.",
		)
	}
	shot, r, err := s.drafted(c, q.Patch)
	if err != nil {
		return err
	}
	if r.CutOut(q.Cut) == nil { // deleted while it was looked at
		return c.NoContent(http.StatusNoContent)
	}
	return s.inTurn(ctx, shot, asker{shot.ID + q.Page + " coverage", len(q.Patch) > 0},
		func(ctx context.Context, p *photo.Photo) error {
			img, err := s.engine.Apart(ctx, render.Request{Photo: p, PhotoKey: shot.PhotoSHA,
				Recipe:   r,
				LongEdge: min(q.Long, max(r.Size())), Uncropped: q.Whole, View: image.Rect(q.X, q.Y,
					q.X+q.W, q.Y+q.H)}, q.Cut, q.Ground)
			if err != nil {
				return err
			}
			if img.Rect.Dx() != q.W || img.Rect.Dy() != q.H {
				return fault.New(
					fault.Invalid,
					"The requested part lies outside the picture.",
				)
			}
			return c.Blob(http.StatusOK, "application/octet-stream", img.Pix)
		})
}

func goneCutOut() error {
	return fault.New(fault.Gone, "That cut-out is no longer in this shot. Reload the page.")
}

// lines returns the closed lines that bound a cut-out.
func (s *Server) lines(ctx context.Context, r *recipe.Recipe,
	c *cutout.CutOut) ([][]cutout.Point, error) {
	m, err := c.Raster.Mask()
	if err != nil {
		return nil, err
	}
	return cutout.Lines(c.On(m, cutout.Alpha), math.Max(c.Raster.Cell,
		float64(r.Photo.LongEdge())/2000)), ctx.Err()
}

// cutOutEdge answers with the lines that bound a cut-out, for walking along them.
func (s *Server) cutOutEdge(c *echo.Context) error {
	_, r, err := s.asked(c)
	if err != nil {
		return err
	}
	o := r.CutOut(cutout.Ref(c.QueryParam("cut")))
	if o == nil {
		return goneCutOut()
	}
	all, err := s.lines(c.Request().Context(), r, o)
	if err != nil {
		return err
	}
	out := [][][2]float64{}
	for _, l := range all {
		line := make([][2]float64, len(l))
		for i, p := range l {
			line[i] = [2]float64{math.Round(10*p.X) / 10, math.Round(10*p.Y) / 10}
		}
		out = append(out, line)
	}
	return c.JSON(http.StatusOK, map[string]any{"lines": out})
}

// newCutOut is a cut-out to be added, with its first stroke.
type newCutOut struct {
	Name     string          `form:"name,optional"`
	Scribble json.RawMessage `form:"scribble,optional"`
}

func (a *acting) addCutout(in newCutOut) error {
	next, i, err := edit.AddCutOut(a.r, cmp.Or(strings.TrimSpace(in.Name), "Cut-out"))
	if err != nil {
		return err
	}
	if len(in.Scribble) > 0 {
		if next, err = edit.Apply(next, []setting.Op{{Op: "add",
			Path: fmt.Sprintf("/cutouts/%d/strokes/-", i), Value: in.Scribble}}); err != nil {
			return err
		}
	}
	if next, err = a.recut(a.ctx, a.shot, a.r, next); err != nil {
		return err
	}
	return a.finish(action.Result{Recipe: next, Title: "New " + next.CutOuts[i].Name,
		Open: map[string]string{"cut": next.CutOuts[i].ID, "area": ""}}, nil)
}

// traceCutout makes a light of a cut-out's outlines.
func (a *acting) traceCutout(in action.OfCutOut) error {
	c, err := in.Of(a.r)
	if err != nil {
		return err
	}
	var shapes shape.Shapes
	if !c.Empty() {
		if shapes, err = a.outlines(a.ctx, a.r, c); err != nil {
			return err
		}
	}
	return a.finishTraced(action.LightOf(a.r, c, "Outline of ", shapes))
}

// mostOutlines is how many outlines a cut-out becomes.
const mostOutlines = 60

// outlines returns a cut-out as traced outlines: those of its parts, and those of its holes, which
// are taken away.
func (s *Server) outlines(ctx context.Context, r *recipe.Recipe,
	c *cutout.CutOut) (shape.Shapes, error) {
	all, err := s.lines(ctx, r, c)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return nil, fault.New(
			fault.Invalid,
			"No part of “%s” is covered by half or more, so it has no outline.",
			c.Name,
		)
	}
	tolerance := math.Max(float64(r.Photo.LongEdge())/4000, 0.4)
	var out shape.Shapes
	// The longest bounds a part: lines that run the other way round bound holes.
	turn := 0.0
	for _, l := range all[:min(len(all), mostOutlines)] {
		line := make([]shape.Point, len(l))
		for i, p := range l {
			line[i] = shape.Point(p)
		}
		a := shape.Turn(line)
		if turn == 0 {
			turn = a
		}
		if math.Abs(a) < 16*tolerance*tolerance {
			continue
		}
		if path := shape.Fit(line, true, tolerance); path.Len() >= 3 {
			out = append(out, shape.Outline{Away: a*turn < 0, Nodes: rounded(path)})
		}
	}
	return out, nil
}

// cutLine is a cut-out as its list shows it.
type cutLine struct {
	ID, Name, Brief string
	Empty           bool
}

// CutOuts lists the cut-outs of the shot.
func (p *page) CutOuts() (out []cutLine) {
	for i := range p.R.CutOuts {
		o := &p.R.CutOuts[i]
		l := cutLine{ID: o.ID, Name: o.Name, Empty: o.Empty(), Brief: "unused"}
		if n := len(p.R.CutOutUsers(cutout.Ref(o.ID))); n > 0 {
			l.Brief = plural(n, "use", "uses")
		}
		if l.Empty {
			l.Brief = "empty"
		}
		out = append(out, l)
	}
	return out
}

// cutting is a cut-out that is open on the bench.
type cutting struct {
	*cutout.CutOut
	Path    string
	Missing string // what its strokes leave unsaid
	Rows    []row
	Strokes []strokeLine
	Mends   []strokeLine
	Users   []string
}

// Cutting returns the cut-out that is open on the bench, nil where none is.
func (p *page) Cutting() *cutting {
	i := slices.IndexFunc(p.R.CutOuts, func(o cutout.CutOut) bool { return o.ID == string(p.Cut) })
	if p.Cut == "" || i < 0 {
		return nil
	}
	o := &p.R.CutOuts[i]
	k := &cutting{
		CutOut: o,
		Path:   p.Path(fmt.Sprintf("/cutouts/%d", i)),
		Users:  p.R.CutOutUsers(p.Cut),
	}
	if len(o.Mends) == 0 || len(o.Strokes) > 0 {
		k.Missing = segment.Missing(o.Strokes)
	}
	k.Rows = p.Rows(k.Path)
	says := map[string]string{}
	for _, c := range cutout.In.Choices() {
		says[c.Value] = c.Label
	}
	for j, s := range o.Strokes {
		k.Strokes = append(k.Strokes, strokeLine{Index: j, Path: p.Path(fmt.Sprintf("%s/strokes/%d",
			k.Path, j)), Name: says[string(s.Says)]})
	}
	for j, m := range o.Mends {
		k.Mends = append(
			k.Mends,
			strokeLine{Index: j, Path: p.Path(fmt.Sprintf("%s/mends/%d", k.Path, j)),
				Name: fmt.Sprintf("To %.0f %%", 100*m.To)},
		)
	}
	return k
}

// Scribble and Mend are the rows of the brushes that are not strokes yet, which the page keeps by
// itself.
func (p *page) Scribble() []row {
	return localRows(p, setting.New[cutout.Stroke](p.frame()), "scribble-", "says")
}

// Mend is the rows of the brush that mends.
func (p *page) Mend() []row { return localRows(p, setting.New[cutout.Mend](p.frame()), "mend-") }

// localRows are the rows of a value that the page keeps by itself.
func localRows[T any](p *page, value T, prefix string, but ...string) (out []row) {
	v := struct {
		Brush T `json:"brush"`
	}{value}
	for _, r := range rows(v, "/brush", p.frame()) {
		if !slices.Contains(but, r.Name) {
			r.Path = "local:" + prefix + r.Name
			out = append(out, r)
		}
	}
	return out
}

// cutOutState returns a cut-out as the page's scripts see it: without its pixels, and without
// strokes unless it is open.
func (p *page) cutOutState(o *cutout.CutOut) json.RawMessage {
	lists := ""
	if o.ID == string(p.Cut) {
		lists = fmt.Sprintf(
			`,"strokes":%s,"mends":%s`,
			setting.Encode(o.Strokes),
			setting.Encode(o.Mends),
		)
	}
	b, err := json.Marshal(map[string]any{"id": o.ID, "name": o.Name, "rough": o.Raster.Rough,
		"empty": o.Empty(), "x": o.X, "y": o.Y})
	if err != nil {
		panic(err) // texts and numbers can be written
	}
	return json.RawMessage(string(b[:len(b)-1]) + lists + "}")
}

// blockerLine is a blocker of the chosen light.
type blockerLine struct {
	Index int
	Path  string
	Name  string
	On    bool
	Rows  []row
}

// Blockers lists what stands before the chosen light.
func (p *page) Blockers() (out []blockerLine) {
	for j, b := range p.L().Blockers {
		l := blockerLine{Index: j, Path: p.At(fmt.Sprintf("blockers/%d", j)), On: b.On}
		if a := p.R.Area(b.Area); a != nil {
			l.Name = a.Name
		}
		l.Rows = p.Rows(l.Path)
		out = append(out, l)
	}
	return out
}

// Standing lists what can stand before the chosen light: cut-outs, other lights, areas.
func (p *page) Standing() (out []setting.Choice) {
	for _, c := range standing(p.R) {
		kind, id := area.Ref(c.Value).Of()
		if kind == area.OfLight && p.L() != nil && id == p.L().ID {
			continue
		}
		out = append(out, c)
	}
	for i := range p.R.Areas {
		out = append(
			out,
			setting.Choice{Value: p.R.Areas[i].ID, Label: "Area " + p.R.Areas[i].Name},
		)
	}
	return out
}

// standing lists what besides the areas of the list can be used as one.
func standing(r *recipe.Recipe) (out []setting.Choice) {
	add := func(kind, id, label string) {
		out = append(out, setting.Choice{Value: string(area.RefTo(kind, id)), Label: label})
	}
	for i := range r.CutOuts {
		add(area.OfCutOut, r.CutOuts[i].ID, "Cut-out "+r.CutOuts[i].Name)
	}
	for i := range r.CutOuts {
		add(area.OfBehind, r.CutOuts[i].ID, "Behind "+r.CutOuts[i].Name)
	}
	if len(r.CutOuts) > 1 {
		add(area.OfBehind, "", "Behind all cut-outs")
	}
	for i := range r.Lights {
		add(area.OfLight, r.Lights[i].ID, "Light "+r.Lights[i].Name)
	}
	return out
}
