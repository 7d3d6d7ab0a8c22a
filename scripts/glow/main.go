// Command glow measures how the glow of the demo shots falls off, from what the engine renders and
// not from the formulas that made it.
//
//	go run ./scripts/glow [-json]
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"image"
	"image/jpeg"
	"log"
	"math"
	"os"
	"slices"
	"time"

	"pyrant/demo"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/render"
)

// distances are those that stacks are judged at, in pixels of a photo with a long edge of 6000.
var distances = []float64{5, 20, 40, 80, 320, 1000}

// criterion is how one light fares.
type criterion struct {
	Shot    string    `json:"shot"`
	Light   string    `json:"light"`
	Thin    bool      `json:"thin"`    // narrower than 120 px of 6000
	Profile []float64 `json:"profile"` // luminance at the distances against the core's
	// at 5 px: two thirds of a panel's, half of a thin shape's
	FirstKept float64 `json:"first_kept"`
	// of display value, over each fourfold distance from 5 to 320
	Steps []float64 `json:"steps"`
	Far   float64   `json:"far"` // luminance at 1000 px, under 0.001
	// of the light at 40 px that is none of the gel's, as a share
	White float64 `json:"white"`
	Core  float64 `json:"core"` // mean luminance of the core
	Held  []int   `json:"held"` // the criteria of 2 to 5 that hold
}

type result struct {
	Criteria []criterion `json:"criteria"`
	Profile  struct {
		Most float64 `json:"most"`
		At   string  `json:"at"`
	} `json:"profile_error"` // of the chart against pixels, relative
	// mean CIEDE2000 of each rig at 1500 and at 6000 pixels
	RigScale map[string]float64 `json:"rig_scale_de"`
	Glare    struct {
		RMS  float64 `json:"rms"`
		Most float64 `json:"most"`
	} `json:"glare_fit"` // of the glare rig from 10 px on, where its first shell is over
	HueLeft int `json:"hue_left"` // pixels that keep the hue of a gel that was changed
	Streak  struct {
		Most float64 `json:"most"`
		RMS  float64 `json:"rms"`
	} `json:"streak_error"` // against direct integration, as shares of the peak
	Speed struct {
		Gel    float64 `json:"gel_ms"`
		Fader  float64 `json:"fader_ms"`
		JPEG   float64 `json:"jpeg_ms"`
		Group  float64 `json:"group_ms"`        // a fader, with a group and a streak in the shot
		Twelve float64 `json:"twelve_over_two"` // a fader of twelve lights against one of two
	} `json:"speed"`
}

var ctx = context.Background()

func main() {
	asJSON := flag.Bool("json", false, "print JSON")
	brief := flag.Bool("criteria", false, "measure the criteria and the chart alone")
	fast := flag.Bool("speed", false, "measure speed alone")
	flag.Parse()
	log.SetFlags(0)
	var out result
	if *fast {
		if err := speed(&out); err != nil {
			log.Fatal(err)
		}
		showSpeed(&out)
		return
	}
	for _, s := range demo.Shots {
		if err := measure(s, &out); err != nil {
			log.Fatal(err)
		}
	}
	if *brief {
		show(&out)
		return
	}
	out.RigScale = map[string]float64{}
	for i := range recipe.Rigs {
		d, err := rigScale(&recipe.Rigs[i])
		d = math.Round(1e4*d) / 1e4
		if err != nil {
			log.Fatal(err)
		}
		out.RigScale[recipe.Rigs[i].ID] = d
	}
	out.Glare.RMS, out.Glare.Most = glareFit()
	var err error
	if out.HueLeft, err = hueLeft(); err != nil {
		log.Fatal(err)
	}
	if out.Streak.Most, out.Streak.RMS, err = streakError(demo.Shots[0]); err != nil {
		log.Fatal(err)
	}
	if err := speed(&out); err != nil {
		log.Fatal(err)
	}
	if *asJSON {
		e := json.NewEncoder(os.Stdout)
		e.SetIndent("", " ")
		if err := e.Encode(out); err != nil {
			log.Fatal(err)
		}
		return
	}
	show(&out)
	fmt.Printf("rigs at 1500 and 6000 px, mean CIEDE2000: %v\n", out.RigScale)
	fmt.Printf("glare rig from 10 px on: %.1f %% rms, %.1f %% at most\n", 100*out.Glare.RMS, 100*out.Glare.Most)
	fmt.Printf("pixels that keep an old hue: %d\n", out.HueLeft)
	fmt.Printf("streaks against direct integration: %.2f %% of the peak at most, %.2f %% rms\n", 100*out.Streak.Most, 100*out.Streak.RMS)
	showSpeed(&out)
}

func showSpeed(out *result) {
	fmt.Printf("with a group and a streak %.1f ms; twelve lights %.2f times two\n", out.Speed.Group, out.Speed.Twelve)
	fmt.Printf("a frame after a gel %.1f ms, after a fader %.1f ms; its JPEG %.1f ms\n", out.Speed.Gel, out.Speed.Fader, out.Speed.JPEG)
}

func show(out *result) {
	for _, c := range out.Criteria {
		fmt.Printf("%-18s %-18s core %.2f  at %v px:", c.Shot, c.Light, c.Core, distances)
		for _, v := range c.Profile {
			fmt.Printf(" %.4f", v)
		}
		fmt.Printf("  steps %.2f  white %.2f  held %v\n", c.Steps, c.White, c.Held)
	}
	fmt.Printf("chart against pixels: %.1f %% at most (%s)\n", 100*out.Profile.Most, out.Profile.At)
}

// alone renders the glow of one light over black, at full size, in linear light.
func alone(e *render.Engine, p *photo.Photo, r *recipe.Recipe, i int) (*picture, error) {
	c := r.Clone()
	for j := range c.Lights {
		c.Lights[j].On, c.Lights[j].Alone = j == i, false
	}
	m, err := e.Render(ctx, render.Request{Photo: p, PhotoKey: "p", Recipe: c, Layer: render.Glow,
		Deep: true, Profile: colour.SRGB})
	if err != nil {
		return nil, err
	}
	return linearOf(m), nil
}

// picture is three planes in linear light.
type picture struct {
	w, h int
	pix  []float32
}

func linearOf(m image.Image) *picture {
	d := m.(*image.RGBA64)
	p := &picture{d.Rect.Dx(), d.Rect.Dy(), make([]float32, 3*d.Rect.Dx()*d.Rect.Dy())}
	for i := range p.w * p.h {
		for k := range 3 {
			code := int(d.Pix[8*i+2*k])<<8 | int(d.Pix[8*i+2*k+1])
			p.pix[3*i+k] = float32(colour.SRGBToLinear(float64(code) / 65535))
		}
	}
	return p
}

func (p *picture) luma(i int) float64 {
	return float64(colour.Luma(p.pix[3*i], p.pix[3*i+1], p.pix[3*i+2]))
}

// open reads a demo shot.
func open(s demo.Shot) (*photo.Photo, *recipe.Recipe, error) {
	r, err := edit.Decode(s.Recipe)
	if err != nil {
		return nil, nil, err
	}
	p, err := codec.Open(ctx, s.Photo)
	return p, r, err
}

func measure(s demo.Shot, out *result) error {
	p, r, err := open(s)
	if err != nil {
		return err
	}
	e := render.New(2 << 30)
	k := float64(r.Photo.LongEdge()) / 6000
	for i := range r.Lights {
		l := &r.Lights[i]
		m, err := alone(e, p, r, i)
		if err != nil {
			return err
		}
		in := make([]bool, m.w*m.h)
		cover := make([]float32, m.w*m.h)
		mask := l.Shapes.At(1)
		row := make([]float32, m.w)
		for y := range m.h {
			mask.Fill(row, 0, y)
			copy(cover[y*m.w:], row)
			for x, v := range row {
				in[y*m.w+x] = v >= 0.5
			}
		}
		far := farFrom(cover, m.w, m.h)
		closely(far, l.Shapes, m.w, m.h)
		c := criterion{Shot: s.Name, Light: l.Name, Thin: l.Shapes.Width() < 120*k}
		n := 0
		for j := range in {
			if in[j] {
				c.Core += m.luma(j)
				n++
			}
		}
		c.Core /= float64(max(n, 1))
		at := func(d float64) (luma float64, rgb [3]float64) {
			n := 0
			for j, v := range far {
				if math.Abs(float64(v)-d) <= max(0.5, 0.01*d) && !in[j] {
					luma += m.luma(j)
					for q := range rgb {
						rgb[q] += float64(m.pix[3*j+q])
					}
					n++
				}
			}
			for q := range rgb {
				rgb[q] /= float64(max(n, 1))
			}
			return luma / float64(max(n, 1)), rgb
		}
		var display []float64
		for _, d := range distances {
			luma, rgb := at(d * k)
			c.Profile = append(c.Profile, math.Round(1e4*luma/c.Core)/1e4)
			switch d {
			case 5, 20, 80, 320:
				display = append(display, colour.LinearToSRGB(luma))
			case 40:
				c.White = whiteIn(rgb, l.Gel)
			case 1000:
				c.Far = luma
			}
		}
		for j := 1; j < len(display); j++ {
			c.Steps = append(c.Steps, math.Round(100*(display[j-1]-display[j]))/100)
		}
		c.FirstKept = c.Profile[0]
		if c.FirstKept >= 2.0/3 || c.Thin && c.FirstKept >= 0.5 {
			c.Held = append(c.Held, 2)
		}
		if slices.Min(c.Steps) > 0.05 && slices.Max(c.Steps) < 0.45 { // no plateau, no cliff
			c.Held = append(c.Held, 3)
		}
		if c.Far < 0.001 {
			c.Held = append(c.Held, 4)
		}
		if c.White < 0.05 {
			c.Held = append(c.Held, 5)
		}
		out.Criteria = append(out.Criteria, c)

		// The chart, at distances beyond the core's feather, where there is light to speak of.
		var ds []float64
		for d := max(4, 3*l.Core.Feather); d < 400; d *= 1.3 {
			ds = append(ds, d)
		}
		curve, err := e.Falloff(ctx, r, i, ds, false)
		if err != nil {
			return err
		}
		for j, d := range ds {
			got, _ := at(d)
			if got < 0.004 {
				continue
			}
			if v := math.Abs(float64(curve[j].Luma())/got - 1); v > out.Profile.Most {
				out.Profile.Most, out.Profile.At = v, fmt.Sprintf("%s, %s at %.0f px", s.Name, l.Name, d)
			}
		}
	}
	return nil
}

// whiteIn returns how much of a colour is white and none of the gel's, as a share of its brightest
// part.
func whiteIn(rgb [3]float64, g recipe.Gel) float64 {
	c := g.Colour()
	lo, hi := float64(min(c.R, c.G, c.B)), float64(max(c.R, c.G, c.B))
	a, b := min(rgb[0], rgb[1], rgb[2]), max(rgb[0], rgb[1], rgb[2])
	if b == 0 {
		return 0
	}
	// What a joined light of the gel alone would have in its least part: 1 - (1-b)^(lo/hi).
	return max((a-(1-math.Pow(1-b, lo/hi)))/b, 0)
}

// farFrom returns how far each pixel's middle lies from the edge of a mask, in pixels, by two
// sweeps that carry the nearest covered pixel along (Danielsson 1980). In one that is covered in
// part the edge lies so much nearer or farther.
func farFrom(cover []float32, w, h int) []float32 {
	at := make([]int32, w*h)
	for i := range at {
		at[i] = -1
		if cover[i] > 0.02 {
			at[i] = int32(i)
		}
	}
	dist := func(i int, j int32) float64 {
		return math.Hypot(float64(i%w-int(j)%w), float64(i/w-int(j)/w)) - float64(cover[j]) + 0.5
	}
	try := func(i, j int) {
		if at[j] >= 0 && (at[i] < 0 || dist(i, at[j]) < dist(i, at[i])) {
			at[i] = at[j]
		}
	}
	for y := range h {
		for x := range w {
			i := y*w + x
			if y > 0 {
				try(i, i-w)
				if x > 0 {
					try(i, i-w-1)
				}
				if x < w-1 {
					try(i, i-w+1)
				}
			}
			if x > 0 {
				try(i, i-1)
			}
		}
		for x := w - 2; x >= 0; x-- {
			try(y*w+x, y*w+x+1)
		}
	}
	for y := h - 1; y >= 0; y-- {
		for x := w - 1; x >= 0; x-- {
			i := y*w + x
			if y < h-1 {
				try(i, i+w)
				if x > 0 {
					try(i, i+w-1)
				}
				if x < w-1 {
					try(i, i+w+1)
				}
			}
			if x < w-1 {
				try(i, i+1)
			}
		}
		for x := 1; x < w; x++ {
			try(y*w+x, y*w+x-1)
		}
	}
	out := make([]float32, w*h)
	for i := range out {
		if at[i] >= 0 {
			out[i] = float32(max(dist(i, at[i]), 0))
		}
	}
	return out
}

// near is how far from a light distances are told closely, in pixels, and times how many samples a
// pixel has there along each edge: a fifth of a pixel is three parts in a hundred of the glow
// beside the finest light.
const (
	near  = 16
	times = 4
)

// closely works out anew, on a finer mask, how far pixels near a light are from its edge.
func closely(far []float32, shapes shape.Shapes, w, h int) {
	mask := shapes.At(times)
	b := mask.Bounds()
	box := image.Rect(b.Min.X/times-near, b.Min.Y/times-near, b.Max.X/times+near+1,
		b.Max.Y/times+near+1).Intersect(image.Rect(0, 0, w, h))
	fw, fh := times*box.Dx(), times*box.Dy()
	cover := make([]float32, fw*fh)
	for y := range fh {
		mask.Fill(cover[y*fw:(y+1)*fw], times*box.Min.X, times*box.Min.Y+y)
	}
	fine := farFrom(cover, fw, fh)
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			if far[y*w+x] >= near {
				continue
			}
			// The four samples round the pixel's middle.
			i := (times*(y-box.Min.Y)+times/2-1)*fw + times*(x-box.Min.X) + times/2 - 1
			far[y*w+x] = (fine[i] + fine[i+1] + fine[i+fw] + fine[i+fw+1]) / 4 / times
		}
	}
}

// scene is a panel and a rod on a grey photo with a long edge.
func scene(edge int, rig *recipe.Rig) (*photo.Photo, *recipe.Recipe, error) {
	w, h := edge, edge*2/3
	p := &photo.Photo{Width: w, Height: h, Pix8: bytes.Repeat([]byte{40}, 3*w*h),
		Profile: colour.SRGB}
	r := recipe.New(w, h)
	k := float64(edge)
	for _, shapes := range []shape.Shapes{
		{shape.Outline{Nodes: shape.PathOf(shape.Node{X: 0.3 * k, Y: 0.2 * k},
			shape.Node{X: 0.4 * k, Y: 0.22 * k}, shape.Node{X: 0.38 * k, Y: 0.35 * k},
			shape.Node{X: 0.29 * k, Y: 0.33 * k})}},
		{shape.Tube{Width: 0.01 * k, Nodes: shape.PathOf(shape.Node{X: 0.6 * k, Y: 0.15 * k},
			shape.Node{X: 0.7 * k, Y: 0.5 * k})}},
	} {
		next, i, err := edit.AddLight(r)
		if err != nil {
			return nil, nil, err
		}
		next.Lights[i].Shapes = shapes
		rig.Put(&next.Lights[i], next.Photo)
		r = next
	}
	return p, r, nil
}

// rigScale returns the mean difference of a rig on a small photo and on one four times as large,
// shrunk to it.
func rigScale(rig *recipe.Rig) (float64, error) {
	var small, large *picture
	for _, edge := range []int{1500, 6000} {
		p, r, err := scene(edge, rig)
		if err != nil {
			return 0, err
		}
		m, err := render.New(2<<30).Render(ctx, render.Request{Photo: p, Recipe: r, Deep: true})
		if err != nil {
			return 0, err
		}
		small, large = large, linearOf(m)
	}
	sum := 0.0
	for i := range small.w * small.h {
		x, y := i%small.w, i/small.w
		var c [3]float32
		for v := range 4 {
			for u := range 4 {
				for q := range c {
					c[q] += large.pix[3*((4*y+v)*large.w+4*x+u)+q] / 16
				}
			}
		}
		l1, a1, b1 := colour.RGB{R: c[0], G: c[1], B: c[2]}.Lab()
		s := small.pix[3*i:]
		l2, a2, b2 := colour.RGB{R: s[0], G: s[1], B: s[2]}.Lab()
		sum += colour.DeltaE2000(l1, a1, b1, l2, a2, b2)
	}
	return sum / float64(small.w*small.h), nil
}

// glareFit returns how far the glare rig is off the model of Spencer et al. (1995) that it stands
// for, photopic and 50 degrees across 6000 pixels, relative: at best scale, from 10 to 3000 px.
func glareFit() (rms, most float64) {
	const focal = 6433.5
	model := func(px float64) float64 {
		t := math.Atan(px/focal) * 180 / math.Pi
		f0 := 2.61e6 * math.Exp(-(t/0.02)*(t/0.02))
		return 0.384*f0 + 0.478*20.91/math.Pow(t+0.02, 3) + 0.138*72.37/math.Pow(t+0.02, 2)
	}
	rig := recipe.RigOf("lens")
	ours := func(px float64) (v float64) {
		for i, s := range rig.Radii {
			v += rig.Strengths[i] / (2 * math.Pi * s * s) * math.Exp(-px*px/(2*s*s))
		}
		return v
	}
	var logs []float64
	for px := 10.0; px <= 3000; px *= 1.05 {
		logs = append(logs, math.Log(ours(px)/model(px)))
	}
	mean := 0.0
	for _, v := range logs {
		mean += v / float64(len(logs))
	}
	for _, v := range logs {
		d := math.Exp(v-mean) - 1
		rms += d * d / float64(len(logs))
		most = max(most, math.Abs(d))
	}
	return math.Sqrt(rms), most
}

// hueLeft changes the gel of every light of the first demo shot to one of the opposite hue and
// counts the pixels whose added light still has the old one.
func hueLeft() (int, error) {
	s := demo.Shots[len(demo.Shots)-1]
	r, err := edit.Decode(s.Recipe)
	if err != nil {
		return 0, err
	}
	p := &photo.Photo{Width: r.Photo.Width, Height: r.Photo.Height, Pix8: bytes.Repeat([]byte{90},
		3*r.Photo.Width*r.Photo.Height), Profile: colour.SRGB}
	e := render.New(2 << 30)
	left := 0
	for i := range r.Lights {
		c := r.Clone()
		for j := range c.Lights {
			c.Lights[j].On = j == i
		}
		old := c.Lights[i].Gel.Hue
		frame := func() (*picture, error) {
			m, err := e.Render(ctx, render.Request{Photo: p, PhotoKey: "grey", Recipe: c,
				LongEdge: 1500, Deep: true})
			if err != nil {
				return nil, err
			}
			return linearOf(m), nil
		}
		if _, err := frame(); err != nil { // what a cache may keep of the old gel
			return 0, err
		}
		c.Lights[i].Gel.Hue = math.Mod(old+180, 360)
		lit, err := frame()
		if err != nil {
			return 0, err
		}
		c.Lights[i].On = false
		dark, err := frame()
		if err != nil {
			return 0, err
		}
		for j := range lit.w * lit.h {
			d := colour.RGB{R: lit.pix[3*j] - dark.pix[3*j], G: lit.pix[3*j+1] - dark.pix[3*j+1],
				B: lit.pix[3*j+2] - dark.pix[3*j+2]}
			lo := min(d.R, d.G, d.B)
			d = colour.RGB{R: d.R - lo, G: d.G - lo, B: d.B - lo}
			if max(d.R, d.G, d.B) < 2e-4 {
				continue // noise
			}
			hue, _ := colour.HueOf(d)
			if gap := math.Abs(math.Mod(hue-old+540, 360) - 180); gap < 90 {
				left++
			}
		}
	}
	return left, nil
}

// speed times frames of 1280 pixels of the demo with six lights of eight shells, over a photo at
// dusk.
func speed(out *result) error {
	i := slices.IndexFunc(demo.Shots, func(s demo.Shot) bool { return s.Name == "Tidewatch quay" })
	if i < 0 {
		i = 0
	}
	p, r, err := open(demo.Shots[i])
	if err != nil {
		return err
	}
	r.Dusk, r.Finish, r.Areas = recipe.New(r.Photo.Width, r.Photo.Height).Dusk, recipe.Finish{}, nil
	r.Dusk.Daylight = -2.3
	for i := range r.Lights {
		r.Lights[i].Shells = recipe.RigOf("panel").Stack(r.Photo)
	}
	var m image.Image
	// frames returns the median times of frames of shots after changes of one value, a frame of
	// each in turn, so that what else the machine does falls on all.
	frames := func(path string, value func(i int) float64,
		shots ...*recipe.Recipe) ([]float64, error) {
		all, engines := make([][]float64, len(shots)), make([]*render.Engine, len(shots))
		for i := range shots {
			engines[i] = render.New(2 << 30)
		}
		for i := range 45 {
			for k, r := range shots {
				next, err := edit.Apply(r, edit.Set(path, value(i)))
				if err != nil {
					return nil, err
				}
				t := time.Now()
				if m, err = engines[k].Render(ctx, render.Request{Photo: p, PhotoKey: "p",
					Recipe: next, LongEdge: 1280, Profile: colour.SRGB}); err != nil {
					return nil, err
				}
				if i >= 5 { // what is dragged has been dragged for a moment
					all[k] = append(all[k], float64(time.Since(t).Microseconds())/1000)
				}
			}
		}
		out := make([]float64, len(shots))
		for k := range all {
			slices.Sort(all[k])
			out[k] = all[k][len(all[k])/2]
		}
		return out, nil
	}
	level := func(i int) float64 { return 0.5 + 0.01*float64(i) }
	gel, err := frames("/lights/0/gel/hue", func(i int) float64 { return float64(i) }, r)
	if err != nil {
		return err
	}
	out.Speed.Gel = gel[0]
	var all []float64
	for range 15 {
		t := time.Now()
		if err := jpeg.Encode(&bytes.Buffer{}, m, &jpeg.Options{Quality: 85}); err != nil {
			return err
		}
		all = append(all, float64(time.Since(t).Microseconds())/1000)
	}
	slices.Sort(all)
	out.Speed.JPEG = all[len(all)/2]
	grouped, err := edit.GroupLights(r, []string{r.Lights[1].ID, r.Lights[2].ID})
	if err != nil {
		return err
	}
	grouped.Lights[2].Streak = recipe.Streak{Length: 300, Angle: 40, Sides: recipe.OneSide,
		Taper: 0.7}
	faders, err := frames("/lights/0/level", level, r, grouped)
	if err != nil {
		return err
	}
	out.Speed.Fader, out.Speed.Group = faders[0], faders[1]
	many := r
	for i := range r.Lights {
		if many, err = edit.DuplicateLight(many, len(many.Lights)-1-i); err != nil {
			return err
		}
	}
	// The second ones lie below the first, as two on one place would share all that is costly.
	for i := 1; i < len(many.Lights); i += 2 {
		for j, s := range many.Lights[i].Shapes {
			many.Lights[i].Shapes[j] = s.Shifted(0, 0.3*float64(r.Photo.LongEdge())).(shape.Shape)
		}
	}
	few := r.Clone()
	few.Lights = few.Lights[:2]
	twelve, err := frames("/lights/0/level", level, many, few)
	if err != nil {
		return err
	}
	out.Speed.Twelve = math.Round(100*twelve[0]/twelve[1]) / 100
	return nil
}
