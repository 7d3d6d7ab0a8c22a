package pass

import (
	"fmt"
	"image"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
)

var frame = setting.Frame{W: 3000, H: 2000}

func def[K Kind]() K { return setting.New[K](frame) }

func on(k Kind) Pass { return Pass{Name: "a pass", On: true, Strength: 1, Joining: Normal, Does: k} }

func compile(t *testing.T, list ...Pass) *Program {
	t.Helper()
	p, err := Compile(list, Site{
		Frame: image.Rect(0, 0, 8, 8),
		Gel:   func(area.LightRef) *Gel { return &Gel{Hue: 200, Saturation: 0.5} },
		Guide: func(int, float64) (*guided.Filter, error) {
			a, b := raster.NewPlane(image.Rect(0, 0, 4, 4)), raster.NewPlane(image.Rect(0, 0, 4, 4))
			for i := range a.Pix {
				a.Pix[i] = 1
			}
			return &guided.Filter{A: a, B: b}, nil
		},
	})
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// run returns what passes make of one colour in linear light.
func run(t *testing.T, c [3]float64, list ...Pass) (out [3]float64) {
	t.Helper()
	p := compile(t, list...)
	pix := make([]float32, 24)
	for i := range pix {
		pix[i] = float32(c[i%3])
	}
	p.Row(new(Scratch), pix, 0, 3, make([]*raster.Plane, len(p.steps)))
	for i := range out {
		out[i] = float64(pix[6+i])
	}
	return
}

func near(t *testing.T, what string, got, want [3]float64, by float64) {
	t.Helper()
	for i := range got {
		if math.Abs(got[i]-want[i]) > by || math.IsNaN(got[i]) {
			t.Errorf("%s is %.6f, want %.6f", what, got, want)
			return
		}
	}
}

func luma(c [3]float64) float64 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

var samples = [][3]float64{{0, 0, 0}, {1, 1, 1}, {0.18, 0.18, 0.18}, {0.6, 0.2, 0.05},
	{0.02, 0.1, 0.4}, {0.9, 0.85, 0.2}, {1e-5, 3e-4, 2e-6}}

// each applies a function of display values to linear ones.
func each(c [3]float64, f func(float64) float64) (out [3]float64) {
	for i, v := range c {
		out[i] = colour.SRGBToLinear(f(colour.LinearToSRGB(v)))
	}
	return
}

// At their defaults all kinds leave every pixel as it is, bit for bit.
func TestDefaultsAreTheIdentity(t *testing.T) {
	var list []Pass
	for _, k := range Kinds {
		p, ok := New(k.Word, frame)
		if !ok || p.Name == "" || !p.On || p.Strength != 1 {
			t.Fatalf("a new pass of kind %s is %+v", k.Word, p)
		}
		if prog := compile(t, p); !prog.Empty() {
			t.Errorf("a pass of kind %s at its defaults does something", k.Word)
		}
		for _, f := range []setting.Frame{{W: 1, H: 1}, {W: 2, H: 3}, {W: 60000, H: 60000}} {
			p, _ := New(k.Word, f)
			if err := setting.Validate(p, f); err != nil {
				t.Errorf("a new pass of kind %s on a photo of %v is not valid: %v", k.Word, f, err)
			}
		}
		p.Strength, p.Area = 0.4, "a1"
		list = append(list, p)
	}
	if prog := compile(t, list...); !prog.Empty() {
		t.Error("passes at their defaults in an area do something")
	}
	off, none := on(Levels{Exposure: -1, Middle: 1, White: 1}),
		on(Levels{Exposure: -1, Middle: 1, White: 1})
	off.On, none.Strength = false, 0
	if prog := compile(t, off, none); !prog.Empty() {
		t.Error("a pass that is off or has no strength does something")
	}
	if _, ok := New("melt", frame); ok {
		t.Error("there is a pass of a kind that is none")
	}
}

func TestLevels(t *testing.T) {
	for _, l := range []Levels{
		{Exposure: -2.5, Middle: 1, White: 1}, {Black: 0.1, White: 0.8, Middle: 1},
		{White: 1, Middle: 2.2}, {White: 1, Middle: 0.5, Contrast: 0.6},
		{White: 1, Middle: 1, Contrast: -0.5}, {Exposure: -1, Red: 0.3, Green: -0.2, Blue: 0.7,
			White: 1, Middle: 1},
	} {
		for _, c := range samples {
			want := c
			for i, ch := range []float64{l.Red, l.Green, l.Blue} {
				want[i] *= math.Exp2(l.Exposure + ch)
			}
			want = each(want, func(d float64) float64 {
				d = math.Pow(math.Min(math.Max((d-l.Black)/(l.White-l.Black), 0), 1), 1/l.Middle)
				g := math.Pow(4, l.Contrast)
				return math.Pow(d, g) / (math.Pow(d, g) + math.Pow(1-d, g))
			})
			near(t, fmt.Sprintf("%+v of %v", l, c), run(t, c, on(l)), want, 2e-5)
		}
	}
	// Contrast is undone by its negative, and both ends stay.
	c := [3]float64{0.3, 0.05, 0.8}
	near(t, "contrast there and back", run(t, c, on(Levels{White: 1, Middle: 1, Contrast: 0.4}),
		on(Levels{White: 1, Middle: 1, Contrast: -0.4})), c, 1e-4)
	// What exposure drives over white is bent, not cut, and never passes it.
	last := -1.0
	for v := 0.0; v <= 1; v += 0.01 {
		up := run(t, [3]float64{v, v, v}, on(Levels{Exposure: 1.5, White: 1, Middle: 1}))[0]
		if up > 1 || up <= last {
			t.Fatalf("raised exposure takes %v to %v after %v", v, up, last)
		}
		last = up
	}
	// Down after up loses nothing: no shoulder stands between the two.
	near(t, "up and down", run(t, [3]float64{0.9, 0.5, 1},
		on(Levels{Exposure: 2, White: 1, Middle: 1}),
		on(Levels{Exposure: -2, White: 1, Middle: 1})), [3]float64{0.9, 0.5, 1}, 1e-6)
	if field, msg := (Levels{Black: 0.5, White: 0.5}).Check(frame); field != "black" || msg == "" {
		t.Error("a black point on the white point is not refused")
	}
}

func TestColour(t *testing.T) {
	c := def[Colour]()
	c.Saturation = 0.25
	in := [3]float64{0.5, 0.2, 0.1}
	y := luma(in)
	near(t, "less saturation", run(t, in, on(c)), [3]float64{0.25*in[0] + 0.75*y,
		0.25*in[1] + 0.75*y, 0.25*in[2] + 0.75*y}, 1e-6)
	// Temperature goes along the Planckian locus: white becomes the chromaticity of a
	// black body (CIE tables: 2856 K, x = .4476, y = .4074; 10 000 K, .2807, .2883), as far
	// from it as the display's own white lies from the locus.
	for _, b := range []struct{ kelvin, x, y float64 }{{2856, 0.4476, 0.4074},
		{4000, 0.3805, 0.3768}, {10000, 0.2807, 0.2883}} {
		c := def[Colour]()
		c.Temperature = 1e6/b.kelvin - 1e6/colour.Neutral
		w := run(t, [3]float64{0.1, 0.1, 0.1}, on(c))
		X := 0.4123908*w[0] + 0.3575843*w[1] + 0.1804808*w[2]
		Y := 0.2126390*w[0] + 0.7151687*w[1] + 0.0721923*w[2]
		Z := 0.0193308*w[0] + 0.1191948*w[1] + 0.9505322*w[2]
		if gx, gy := X/(X+Y+Z), Y/(X+Y+Z); math.Hypot(gx-b.x, gy-b.y) > 0.009 {
			t.Errorf("at %v K white is at %.4f, %.4f; the black body at %.4f, %.4f", b.kelvin, gx, gy, b.x, b.y)
		}
		if math.Abs(luma(w)-0.1) > 1e-5 {
			t.Errorf("at %v K white has the luminance %v, not .1", b.kelvin, luma(w))
		}
	}
	// Tint goes across: to magenta less green, to green more.
	c = def[Colour]()
	c.Tint = 0.5
	m := run(t, [3]float64{0.2, 0.2, 0.2}, on(c))
	c.Tint = -0.5
	g := run(t, [3]float64{0.2, 0.2, 0.2}, on(c))
	if !(m[1] < 0.2 && m[0] > 0.2 && m[2] > 0.2 && g[1] > 0.2 && g[0] < 0.2 && g[2] < 0.2) {
		t.Errorf("grey with magenta tint is %v, with green %v", m, g)
	}
	// Richness raises pale colours more than vivid ones, skin by half, and keeps luminance.
	c = def[Colour]()
	c.Richness = 0.8
	gain := func(in [3]float64) float64 {
		out := run(t, in, on(c))
		if math.Abs(luma(out)-luma(in)) > 1e-6 {
			t.Errorf("richness takes the luminance of %v to %v", luma(in), luma(out))
		}
		return (slices.Max(out[:]) - luma(out)) / (slices.Max(in[:]) - luma(in))
	}
	pale, vivid := gain([3]float64{0.3, 0.3, 0.4}), gain([3]float64{0.05, 0.05, 0.4})
	skin, same := gain([3]float64{0.4, 0.325, 0.3}), gain([3]float64{0.3, 0.4, 0.325})
	if math.Abs(pale-(1+0.8*0.75*0.75)) > 1e-3 || vivid > 1.02 ||
		math.Abs((skin-1)-(same-1)/2) > 1e-3 {
		t.Errorf("richness gives a pale colour %v, a vivid one %v, skin %v, what is as pale %v", pale, vivid, skin, same)
	}
}

// A curve goes through its points, never turns between points that rise, and follows
// Fritsch and Carlson; beyond its ends it is level.
func TestCurves(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		k := []Knot{{0, rnd.Float64() * 0.2}}
		for k[len(k)-1].X < 0.9 {
			l := k[len(k)-1]
			k = append(k, Knot{min(l.X+0.02+rnd.Float64()*0.3, 1),
				min(l.Y+rnd.Float64()*rnd.Float64()*0.4, 1)})
		}
		c := NewCurve(k)
		for _, p := range k {
			if math.Abs(c.At(p.X)-p.Y) > 1e-12 {
				t.Fatalf("the curve misses %v", p)
			}
		}
		last := math.Inf(-1)
		for d := -0.1; d <= 1.1; d += 0.001 {
			v := c.At(d)
			if v < last-1e-12 {
				t.Fatalf("%v: at %v the curve falls from %v to %v", k, d, last, v)
			}
			last = v
		}
	}
	// By hand: slopes 1 and 3, so 2 in the middle; no point needs taming.
	c := NewCurve([]Knot{{0, 0}, {0.25, 0.25}, {0.5, 1}})
	h := 0.25
	at := func(u float64) float64 {
		return 0.25*(1+2*u)*(1-u)*(1-u) + 2*h*u*(1-u)*(1-u) + u*u*(3-2*u) + 3*h*u*u*(u-1)
	}
	for _, u := range []float64{0.1, 0.5, 0.9} {
		if got := c.At(0.25 + u*h); math.Abs(got-at(u)) > 1e-12 {
			t.Errorf("the curve is %v, want %v", got, at(u))
		}
	}
	if c.At(0.7) != 1 || NewCurve(nil).At(0.3) != 0.3 ||
		!NewCurve([]Knot{{0, 0}, {0.4, 0.4}, {1, 1}}).Straight() {
		t.Error("ends or straight curves are wrong")
	}
	// All first, then each channel.
	p := Curves{All: []Knot{{0, 0}, {1, 0.5}}, Blue: []Knot{{0, 0.2}, {1, 1}}}
	for _, in := range samples {
		want := each(in, func(d float64) float64 { return d / 2 })
		want[2] = colour.SRGBToLinear(0.2 + 0.8*colour.LinearToSRGB(want[2]))
		near(t, fmt.Sprintf("curves of %v", in), run(t, in, on(p)), want, 2e-5)
	}
	for _, bad := range []Curves{{All: []Knot{{0.5, 0}}}, {Red: []Knot{{0.5, 0}, {0.5, 1}}},
		{Blue: []Knot{{0.6, 0}, {0.5, 1}}}} {
		if _, msg := bad.Check(frame); msg == "" {
			t.Errorf("%+v is not refused", bad)
		}
	}
}

// A ramp gives colours by brightness, keeps luminance, and follows a gel.
func TestRamp(t *testing.T) {
	r := Ramp{Shadows: Swatch{230, 0.9, 1}, Middle: Swatch{120, 0.6, 1}, Highlights: Swatch{30,
		0.8, 1}}
	hue := func(c [3]float64) float64 {
		h, _ := colour.HueOf(colour.RGB{R: float32(c[0]), G: float32(c[1]), B: float32(c[2])})
		return h
	}
	lin := colour.SRGBToLinear
	for _, b := range []struct{ d, hue float64 }{{0.02, 230}, {0.5, 120}, {0.98, 30}} {
		v := lin(b.d)
		out := run(t, [3]float64{v, v, v}, on(r))
		// What sets it apart from grey points where the colour does.
		c, dot, a, z := colour.HSL(b.hue, 1, 0.5), 0.0, 0.0, 0.0
		for i, want := range [3]float32{c.R, c.G, c.B} {
			p, q := out[i]-luma(out), float64(want-c.Luma())
			dot, a, z = dot+p*q, a+p*p, z+q*q
		}
		if cos := dot / math.Sqrt(a*z); cos < 0.99 || math.Abs(luma(out)-v) > 2e-4*math.Max(v,
			0.05) {
			t.Errorf("at display %v: %v, off by a cosine of %.4f, luminance %.5f; want hue %v and %.5f", b.d, out, cos, luma(out), b.hue, v)
		}
	}
	r.Follow, r.Middle.Hue = "l1", 20
	v := lin(0.5)
	if out := run(t, [3]float64{v, v, v}, on(r)); math.Abs(hue(out)-220) > 1 {
		t.Errorf("20° on from a gel of 200° is %v", hue(out))
	}
	want := colour.HSL(220, 0.3, 0.5)
	if got := r.Middle.Colour(&Gel{Hue: 200, Saturation: 0.5}); got != want {
		t.Errorf("the gel's saturation does not count: %v, %v", got, want)
	}
	near(t, "black", run(t, [3]float64{}, on(r)), [3]float64{}, 0)
	// A quarter of the way to white, shadows have let go by half, and highlights not begun.
	half := Ramp{Shadows: Swatch{230, 0.9, 0.8}, Highlights: Swatch{30, 0.8, 1}}
	c, y := half.Shadows.Colour(nil), lin(0.25)
	k := y / float64(c.Luma())
	near(t, "a quarter", run(t, [3]float64{y, y, y}, on(half)),
		[3]float64{0.6*y + 0.4*k*float64(c.R), 0.6*y + 0.4*k*float64(c.G),
			0.6*y + 0.4*k*float64(c.B)}, 1e-4)
}

func TestBalance(t *testing.T) {
	b := Balance{Shadows: Shift{Hue: 240, Amount: 0.4, Light: 0.1}, Middle: Shift{Hue: 0,
		Amount: 0.2}, Highlights: Shift{Hue: 60, Amount: 0.5, Light: -0.2}}
	for _, in := range samples {
		var d [3]float64
		for i, v := range in {
			d[i] = colour.LinearToSRGB(v)
		}
		y := luma(d)
		want := in
		for i := range want {
			v := d[i] + (1-y)*(1-y)*(0.1*([3]float64{0, 0, 1}[i]-0.0722)+0.025) +
				2*y*(1-y)*0.05*([3]float64{1, 0, 0}[i]-0.2126) +
				y*y*(0.125*([3]float64{1, 1, 0}[i]-0.9278)-0.05)
			want[i] = colour.SRGBToLinear(math.Min(math.Max(v, 0), 1))
		}
		near(t, fmt.Sprintf("balance of %v", in), run(t, in, on(b)), want, 5e-5)
	}
}

// Shadows and highlights are brightened apart, and light stays in its order.
func TestShade(t *testing.T) {
	s := def[Shade]()
	s.Shadows = 1
	near(t, "a dark place", run(t, [3]float64{0, 1e-4, 0}, on(s)),
		[3]float64{0, math.Exp2(1.5) * 1e-4, 0}, 1e-6)
	near(t, "a bright place", run(t, [3]float64{0.8, 0.7, 0.9}, on(s)), [3]float64{0.8, 0.7, 0.9}, 1e-6)
	s.Highlights, s.Shadows = -1, 0
	near(t, "white", run(t, [3]float64{1, 1, 1}, on(s)), [3]float64{math.Exp2(-1.5),
		math.Exp2(-1.5), math.Exp2(-1.5)}, 1e-4)
	for _, s := range []Shade{{Shadows: 1, Highlights: -1}, {Shadows: -1, Highlights: 1},
		{Shadows: 1, Highlights: 1}} {
		last := -1.0
		for v := 0.0; v <= 1; v += 0.004 {
			c := colour.SRGBToLinear(v)
			out := run(t, [3]float64{c, c, c}, on(s))[0]
			if out <= last || out > 1 {
				t.Fatalf("%+v: display %v becomes %v after %v", s, v, out, last)
			}
			last = out
		}
	}
}

// Fused or not, passes make the same: an area that covers everything keeps them apart. (Of
// an area it is not known that it covers everything; so none here raises white.)
func TestFusingChangesNothing(t *testing.T) {
	rnd := rand.New(rand.NewPCG(9, 9))
	all := raster.NewPlane(image.Rect(0, 0, 8, 8))
	for i := range all.Pix {
		all.Pix[i] = 1
	}
	kinds := []Kind{
		Levels{Exposure: -1.2, Blue: 0.3, Middle: 1, White: 1}, Levels{Exposure: -0.4, Black: 0.02,
			White: 0.9, Middle: 1.3, Contrast: 0.3}, Colour{Saturation: 1.2, Richness: 0.3},
		Colour{Saturation: 0.6}, Curves{All: []Knot{{0, 0}, {0.4, 0.3}, {1, 1}}},
		Curves{Red: []Knot{{0, 0.05}, {1, 0.95}}},
		Balance{Middle: Shift{Hue: 30, Amount: 0.3}}, Shade{Shadows: -0.4, Highlights: -0.2},
		Levels{Exposure: -0.7, Middle: 1, White: 1},
	}
	for range 40 {
		var list []Pass
		for range 1 + rnd.IntN(5) {
			p := on(kinds[rnd.IntN(len(kinds))])
			p.Strength = []float64{1, 1, 0.35}[rnd.IntN(3)]
			p.Joining = []Joining{Normal, Normal, Normal, Normal, SoftLight, Multiply}[rnd.IntN(6)]
			list = append(list, p)
		}
		together := compile(t, list...)
		apart := slices.Clone(list)
		for i := range apart {
			apart[i].Area = "a1"
		}
		p := compile(t, apart...)
		for _, c := range samples {
			a, b := make([]float32, 24), make([]float32, 24)
			for i := range a {
				a[i] = float32(c[i%3])
			}
			copy(b, a)
			planes := make([]*raster.Plane, len(p.steps))
			for i, id := range p.Areas() {
				if id != "" {
					planes[i] = all
				}
			}
			together.Row(new(Scratch), a, 0, 0, make([]*raster.Plane, len(together.steps)))
			p.Row(new(Scratch), b, 0, 0, planes)
			for i := range a {
				if d := math.Abs(float64(colour.Display.At(a[i]) -
					colour.Display.At(b[i]))); d > 1.0/1024 {
					t.Fatalf("%+v: %v becomes %v together, %v apart", list, c, a[:3], b[:3])
				}
			}
		}
	}
	if n := len(compile(t, on(kinds[0]), on(kinds[3]), on(kinds[4]),
		on(kinds[5])).steps[0].ops); n != 2 {
		t.Errorf("two matrices and two tables are %d operations, want 2", n)
	}
}

// An area lets a pass through by its coverage, outside of it by the rest, and leaves what
// it does not reach as it is, bit for bit.
func TestAreasAndJoining(t *testing.T) {
	cover := raster.NewPlane(image.Rect(0, 0, 8, 8))
	copy(cover.Row(3), []float32{0, 0, 0.25, 0.5, 1, 0, 0, 0})
	half := on(Levels{Exposure: -1, Middle: 1, White: 1})
	half.Area, half.Strength = "a1", 0.8
	row := func(p Pass) []float32 {
		prog := compile(t, p)
		pix := make([]float32, 24)
		for i := range pix {
			pix[i] = 0.3 + float32(i%3)*0.1
		}
		prog.Row(new(Scratch), pix, 0, 3, []*raster.Plane{cover})
		return pix
	}
	in, out := row(half), row(func() Pass { p := half; p.Outside = true; return p }())
	for x, k := range []float64{0, 0, 0.25, 0.5, 1, 0, 0, 0} {
		for c := range 3 {
			v := float64(float32(0.3) + float32(c)*float32(0.1))
			if got, want := float64(in[3*x+c]), v*(1-0.4*k); math.Abs(got-want) > 1e-6 || k == 0 &&
				in[3*x+c] != 0.3+float32(c)*0.1 {
				t.Errorf("at %d inside: %v, want %v", x, got, want)
			}
			if got, want := float64(out[3*x+c]), v*(1-0.4*(1-k)); math.Abs(got-want) > 1e-6 {
				t.Errorf("at %d outside: %v, want %v", x, got, want)
			}
		}
	}
	// Joined by a blend mode with itself, on display values.
	for mode, f := range map[Joining]func(d float64) float64{
		Multiply: func(d float64) float64 { return d * d },
		Screen:   func(d float64) float64 { return 2*d - d*d },
		Overlay: func(d float64) float64 {
			if d <= 0.5 {
				return 2 * d * d
			}
			return 1 - 2*(1-d)*(1-d)
		},
	} {
		p := on(def[Levels]())
		p.Joining, p.Strength = mode, 0.5
		for _, c := range samples {
			near(t, fmt.Sprintf("%s of %v", mode, c), run(t, c, p), each(c,
				func(d float64) float64 { return d + 0.5*(f(d)-d) }), 5e-5)
		}
	}
}
