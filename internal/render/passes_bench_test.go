package render

import (
	"context"
	"fmt"
	"math"
	"testing"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
)

// graded returns a recipe with three of the lights, four passes of dusk and two of finish,
// and three areas of twenty strokes each, as the speed table speaks of.
func graded(tb testing.TB, r *recipe.Recipe) *recipe.Recipe {
	tb.Helper()
	six(tb, r)
	r = r.Clone()
	r.Lights, r.Areas = r.Lights[:3], nil
	r.Dusk.Passes, r.Finish.Passes = nil, nil
	l := float64(r.Photo.LongEdge())
	for a := range 3 {
		var list []area.Stroke
		for i := range 20 {
			s := setting.New[area.Stroke](r.Photo.Frame())
			s.Diameter, s.Erase = l/float64(18+i%7), i%6 == 5
			var points []area.Dab
			for k := range 30 {
				u := float64(k) / 29
				sin, cos := math.Sincos(2.4*u + float64(i+7*a))
				points = append(points, area.Dab{X: l * (0.5 + 0.3*cos*u +
					0.1*math.Sin(float64(i))),
					Y: l * (0.33 + 0.22*sin*u + 0.08*math.Cos(float64(3*i))), P: 1})
			}
			s.Points = setting.ListOf(points...)
			list = append(list, s)
		}
		next, _, err := edit.AddArea(r, fmt.Sprint("Painted ", a), part(area.Strokes{Strokes: list}))
		if err != nil {
			tb.Fatal(err)
		}
		r = next
	}
	add := func(step, in string, k pass.Kind) {
		p := pass.Pass{Name: "A pass", On: true, Strength: 1, Joining: pass.Normal,
			Area: area.Ref(in), Does: k}
		list := r.Passes(step)
		*list = append(*list, p)
	}
	day := setting.New[pass.Levels](r.Photo.Frame())
	day.Exposure, day.Contrast = -2.5, 0.1
	cold := setting.New[pass.Colour](r.Photo.Frame())
	cold.Temperature, cold.Saturation, cold.Richness = -60, 0.8, 0.2
	more := day
	more.Exposure = -0.8
	curve := pass.Curves{All: []pass.Knot{{X: 0, Y: 0}, {X: 0.3, Y: 0.25}, {X: 1, Y: 1}},
		Blue: []pass.Knot{{X: 0, Y: 0.02}, {X: 1, Y: 0.98}}}
	add("dusk", "", day)
	add("dusk", "", cold)
	add("dusk", r.Areas[0].ID, more)
	add("dusk", "", curve)
	ramp := setting.New[pass.Ramp](r.Photo.Frame())
	ramp.Shadows.Amount, ramp.Middle.Amount, ramp.Highlights.Amount = 0.2, 0.2, 0.3
	ramp.Follow = pass.Follow(r.Lights[0].ID)
	add("finish", r.Areas[1].ID, ramp)
	add("finish", "", curve)
	r.Dusk.Back = recipe.Back{Area: area.Ref(r.Areas[2].ID), Amount: 0.7, Spill: 0.1}
	if err := r.Validate(); err != nil {
		tb.Fatal(err)
	}
	return r
}

func benchGraded(b *testing.B, change func(r *recipe.Recipe, n int)) {
	p, base := demoShot(b)
	benchFrames(b, p, graded(b, base), change)
}

func BenchmarkGradedFader(b *testing.B) {
	benchGraded(b, func(r *recipe.Recipe, n int) {
		r.Lights[n%3].Level = 0.5 +
			math.Mod(float64(n)*0.618, 1)
	})
}

func BenchmarkGradedGel(b *testing.B) {
	benchGraded(b, func(r *recipe.Recipe,
		n int) {
		r.Lights[n%3].Gel.Hue = math.Mod(float64(n)*137.5, 360)
	})
}

func BenchmarkGradedCurve(b *testing.B) {
	benchGraded(b, func(r *recipe.Recipe, n int) {
		r.Dusk.Passes[3].Does = pass.Curves{Blue: []pass.Knot{{X: 0, Y: 0},
			{X: 0.4, Y: 0.3 + 0.2*math.Mod(float64(n)*0.618, 1)}, {X: 1, Y: 1}}}
	})
}

// A stroke grows by a point with every frame, over twenty others, as while it is painted.
func BenchmarkGradedPaint(b *testing.B) {
	p, _ := demoShot(b)
	l := float64(p.Width)
	var points []area.Dab
	benchGraded(b, func(r *recipe.Recipe, n int) {
		if n%60 == 1 {
			points = nil
		}
		u := float64(n%60) / 60
		points = append(points, area.Dab{X: l * (0.2 + 0.6*u), Y: l * (0.3 + 0.1*math.Sin(9*u)),
			P: 1})
		s := setting.New[area.Stroke](r.Photo.Frame())
		s.Points = setting.ListOf(append([]area.Dab(nil), points...)...)
		k := r.Areas[0].Parts[0].Of.(area.Strokes)
		k.Strokes = append(k.Strokes[:len(k.Strokes):len(k.Strokes)], s)
		r.Areas[0].Parts[0].Of = k
	})
}

func BenchmarkGradedExport24MP(b *testing.B) {
	p, r := enlarged(b, 2)
	r = graded(b, r)
	e := New(1 << 28)
	q := Request{Photo: p, PhotoKey: "large", Recipe: r}
	img := render(b, e, Request{Photo: p, PhotoKey: "large", Recipe: r, LongEdge: 600})
	against(b, "x-jpeg", func() {
		var err error
		if img, err = e.Export(context.Background(), q, nil); err != nil {
			b.Fatal(err)
		}
	}, func() { encode(b, img, 90) })
}
