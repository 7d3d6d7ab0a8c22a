// Cutout measures how well the hands of Trace find what is marked on a scene whose truth is
// known, without a browser: a click in each outline and bulb, cling round each outline, a tube
// along each centre line, and scribbles in and round each thing. See docs/benchmarks.md.
//
//	go run ./scripts/cutout [-json] [-as dark|warm|noisy|cold|small|tiny] SCENE
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"time"

	"pyrant/internal/base/codec"
	"pyrant/internal/measure/scene"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/vision/caliper"
	"pyrant/internal/vision/edge"
	"pyrant/internal/vision/livewire"
	"pyrant/internal/vision/region"
	"pyrant/internal/vision/segment"
)

// row is what one hand found. How far its edge lies is in pixels of a picture whose long edge is
// 1500 of them, however large the scene's frame: 1.64 pixels of 3000x2000 are 0.82 of 1500x1000.
type row struct {
	Hand string `json:"hand"`
	Name string `json:"name"`
	scene.Result
	// mean absolute error of coverage: of soft strokes in scene.Field.Band, else within 10 px of
	// the edge; and the median colour difference of composites in the band
	Band    *float64 `json:"band_mae,omitempty"`
	DeltaE  *float64 `json:"delta_e,omitempty"`
	Ms      float64  `json:"ms"`
	Strokes int      `json:"strokes,omitempty"`
}

func main() {
	asJSON := flag.Bool("json", false, "print a list of JSON objects")
	as := flag.String("as", "", "change the picture first: its light, noise or size")
	only := flag.String(
		"hand",
		"",
		"measure this hand alone: scribble, soft, or any other for those of lights",
	)
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: cutout [-json] [-as CHANGE] SCENE")
		os.Exit(2)
	}
	rows, err := measure(context.Background(), flag.Arg(0), *as, *only)
	if err != nil {
		fmt.Fprintln(os.Stderr, "cutout:", err)
		os.Exit(1)
	}
	if *asJSON {
		out, _ := json.MarshalIndent(rows, "", " ")
		fmt.Println(string(out))
		return
	}
	for _, r := range rows {
		fmt.Printf(
			"%-6s %-14s IoU %.3f  edge %5.2f px  %6.1f ms",
			r.Hand,
			r.Name,
			r.IoU,
			r.Edge,
			r.Ms,
		)
		if r.Band != nil {
			fmt.Printf("  band %.3f  %d strokes", *r.Band, r.Strokes)
		}
		if r.DeltaE != nil {
			fmt.Printf("  composite %.1f", *r.DeltaE)
		}
		fmt.Println()
	}
}

// measure measures hands on a scene: all of them, or one alone; of things all, or those that are
// named.
func measure(ctx context.Context, folder, as, only string, named ...string) ([]row, error) {
	sc, err := scene.Open(folder)
	if err != nil {
		return nil, err
	}
	data, err := os.ReadFile(sc.PicturePath())
	if err != nil {
		return nil, err
	}
	if as != "" {
		if data, err = changed(data, as); err != nil {
			return nil, err
		}
	}
	ph, err := codec.Open(ctx, data)
	if err != nil {
		return nil, err
	}
	k := float64(ph.Width) / sc.Width
	var ground *region.Ground
	if only != "scribble" && only != "soft" {
		if ground, err = region.NewGround(ctx, ph, nil); err != nil {
			return nil, err
		}
	}
	rows := []row{}
	lights, things := sc.Lights, sc.Things
	if only == "scribble" || only == "soft" {
		lights = nil
	} else if only != "" {
		things = nil
	}
	for _, l := range lights {
		truth, err := sc.Mask(l.Mask)
		if err != nil {
			return nil, err
		}
		for i, m := range l.Shapes {
			name := fmt.Sprintf("%s/%d", l.Group, i)
			if m.Kind == "outline" || m.Kind == "bulb" {
				at, seen := m.Inside(truth)
				if !seen {
					continue // all of it is hidden
				}
				t := time.Now()
				f, err := ground.Find(ctx, region.Pick{X: at[0] * k, Y: at[1] * k})
				r := row{Hand: "click", Name: name, Result: scene.Result{Edge: scene.Nowhere}}
				if err == nil {
					nodes := f.Outline(edge.NewEye(ph))
					r.Ms = float64(time.Since(t).Microseconds()) / 1000
					s := shape.Outline{Nodes: scaled(nodes, 1/k)}
					r.Result = scene.Compare(truth, l, i, s)
				}
				rows = append(rows, r)
			}
			if m.Kind == "outline" {
				t := time.Now()
				nodes, err := clung(ctx, ground, turns(m.Points), k,
					rand.New(rand.NewPCG(7, uint64(i))))
				if err != nil {
					return nil, err
				}
				r := row{
					Hand: "cling",
					Name: name,
					Ms:   float64(time.Since(t).Microseconds()) / 1000,
				}
				r.Result = scene.Compare(truth, l, i, shape.Outline{Nodes: scaled(nodes, 1/k)})
				rows = append(rows, r)
			}
			if m.Kind == "tube" {
				nodes := scaled(path(m.Points), k).All()
				t := time.Now()
				got := caliper.Tube(edge.NewEye(ph), nodes, m.Closed, caliper.Widest(ph))
				r := row{Hand: "tube", Name: name, Result: scene.Result{Edge: scene.Nowhere},
					Ms: float64(time.Since(t).Microseconds()) / 1000}
				if got.Sure >= caliper.Certain {
					r.Result = scene.Compare(truth, l, i,
						shape.Tube{Nodes: scaled(shape.PathOf(got.Nodes...), 1/k),
							Width: got.Width / k, Closed: m.Closed, Flat: got.Flat})
				}
				rows = append(rows, r)
			}
		}
	}
	var g *segment.Ground
	if len(things) > 0 {
		if g, err = segment.NewGround(ctx, ph); err != nil {
			return nil, err
		}
	}
	seen := map[string]int{}
	for _, thing := range things {
		name := thing.Name
		if name == "" {
			name = thing.Mask
			if n := seen[name]; n > 0 {
				name = fmt.Sprintf("%s %d", name, n+1)
			}
			seen[thing.Mask]++
		}
		if len(named) > 0 && !slices.Contains(named, name) {
			continue
		}
		truth, err := sc.Thing(thing)
		if err != nil {
			return nil, err
		}
		r := row{Hand: "scribble", Name: name, Result: scene.Result{Edge: scene.Nowhere}}
		if only == "soft" {
			if r, err = soft(ctx, g, sc, thing, truth, k); err != nil {
				return nil, err
			}
			r.Name = name
			rows = append(rows, r)
			continue
		}
		u := newUser(truth)
		err = u.scribble(func() (*scene.Field, error) {
			return cutBy(ctx, g, scaledStrokes(u.strokes(), k), truth, k)
		}, func(res scene.Result, band, ms float64) {
			r.Result, r.Band, r.Ms = res, &band, ms
		})
		if err != nil && ctx.Err() != nil {
			return nil, err
		}
		r.Strokes = len(u.drawn) // of a thing that none can be made in there is a row all the same
		rows = append(rows, r)
	}
	for i := range rows {
		rows[i].Result = at1500(rows[i].Result, max(sc.Width, sc.Height))
	}
	return rows, nil
}

// at1500 returns a result that is measured in pixels of a frame, by its long edge, in pixels of a
// picture of 1500.
func at1500(r scene.Result, long float64) scene.Result {
	if r.Edge != scene.Nowhere {
		r.Edge *= 1500 / long
	}
	return r
}

// cutBy cuts out what strokes say, and returns its coverage on the frame of a mask, of which the
// photo is k times as large.
func cutBy(ctx context.Context, g *segment.Ground, strokes []segment.Stroke, mask *scene.Field,
	k float64) (*scene.Field, error) {
	c, m, err := made(ctx, g, strokes)
	if err != nil {
		return nil, err
	}
	return onMask(c.On(m, cutout.Alpha), mask, k), nil
}

// made returns what strokes cut out.
func made(ctx context.Context, g *segment.Ground, strokes []segment.Stroke) (*cutout.CutOut,
	*cutout.Mask, error) {
	raster, err := g.Make(ctx, cutOutOf(strokes, g.Photo), false)
	if err != nil {
		return nil, nil, err
	}
	m, err := raster.Mask()
	return &cutout.CutOut{Raster: raster}, m, err
}

// onMask returns a value of a cut-out at the pixels of a mask.
func onMask(part cutout.Part, mask *scene.Field, k float64) *scene.Field {
	got := &scene.Field{W: mask.W, H: mask.H, K: mask.K, Pix: make([]float32, len(mask.Pix))}
	for i := range got.Pix {
		got.Pix[i] = float32(part.Covered((float64(i%mask.W)+0.5)/mask.K*k,
			(float64(i/mask.W)+0.5)/mask.K*k))
	}
	return got
}

// soft measures the hand that paints fine edges.
func soft(ctx context.Context, g *segment.Ground, sc *scene.Scene, thing scene.Thing,
	truth *scene.Field, k float64) (row, error) {
	r := row{Hand: "soft", Result: scene.Result{Edge: scene.Nowhere}}
	u := &user{mask: truth, drawn: softStrokes(truth, rand.New(rand.NewPCG(5, 1)))}
	r.Strokes = len(u.drawn)
	t := time.Now()
	c, m, err := made(ctx, g, scaledStrokes(u.strokes(), k))
	if err != nil {
		return r, ctx.Err() // nothing was cut out
	}
	r.Ms = float64(time.Since(t).Microseconds()) / 1000
	got := onMask(c.On(m, cutout.Alpha), truth, k)
	r.Result, _ = scene.CompareFields(truth, got)
	band := scene.BandError(truth, got)
	r.Band = &band
	own, err := sc.Own(thing)
	if err != nil || own == nil {
		return r, err
	}
	// The object's own light is its share of the photo's.
	light := make(scene.OwnLight, len(own))
	row := make([]float32, 3*g.Photo.Width)
	for channel, what := range [...]cutout.What{cutout.Red, cutout.Green, cutout.Blue} {
		share := onMask(c.On(m, what), truth, k)
		for y := range truth.H {
			g.Photo.Linear(
				row,
				0,
				min(int((float64(y)+0.5)/truth.K*k), g.Photo.Height-1),
				g.Photo.Width,
			)
			for x := range truth.W {
				i := y*truth.W + x
				at := min(int((float64(x)+0.5)/truth.K*k), g.Photo.Width-1)
				light[3*i+channel] = share.Pix[i] * row[3*at+channel]
			}
		}
	}
	diff := scene.CompositeError(truth, own, got, light)
	r.DeltaE = &diff
	return r, nil
}

// jitter is how far from a corner a pin is set, at most, in pixels of the frame, and pins how
// many there are at most.
const (
	jitter = 6
	pins   = 8
)

// turns returns the corners of an outline: the points that stray farthest from what the others
// make, until none strays more than two pixels.
func turns(points [][2]float64) [][2]float64 {
	n := len(points)
	if n <= 3 {
		return points
	}
	keep := make([]bool, n)
	keep[0] = true
	far := 0
	for i, p := range points {
		if math.Hypot(p[0]-points[0][0],
			p[1]-points[0][1]) > math.Hypot(points[far][0]-points[0][0],
			points[far][1]-points[0][1]) {
			far = i
		}
	}
	keep[far] = true
	for count := 2; count < pins; count++ {
		worst, at := 2.0, -1
		for a := range n {
			if !keep[a] {
				continue
			}
			b := a + 1
			for !keep[b%n] {
				b++
			}
			for i := a + 1; i < b; i++ {
				if d := scene.ToLine(points[i%n], points[a], points[b%n]); d > worst {
					worst, at = d, i%n
				}
			}
		}
		if at < 0 {
			break
		}
		keep[at] = true
	}
	var out [][2]float64
	for i, p := range points {
		if keep[i] {
			out = append(out, p)
		}
	}
	return out
}

// clung traces an outline through pins near its corners, as the hand does.
func clung(ctx context.Context, g *region.Ground, corners [][2]float64, k float64,
	rnd *rand.Rand) (shape.Path, error) {
	var set []livewire.Pin
	for _, c := range corners {
		sin, cos := math.Sincos(2 * math.Pi * rnd.Float64())
		off := jitter * math.Sqrt(rnd.Float64())
		set = append(set, livewire.Pin{At: shape.Point{X: (c[0] + off*cos) * k,
			Y: (c[1] + off*sin) * k}})
	}
	return livewire.Trace(ctx, g.Fine, edge.NewEye(g.Photo), set, g.Finger())
}

// path returns points as nodes of a path without bends.
func path(points [][2]float64) shape.Path {
	nodes := make([]shape.Node, len(points))
	for i, p := range points {
		nodes[i] = shape.Node{X: p[0], Y: p[1]}
	}
	return shape.PathOf(nodes...)
}

func scaled(p shape.Path, k float64) shape.Path {
	nodes := append([]shape.Node(nil), p.All()...)
	for i := range nodes {
		n := &nodes[i]
		n.X, n.Y = n.X*k, n.Y*k
		n.In[0], n.In[1], n.Out[0], n.Out[1] = n.In[0]*k, n.In[1]*k, n.Out[0]*k, n.Out[1]*k
	}
	return shape.PathOf(nodes...)
}
