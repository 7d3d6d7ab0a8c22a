package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/raster"
	"pyrant/internal/base/simd"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/render/areas"
)

// spillStage finds the light that surfaces send back in the colours of the photo
// before dusk. It waits for the shells, to join with them.
type spillStage struct {
	*scene
	darkened bool // by dusk
	groups   []spillGroup
	back     float32 // how far dusk is taken off where spill falls
}

// spillLook is how the surroundings take spill.
type spillLook struct {
	tone   area.ToneWindow
	middle float64 // of the ramp that the colours are a part of; 0 for none
	part   int     // which
}

// spillGroup is the spill of all lights that share a look and a veil.
type spillGroup struct {
	spillLook
	veil   veilInput
	window *[257]float32 // by display brightness; nil where all is let through
	lights []*litLight
	spills []*lightSpill
	colour [][3]float32
}

func (st *spillStage) prepare(ctx context.Context) (bool, error) {
	if !st.recipe.Spill.On {
		return false, nil
	}
	spills, err := st.spills(ctx)
	if err != nil {
		return false, err
	}
	for i, ll := range st.lights {
		sp := spills[i]
		if sp == nil {
			continue
		}
		if err := st.touchUp(ctx, ll, sp); err != nil {
			return false, err
		}
		st.add(ll, sp, sp.power)
	}
	if st.darkened {
		st.back = float32(st.recipe.Dusk.Back.Spill)
	}
	return len(st.groups) > 0, nil
}

// inDaylight returns what light does to the photo's colours, which have the tint of the daylight
// that they were taken in: so much less of it, at the same luminance of white.
func (sc *scene) inDaylight(c colour.RGB) colour.RGB {
	m := &sc.recipe.Spill
	if m.Red == 0 && m.Blue == 0 {
		return c
	}
	r, b := float32(math.Exp2(-m.Red)), float32(math.Exp2(-m.Blue))
	k := 1 / colour.Luma(r, 1, b)
	return colour.RGB{R: c.R * r * k, G: c.G * k, B: c.B * b * k}
}

// lightSpill is what a light gives to its surroundings: in a room, without one, or painted by hand.
type lightSpill struct {
	power   float32
	room    *roomSpill
	flat    spillSource
	painted areas.Input
	veil    veilInput
}

// spills returns the spill of each light, nil for none, worked out side by side.
func (sc *scene) spills(ctx context.Context) ([]*lightSpill, error) {
	out := make([]*lightSpill, len(sc.lights))
	return out, raster.Try(ctx, len(out), func(i int) (err error) {
		out[i], err = sc.spillOf(ctx, sc.lights[i])
		return err
	})
}

// spillPower returns how strong the spill of a light is; 0 for none.
func (sc *scene) spillPower(ll *litLight) float32 {
	if !ll.l.Spill.On {
		return 0
	}
	k := ll.l.Gain() * sc.recipe.Spill.Level * ll.l.Spill.Strength
	if sc.recipe.Room.On {
		k *= sc.recipe.Room.Gain
	}
	return float32(k)
}

// spillOf returns the spill of a light, nil for none.
func (sc *scene) spillOf(ctx context.Context, ll *litLight) (*lightSpill, error) {
	k := sc.spillPower(ll)
	if k <= 0 {
		return nil, nil
	}
	sp := &lightSpill{power: k}
	var err error
	if sp.veil, err = sc.spillVeil(ctx, &ll.l.Spill); err != nil {
		return nil, err
	}
	if sc.room == nil {
		sp.flat = spillSource{ll.cover, ll.l.Spill.Reach, ll.l.Spill.Height}
		_, err = graph.Get(ctx, sc.graph, sp.flat) // side by side with other lights
		return sp, err
	}
	sp.power = k * roomPower
	sp.room, err = sc.room.shine(ctx, ll.l)
	return sp, err
}

// field returns the key of what the light gives to the picture without a room.
func (sp *lightSpill) field(ctx context.Context, cv *canvas) (spillField, error) {
	source, err := graph.Get(ctx, cv.graph, sp.flat)
	if err != nil {
		return spillField{}, err
	}
	level := source.Level(cv.picture.Scale)
	return spillField{sp.flat, cv.picture.Scale, level, glow.Shrink(cv.picture.Frame, level)}, nil
}

// key names what the light gives to a part of the picture, apart from its colour.
func (sp *lightSpill) key(m *room, part image.Rectangle) any {
	switch {
	case sp.painted != nil:
		return areas.Plane{Area: sp.painted, Part: part}
	case sp.room != nil:
		return m.shading(sp.room.light, part)
	}
	return sp.flat
}

// irradiance returns what the light gives to a part of the picture, to be weighted; once says that
// each row is wanted once.
func (sp *lightSpill) irradiance(ctx context.Context, sc *scene, part image.Rectangle, once bool,
	weight ...float32) ([]glow.Term, error) {
	if sp.painted != nil {
		f, err := graph.Get(ctx, sc.graph, areas.Plane{Area: sp.painted, Part: part})
		return []glow.Term{{Field: f, Weight: weight}}, err
	}
	if sp.room != nil {
		return sc.room.terms(ctx, sp.room, part, once, weight...)
	}
	k, err := sp.field(ctx, &sc.canvas)
	if err != nil {
		return nil, err
	}
	f, err := graph.Get(ctx, sc.graph, k)
	return []glow.Term{{Level: k.level, Field: f, Weight: weight}}, err
}

// touchUp adds what of a light's spill was painted by hand.
func (st *spillStage) touchUp(ctx context.Context, ll *litLight, sp *lightSpill) error {
	for i := range ll.l.Spill.Touches {
		t := &ll.l.Spill.Touches[i]
		if !t.On || t.Does != recipe.NewSpill || t.Amount <= 0 {
			continue
		}
		painted, err := st.area(ctx, t.Area)
		if err != nil {
			return err
		}
		st.add(ll, &lightSpill{painted: painted},
			float32(ll.l.Gain()*st.recipe.Spill.Level*t.Amount))
	}
	return nil
}

// add puts a light's spill of some power into the groups of its colours.
func (st *spillStage) add(ll *litLight, sp *lightSpill, power float32) {
	ramp := ll.l.Spill.Ramp
	for part, c := range ramp.Colours(ll.l.Gel) {
		g := (*spillGroup)(nil)
		switch {
		case !ramp.Even():
			g = st.group(ll.l.Spill.Tone, ramp, part, sp.veil)
		case part == 0:
			continue
		case part == 1:
			g = st.group(ll.l.Spill.Tone, recipe.Ramp{}, 1, sp.veil)
		default:
			return
		}
		c = st.inDaylight(c.Scale(power))
		g.lights = append(g.lights, ll)
		g.spills = append(g.spills, sp)
		g.colour = append(g.colour, [3]float32{c.R, c.G, c.B})
	}
}

// group returns the group of a tone window, of a part of a ramp (with no middle for none), and of
// what carries its lights.
func (st *spillStage) group(tone area.ToneWindow, ramp recipe.Ramp, part int,
	v veilInput) *spillGroup {
	if tone.Whole() {
		tone = area.ToneWindow{High: 1}
	}
	look := spillLook{tone, ramp.Middle, part}
	for i := range st.groups {
		if g := &st.groups[i]; g.spillLook == look && g.veil == v {
			return g
		}
	}
	g := spillGroup{spillLook: look, veil: v}
	if !tone.Whole() || ramp.Middle > 0 {
		g.window = new([257]float32)
		for i := range g.window {
			v := min(float64(i)/255, 1)
			w := tone.At(v)
			if ramp.Middle > 0 {
				w *= ramp.At(v)[part]
			}
			g.window[i] = float32(w)
		}
	}
	st.groups = append(st.groups, g)
	return &st.groups[len(st.groups)-1]
}

func (st *spillStage) collect(ctx context.Context, part image.Rectangle) (rower, error) {
	r := spillRows{groups: st.groups, back: st.back}
	for i := range st.groups {
		g := &st.groups[i]
		view := sumView{picture: st.picture, part: part, stage: "spill", group: g.spillLook,
			veil: g.veil}
		s, err := st.sum(ctx, view, g.addends(st.scene, part, len(st.groups) == 1))
		if err != nil {
			return nil, err
		}
		over, err := veilOver(ctx, st.graph, g.veil, part)
		if err != nil {
			return nil, err
		}
		r.sums = append(r.sums, readySum{s, over})
	}
	return r, nil
}

// addends returns what the lights of the group give to a part of the picture; once says that each
// row is wanted once.
func (g *spillGroup) addends(sc *scene, part image.Rectangle, once bool) (all []addend) {
	var j joint
	for n, sp := range g.spills {
		ll, c := g.lights[n], g.colour[n]
		if sc.room.joins(sp) {
			j.lights, j.colours = append(j.lights, sp.room), append(j.colours, c)
			continue
		}
		all = append(all, addend{piece{sp.key(sc.room, part), ll.l.Spill.Reach, c},
			func(ctx context.Context, part image.Rectangle) ([]glow.Term, error) {
				return sp.irradiance(ctx, sc, part, once, c[:]...)
			}})
	}
	if j.lights != nil {
		all = append(all, addend{piece{of: j.key(sc.room, part)},
			func(ctx context.Context, part image.Rectangle) ([]glow.Term, error) {
				return j.term(ctx, sc.room, part)
			}})
	}
	return all
}

type spillRows struct {
	groups []spillGroup
	sums   []readySum // by group
	back   float32
}

func (r spillRows) done() {
	for _, s := range r.sums {
		s.Done()
	}
}

// giveBack takes dusk off where light falls, and makes of the light what the photo's own colours
// send back of it: what the row does for one group without a window. left is scratch memory of a
// value a pixel.
func giveBack(pix, plain, light, left []float32, back float32) {
	for i := range left {
		l := light[3*i : 3*i+3 : 3*i+3]
		if left[i] = colour.Luma(l[0], l[1], l[2]); left[i] <= none {
			left[i] = 0
		}
	}
	colour.ExpNegRow(left)
	for i, e := range left {
		p, q := pix[3*i:3*i+3:3*i+3], plain[3*i:3*i+3:3*i+3]
		k := back * (1 - e)
		p[0] += (q[0] - p[0]) * k
		p[1] += (q[1] - p[1]) * k
		p[2] += (q[2] - p[2]) * k
	}
	simd.Mul(light, plain)
}

// row writes to s.fall the light that comes back from the photo's own colours.
func (r spillRows) row(s *scratch, x0, _, y int) {
	plain := s.plain
	s.waits = true
	if r.back > 0 && len(r.groups) == 1 && r.groups[0].window == nil {
		s.tmp = r.sums[0].row(s.fall, 3, x0, y, s.tmp)
		giveBack(s.pix, plain, s.fall, s.backs(), r.back)
		return
	}
	if r.back > 0 {
		clear(s.backs())
	}
	for n := range r.sums {
		to := s.fall
		if n > 0 {
			if s.part == nil {
				s.part = make([]float32, len(s.fall))
			}
			to = s.part
		}
		s.tmp = r.sums[n].row(to, 3, x0, y, s.tmp)
		window := r.groups[n].window
		if r.back > 0 {
			for i := range s.back {
				e := colour.Luma(to[3*i], to[3*i+1], to[3*i+2])
				if window != nil {
					e *= window[int(colour.Display.At(colour.Luma(plain[3*i], plain[3*i+1],
						plain[3*i+2]))*255+0.5)]
				}
				s.back[i] += e
			}
		}
		if window != nil {
			for i := 0; i+2 < len(to); i += 3 {
				k := window[int(colour.Display.At(colour.Luma(plain[i], plain[i+1],
					plain[i+2]))*255+0.5)]
				to[i], to[i+1], to[i+2] = to[i]*plain[i]*k, to[i+1]*plain[i+1]*k,
					to[i+2]*plain[i+2]*k
			}
		} else {
			simd.Mul(to, plain)
		}
		if n > 0 {
			simd.Add(s.fall, to)
		}
	}
	if r.back <= 0 {
		return
	}
	for i, e := range s.back {
		if e > none {
			// The darkness of dusk gives way where light falls.
			k := r.back * (1 - colour.ExpNeg(e))
			p, q := s.pix[3*i:3*i+3:3*i+3], plain[3*i:3*i+3:3*i+3]
			p[0] += (q[0] - p[0]) * k
			p[1] += (q[1] - p[1]) * k
			p[2] += (q[2] - p[2]) * k
		}
	}
}
