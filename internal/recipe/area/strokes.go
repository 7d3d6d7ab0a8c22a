package area

import (
	"context"
	"encoding/binary"
	"image"
	"math"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/raster"
	"pyrant/internal/recipe/setting"
)

// Strokes is what was painted, stroke by stroke.
//
// Within one stroke a place is covered by how near the line comes to it, so that the
// spacing of the pointer's samples leaves no beads; strokes that cross build up by
// 1 − (1−a)·(1−b).
type Strokes struct {
	Strokes []Stroke `json:"strokes" label:"Strokes" row:"own" count:"0..500" each:"stroke" title:"*"`
}

// Stroke is one line of the brush.
type Stroke struct {
	ID       string            `json:"id,omitzero" row:"own" key:"-" count:"0..64" doc:"unique in its list, never shown"`
	Erase    bool              `json:"erase,omitzero" label:"Erase" doc:"subtracts from the strokes before it"`
	Diameter float64           `json:"diameter" label:"Diameter" unit:"px" range:"0.01..2L" slider:"L/1000..L/3 log" default:"L/20" step:"0.1"`
	Softness float64           `json:"softness" label:"Softness" unit:"%" range:"0..1" default:"0.6" step:"0.01" doc:"share of the brush that fades out at its rim"`
	Flow     float64           `json:"flow" label:"Flow" unit:"%" range:"0..1" default:"1" step:"0.01" doc:"coverage of one stroke"`
	Pen      Pen               `json:"pen" label:"Pen pressure" default:"flow" doc:"what the pressure of a pen changes"`
	Points   setting.List[Dab] `json:"points" label:"Points" count:"1..30000" each:"point" doc:"points closer than 0.25 px to the line between their neighbours are left out"`
}

// Pen is what pressure changes.
type Pen string

// What pressure can change.
const (
	PenFlow  Pen = "flow"
	PenWidth Pen = "width"
)

// Choices returns what pressure can change.
func (Pen) Choices() []setting.Choice {
	return []setting.Choice{{Value: string(PenFlow), Label: "Flow"}, {Value: string(PenWidth),
		Label: "Width"}}
}

// Dab is one point of a stroke.
type Dab struct {
	X float64 `json:"x" label:"X" unit:"px" range:"-W..2W"`
	Y float64 `json:"y" label:"Y" unit:"px" range:"-H..2H"`
	P float64 `json:"p" label:"Pressure" range:"0..1" default:"1"`
}

// AppendBinary writes the point as a list does.
func (d Dab) AppendBinary(b []byte) ([]byte, error) {
	for _, v := range [...]float64{d.X, d.Y, d.P} {
		b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v))
	}
	return b, nil
}

// mostDepth is how many masks of strokes may stand on one another.
const mostDepth = 16

// strokeTile is the edge in pixels of the squares in which strokes are computed, fixed
// to the picture's origin, so that a pixel has the same value in every viewport.
const strokeTile = 64

// strokeMask is the coverage of strokes at one scale, over that of others.
type strokeMask struct {
	under  coverage.Mask // nil for none
	depth  int           // how many masks lie under it
	list   []line
	bounds image.Rectangle
	tiles  *coverage.Tiles[[]float32] // nil where nothing is covered
}

// line is a stroke in pixels of the picture.
type line struct {
	points       []Dab
	r            float64 // half its width
	inner, outer float64 // full up to the one, nothing from the other on, against r
	flow         float32
	erase, width bool // width: pressure changes it, and not the flow
	even         bool // one pressure all along
	rect         image.Rectangle
	soft         *[softSteps + 1]float32 // the fall by the square of the distance
	toSoft       float32
}

// leastRadius is the half-width in pixels below which a stroke gets fainter, not
// thinner.
const leastRadius = 0.5

func newLine(s *Stroke, scale float64) line {
	l := line{r: s.Diameter * scale / 2, flow: float32(s.Flow), erase: s.Erase,
		width: s.Pen == PenWidth, even: true}
	if l.r < leastRadius {
		l.flow *= float32(l.r / leastRadius)
		l.r = leastRadius
	}
	// An edge is as soft as a pixel is wide, half of it to either side.
	l.inner, l.outer = (1-s.Softness)*l.r, l.r
	if l.outer-l.inner < 1 {
		mid := (l.outer + l.inner) / 2
		l.inner, l.outer = math.Max(mid-0.5, 0), mid+0.5
	}
	pts := s.Points.All()
	l.points = make([]Dab, 0, len(pts))
	lo, hi := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for i, p := range pts {
		p.X, p.Y = p.X*scale, p.Y*scale
		if i > 0 {
			// Where pressure changes, what counts most need not be what is nearest: short
			// pieces make up for that, however far apart the samples lie.
			q := l.points[len(l.points)-1]
			n := math.Ceil(math.Abs(p.P-q.P) * 48)
			for k := 1.0; k < n; k++ {
				t := k / n
				l.points = append(l.points, Dab{q.X + (p.X-q.X)*t, q.Y + (p.Y-q.Y)*t,
					q.P + (p.P-q.P)*t})
			}
		}
		l.points = append(l.points, p)
		l.even = l.even && p.P == pts[0].P
		lo[0], lo[1] = math.Min(lo[0], p.X), math.Min(lo[1], p.Y)
		hi[0], hi[1] = math.Max(hi[0], p.X), math.Max(hi[1], p.Y)
	}
	if len(pts) > 0 {
		l.rect = image.Rect(int(math.Floor(lo[0]-l.outer)), int(math.Floor(lo[1]-l.outer)),
			int(math.Ceil(hi[0]+l.outer)), int(math.Ceil(hi[1]+l.outer)))
	}
	l.prepare()
	return l
}

// Brush returns the coverage of strokes at a scale, for what is painted elsewhere than in an area.
func Brush(strokes []Stroke, scale float64) coverage.Mask {
	return newStrokeMask(strokes, nil, scale)
}

// BrushOver returns the coverage of strokes at a scale. under is the mask of all of them but the
// last, as Brush or BrushOver made it. Each mask that lies over another keeps it; now and then all
// are painted anew.
func BrushOver(under coverage.Mask, strokes []Stroke, scale float64) coverage.Mask {
	if u, ok := under.(*strokeMask); ok && u.depth >= mostDepth {
		return newStrokeMask(strokes, nil, scale)
	}
	return newStrokeMask(strokes[len(strokes)-1:], under, scale)
}

func newStrokeMask(strokes []Stroke, under coverage.Mask, scale float64) *strokeMask {
	m := &strokeMask{under: under}
	m.tiles = coverage.NewTiles(strokeTile, m.paint)
	if under != nil {
		m.bounds = under.Bounds()
		if u, ok := under.(*strokeMask); ok {
			m.depth = u.depth + 1
		}
	}
	for i := range strokes {
		l := newLine(&strokes[i], scale)
		m.list = append(m.list, l)
		if !l.erase {
			m.bounds = m.bounds.Union(l.rect)
		}
	}
	return m
}

func (m *strokeMask) Bounds() image.Rectangle { return m.bounds }

func (m *strokeMask) Bytes() int64 {
	n := m.tiles.Bytes()
	for i := range m.list {
		n += int64(len(m.list[i].points)) * 24
	}
	return n
}

func (m *strokeMask) Drop(y int) {
	m.tiles.Drop(y)
	if m.under != nil {
		m.under.Drop(y)
	}
}

func (m *strokeMask) Fill(dst []float32, x0, y int) {
	clear(dst)
	if y < m.bounds.Min.Y || y >= m.bounds.Max.Y {
		return
	}
	for x, x1 := max(x0, m.bounds.Min.X), min(x0+len(dst), m.bounds.Max.X); x < x1; {
		pix, first, end := m.tiles.Run(x, x1, y)
		if pix != nil {
			copy(dst[x-x0:end-x0], pix[(y-first.Y)*strokeTile+x-first.X:])
		}
		x = end
	}
}

// Prepare paints the tiles of r, on all cores: rows that come one after the other would wait for
// each other's tiles.
func (m *strokeMask) Prepare(ctx context.Context, r image.Rectangle) error {
	r = r.Intersect(m.bounds)
	if r.Empty() {
		return nil
	}
	x0, x1 := raster.FloorDiv(r.Min.X, strokeTile), raster.FloorDiv(r.Max.X-1, strokeTile)+1
	y0, y1 := raster.FloorDiv(r.Min.Y, strokeTile), raster.FloorDiv(r.Max.Y-1, strokeTile)+1
	n := x1 - x0
	return raster.Each(ctx, n*(y1-y0), func(i int) { m.tiles.At(image.Pt(x0+i%n, y0+i/n)) })
}

// paint returns the coverage of one tile.
func (m *strokeMask) paint(at image.Point) ([]float32, int64) {
	r := image.Rect(0, 0, strokeTile, strokeTile).Add(at.Mul(strokeTile))
	var pix []float32
	if m.under != nil && m.under.Bounds().Overlaps(r) {
		pix = make([]float32, strokeTile*strokeTile)
		any := false
		for y := range strokeTile {
			row := pix[y*strokeTile : (y+1)*strokeTile]
			m.under.Fill(row, r.Min.X, r.Min.Y+y)
			for _, v := range row {
				any = any || v > 0
			}
		}
		if !any {
			pix = nil
		}
	}
	var one [strokeTile * strokeTile]float32
	for i := range m.list {
		l := &m.list[i]
		if !l.rect.Overlaps(r) || l.erase && pix == nil {
			continue
		}
		if !l.cover(&one, r) {
			continue
		}
		if pix == nil {
			pix = make([]float32, strokeTile*strokeTile)
		}
		if l.erase {
			coverage.Subtract(pix, one[:])
		} else {
			coverage.Add(pix, one[:])
		}
	}
	return pix, 4 * int64(len(pix))
}

// piece is one straight piece of a line, from the tile's corner.
type piece struct{ x, y, dx, dy, inv, p, dp, top, bottom float32 }

// cover writes the coverage of one line over the tile r, and tells whether there is
// any.
func (l *line) cover(dst *[strokeTile * strokeTile]float32, r image.Rectangle) bool {
	near := image.Rectangle{}
	reach := float32(l.outer)
	var pieces []piece
	add := func(a, b Dab) {
		p := piece{x: float32(a.X - float64(r.Min.X)), y: float32(a.Y - float64(r.Min.Y)),
			dx: float32(b.X - a.X), dy: float32(b.Y - a.Y), p: float32(a.P), dp: float32(b.P - a.P)}
		left, right := min(p.x, p.x+p.dx)-reach, max(p.x, p.x+p.dx)+reach
		p.top, p.bottom = min(p.y, p.y+p.dy)-reach, max(p.y, p.y+p.dy)+reach
		if left >= strokeTile || right <= 0 || p.top >= strokeTile || p.bottom <= 0 {
			return
		}
		if d := p.dx*p.dx + p.dy*p.dy; d > 0 {
			p.inv = 1 / d
		}
		pieces = append(pieces, p)
		near = near.Union(image.Rect(int(max(left, 0)), int(max(p.top, 0)),
			int(min(right+1, strokeTile)), int(min(p.bottom+1, strokeTile))))
	}
	if len(l.points) == 1 {
		add(l.points[0], l.points[0])
	}
	for i := 1; i < len(l.points); i++ {
		add(l.points[i-1], l.points[i])
	}
	if len(pieces) == 0 {
		return false
	}
	clear(dst[:])
	any := false
	even := l.even && !(l.width && pieces[0].p < 1)
	flow := l.flow
	if even && !l.width {
		flow *= pieces[0].p
	}
	row := make([]piece, 0, len(pieces))
	var far [strokeTile]float32
	for y := near.Min.Y; y < near.Max.Y; y++ {
		py := float32(y) + 0.5
		row = row[:0]
		x0, x1 := strokeTile, 0
		for i := range pieces {
			p := &pieces[i]
			if py <= p.top || py >= p.bottom {
				continue
			}
			a, b := p.reach(py, reach)
			if a >= b {
				continue
			}
			x0, x1 = min(x0, a), max(x1, b)
			if !even {
				row = append(row, *p)
				continue
			}
			if len(row) == 0 {
				for x := range far {
					far[x] = reach * reach
				}
			}
			row = append(row, *p)
			p.nearer(far[a:b], float32(a)+0.5, py)
		}
		if len(row) == 0 {
			continue
		}
		out := dst[y*strokeTile : (y+1)*strokeTile]
		any = true
		if even {
			for x := x0; x < x1; x++ {
				out[x] = flow * l.profile(far[x])
			}
			continue
		}
		for x := x0; x < x1; x++ {
			out[x] = l.at(row, float32(x)+0.5, py)
		}
	}
	return any
}

// reach returns the columns of the tile in the row y that may lie within a distance of
// the piece.
func (p *piece) reach(y, within float32) (int, int) {
	// The part of the piece that is no further from the row than that.
	t0, t1 := float32(0), float32(1)
	if p.dy != 0 {
		a, b := (y-within-p.y)/p.dy, (y+within-p.y)/p.dy
		t0, t1 = max(min(a, b), 0), min(max(a, b), 1)
	}
	a, b := p.x+t0*p.dx, p.x+t1*p.dx
	lo, hi := min(a, b)-within, max(a, b)+within
	return int(min(max(lo, 0), strokeTile)), int(min(max(hi+1, 0), strokeTile))
}

// nearer lowers the squares of distances in a row, from the place (x, y) on, to those from
// the piece where they are less.
func (p *piece) nearer(far []float32, x, y float32) {
	u, v := x-p.x, y-p.y
	dx, dy := p.dx, p.dy
	t0, step := (u*dx+v*dy)*p.inv, dx*p.inv
	for i := range far {
		k := float32(i)
		t := min(max(t0+step*k, 0), 1)
		a, b := u+k-t*dx, v-t*dy
		far[i] = min(far[i], a*a+b*b)
	}
}

// profile returns the fall at the square of a distance, from a table where the fall is soft
// enough for one.
func (l *line) profile(d2 float32) float32 {
	if l.soft == nil {
		return fall(float32(math.Sqrt(float64(d2))), float32(l.inner), float32(l.outer))
	}
	f := d2 * l.toSoft
	i := int(f)
	if i >= softSteps {
		return 0
	}
	a, b := l.soft[i], l.soft[i+1]
	return a + (b-a)*(f-float32(i))
}

const softSteps = 1024

// prepare makes the table of the line's fall.
func (l *line) prepare() {
	if l.outer-l.inner < 0.15*l.outer || l.outer < 4 {
		return
	}
	l.soft = new([softSteps + 1]float32)
	l.toSoft = float32(softSteps / (l.outer * l.outer))
	for i := range l.soft {
		l.soft[i] = fall(float32(l.outer*math.Sqrt(float64(i)/softSteps)), float32(l.inner),
			float32(l.outer))
	}
}

// at returns the coverage of a place by pieces whose pressure changes.
func (l *line) at(pieces []piece, x, y float32) float32 {
	inner, outer := float32(l.inner), float32(l.outer)
	var best float32
	for i := range pieces {
		t, d2 := pieces[i].nearest(x, y)
		if d2 >= outer*outer {
			continue
		}
		d, p := float32(math.Sqrt(float64(d2))), pieces[i].p+t*pieces[i].dp
		if l.width {
			// The soft part shrinks with the width, the edge stays a pixel wide.
			r := float32(l.r)
			cut := r * (1 - p)
			in, out := inner*p, max(outer-cut, 0)
			if out-in < 1 {
				mid := (out + in) / 2
				in, out = max(mid-0.5, 0), mid+0.5
			}
			thin := min(r*p/leastRadius, 1)
			best = max(best, thin*fall(d, in, out))
		} else {
			if q := pieces[i].dp; d2 < inner*inner && q != 0 {
				// All of the full middle counts alike: the strongest in it does.
				foot, off := pieces[i].foot(x, y)
				by := float32(math.Sqrt(float64(max(inner*inner-off, 0) * pieces[i].inv)))
				if q < 0 {
					by = -by
				}
				p = pieces[i].p + min(max(foot+by, 0), 1)*q
			}
			best = max(best, p*fall(d, inner, outer))
		}
	}
	return l.flow * best
}

// nearest returns where on the piece the nearest point lies, from 0 to 1, and the
// square of its distance.
func (p *piece) nearest(x, y float32) (t, d2 float32) {
	u, v := x-p.x, y-p.y
	t = min(max((u*p.dx+v*p.dy)*p.inv, 0), 1)
	u, v = u-t*p.dx, v-t*p.dy
	return t, u*u + v*v
}

// foot returns where on the line of the piece, ends left aside, the nearest point lies,
// and the square of its distance.
func (p *piece) foot(x, y float32) (t, d2 float32) {
	u, v := x-p.x, y-p.y
	t = (u*p.dx + v*p.dy) * p.inv
	u, v = u-t*p.dx, v-t*p.dy
	return t, u*u + v*v
}

// fall is the profile of a stroke: 1 up to inner, 0 from outer on. An edge of about a
// pixel falls evenly, as the area that it covers of a pixel does.
func fall(d, inner, outer float32) float32 {
	t := min(max((outer-d)/(outer-inner), 0), 1)
	if outer-inner <= 1.01 {
		return t
	}
	return raster.Smoothstep(t)
}
