package crop

import (
	"math"
	"math/rand/v2"
	"testing"

	"pyrant/internal/recipe/setting"
)

func corners(c Crop, w, h int) (out [4][2]float64) {
	back := c.ToPicture(w, h).Inverse()
	W, H := c.Size(w, h)
	for i, p := range [4][2]float64{{0, 0}, {float64(W), 0}, {float64(W), float64(H)},
		{0, float64(H)}} {
		out[i][0], out[i][1] = back.At(p[0], p[1])
	}
	return
}

// Where places go is known: of a plain crop, of quarter turns, of a mirror, and of a photo turned
// about the middle.
func TestToPicture(t *testing.T) {
	frame := Crop{X: 100, Y: 60, Width: 80, Height: 40}
	for _, k := range []struct {
		name string
		c    func(c *Crop)
		x, y float64 // of the photo
		u, v float64
	}{
		{"crop", func(*Crop) {}, 60, 40, 0, 0},
		{"crop", func(*Crop) {}, 75, 72, 15, 32},
		// its corner goes to the right
		{"a quarter", func(c *Crop) { c.Turns = 1 }, 60, 40, 40, 0},
		{"two quarters", func(c *Crop) { c.Turns = 2 }, 60, 40, 80, 40}, // to the opposite
		{"three", func(c *Crop) { c.Turns = 3 }, 60, 40, 0, 80},
		{"mirrored", func(c *Crop) { c.Flip = true }, 60, 40, 80, 0},
		{"turned and mirrored", func(c *Crop) { c.Turns, c.Flip = 1, true }, 60, 40, 0, 0},
		// Clockwise by 30 degrees what is right of the middle goes down.
		{"straightened", func(c *Crop) { c.Angle = 30 }, 120, 60, 40 + 20*math.Cos(math.Pi/6), 20 + 10},
	} {
		c := frame
		k.c(&c)
		m := c.ToPicture(300, 200)
		if u, v := m.At(k.x, k.y); math.Hypot(u-k.u, v-k.v) > 1e-9 {
			t.Errorf("%s: %v, %v goes to %v, %v, not to %v, %v", k.name, k.x, k.y, u, v, k.u, k.v)
		}
		if x, y := m.Inverse().At(k.u, k.v); math.Hypot(x-k.x, y-k.y) > 1e-9 {
			t.Errorf("%s: back it goes to %v, %v", k.name, x, y)
		}
	}
	if m := (Crop{}).ToPicture(300, 200); m != (Affine{1, 0, 0, 0, 1, 0}) {
		t.Errorf("all of the photo goes by %v", m)
	}
	if w, h := (Crop{Turns: 3}).Size(300, 200); w != 200 || h != 300 {
		t.Errorf("on its side it has %d x %d", w, h)
	}
}

// Whatever is asked of a frame, it stays within the photo and keeps its ratio; what is within stays
// as it is.
func TestFit(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 7))
	const w, h = 600, 400
	for range 3000 {
		c := Crop{X: r.Float64()*900 - 150, Y: r.Float64()*600 - 100, Width: 16 + r.Float64()*900,
			Height: 16 + r.Float64()*900, Angle: r.Float64()*90 - 45, Turns: r.IntN(4),
			Flip: r.IntN(2) == 0}
		if r.IntN(4) == 0 {
			c.Angle = 0
		}
		f := c.Fit(w, h)
		if _, msg := f.Check(setting.Frame{W: w, H: h}); msg != "" {
			t.Fatalf("%+v becomes %+v: %s", c, f, msg)
		}
		for _, p := range corners(f, w, h) {
			if p[0] < -0.6 || p[1] < -0.6 || p[0] > w+0.6 || p[1] > h+0.6 {
				t.Fatalf("%+v becomes %+v with a corner at %v", c, f, p)
			}
		}
		o := f.Of(w, h)
		if k := (o.Width / o.Height) / (c.Width / c.Height); min(o.Width, o.Height) > 60 &&
			math.Abs(k-1) > 0.03 {
			t.Fatalf("%+v becomes %+v of another ratio", c, f)
		}
		if again := f.Fit(w, h); again != f {
			t.Fatalf("%+v does not stay: %+v", f, again)
		}
	}
	if c := (Crop{Angle: 10}).Fit(w, h); c.Whole() || c.Width < 400 || c.Width/c.Height < 1.49 ||
		c.Width/c.Height > 1.51 {
		t.Errorf("straightened the photo becomes %+v", c)
	}
}

func num(v float64) *float64 { return &v }

// Each move does what it says, as it is seen: a ratio on its side, a turn of what is mirrored.
func TestMove(t *testing.T) {
	const w, h = 600, 400
	seen := func(c Crop) float64 { W, H := c.Size(w, h); return float64(W) / float64(H) }
	if c := (Move{Ratio: 1}).Of(Crop{}, w, h); seen(c) != 1 || c.Height != 400 {
		t.Errorf("square: %+v", c)
	}
	on := (Move{Turn: 1}).Of(Crop{}, w, h)
	if c := (Move{Ratio: 0.8, Largest: true}).Of(on, w, h); math.Abs(seen(c)-0.8) > 0.01 {
		t.Errorf("4:5 on its side is %+v, seen as %.3f", c, seen(c))
	}
	if c := (Move{Angle: num(3)}).Of(Crop{}, w, h); c.Angle != 3 || c.Width >= 600 ||
		c.Width < 540 {
		t.Errorf("straightened: %+v", c)
	} else if c = (Move{Angle: num(0), Largest: true}).Of(c, w, h); !c.Idle() && (c.Width < 598) {
		t.Errorf("straight again and as large as it goes: %+v", c)
	}
	small := (Move{Width: num(200), Height: num(100), X: num(590), Y: num(10)}).Of(Crop{}, w, h)
	if small != (Crop{X: 500, Y: 50, Width: 200, Height: 100}) {
		t.Errorf("put into a corner: %+v", small)
	}
	if c := (Move{By: 0.5}).Of(small, w, h); c.Width != 100 || c.Height != 50 || c.X != 500 {
		t.Errorf("half as large: %+v", c)
	}
	// Four turns, two mirrors and twice upside down are nothing; a turn to the right is one of what
	// is seen.
	for _, m := range []struct {
		m Move
		n int
	}{{Move{Turn: 1}, 4}, {Move{Flip: true}, 2}, {Move{Upright: true}, 2}, {Move{Turn: -1}, 4}} {
		for _, from := range []Crop{small, {Flip: true}, {Turns: 1, Flip: true}} {
			c := from
			for range m.n {
				c = m.m.Of(c, w, h)
			}
			if c != from {
				t.Errorf("%+v %d times makes %+v of %+v", m.m, m.n, c, from)
			}
		}
	}
	// What was at the top left of the picture is at the top right after a turn to the right.
	for _, from := range []Crop{{}, {Flip: true}, {Turns: 1, Flip: true}, {Turns: 2}} {
		x, y := from.ToPicture(w, h).Inverse().At(0, 0)
		to := (Move{Turn: 1}).Of(from, w, h)
		u, v := to.ToPicture(w, h).At(x, y)
		if W, _ := to.Size(w, h); math.Hypot(u-float64(W), v) > 1e-9 {
			t.Errorf("of %+v the top left goes to %v, %v by a turn", from, u, v)
		}
		to = (Move{Upright: true}).Of(from, w, h)
		u, v = to.ToPicture(w, h).At(x, y)
		if _, H := to.Size(w, h); math.Hypot(u, v-float64(H)) > 1e-9 {
			t.Errorf("of %+v the top left goes to %v, %v upside down", from, u, v)
		}
	}
}

// A frame of nothing, beyond the photo, or half a frame is refused with a sentence.
func TestCheck(t *testing.T) {
	f := setting.Frame{W: 600, H: 400}
	for name, c := range map[string]Crop{
		"nothing": {X: 300, Y: 200, Width: 2, Height: 100}, "beyond": {X: 100, Y: 200, Width: 300, Height: 100},
		"half": {X: 300, Y: 200, Width: 100}, "turned": {X: 300, Y: 200, Width: 600, Height: 400, Angle: 2},
	} {
		if _, msg := c.Check(f); msg == "" {
			t.Errorf("%s is taken", name)
		}
	}
	if _, msg := (Crop{}).Check(f); msg != "" {
		t.Error(msg)
	}
}
