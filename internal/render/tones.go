package render

import (
	"context"
	"image"
	"math"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/render/areas"
)

// Bins is how many bins a histogram has, over display values from black to white.
const Bins = 128

// Histogram tells how often display values stand in a picture, each bin as a share of
// all pixels, and what lies at the ends.
type Histogram struct {
	Luma   [Bins]float64
	RGB    [3][Bins]float64
	Black  float64    // share of pixels with all channels at 0
	White  float64    // share of pixels with a channel at its upper end
	Whites [3]float64 // the same for red, green and blue apart
	luma   []float32  // linear, of every pixel
}

// Tones is what there is to read off a shot.
type Tones struct {
	Plain, Lit Histogram
	// Light is the index of the light that is brightest in the picture, -1 for none, and
	// Stops how far it stands above what surrounds it.
	Light int
	Stops float64
}

// tonesEdge is the long edge of the pictures that tones are read off.
const tonesEdge = 480

// Tones reads the histograms of a shot, plain and lit, and how far its brightest light
// stands above its surroundings. LongEdge, View and Layer of q are not looked at.
func (e *Engine) Tones(ctx context.Context, q Request) (*Tones, error) {
	q.LongEdge, q.View, q.Deep, q.Profile = min(tonesEdge, max(q.Recipe.Size())), image.Rectangle{},
		false, colour.SRGB
	t := &Tones{Light: -1}
	for _, h := range []struct {
		to    *Histogram
		layer Layer
	}{{&t.Plain, Plain}, {&t.Lit, Whole}} {
		q.Layer = h.layer
		m, err := e.Render(ctx, q)
		if err != nil {
			return nil, err
		}
		h.to.count(m.(*image.RGBA))
	}
	// Lights are read off all of the photo, whatever is cropped.
	luma := t.Lit.luma
	if f, err := q.framing(); err != nil {
		return nil, err
	} else if f != nil {
		q.Uncropped, q.LongEdge = true, min(tonesEdge, max(q.Photo.Width, q.Photo.Height))
		m, err := e.Render(ctx, q)
		if err != nil {
			return nil, err
		}
		var all Histogram
		all.count(m.(*image.RGBA))
		luma = all.luma
	}
	sc, err := newScene(ctx, e.Cache, &q)
	if err != nil {
		return nil, err
	}
	return t, t.read(ctx, sc, luma)
}

// Before returns the histogram of the picture as it comes to pass n of a step, "dusk" or
// "finish", as Tones does.
func (e *Engine) Before(ctx context.Context, q Request, step string, n int) (*Histogram, error) {
	r := *q.Recipe
	switch step {
	case "dusk":
		// Only the photo and the passes before count: no light, and no finish.
		r.Lights = slices.Clone(r.Lights)
		for i := range r.Lights {
			r.Lights[i].Keep = 0
		}
		r.Glow.On, r.Spill.On, r.Finish.On, r.Dusk.Back = false, false, false, recipe.Back{}
		r.Dusk.Passes = r.Dusk.Passes[:min(n, len(r.Dusk.Passes))]
	case "finish":
		r.Finish.Passes = r.Finish.Passes[:min(n, len(r.Finish.Passes))]
	}
	q.Recipe, q.Layer = &r, Whole
	q.LongEdge, q.View, q.Deep, q.Profile = min(tonesEdge, max(q.Recipe.Size())), image.Rectangle{},
		false, colour.SRGB
	m, err := e.Render(ctx, q)
	if err != nil {
		return nil, err
	}
	h := new(Histogram)
	h.count(m.(*image.RGBA))
	return h, nil
}

func (h *Histogram) count(m *image.RGBA) {
	n := len(m.Pix) / 4
	h.luma = make([]float32, n)
	one := 1 / math.Max(float64(n), 1)
	for i := range n {
		p := m.Pix[4*i : 4*i+3 : 4*i+3]
		y := colour.Luma(colour.Undisplay(float32(p[0])/255), colour.Undisplay(float32(p[1])/255),
			colour.Undisplay(float32(p[2])/255))
		h.luma[i] = y
		h.Luma[min(int(colour.Display.At(y)*Bins), Bins-1)] += one
		high := false
		for c, v := range p {
			h.RGB[c][int(v)*Bins/256] += one
			if v == 255 {
				h.Whites[c] += one
				high = true
			}
		}
		if high {
			h.White += one
		}
		if p[0] == 0 && p[1] == 0 && p[2] == 0 {
			h.Black += one
		}
	}
}

// read finds the brightest light: the mean luminance over what it covers against that of
// a band round it, as wide as a thirtieth of the picture, which no light covers.
func (t *Tones) read(ctx context.Context, sc *scene, luma []float32) error {
	frame := sc.picture.Frame
	of, err := areaScene{scene: sc}.Light(ctx, area.Light{What: area.Covers})
	if err != nil {
		return err
	}
	all, err := of.Value().Rows(ctx, sc.graph, 0, frame)
	if err != nil {
		return err
	}
	best := 0.0
	for _, ll := range sc.lights {
		mask, err := ll.mask.Own(ctx, sc.graph)
		if err != nil {
			return err
		}
		soft, err := areas.Soften(ctx, sc.graph, ll.mask, float64(max(frame.Dx(), frame.Dy()))/60,
			frame, frame)
		if err != nil {
			return err
		}
		own, round, any := make([]float32, frame.Dx()), make([]float32, frame.Dx()),
			make([]float32, frame.Dx())
		var in, out [2]float64
		for y := range frame.Dy() {
			if err := ctx.Err(); err != nil {
				return err
			}
			mask.Fill(own, 0, y)
			soft.Fill(round, 0, y)
			all.Fill(any, 0, y)
			for x, v := range luma[y*len(own) : (y+1)*len(own)] {
				in[0] += float64(v * own[x])
				in[1] += float64(own[x])
				k := round[x] * (1 - any[x])
				out[0] += float64(v * k)
				out[1] += float64(k)
			}
		}
		if in[1] < 1e-3 || out[1] < 1e-3 {
			continue
		}
		if v := in[0] / in[1]; v > best {
			best = v
			// By its id: under a group's fader what shines is a copy.
			t.Light = slices.IndexFunc(sc.recipe.Lights,
				func(l recipe.Light) bool { return l.ID == ll.l.ID })
			t.Stops = math.Log2(math.Max(v, 1e-4) / math.Max(out[0]/out[1], 1e-4))
		}
	}
	return nil
}
