package render

import (
	"context"
	"fmt"
	"image"
	"maps"
	"math"
	"slices"
	"strings"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/raster"
	"pyrant/internal/light/glow"
	"pyrant/internal/light/spill"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
)

// spillStage finds the light that surfaces send back in the colours of the photo
// before dusk. It waits for the shells, to join with them.
type spillStage struct {
	groups []spillGroup
	back   float32 // how far dusk is taken off where spill falls
}

// spillGroup is the spill of all lights that share a tone window, and what carries them.
type spillGroup struct {
	veil   veil // of what carries them
	tone   area.ToneWindow
	middle float64       // of the ramp that the colours are a part of; 0 for none
	part   int           // which
	window *[257]float32 // by display brightness; nil where all is let through
	lights []*litLight
	spills []*lightSpill
	colour [][3]float32
}

func (st *spillStage) prepare(ctx context.Context, p *plan) (bool, error) {
	if !p.q.Recipe.Spill.On {
		return false, nil
	}
	spills, err := p.spills(ctx)
	if err != nil {
		return false, err
	}
	for i, ll := range p.lights {
		sp := spills[i]
		if sp == nil {
			continue
		}
		if err := st.touchUp(ctx, p, ll, sp); err != nil {
			return false, err
		}
		st.add(p, ll, sp, sp.power)
	}
	if !p.layer.black && p.remade {
		st.back = float32(p.q.Recipe.Dusk.Back.Spill)
	}
	return len(st.groups) > 0, nil
}

// inDaylight returns what light does to the photo's colours, which have the tint of the daylight
// that they were taken in: so much less of it, at the same luminance of white.
func (p *plan) inDaylight(c colour.RGB) colour.RGB {
	m := &p.q.Recipe.Spill
	if m.Red == 0 && m.Blue == 0 {
		return c
	}
	r, b := float32(math.Exp2(-m.Red)), float32(math.Exp2(-m.Blue))
	k := 1 / colour.Luma(r, 1, b)
	return colour.RGB{R: c.R * r * k, G: c.G * k, B: c.B * b * k}
}

// lightSpill is what a light gives to its surroundings.
type lightSpill struct {
	power   float32
	room    *inRoom // that it falls in; nil for the plain mode
	field   *lightField
	painted area.Ref // of new light: where it was painted
	source  *spill.Source
	veil    veil // of what carries the light
}

// spills returns the spill of each light, nil for none, worked out side by side.
func (p *plan) spills(ctx context.Context) ([]*lightSpill, error) {
	out := make([]*lightSpill, len(p.lights))
	for i := range p.q.Recipe.Lights {
		if p.q.Recipe.Room.On {
			p.standKey(i) // which is noted down, and not made by two
		}
	}
	if slices.ContainsFunc(p.lights, func(ll *litLight) bool { return p.spillPower(ll) > 0 }) {
		if _, err := p.openRoom(ctx); err != nil {
			return nil, err
		}
	}
	return out, raster.Try(ctx, len(out), func(i int) (err error) {
		out[i], err = p.spillOf(ctx, p.lights[i])
		return err
	})
}

// spillPower returns how strong the spill of a light is; 0 for none.
func (p *plan) spillPower(ll *litLight) float32 {
	if !ll.l.Spill.On {
		return 0
	}
	return float32(ll.l.Gain() * p.q.Recipe.Spill.Level * ll.l.Spill.Strength)
}

// spillOf returns the spill of a light, nil for none.
func (p *plan) spillOf(ctx context.Context, ll *litLight) (*lightSpill, error) {
	k := p.spillPower(ll)
	if k <= 0 {
		return nil, nil
	}
	m, err := p.openRoom(ctx)
	if err != nil {
		return nil, err
	}
	if m != nil {
		f, err := p.shineIn(ctx, m, ll)
		return &lightSpill{power: k * roomPower, room: m, field: f,
			veil: p.touched(&ll.l.Spill)}, err
	}
	source, err := p.source(ctx, ll)
	return &lightSpill{power: k, source: source, veil: p.touched(&ll.l.Spill)}, err
}

// source returns a light's shapes as what gives spill.
func (p *plan) source(ctx context.Context, ll *litLight) (*spill.Source, error) {
	return get(ctx, p, "spill", p.spillSource(ll))
}

func (p *plan) spillSource(ll *litLight) spillSource {
	return spillSource{ll.input(p.cache), ll.l.Spill.Reach, ll.l.Spill.Height}
}

// plainKey names what a light gives without a room, apart from its colour.
func plainKey(ll *litLight) string {
	return fmt.Sprintf("%s %g %g", ll.key, ll.l.Spill.Reach, ll.l.Spill.Height)
}

// key names what a light gives, apart from its colour.
func (sp *lightSpill) key(p *plan, ll *litLight) string {
	if sp.painted != "" {
		return "painted " + p.q.Recipe.Area(sp.painted).Key(world{plan: p})
	}
	if sp.room != nil {
		return sp.field.key + " " + p.fallKey() // what of it comes back to the eye
	}
	return plainKey(ll)
}

// irradiance returns what a light's spill gives, over all that part of the picture needs, to be
// weighted; once tells that each row is wanted once.
func (p *plan) irradiance(ctx context.Context, ll *litLight, sp *lightSpill, part image.Rectangle,
	once bool, weight ...float32) ([]glow.Term, error) {
	if sp.painted != "" {
		f, err := p.area(ctx, sp.painted, part)
		return []glow.Term{{Field: f, Weight: weight}}, err
	}
	if sp.room != nil {
		return p.inRoomTerms(ctx, sp.room, sp.field, part, once, weight...)
	}
	level := sp.source.Level(p.scale)
	f, err := get(ctx, p, "spill",
		spillField{p.spillSource(ll), p.scale, level, shrink(p.frame, level)})
	return []glow.Term{{Level: level, Field: f, Weight: weight}}, err
}

// carrier returns how far spill is kept off what carries a light.
func (p *plan) carrier(sp *recipe.Spill) (v veil) {
	if sp.Carrier == "" || sp.Onto >= 1 {
		return v
	}
	part := veilPart{area: blockArea(p.q.Recipe, &recipe.Blocker{Area: sp.Carrier}, 0),
		shells: float32(1 - sp.Onto)}
	return veil{[]veilPart{part}, fmt.Sprintf("carrier %s %g",
		part.area.Key(world{plan: p, solid: true}), sp.Onto)}
}

// touched returns the veil of spill: what carries the light, and what is touched up to less or
// more.
func (p *plan) touched(sp *recipe.Spill) veil {
	v := p.carrier(sp)
	for i := range sp.Touches {
		t := &sp.Touches[i]
		if !t.On || t.Does == recipe.NewSpill || t.Amount <= 0 {
			continue
		}
		k := float32(min(t.Amount, 1))
		if t.Does == recipe.MoreSpill {
			k = -float32(t.Amount)
		}
		part := veilPart{area: blockArea(p.q.Recipe, &recipe.Blocker{Area: t.Area}, 0), shells: k}
		v = veil{append(slices.Clip(v.list), part), fmt.Sprintf("%stouch %s %g ", v.key,
			part.area.Key(world{plan: p, solid: true}), k)}
	}
	// In the order of their names, so that the same recipe has the same key.
	for _, id := range slices.Sorted(maps.Keys(sp.Falls)) {
		k := float32(1 - sp.Falls[id].Amount)
		if k == 0 || !p.q.Recipe.Room.On || !p.q.Recipe.HasSurface(area.SurfaceRef(id)) {
			continue
		}
		part := veilPart{area: &area.Area{ID: "surface " + id,
			Parts: []area.Part{{On: true, Does: area.Add, Amount: 1,
				Of: area.Surface{Of: area.SurfaceRef(id)}}}}, shells: k}
		v = veil{append(slices.Clip(v.list), part), fmt.Sprintf("%sfalls %s %g ", v.key,
			part.area.Key(world{plan: p, solid: true}), k)}
	}
	return v
}

// touchUp adds what of a light's spill was painted by hand.
func (st *spillStage) touchUp(ctx context.Context, p *plan, ll *litLight, sp *lightSpill) error {
	for i := range ll.l.Spill.Touches {
		t := &ll.l.Spill.Touches[i]
		if !t.On || t.Does != recipe.NewSpill || t.Amount <= 0 {
			continue
		}
		st.add(p, ll, &lightSpill{painted: t.Area},
			float32(ll.l.Gain()*p.q.Recipe.Spill.Level*t.Amount))
	}
	return nil
}

// add puts a light's spill of some power into the groups of its colours.
func (st *spillStage) add(p *plan, ll *litLight, sp *lightSpill, power float32) {
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
		c = p.inDaylight(c.Scale(power))
		g.lights = append(g.lights, ll)
		g.spills = append(g.spills, sp)
		g.colour = append(g.colour, [3]float32{c.R, c.G, c.B})
	}
}

// group returns the group of a tone window, of a part of a ramp (with no middle for none), and of
// what carries its lights.
func (st *spillStage) group(tone area.ToneWindow, ramp recipe.Ramp, part int, v veil) *spillGroup {
	if tone.Whole() {
		tone = area.ToneWindow{High: 1}
	}
	for i := range st.groups {
		if g := &st.groups[i]; g.tone == tone && g.middle == ramp.Middle && g.part == part &&
			g.veil.key == v.key {
			return g
		}
	}
	g := spillGroup{tone: tone, middle: ramp.Middle, part: part, veil: v}
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

func (st *spillStage) collect(ctx context.Context, p *plan, part image.Rectangle) (rower, error) {
	r := spillRows{groups: st.groups, back: st.back}
	for _, g := range st.groups {
		var all []addend
		var j joint
		var of strings.Builder // names what j is of
		for n, sp := range g.spills {
			ll, c := g.lights[n], g.colour[n]
			if p.joins(sp) {
				j.room, j.fields, j.colours = sp.room, append(j.fields, sp.field),
					append(j.colours, c)
				fmt.Fprint(&of, sp.key(p, ll), c)
				continue
			}
			all = append(all, addend{piece{sp.key(p, ll), ll.l.Spill.Reach, c},
				func(ctx context.Context, part image.Rectangle) ([]glow.Term, error) {
					return p.irradiance(ctx, ll, sp, part, len(st.groups) == 1, c[:]...)
				}})
		}
		if j.room != nil {
			all = append(all, addend{piece{key: of.String()},
				func(ctx context.Context,
					part image.Rectangle) ([]glow.Term, error) {
					return j.term(ctx, p, part)
				}})
		}
		s, err := p.sum(ctx, fmt.Sprint("spill ", g.tone, g.middle, g.part, g.veil.key), all, part)
		if err != nil {
			return nil, err
		}
		over, err := g.veil.over(ctx, p, part)
		if err != nil {
			return nil, err
		}
		r.sums = append(r.sums, readySum{s, over})
	}
	return r, nil
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
	raster.Mul(light, plain)
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
			raster.Mul(to, plain)
		}
		if n > 0 {
			raster.Add(s.fall, to)
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
