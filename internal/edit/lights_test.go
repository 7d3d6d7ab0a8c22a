package edit

import (
	"encoding/json"
	"math"
	"reflect"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
)

// several returns a recipe with lights named A, B, C and so on, each a bulb.
func several(t *testing.T, n int) *recipe.Recipe {
	t.Helper()
	r := recipe.New(1500, 1000)
	for i := range n {
		next, k, err := AddLight(r)
		if err != nil {
			t.Fatal(err)
		}
		next.Lights[k].Name = string(rune('A' + i))
		next.Lights[k].Shapes = shape.Shapes{shape.Ellipse{X: 100 * float64(i+1), Y: 200, Width: 30,
			Height: 30}}
		r = next
	}
	return r
}

func names(r *recipe.Recipe) (s string) {
	for i := range r.Lights {
		s += r.Lights[i].Name
	}
	return
}

func TestGroupsHoldTogether(t *testing.T) {
	r := several(t, 5)
	g, err := GroupLights(r, []string{r.Lights[1].ID, r.Lights[3].ID})
	if err != nil {
		t.Fatal(err)
	}
	if names(g) != "ABDCE" || len(g.Groups) != 1 || g.Lights[1].Group != g.Lights[2].Group ||
		g.Lights[3].Group != "" || names(r) != "ABCDE" {
		t.Fatalf("grouped they are %s", names(g))
	}
	if _, err := GroupLights(r, nil); err == nil {
		t.Error("a group of nothing is made")
	}
	for _, c := range []struct {
		from, to int
		order    string
		grouped  string // names of those in the group
	}{
		{0, 2, "BADCE", "BAD"}, // between two of it: joins
		{1, 5, "ADCEB", "D"},   // away from it: leaves
		{2, 1, "ADBCE", "BD"},  // within it
		{4, 0, "EABDC", "BD"},
		{3, 3, "ABDCE", "BD"},
	} {
		m, at, err := MoveLight(g, c.from, c.to)
		if err != nil {
			t.Fatal(err)
		}
		in := ""
		for i := range m.Lights {
			if m.Lights[i].Group != "" {
				in += m.Lights[i].Name
			}
		}
		sorted := strings.Split(in, "")
		slices.Sort(sorted)
		if want := strings.Split(c.grouped, ""); names(m) != c.order || !slices.Equal(sorted,
			func() []string { slices.Sort(want); return want }()) ||
			m.Lights[at].Name != g.Lights[c.from].Name {
			t.Errorf(
				"%d before %d: %s with %s grouped and %d chosen, want %s with %s",
				c.from,
				c.to,
				names(m),
				in,
				at,
				c.order,
				c.grouped,
			)
		}
	}
	// The last one gone, the group is too.
	m, _, err := MoveLight(g, 1, 5)
	if err != nil {
		t.Fatal(err)
	}
	if m, _, err = MoveLight(m, 1, 0); err != nil || len(m.Groups) != 1 {
		t.Fatalf("a group of one: %v, %d groups", err, len(m.Groups))
	}
	g.Groups[0].Level, g.Groups[0].On = 0.5, false
	g.Lights[1].Level = 0.8
	u, err := Ungroup(g, g.Groups[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	if len(u.Groups) != 0 || u.Lights[1].Level != 0.4 || u.Lights[1].On || u.Lights[2].Group != "" {
		t.Errorf(
			"ungrouped: level %v, on %v, in %q",
			u.Lights[1].Level,
			u.Lights[1].On,
			u.Lights[2].Group,
		)
	}
	if _, err := Ungroup(g, "none"); err == nil {
		t.Error("a group that is not there is undone")
	}
	g.Lights[0].Group = "none"
	if err := g.Validate(); err == nil || !strings.Contains(err.Error(), "“A”") {
		t.Errorf("a light in a group that is not there: %v", err)
	}
}

func TestOrbsAndPlaces(t *testing.T) {
	r := several(t, 1)
	r, i, err := AddOrb(r, Orb, -40, 500, 200)
	if err != nil {
		t.Fatal(err)
	}
	l := r.Lights[i]
	if l.Name != "Orb" || l.Keep != 0 || len(l.Shells) != 6 || l.Shells[5].Radius != 150 ||
		l.Shells[0].Tint.White < 0.5 || l.Shells[5].Tint.White > 0 {
		t.Errorf("the orb is %+v", l)
	}
	if r2, k, err := AddOrb(r, Orb, 0, 0, 10); err != nil || r2.Lights[k].Name != "Orb 2" {
		t.Errorf("a second one: %v", err)
	}
	if v, k, err := AddOrb(r, Veil, 700, 500, 900); err != nil || v.Lights[k].Core.On ||
		v.Lights[k].Spill.On {
		t.Errorf("a veil has a core or spill: %v", err)
	}
	if _, _, err := AddOrb(r, "lantern", 0, 0, 10); err == nil {
		t.Error("a lantern is made")
	}
	apply := func(value string) *recipe.Recipe {
		t.Helper()
		n, err := Apply(
			r,
			[]setting.Op{{Op: "place", Path: "/lights/1", Value: json.RawMessage(value)}},
		)
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	// Sized about its middle, that stays where it is; all its lengths grow, nothing else.
	b := apply(`{"by":1.5,"x":-40,"y":500}`).Lights[1]
	e := b.Shapes[0].(shape.Ellipse)
	if e.X != -40 || e.Y != 500 || math.Abs(e.Width-66) > 1e-9 || b.Shells[5].Radius != 225 ||
		b.Core.Feather != 1.5*l.Core.Feather || b.Spill.Reach != 1.5*l.Spill.Reach ||
		b.Shells[5].Strength != l.Shells[5].Strength {
		t.Errorf("sized: %+v of radius %v", e, b.Shells[5].Radius)
	}
	e = apply(`{"dx":50,"dy":-20}`).Lights[1].Shapes[0].(shape.Ellipse)
	if e.X != 10 || e.Y != 480 || e.Width != 44 {
		t.Errorf("moved: %+v", e)
	}
	e = apply(`{"by":2,"x":0,"y":500,"dx":5}`).Lights[1].Shapes[0].(shape.Ellipse)
	if e.X != -75 || e.Y != 500 {
		t.Errorf("sized about another place and moved: %+v", e)
	}
	for _, bad := range []string{`{"by":-1}`, `{"by":5000}`, `"x"`} {
		if _, err := Apply(r, []setting.Op{{Op: "place", Path: "/lights/1",
			Value: json.RawMessage(bad)}}); err == nil {
			t.Errorf("%s is not refused", bad)
		}
	}
}

func TestAllShellsJoin(t *testing.T) {
	r := several(t, 1)
	n, err := Apply(
		r,
		[]setting.Op{
			{Op: "stack", Path: "/lights/0/shells", Value: json.RawMessage(`{"join":"screen"}`)},
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	for i, s := range n.Lights[0].Shells {
		if s.Join != recipe.Screen || s.Radius != r.Lights[0].Shells[i].Radius ||
			s.Strength != r.Lights[0].Shells[i].Strength {
			t.Errorf("shell %d: %+v, was %+v", i, s, r.Lights[0].Shells[i])
		}
	}
	if _, err := Apply(r, []setting.Op{{Op: "stack", Path: "/lights/0/shells", Value: json.RawMessage(`{"join":"glue"}`)}}); err == nil {
		t.Error("a joining that is none is not refused")
	}
}

// A rig of one's own goes through a file, and to a photo of another size in its sizes.
func TestOwnRigs(t *testing.T) {
	r := several(t, 1)
	l := &r.Lights[0]
	l.Core.Whiteness, l.Core.On, l.Spill.Reach, l.Spill.Strength = 0.77, false, 120, 2
	a, id, err := AddArea(r, "A", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: setting.New[area.Ring](setting.Frame{W: 1500, H: 1000})})
	if err != nil {
		t.Fatal(err)
	}
	a.Lights[0].Trim.Area, a.Lights[0].Spill.Carrier, a.Lights[0].Shells[0].Trim.Area = id, id, id
	l = &a.Lights[0]
	file := recipe.NewRig("Quay panel", l, a.Photo).Encode()
	g, err := recipe.DecodeRig(file)
	if err != nil {
		t.Fatal(err)
	}
	if g.Name != "Quay panel" || g.Spill.Carrier != "" || g.Shells[0].Trim.Area != "" ||
		!g.Core.On {
		t.Errorf("the rig refers to its shot: %+v", g)
	}
	big := recipe.New(6000, 4000)
	big, _, err = AddLight(big)
	if err != nil {
		t.Fatal(err)
	}
	big, err = Apply(big, []setting.Op{{Op: "rig", Path: "/lights/0", Value: file}})
	if err != nil {
		t.Fatal(err)
	}
	m := &big.Lights[0]
	if m.Core.Whiteness != 0.77 || m.Spill.Strength != 2 || m.Spill.Reach != 480 ||
		len(m.Shells) != len(l.Shells) {
		t.Errorf("on a photo four times as large: %+v", m)
	}
	for i := range m.Shells {
		if want := 4 * l.Shells[i].Radius; math.Abs(m.Shells[i].Radius-want) > 1e-9*want {
			t.Errorf("shell %d has a radius of %v, want %v", i, m.Shells[i].Radius, want)
		}
	}
	if title := Title(r, []setting.Op{{Op: "rig", Path: "/lights/0", Value: file}}); title != "Rig Quay panel" {
		t.Errorf("its title is %q", title)
	}
	for name, bad := range map[string]string{
		"no rig": `{"version":4}`, "no JSON": `rig`, "newer": `{"kind":"rig","version":7,"name":"x"}`,
		"out of range": strings.Replace(string(file), `"whiteness":0.77`, `"whiteness":7`, 1), "unknown field": strings.Replace(string(file), `"name"`, `"colour":1,"name"`, 1),
		"too large": strings.Repeat(" ", recipe.MaxRigBytes+1),
	} {
		if _, err := recipe.DecodeRig([]byte(bad)); err == nil {
			t.Errorf("%s is not refused", name)
		} else if len(err.Error()) < 20 {
			t.Errorf("%s: %q says little", name, err)
		}
	}
}

// Lights copied out of one shot are in another as they were, in its size and without what they
// referred to.
func TestCopiedLights(t *testing.T) {
	r := several(t, 3)
	r.Lights[1].Gel.Hue = 33
	r, err := GroupLights(r, []string{r.Lights[1].ID})
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[1].Blockers = []recipe.Blocker{
		{On: true, Area: area.RefTo(area.OfLight, r.Lights[0].ID),
			Shells: 1},
	}
	doc, err := CopyLights(r, []string{r.Lights[1].ID, r.Lights[2].ID})
	if err != nil {
		t.Fatal(err)
	}
	other := several(t, 2).Scale(2)
	n, first, err := PasteLights(other, doc)
	if err != nil {
		t.Fatal(err)
	}
	if first != 2 || len(n.Lights) != 4 || n.Lights[2].Name != "B 2" || n.Lights[3].Name != "C" ||
		n.Lights[2].ID == n.Lights[1].ID {
		t.Fatalf("pasted: %s, first %d", names(n), first)
	}
	l := &n.Lights[2]
	e := l.Shapes[0].(shape.Ellipse)
	if e.X != 400 || e.Y != 400 || e.Width != 60 || l.Gel.Hue != 33 || l.Group != "" ||
		l.Blockers != nil || l.Shells[3].Radius != 2*r.Lights[1].Shells[3].Radius {
		t.Errorf("pasted at %v, %+v", e, l)
	}
	if _, err := CopyLights(r, nil); err == nil {
		t.Error("no lights are copied")
	}
	for _, bad := range []string{"", "{}", `{"kind":"lights","photo":{"width":10,"height":10},"lights":[]}`, `{"kind":"lights","photo":{"width":10,"height":10},"lights":[{"id":7}]}`} {
		if _, _, err := PasteLights(other, []byte(bad)); err == nil {
			t.Errorf("%q is not refused", bad)
		}
	}
}

func TestTrimsReferToWhatIsThere(t *testing.T) {
	r := several(t, 2)
	r, id, err := AddArea(r, "Cut", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: setting.New[area.Ring](setting.Frame{W: 1500, H: 1000})})
	if err != nil {
		t.Fatal(err)
	}
	n, err := Apply(
		r,
		append(Set("/lights/0/trim/area", id), Set("/lights/1/shells/2/trim/area", id)...),
	)
	if err != nil {
		t.Fatal(err)
	}
	if u := n.Users(id); len(u) != 2 || !strings.Contains(u[1], "“B”") {
		t.Errorf("used by %v", u)
	}
	if _, err := RemoveArea(n, id); err == nil {
		t.Error("an area that trims is removed")
	}
	if _, err := Apply(r, Set("/lights/0/trim/area", "nothing")); err == nil ||
		!strings.Contains(err.Error(), "“A”") {
		t.Errorf("trimmed in nothing: %v", err)
	}
	glow, gid, err := AddArea(r, "Glow", area.Part{On: true, Does: area.Add, Amount: 1,
		Of: area.Light{What: area.Glow}})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := Apply(glow, Set("/lights/0/shells/0/trim/area", gid)); err == nil ||
		!strings.Contains(err.Error(), "a light's glow or spill") {
		t.Errorf("trimmed in its own glow: %v", err)
	}
	own := area.RefTo(area.OfLight, n.Lights[0].ID)
	n.Lights[1].Trim.Area, n.Lights[1].Shells[0].Trim.Area = own, own
	if gone := RemoveLight(n, 0); gone.Lights[0].Trim.Area != "" ||
		gone.Lights[0].Shells[0].Trim.Area != "" || gone.Validate() != nil {
		t.Error("a light that trims another is removed, and the trim stays")
	}
}

// The colours of a ramp share all of the light at every brightness, each is alone at its own, and
// none jumps.
func TestRamp(t *testing.T) {
	r := recipe.Ramp{
		Dark:   recipe.Tint{White: 0, Hue: -30},
		Bright: recipe.Tint{White: 0.6, Hue: 20},
		Middle: 0.3,
	}
	last := r.At(0)
	for v := 0.0; v <= 1; v += 1.0 / 256 {
		at := r.At(v)
		if sum := at[0] + at[1] + at[2]; math.Abs(sum-1) > 1e-12 || slices.Min(at[:]) < 0 {
			t.Fatalf("at %.3f the shares are %v", v, at)
		}
		for i := range at {
			if math.Abs(at[i]-last[i]) > 0.03 {
				t.Fatalf("at %.3f a share goes from %.3f to %.3f", v, last[i], at[i])
			}
		}
		last = at
	}
	for v, alone := range map[float64]int{0: 0, 0.3: 1, 1: 2} {
		if r.At(v)[alone] != 1 {
			t.Errorf("at %g the shares are %v", v, r.At(v))
		}
	}
	g := recipe.Gel{Hue: 100, Saturation: 1, Lightness: 0.5}
	if c := r.Colours(g); c[1] != g.Colour() ||
		c[0] != (recipe.Gel{Hue: 70, Saturation: 1, Lightness: 0.5}).Colour() {
		t.Errorf("the colours are %v", c)
	}
	if !(recipe.Ramp{Middle: 0.4}).Even() || r.Even() {
		t.Error("which ramp is even")
	}
}

// A pool of light lies flat below its light, within the photo, in an area of its own that has a
// name to tell it by.
func TestPool(t *testing.T) {
	r := sample(t)
	r.Lights[1].Name = strings.Repeat("x", 80)
	for i := range r.Lights {
		c, id, err := Pool(r, i)
		if err != nil {
			t.Fatal(err)
		}
		a := c.Area(id)
		touches := c.Lights[i].Spill.Touches
		if len(touches) != 1 || touches[0].Area != id || touches[0].Does != recipe.NewSpill ||
			!strings.HasPrefix(a.Name, "Pool of ") || len(r.Areas) != 0 {
			t.Fatalf("light %d: %+v in %+v", i, touches, a)
		}
		ring, ok := a.Parts[0].Of.(area.Ring)
		b := r.Lights[i].Shapes.At(1).Bounds()
		if !ok || ring.Height*3 > ring.Width || ring.X < float64(b.Min.X) ||
			ring.X > float64(b.Max.X) || ring.Y <= float64(b.Max.Y) || ring.Y > 2000 ||
			ring.Width < float64(b.Dx()) {
			t.Errorf("light %d at %v: the pool is %+v", i, b, ring)
		}
	}
	// Also of a light that has no shape yet, and only so many.
	r.Lights[0].Shapes = nil
	for range 24 {
		var err error
		if r, _, err = Pool(r, 0); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := Pool(r, 0); err == nil {
		t.Error("there is no end to pools")
	}
}

// Points that were found become a light of their own: lit ones keep how they look and get rays,
// dead ones shine.
func TestAddPoints(t *testing.T) {
	r := recipe.New(3000, 2000)
	spots := []shape.Spot{{At: shape.Point{X: 100, Y: 200}, Radius: 40},
		{At: shape.Point{X: 500.04, Y: 300}, Radius: 3.33}}
	next, i, err := AddPoints(r, spots, false)
	if err != nil {
		t.Fatal(err)
	}
	l := next.Lights[i]
	if got := l.Shapes.Spots(); len(got) != 2 || got[0] != spots[0] || got[1].Radius != 3.35 ||
		got[1].At.X != 500 {
		t.Errorf("its points are %v", got)
	}
	if l.Core.On || l.Glow || l.Spill.On || !l.Rays.On || l.Rays.Length != 200 {
		t.Errorf("core %v, glow %v, spill %v, rays %+v", l.Core.On, l.Glow, l.Spill.On, l.Rays)
	}
	if next, i, err = AddPoints(next, spots, true); err != nil || !next.Lights[i].Core.On ||
		!next.Lights[i].Glow || next.Lights[i].Name != "Bulbs" {
		t.Errorf("dead bulbs: %+v, %v", next.Lights[i].Core, err)
	}
	if _, _, err := AddPoints(r, nil, false); err == nil {
		t.Error("a light of no points")
	}
	if _, _, err := AddPoints(r, make([]shape.Spot, 501), false); err == nil {
		t.Error("a light of 501 points")
	}
}

// Rays of smaller points are shorter by as much as asked for.
func TestRaysShare(t *testing.T) {
	r := recipe.Rays{Distance: 1, Made: recipe.ByBlades, Count: 7}
	if l, s := r.Share(0.25); l != 0.25 || s != 0.5 {
		t.Errorf("a quarter of the size: %v long, %v strong", l, s)
	}
	r = recipe.Rays{Made: recipe.ByRays, Count: 7}
	if l, s := r.Share(0.25); l != 1 || s != 1 {
		t.Errorf("all alike: %v long, %v strong", l, s)
	}
}

// Points are dealt gels evenly, otherwise by another seed, the same by the same, and none is lost.
func TestDeal(t *testing.T) {
	r := recipe.New(3000, 2000)
	r, i, err := AddLight(r)
	if err != nil {
		t.Fatal(err)
	}
	s := shape.String{Nodes: shape.PathOf(shape.Node{X: 100, Y: 100}, shape.Node{X: 1300, Y: 120}),
		Count: 21, Width: 24, Sag: 0.1}
	r.Lights[i].Name = "Cord"
	r.Lights[i].Shapes = shape.Shapes{s, shape.Tube{Nodes: s.Nodes, Width: 5}}
	hung := r.Lights[i].Shapes.Spots()
	deal := func(seed int) *recipe.Recipe {
		t.Helper()
		d, err := Deal(r, i, "fair", seed)
		if err != nil {
			t.Fatal(err)
		}
		return d
	}
	d := deal(1)
	if len(d.Lights) != 4 || len(d.Groups) != 1 {
		t.Fatalf("there are %d lights in %d groups", len(d.Lights), len(d.Groups))
	}
	var all []shape.Spot
	for k, l := range d.Lights {
		got := l.Shapes.Spots()
		if len(got) < 5 || len(got) > 6 {
			t.Errorf("gel %d has %d points of 21", k, len(got))
		}
		if l.Gel != Palettes[0].Gels[k] || l.Group != d.Groups[0].ID {
			t.Errorf("light %d has gel %v in group %q", k, l.Gel, l.Group)
		}
		all = append(all, got...)
	}
	if d.Lights[0].Name != "Cord" || d.Lights[1].Name != "Cord 2" ||
		len(d.Lights[0].Shapes) != 1+len(d.Lights[0].Shapes.Spots()) {
		t.Errorf(
			"the first is %q with %d shapes, the second %q",
			d.Lights[0].Name,
			len(d.Lights[0].Shapes),
			d.Lights[1].Name,
		)
	}
	for _, h := range hung {
		if !slices.ContainsFunc(all, func(s shape.Spot) bool {
			return math.Hypot(s.At.X-h.At.X, s.At.Y-h.At.Y) < 0.1
		}) {
			t.Errorf("the bulb at %v is lost", h.At)
		}
	}
	first := func(r *recipe.Recipe) shape.Spot { return r.Lights[3].Shapes.Spots()[0] }
	if first(deal(1)) != first(d) {
		t.Error("the same seed deals otherwise")
	}
	if first(deal(2)) == first(d) && first(deal(3)) == first(d) {
		t.Error("other seeds deal the same")
	}
	if _, err := Deal(r, i, "rust", 1); err == nil {
		t.Error("there is a palette of rust")
	}
	r.Lights[i].Shapes = r.Lights[i].Shapes[1:]
	if _, err := Deal(r, i, "fair", 1); err == nil {
		t.Error("a light without points is dealt gels")
	}
}

// A burst is one great star of many uneven rays.
func TestBurst(t *testing.T) {
	r, i, err := AddOrb(recipe.New(3000, 2000), Burst, 800, 600, 500)
	if err != nil {
		t.Fatal(err)
	}
	l := r.Lights[i]
	if k := l.Rays; !k.On || k.Length != 500 || k.Count < 30 || k.Lengths < 0.5 || k.Angles < 0.5 ||
		l.Keep != 0 || l.Name != "Burst" {
		t.Errorf("the burst is %+v", l.Rays)
	}
}

// Bulbs take the place of the outline that they are scattered in; what cannot be is said.
func TestScatterBulbs(t *testing.T) {
	r, i, err := AddLight(recipe.New(3000, 2000))
	if err != nil {
		t.Fatal(err)
	}
	k := shape.Scatter{Gap: 60, Size: 14, Vary: 0.2, Seed: 1}
	if _, err := ScatterBulbs(r, i, k); err == nil {
		t.Error("bulbs lie in nothing")
	}
	r.Lights[i].Shapes = shape.Shapes{shape.Ellipse{X: 800, Y: 700, Width: 700, Height: 500}}
	next, err := ScatterBulbs(r, i, k)
	if err != nil {
		t.Fatal(err)
	}
	if n := len(next.Lights[i].Shapes.Spots()); n < 40 || n != len(next.Lights[i].Shapes) {
		t.Errorf("there are %d bulbs among %d shapes", n, len(next.Lights[i].Shapes))
	}
	k.Gap = 12
	if _, err := ScatterBulbs(r, i, k); err == nil ||
		!strings.Contains(err.Error(), "minimum distance") {
		t.Errorf("of too many: %v", err)
	}
	k.Gap = 0.2
	if _, err := ScatterBulbs(r, i, k); err == nil {
		t.Error("a gap out of range is taken")
	}
	if len(r.Lights[i].Shapes) != 1 {
		t.Error("the recipe itself was changed")
	}
}

// Each point becomes a light by itself, with a gel of its own.
func TestSingle(t *testing.T) {
	r, i, err := AddPoints(recipe.New(3000, 2000), []shape.Spot{{At: shape.Point{X: 100, Y: 200},
		Radius: 9}, {At: shape.Point{X: 500, Y: 300}, Radius: 4}}, true)
	if err != nil {
		t.Fatal(err)
	}
	gels := []recipe.Gel{gel(10, 1, 0.5), gel(200, 0.8, 0.6)}
	next, err := Single(r, i, gels)
	if err != nil {
		t.Fatal(err)
	}
	for k, l := range next.Lights {
		if s := l.Shapes.Spots(); len(s) != 1 || s[0].Radius != []float64{9, 4}[k] ||
			l.Gel != gels[k] || l.Group != next.Groups[0].ID || !l.Glow {
			t.Errorf("light %d has %v, gel %v, group %q", k, s, l.Gel, l.Group)
		}
	}
	if next.Groups[0].Name != "Bulbs" {
		t.Errorf("the group is %q", next.Groups[0].Name)
	}
	if _, err := Single(r, i, gels[:1]); err == nil {
		t.Error("one gel for two points")
	}
	r.Lights[i].Shapes = slices.Repeat(r.Lights[i].Shapes, 30)
	if _, err := Single(r, i, make([]recipe.Gel, 60)); err == nil {
		t.Error("sixty lights of one")
	}
}

// Points are varied round their light's gel and level, all of what may be used, by a seed.
func TestVary(t *testing.T) {
	r, i, err := AddLight(recipe.New(3000, 2000))
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[i].Shapes = shape.Shapes{shape.String{Nodes: shape.PathOf(shape.Node{X: 100, Y: 100},
		shape.Node{X: 1300, Y: 120}), Laid: shape.ByCount, Count: 23, Width: 24}}
	r.Lights[i].Gel.Hue, r.Lights[i].Level = 10, 1
	v, err := Vary(r, i, Variation{Kinds: 5, Hue: 20, Light: 0.4, Seed: 3})
	if err != nil {
		t.Fatal(err)
	}
	var hues, levels []float64
	n := 0
	for _, l := range v.Lights {
		hues, levels = append(hues, l.Gel.Hue), append(levels, l.Level)
		n += len(l.Shapes.Spots())
	}
	slices.Sort(hues)
	slices.Sort(levels)
	if !slices.Equal(hues, []float64{0, 10, 20, 30, 350}) || !slices.Equal(levels,
		[]float64{0.6, 0.7, 0.8, 0.9, 1}) || n != 23 {
		t.Errorf("hues %v, levels %v, %d points", hues, levels, n)
	}
	w, _ := Vary(r, i, Variation{Kinds: 5, Hue: 20, Light: 0.4, Seed: 4})
	if slices.EqualFunc(
		v.Lights,
		w.Lights,
		func(a, b recipe.Light) bool { return a.Gel == b.Gel },
	) {
		t.Error("another seed varies them the same")
	}
	for _, bad := range []Variation{{Kinds: 24, Seed: 1}, {Kinds: 1}, {Kinds: 5, Hue: 400},
		{Kinds: 3, Light: 2}} {
		if _, err := Vary(r, i, bad); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// One more light differs in its bulbs' places, size and number, its gel and its star; all of it by
// a seed.
func TestUnlike(t *testing.T) {
	r, i, err := AddLight(recipe.New(3000, 2000))
	if err != nil {
		t.Fatal(err)
	}
	r.Lights[i].Name = "Cord"
	if _, err := Unlike(r, i, 1); err == nil {
		t.Error("there is another of what has no points")
	}
	s := shape.String{Nodes: shape.PathOf(shape.Node{X: 100, Y: 100}, shape.Node{X: 1300, Y: 120}),
		Laid: shape.ByCount, Spacing: 60, Count: 20, Width: 24}
	r.Lights[i].Shapes = shape.Shapes{s, shape.Ellipse{X: 900, Y: 900, Width: 20, Height: 20}}
	for seed := range 20 {
		u, err := Unlike(r, i, seed)
		if err != nil {
			t.Fatal(err)
		}
		if len(u.Lights) != len(r.Lights)+1 || u.Lights[i+1].Name != "Cord 2" ||
			!reflect.DeepEqual(u.Lights[i], r.Lights[i]) {
			t.Fatalf("%d lights, the new one %q", len(u.Lights), u.Lights[i+1].Name)
		}
		l := u.Lights[i+1]
		o := l.Shapes[0].(shape.String)
		if k := o.Width / s.Width; k > 0.85 && k < 1.2 {
			t.Errorf("seed %d: bulbs %.2f times as large", seed, k)
		}
		a, b := r.Lights[i].Rays, l.Rays
		if o.Seed == s.Seed || o.Count == s.Count || o.Scatter == 0 ||
			l.Gel.Hue == r.Lights[i].Gel.Hue || a.Turn == b.Turn || a.Count == b.Count ||
			a.Length == b.Length || a.Seed == b.Seed {
			t.Errorf("seed %d: alike in %+v, %v, %+v", seed, o, l.Gel, b)
		}
		again, _ := Unlike(r, i, seed)
		again.Lights[i+1].ID = l.ID
		if !reflect.DeepEqual(again, u) {
			t.Errorf("seed %d makes another the second time", seed)
		}
	}
}

// What limits rays is an area that is there, cannot be removed while it does, and is left behind by
// a copy.
func TestRaysLimits(t *testing.T) {
	r, i, err := AddPoints(recipe.New(3000, 2000), []shape.Spot{{At: shape.Point{X: 100, Y: 100},
		Radius: 9}}, false)
	if err != nil {
		t.Fatal(err)
	}
	r, id, err := AddArea(r, "Sign")
	if err != nil {
		t.Fatal(err)
	}
	for name, at := range map[string]func(*recipe.Recipe) *area.Ref{
		"trim": func(r *recipe.Recipe) *area.Ref { return &r.Lights[i].Rays.Trim.Area },
		"near": func(r *recipe.Recipe) *area.Ref { return &r.Lights[i].Rays.Near },
	} {
		c := r.Clone()
		*at(c) = id
		if err := c.Validate(); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if _, err := RemoveArea(c, id); err == nil ||
			!strings.Contains(err.Error(), "rays of the light “Points”") {
			t.Errorf("%s: removing its area: %v", name, err)
		}
		doc, err := CopyLights(c, []string{c.Lights[i].ID})
		if err != nil {
			t.Fatal(err)
		}
		p, k, err := PasteLights(recipe.New(3000, 2000), doc)
		if err != nil || *limit(&p.Lights[k].Rays, name) != "" {
			t.Errorf("%s: pasted: %v", name, err)
		}
		*at(c) = "gone"
		if c.Validate() == nil {
			t.Errorf("%s: an area that is not there is taken", name)
		}
	}
	// A ray that is shortened twice ends where the last click was, and is whole again without one.
	k := CutRay(CutRay(CutRay(r.Lights[i].Rays, 0, 2, 0.5), 0, 3, 0.7), 0, 2, 0.25)
	if !slices.Equal(
		k.Cuts,
		[]recipe.Cut{{Point: 0, Ray: 3, At: 0.7}, {Point: 0, Ray: 2, At: 0.25}},
	) ||
		len(CutRay(k, 0, 2, 1).Cuts) != 1 {
		t.Errorf("cuts %v", k.Cuts)
	}
}

func limit(r *recipe.Rays, name string) *area.Ref {
	if name == "near" {
		return &r.Near
	}
	return &r.Trim.Area
}
