package pass

import (
	"fmt"
	"image"
	"math"
	"sync"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/guided"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/area"
)

// Site is what passes need to know of the picture that they work on.
type Site struct {
	// Frame is the whole picture.
	Frame image.Rectangle
	// Gel returns the gel of a light, nil for one that is not there.
	Gel func(area.LightRef) *Gel
	// Guide returns the guide for the picture as it is before pass number n of the list,
	// for a radius in pixels of the photo.
	Guide func(n int, radius float64) (*guided.Filter, error)
	// Picture returns the rows of a picture as it lies, nil for one that is not there.
	Picture func(p Picture) (PictureRows, error)
}

// Program is a list of passes, ready for rows.
type Program struct {
	steps []step
	frame image.Rectangle
}

// step is a run of operations that join the picture together.
type step struct {
	ops      []op
	strength float32
	blend    func(cb, cs float32) float32 // nil for normal
	area     area.Ref
	outside  bool
	covers   interface {
		cover(k []float32, at *rowSite)
	} // what covers only a part of the picture; nil for none
}

// plain tells whether the step's operations can work on the picture itself.
func (s *step) plain() bool {
	return s.area == "" && s.strength == 1 && s.blend == nil && s.covers == nil
}

// op changes a row of linear light.
type op interface {
	row(pix []float32, at *rowSite)
}

// displayed is an op that works on display values, and so wants none above 1.
type displayed interface{ display() }

// rowSite is where a row lies, with memory for those who need some.
type rowSite struct {
	frame image.Rectangle
	x0, y int
	a, b  []float32
}

type compiler struct {
	site   Site
	before int // how many passes of the list come before the one that is compiled
	prog   *Program
	peak   float64 // the largest value that display white can have come to
}

// Compile makes a program of the passes that are on and change something. It fails only
// where the site does.
func Compile(list []Pass, site Site) (*Program, error) {
	c := &compiler{site: site, prog: &Program{frame: site.Frame}, peak: 1}
	for i := range list {
		p := &list[i]
		c.before = i
		if !p.On || p.Strength == 0 {
			continue
		}
		ops, err := p.Does.ops(c)
		if err != nil {
			return nil, err
		}
		if len(ops) == 0 && p.Joining == Normal {
			continue
		}
		c.add(p, ops)
	}
	if c.peak > 1 {
		c.plain(c.shoulder())
	}
	for i := range c.prog.steps {
		for _, o := range c.prog.steps[i].ops {
			if o, ok := o.(interface{ ready() }); ok {
				o.ready()
			}
		}
	}
	return c.prog, nil
}

// add joins the operations of one pass to the program.
func (c *compiler) add(p *Pass, ops []op) {
	s := step{strength: float32(p.Strength), area: p.Area, outside: p.Outside && p.Area != ""}
	for _, o := range ops {
		if o, ok := o.(*picture); ok {
			s.covers = o
		}
	}
	if p.Joining != Normal {
		s.blend = colour.Blend(string(p.Joining))
	}
	if s.area == "" && s.blend == nil && s.strength < 1 && len(ops) == 1 {
		// A part of a matrix is a matrix, a part of a table a table.
		if o, ok := ops[0].(interface{ part(k float64) op }); ok {
			ops[0], s.strength = o.part(p.Strength), 1
		}
	}
	if s.plain() {
		for _, o := range ops {
			if _, ok := o.(displayed); ok && c.peak > 1 {
				c.plain(c.shoulder())
			}
			c.plain(o)
			c.peak *= rise(o)
		}
		return
	}
	peak := c.peak
	for _, o := range ops {
		if _, ok := o.(displayed); ok && c.peak > 1 {
			s.ops = append(s.ops, c.shoulder())
		}
		s.ops = append(s.ops, o)
		c.peak *= rise(o)
	}
	if s.blend != nil && c.peak > 1 {
		s.ops = append(s.ops, c.shoulder())
	}
	c.peak = math.Max(peak+p.Strength*(c.peak-peak), peak)
	c.prog.steps = append(c.prog.steps, s)
}

// plain adds an operation on the whole picture, fused with the one before it if it can
// be.
func (c *compiler) plain(o op) {
	steps := c.prog.steps
	if n := len(steps); n > 0 && steps[n-1].plain() {
		last := &steps[n-1]
		k := len(last.ops) - 1
		if f, ok := last.ops[k].(interface{ then(op) op }); ok {
			if both := f.then(o); both != nil {
				last.ops[k] = both
				return
			}
		}
		last.ops = append(last.ops, o)
		return
	}
	c.prog.steps = append(steps, step{ops: []op{o}, strength: 1})
}

// shoulder returns the roll-off for what has come above 1.
func (c *compiler) shoulder() op {
	s := shoulder(1 / c.peak)
	c.peak = 1
	return s
}

// rise returns by how much an operation can raise display white.
func rise(o op) float64 {
	switch o := o.(type) {
	case *matrix:
		return math.Max(math.Max(o.m[0]+o.m[1]+o.m[2], o.m[3]+o.m[4]+o.m[5]), o.m[6]+o.m[7]+o.m[8])
	case *shade:
		return o.peak
	}
	return 1
}

// Empty tells whether the program leaves every picture as it is.
func (p *Program) Empty() bool { return len(p.steps) == 0 }

// Areas returns the areas that the program needs, one for each call that it makes: ""
// where a step works everywhere.
func (p *Program) Areas() []area.Ref {
	out := make([]area.Ref, len(p.steps))
	for i := range p.steps {
		out[i] = p.steps[i].area
	}
	return out
}

// Scratch is the memory of one goroutine.
type Scratch struct {
	site rowSite
	pix  []float32
	k    []float32
}

// Into writes to dst what Row makes of src.
func (p *Program) Into(s *Scratch, dst, src []float32, x0, y int, areas []*raster.Plane) {
	if len(p.steps) > 0 && p.steps[0].plain() {
		if m, ok := p.steps[0].ops[0].(*matrix); ok {
			m.into(dst, src)
			p.row(s, dst, x0, y, areas, 1)
			return
		}
	}
	copy(dst, src)
	p.row(s, dst, x0, y, areas, 0)
}

// Row changes the row y of a picture from column x0 on, three samples a pixel. areas
// holds the coverage of each of Areas, nil for "".
func (p *Program) Row(s *Scratch, pix []float32, x0, y int, areas []*raster.Plane) {
	p.row(s, pix, x0, y, areas, 0)
}

// row leaves out the first operations of the first step.
func (p *Program) row(s *Scratch, pix []float32, x0, y int, areas []*raster.Plane, done int) {
	n := len(pix) / 3
	s.site.frame, s.site.x0, s.site.y = p.frame, x0, y
	for i := range p.steps {
		st := &p.steps[i]
		if st.plain() {
			for _, o := range st.ops[done:] {
				o.row(pix, &s.site)
			}
			done = 0
			continue
		}
		if len(s.pix) < len(pix) {
			s.pix, s.k = make([]float32, len(pix)), make([]float32, n)
		}
		k := s.k[:n]
		a, b := 0, n
		if st.area == "" {
			for i := range k {
				k[i] = st.strength
			}
		} else {
			cover := areas[i].Row(y)[x0-areas[i].Rect.Min.X:]
			for i, v := range cover[:n] {
				if st.outside {
					v = 1 - v
				}
				k[i] = v * st.strength
			}
			for a < n && k[a] == 0 {
				a++
			}
			for b > a && k[b-1] == 0 {
				b--
			}
			if a == b {
				continue
			}
		}
		tmp := s.pix[:3*(b-a)]
		copy(tmp, pix[3*a:3*b])
		s.site.x0 = x0 + a
		for _, o := range st.ops {
			o.row(tmp, &s.site)
		}
		if st.covers != nil {
			st.covers.cover(k[a:b], &s.site)
		}
		s.site.x0 = x0
		st.join(pix[3*a:3*b], tmp, k[a:b])
	}
}

// join lets what the operations made of a row join the row by the amounts k.
func (st *step) join(pix, made, k []float32) {
	for i, k := range k {
		if k == 0 {
			continue
		}
		p, m := pix[3*i:3*i+3:3*i+3], made[3*i:3*i+3:3*i+3]
		if st.blend == nil {
			p[0] += (m[0] - p[0]) * k
			p[1] += (m[1] - p[1]) * k
			p[2] += (m[2] - p[2]) * k
			continue
		}
		for c, v := range p {
			d := colour.Display.At(v)
			p[c] = colour.Undisplay(d + (st.blend(d, colour.Display.At(m[c]))-d)*k)
		}
	}
}

// matrix is a matrix over linear light, by row.
type matrix struct {
	m [9]float64
	f [9]float32
}

var unit = [9]float64{1, 0, 0, 0, 1, 0, 0, 0, 1}

func (m *matrix) then(o op) op {
	if n, ok := o.(*matrix); ok {
		return &matrix{m: colour.Mul(n.m, m.m)}
	}
	return nil
}

func (m *matrix) part(k float64) op {
	out := &matrix{}
	for i, v := range m.m {
		out.m[i] = unit[i] + k*(v-unit[i])
	}
	return out
}

func (m *matrix) ready() {
	for i, v := range m.m {
		m.f[i] = float32(v)
	}
}

func (m *matrix) row(pix []float32, _ *rowSite) { m.into(pix, pix) }

func (m *matrix) into(dst, src []float32) {
	f := m.f // a copy: dst could otherwise be part of it for all the compiler knows
	dst = dst[:len(src)]
	for i := 0; i+2 < len(src); i += 3 {
		q, p := src[i:i+3:i+3], dst[i:i+3:i+3]
		r, g, b := q[0], q[1], q[2]
		p[0] = f[0]*r + f[1]*g + f[2]*b
		p[1] = f[3]*r + f[4]*g + f[5]*b
		p[2] = f[6]*r + f[7]*g + f[8]*b
	}
}

// shoulder leaves values below the knee alone and bends what is above so that it nears
// 1 without reaching it; both pieces meet with slope 1.
type shoulder float32

func (s shoulder) row(pix []float32, _ *rowSite) {
	knee := float32(s)
	t := 1 - knee
	for i, v := range pix {
		switch {
		case v <= knee:
		case t < 1e-4:
			pix[i] = min(v, 1)
		default:
			pix[i] = knee + t*(1-colour.ExpNeg((v-knee)/t))
		}
	}
}

// table is a function of display values for each channel; nil leaves a channel alone.
type table struct {
	f    [3]func(d float64) float64
	same bool   // all channels have the same
	key  string // names the functions
	lut  [3]*lut
}

func sameTable(f func(float64) float64, key string) *table {
	return &table{f: [3]func(float64) float64{f, f, f}, same: true, key: key}
}

func (*table) display() {}

func (t *table) then(o op) op {
	n, ok := o.(*table)
	if !ok {
		return nil
	}
	both := &table{same: t.same && n.same, key: t.key + " then " + n.key}
	for i := range both.f {
		f, g := t.f[i], n.f[i]
		switch {
		case f == nil:
			both.f[i] = g
		case g == nil:
			both.f[i] = f
		default:
			both.f[i] = func(d float64) float64 { return g(f(d)) }
		}
	}
	return both
}

func (t *table) part(k float64) op {
	out := &table{same: t.same, key: fmt.Sprintf("(%s)*%g", t.key, k)}
	for i, f := range t.f {
		if f == nil {
			continue
		}
		out.f[i] = func(d float64) float64 {
			v := colour.SRGBToLinear(d)
			return colour.LinearToSRGB(v + k*(colour.SRGBToLinear(f(d))-v))
		}
	}
	return out
}

// luts keeps tables, as most of them are those of the frame before: to work one out takes
// half a millisecond. When there are many all are thrown away.
var luts = struct {
	sync.Mutex
	m map[string]*lut
}{m: map[string]*lut{}}

const mostLUTs = 128

func (t *table) ready() {
	for i, f := range t.f {
		switch {
		case f == nil:
			continue
		case i > 0 && t.same:
			t.lut[i] = t.lut[0]
			continue
		}
		key := fmt.Sprint(i, " ", t.key)
		luts.Lock()
		l := luts.m[key]
		luts.Unlock()
		if l == nil {
			l = newLUT(f)
			luts.Lock()
			if len(luts.m) >= mostLUTs {
				clear(luts.m)
			}
			luts.m[key] = l
			luts.Unlock()
		}
		t.lut[i] = l
	}
}

func (t *table) row(pix []float32, _ *rowSite) {
	r, g, b := t.lut[0], t.lut[1], t.lut[2]
	if r != nil && g != nil && b != nil {
		for i := 0; i+2 < len(pix); i += 3 {
			p := pix[i : i+3 : i+3]
			p[0], p[1], p[2] = r.at(p[0]), g.at(p[1]), b.at(p[2])
		}
		return
	}
	for c, l := range t.lut {
		if l == nil {
			continue
		}
		for i := c; i < len(pix); i += 3 {
			pix[i] = l.at(pix[i])
		}
	}
}

// lut maps linear light in [0, 1] to linear light by straight pieces, as many in each
// octave, so that black is as fine as white.
type lut struct {
	tab       [lutOctaves * lutSteps]struct{ at, slope float32 }
	low, high float32 // below and above the table
}

const (
	lutOctaves = 32
	lutSteps   = 128
	lutBase    = (127 - lutOctaves) * lutSteps
	lutLow     = lutBase << 16
	lutOne     = 127 << 23
)

// lutNodes are the ends of the pieces of every table, and their display values.
var lutNodes = func() (t [lutOctaves*lutSteps + 1]struct{ x, d float64 }) {
	for i := range t {
		t[i].x = float64(math.Float32frombits(uint32(i+lutBase) << 16))
		t[i].d = colour.LinearToSRGB(t[i].x)
	}
	return
}()

func newLUT(f func(d float64) float64) *lut {
	g := func(d float64) float64 { return colour.SRGBToLinear(math.Min(math.Max(f(d), 0), 1)) }
	l := &lut{low: float32(g(0)), high: float32(g(1))}
	x0, y0 := lutNodes[0].x, g(lutNodes[0].d)
	for i := range l.tab {
		x1, y1 := lutNodes[i+1].x, g(lutNodes[i+1].d)
		m := (y1 - y0) / (x1 - x0)
		l.tab[i].at, l.tab[i].slope = float32(y0-m*x0), float32(m)
		x0, y0 = x1, y1
	}
	return l
}

func (l *lut) at(x float32) float32 {
	b := math.Float32bits(x)
	if b-lutLow >= lutOne-lutLow {
		if x >= 1 {
			return l.high
		}
		return l.low
	}
	s := &l.tab[(b>>16-lutBase)&(lutOctaves*lutSteps-1)]
	return s.at + s.slope*x
}
