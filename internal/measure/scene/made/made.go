// Package made makes scenes up, of which the truth is known because it is worked out: a room by
// chance, with a figure, posts, crates, tables and a rope of the Tidewatch Players and lights among
// them, what a user would mark of it, and what each light does there, followed ray by ray. Spill is
// measured against many of them, so that nothing is set to suit one photo.
package made

import (
	"fmt"
	"math"
	"math/rand/v2"

	"pyrant/internal/base/camera"
	"pyrant/internal/measure/scene"
	"pyrant/internal/measure/tracer"
)

// Width and Height are the frame that marks are in.
const (
	Width  = 1500
	Height = 1000
)

// Scene is a scene that was made up.
type Scene struct {
	Marks  scene.Scene
	Truth  tracer.Scene
	Camera camera.Camera

	eye         float64
	right, fore camera.Vec
	r           *rand.Rand
	taken       []circle
	back        float64 // how far away the back wall is, straight ahead
	yaw         float64 // and by how much it is turned
	side        float64 // where the side wall is, right of the camera; 0 for none
	tall        float64 // of the walls
	figures     []figure
	stand       []circle // of things, in their order
	platforms   []platform
}

// circle is a place of the floor that something stands on, in metres.
type circle struct{ x, y, r float64 }

type figure struct {
	circle
	tall, face float64
	name       string
}

type platform struct {
	circle
	high float64
	name string
}

// Make makes the scene of a seed.
func Make(seed uint64) *Scene {
	s := &Scene{r: rand.New(rand.NewPCG(seed, 12))}
	s.Marks = scene.Scene{Width: Width, Height: Height, Picture: "plain.png", Plain: "plain.hdr"}
	s.camera()
	s.room()
	s.daylight()
	s.figure("figure")
	for i := range 1 + s.r.IntN(2) {
		s.platform(fmt.Sprintf("crate_%c", 'a'+i), i == 1 || s.chance(0.3))
	}
	for i := range 1 + s.r.IntN(3) {
		s.post(fmt.Sprintf("post_%c", 'a'+i))
	}
	s.panels()
	s.rod()
	s.lamp()
	s.sign()
	s.string()
	s.coil("coil")
	s.Truth.Ready()
	return s
}

func (s *Scene) chance(p float64) bool { return s.r.Float64() < p }

func (s *Scene) from(a, b float64) float64 { return a + (b-a)*s.r.Float64() }

// camera takes a height, a field of view and a horizon, under which half of the floor before the
// back wall is seen.
func (s *Scene) camera() {
	s.eye, s.back = s.from(1, 1.9), s.from(4.2, 7.5)
	focal := camera.FocalOf(s.from(40, 72), Width)
	horizon := math.Min(s.from(0.2, 0.48)*Height, Height-focal*s.eye/(0.5*s.back))
	s.Camera = camera.Level(Width, Height, horizon, s.from(-1.5, 1.5), focal)
	s.fore = s.Camera.Level(camera.Vec{Z: 1})
	s.right = s.Camera.Up.Mul(-1).Cross(s.fore)
	if s.right.X < 0 {
		s.right = s.right.Mul(-1)
	}
}

// at returns the place that lies so far to the right, ahead, and over the floor, in metres, as the
// camera sees it.
func (s *Scene) at(x, y, z float64) camera.Vec {
	return s.right.Mul(x).Add(s.fore.Mul(y)).Add(s.Camera.Up.Mul(z - s.eye))
}

// way is at for directions.
func (s *Scene) way(x, y, z float64) camera.Vec {
	return s.right.Mul(x).Add(s.fore.Mul(y)).Add(s.Camera.Up.Mul(z))
}

// px returns where a place is seen, in pixels of the frame.
func (s *Scene) px(x, y, z float64) [2]float64 {
	u, v, ok := s.Camera.Project(s.at(x, y, z))
	if !ok {
		return [2]float64{-1e4, -1e4}
	}
	return [2]float64{math.Round(100*u) / 100, math.Round(100*v) / 100}
}

func seen(p [2]float64, margin float64) bool {
	return p[0] > margin && p[1] > margin && p[0] < Width-margin && p[1] < Height-margin
}

func (s *Scene) add(b tracer.Body, name, shines string, albedo func(camera.Vec) float64) {
	s.Truth.Parts = append(s.Truth.Parts, tracer.Part{Body: b, Name: name, Shines: shines,
		Albedo: albedo})
}

func even(v float64) func(camera.Vec) float64 { return func(camera.Vec) float64 { return v } }

// speckle is noise on cubes of a size, even between their corners, in [0, 1].
func speckle(x, y, z float64) float64 {
	h := func(i, j, k float64) float64 {
		n := uint64(int64(i)*73856093^int64(j)*19349663^int64(k)*83492791) * 0x9E3779B97F4A7C15
		n ^= n >> 31
		n *= 0xBF58476D1CE4E5B9
		return float64(n>>40) / (1 << 24)
	}
	i, j, k := math.Floor(x), math.Floor(y), math.Floor(z)
	sum := 0.0
	for c := range 8 {
		a, b, d := float64(c&1), float64(c>>1&1), float64(c>>2)
		sum += h(i+a, j+b,
			k+d) * (1 - math.Abs(x-i-a)) * (1 - math.Abs(y-j-b)) * (1 - math.Abs(z-k-d))
	}
	return sum
}

// planks is wood in boards along one direction, stone in blocks if both widths are short.
func (s *Scene) planks(along, across camera.Vec, long, wide,
	base float64) func(camera.Vec) float64 {
	off := s.from(0, 100)
	return func(p camera.Vec) float64 {
		a, b := p.Dot(along)/long+off, p.Dot(across)/wide+off
		row := math.Floor(b)
		a += 0.37 * row
		v := base * (0.7 + 0.6*speckle(math.Floor(a)+0.5, row+0.5, 7.5)) * (0.9 + 0.2*speckle(9*a,
			9*b, 3))
		if b-row < 0.03 || (a-math.Floor(a))*long < 0.03*wide {
			v *= 0.35
		}
		return math.Min(v, 0.9)
	}
}

// room sets up floor and walls.
func (s *Scene) room() {
	s.yaw = s.from(-0.2, 0.2)
	ux, uy := math.Cos(s.yaw), math.Sin(s.yaw) // along the back wall
	far := 40.0
	u, v := s.way(ux, uy, 0), s.way(-uy, ux, 0)
	s.add(tracer.Sheet{P: s.at(0, 0, 0).Sub(u.Mul(far)).Sub(v.Mul(far)), U: u.Mul(2 * far),
		V: v.Mul(2 * far)}, "floor", "", s.planks(u, v, s.from(0.6, 3), s.from(0.2, 0.6),
		s.from(0.2, 0.45)))
	// The walls go on beyond what is seen of them, by how much nobody knows.
	top := s.Camera.Horizon(Width / 2)
	s.tall = s.eye + s.back*top/s.Camera.F*s.from(1, 1.8) + 0.3
	wall := s.planks(u, s.Camera.Up, s.from(0.5, 2), s.from(0.15, 0.5), s.from(0.25, 0.55))
	up := s.way(0, 0, s.tall)
	s.add(tracer.Sheet{P: s.at(-far*ux, s.back-far*uy, 0), U: u.Mul(2 * far), V: up}, "back_wall", "", wall)
	edge := func(x float64) [2]float64 { return s.px(x*ux, s.back+x*uy, 0) }
	half := s.back * Width / 2 / s.Camera.F
	lo, hi := -0.8*half, 0.8*half
	if s.chance(0.75) {
		s.side = s.from(0.55, 0.85) * half
		if s.chance(0.5) {
			s.side = -s.side
		}
		x, y := s.side*ux, s.back+s.side*uy
		s.add(tracer.Sheet{P: s.at(x, y, 0), U: v.Mul(-s.back - 4), V: up}, "side_wall", "",
			s.planks(v, s.Camera.Up, s.from(0.5, 2), s.from(0.15, 0.5), s.from(0.25, 0.55)))
		// As long as it is seen.
		n := 0.3
		for n+0.2 < s.back && seen(s.px(x+(n+0.2)*uy, y-(n+0.2)*ux, 0), 10) {
			n += 0.2
		}
		s.Marks.Walls = append(s.Marks.Walls, scene.Wall{Surface: "side_wall",
			Line: [2][2]float64{s.px(x+n*uy, y-n*ux, 0), s.px(x, y, 0)}})
		if s.side > 0 {
			hi = s.side
		} else {
			lo = s.side
		}
	}
	s.Marks.Walls = append([]scene.Wall{{Surface: "back_wall", Line: [2][2]float64{edge(lo),
		edge(hi)}}}, s.Marks.Walls...)
	s.Marks.Surfaces = []string{"floor"}
	for _, w := range s.Marks.Walls {
		s.Marks.Surfaces = append(s.Marks.Surfaces, w.Surface)
	}
	// Four corners of the floor, turned as the boards are, all in the picture.
	corners := func(near float64) (out [][2]float64, ok bool) {
		w, mid, d := 0.3*near*Width/s.Camera.F, (near+s.back-0.3)/2, (s.back-0.3-near)/2
		ok = true
		for _, c := range [4][2]float64{{-w, -d}, {w, -d}, {w, d}, {-w, d}} {
			out = append(out, s.px(c[0]*ux-c[1]*uy, mid+c[0]*uy+c[1]*ux, 0))
			ok = ok && seen(out[len(out)-1], 20)
		}
		return out, ok || near > s.back-1
	}
	for near, ok := s.eye, false; !ok; near += 0.05 {
		s.Marks.Floor, ok = corners(near)
	}
}

// daylight is an overcast sky, brighter above, with more or less of a soft sun in it.
func (s *Scene) daylight() {
	s.Truth.Sky = func(d camera.Vec) float64 {
		return math.Max(0, (1+2*d.Dot(s.Camera.Up))/3)
	}
	if s.chance(0.7) {
		a, e := s.from(0, 2*math.Pi), s.from(25, 65)*math.Pi/180
		s.Truth.Sun = s.way(math.Cos(a)*math.Cos(e), math.Sin(a)*math.Cos(e), math.Sin(e))
		s.Truth.Disc, s.Truth.Glare = s.from(0.15, 0.6), s.from(0.5, 4)
	}
}

// free looks for a place of the floor that is seen, has room for a circle, and is not too near to
// the camera.
func (s *Scene) free(r, tall float64) (circle, bool) {
	for range 400 {
		c := circle{x: s.from(-4, 4), y: s.from(1.8, 7), r: r}
		ok := c.y > 1.6*s.eye && seen(s.px(c.x, c.y-r, 0), 60) && seen(s.px(c.x, c.y, tall), 20) &&
			s.inside(c.x, c.y) > r+0.1
		for _, t := range s.taken {
			ok = ok && math.Hypot(c.x-t.x, c.y-t.y) > c.r+t.r+0.1
		}
		if ok {
			s.taken = append(s.taken, c)
			return c, true
		}
	}
	return circle{}, false
}

// inside returns how far a place of the floor lies before the nearest wall.
func (s *Scene) inside(x, y float64) float64 {
	ux, uy := math.Cos(s.yaw), math.Sin(s.yaw)
	d := (s.back-y)*ux + x*uy
	if s.side != 0 {
		along := x*ux + (y-s.back)*uy
		d = math.Min(d, math.Copysign(1, s.side)*(s.side-along))
	}
	return d
}

// figure puts up somebody of the Players: a body of round parts, that looks more or less to the
// camera.
func (s *Scene) figure(name string) {
	c, ok := s.free(0.4, 1.75)
	if !ok {
		return
	}
	k := s.from(0.9, 1.05)
	f := figure{circle: c, tall: 1.8 * k, face: math.Atan2(-c.y, -c.x) + s.from(-0.5, 0.5),
		name: name}
	cx, cy := math.Cos(f.face), math.Sin(f.face) // to where it looks
	at := func(x, y, z float64) camera.Vec {     // to its left, ahead, up
		return s.at(c.x+k*(y*cx-x*cy), c.y+k*(y*cy+x*cx), k*z)
	}
	pill := func(r float64, albedo func(camera.Vec) float64, p ...camera.Vec) {
		for i := range len(p) - 1 {
			s.add(tracer.Pill{A: p[i], B: p[i+1], R: r * k}, name, "", albedo)
		}
	}
	dark, light, skin := even(s.from(0.06, 0.2)), s.planks(s.right, s.Camera.Up, 3,
		s.from(0.05, 0.3), s.from(0.2, 0.5)), even(0.4)
	for _, m := range [2]float64{-1, 1} {
		pill(0.085, dark, at(0.1*m, 0, 0.95), at(0.12*m, s.from(-0.05, 0.05), 0.5),
			at(0.14*m, 0, 0.1))
		pill(0.06, dark, at(0.14*m, -0.03, 0.06), at(0.15*m, 0.15, 0.05))
		elbow := at(m*s.from(0.3, 0.42), s.from(-0.05, 0.1), s.from(1.1, 1.2))
		pill(0.06, light, at(0.22*m, 0, 1.42), elbow)
		pill(0.05, light, elbow, at(m*s.from(0.15, 0.55), s.from(0.1, 0.35), s.from(0.85, 1.35)))
		pill(0.085, light, at(0, 0, 1.42), at(0.18*m, 0, 1.42))
	}
	pill(0.17, light, at(0, 0, 1.0), at(0, 0, 1.32))
	pill(0.06, skin, at(0, 0, 1.45), at(0, 0, 1.6))
	s.add(tracer.Ball{C: at(0, 0.02, 1.7), R: 0.12 * k}, name, "", skin)
	s.figures = append(s.figures, f)
	s.thing(name, c)
}

func (s *Scene) thing(name string, c circle) {
	s.stand = append(s.stand, c)
	s.Marks.Things = append(s.Marks.Things, scene.Thing{Mask: name, Foot: s.px(c.x, c.y, 0)})
	s.Marks.Surfaces = append(s.Marks.Surfaces, name)
}

// post puts up something round: a post, a bollard or a barrel.
func (s *Scene) post(name string) {
	r, tall := s.from(0.05, 0.09), s.from(1, 2)
	switch s.r.IntN(3) {
	case 0:
		r, tall = s.from(0.14, 0.2), s.from(0.4, 0.7)
	case 1:
		r, tall = s.from(0.22, 0.32), s.from(0.7, 1)
	}
	c, ok := s.free(r, tall)
	if !ok {
		return
	}
	s.add(tracer.Pill{A: s.at(c.x, c.y, 0), B: s.at(c.x, c.y, tall-r), R: r}, name, "",
		s.planks(s.Camera.Up, s.right, 4, 0.1, s.from(0.15, 0.4)))
	s.thing(name, c)
}

// coil lays a coil of rope down, of one turn or two.
func (s *Scene) coil(name string) {
	size, rope := s.from(0.18, 0.32), s.from(0.03, 0.06)
	c, ok := s.free(size+rope, 0.1)
	if !ok {
		return
	}
	twine := s.planks(s.right, s.Camera.Up, 0.1, 0.05, s.from(0.2, 0.4))
	const n = 24
	for turn := range 1 + s.r.IntN(2) {
		at := func(i int) camera.Vec {
			b, a := math.Sincos(2 * math.Pi * float64(i) / n)
			return s.at(c.x+size*a, c.y+size*b, rope*(1+1.8*float64(turn)))
		}
		for i := range n {
			s.add(tracer.Pill{A: at(i), B: at(i + 1), R: rope}, name, "", twine)
		}
	}
	s.thing(name, c)
}

// platform puts up a crate, or a table.
func (s *Scene) platform(name string, hollow bool) {
	w, d, h := s.from(0.3, 0.6), s.from(0.25, 0.45), s.from(0.3, 0.75)
	if hollow {
		w, d, h = s.from(0.4, 0.8), s.from(0.3, 0.45), s.from(0.6, 0.85)
	}
	c, ok := s.free(math.Hypot(w, d), h)
	if !ok {
		return
	}
	a := s.from(0, math.Pi)
	ux, uy := math.Cos(a), math.Sin(a)
	thick := h
	if hollow {
		thick = 0.05
	}
	wood := s.planks(s.way(ux, uy, 0), s.way(-uy, ux, 1), 2, s.from(0.08, 0.2), s.from(0.2, 0.5))
	s.add(tracer.Block{C: s.at(c.x, c.y, h-thick/2), H: [3]camera.Vec{s.way(w*ux, w*uy, 0),
		s.way(-d*uy, d*ux, 0), s.way(0, 0, thick/2)}}, name, "", wood)
	var corners [4][2]float64
	first := 0
	for i, m := range [4][2]float64{{1, 1}, {-1, 1}, {-1, -1}, {1, -1}} {
		corners[i] = [2]float64{c.x + m[0]*w*ux - m[1]*d*uy, c.y + m[0]*w*uy + m[1]*d*ux}
		if math.Hypot(corners[i][0], corners[i][1]) < math.Hypot(corners[first][0],
			corners[first][1]) {
			first = i
		}
		if hollow {
			x, y := c.x+m[0]*0.9*w*ux-m[1]*0.9*d*uy, c.y+m[0]*0.9*w*uy+m[1]*0.9*d*ux
			s.add(tracer.Pill{A: s.at(x, y, 0), B: s.at(x, y, h-thick), R: 0.025}, name, "", wood)
		}
	}
	p := scene.Platform{Surface: name, Hollow: hollow, Foot: s.px(corners[first][0],
		corners[first][1], 0)}
	for i := range 4 {
		q := corners[(first+i)%4]
		p.Top = append(p.Top, s.px(q[0], q[1], h))
	}
	s.Marks.Platforms = append(s.Marks.Platforms, p)
	s.Marks.Surfaces = append(s.Marks.Surfaces, name)
	s.platforms = append(s.platforms, platform{circle: circle{c.x, c.y, math.Min(w, d)}, high: h,
		name: name})
}

func (s *Scene) light(group string, shapes ...scene.Mark) *scene.Light {
	s.Marks.Lights = append(s.Marks.Lights, scene.Light{Group: group, Lit: "lit_" + group + ".hdr",
		Mask: group, Shapes: shapes})
	return &s.Marks.Lights[len(s.Marks.Lights)-1]
}

var off = even(0.4) // a light that is off

// panels are flat lights on the front of the figure.
func (s *Scene) panels() {
	if len(s.figures) == 0 {
		return
	}
	f := s.figures[0]
	k, cx, cy := f.tall/1.8, math.Cos(f.face), math.Sin(f.face)
	at := func(x, y, z float64) (float64, float64, float64) {
		return f.x + k*(y*cx-x*cy), f.y + k*(y*cy+x*cx), k * z
	}
	w, h := s.from(0.05, 0.09), s.from(0.07, 0.14)
	var marks []scene.Mark
	for i := range 2 + s.r.IntN(3) {
		x0, z0 := -w-0.01+float64(i%2)*(w+0.02), 1.3-float64(i/2)*(h+0.03)
		m := scene.Mark{Kind: "outline"}
		for _, c := range [4][2]float64{{0, 0}, {w, 0}, {w, -h}, {0, -h}} {
			m.Points = append(m.Points, s.px(at(x0+c[0], 0.178, z0+c[1])))
		}
		p, u, v := s.at(at(x0, 0.178, z0-h)), s.at(at(x0+w, 0.178, z0-h)), s.at(at(x0, 0.178, z0))
		sheet := tracer.Sheet{P: p, U: u.Sub(p), V: v.Sub(p)}
		if _, n := sheet.At(0, 0); n.Dot(s.way(cx, cy, 0)) < 0 {
			sheet.U, sheet.V = sheet.V, sheet.U
		}
		s.add(sheet, "panels", "panels", off)
		x, y, _ := at(x0+w/2, 0.178, z0)
		m.Feet = [][2]float64{s.px(x, y, 0)}
		marks = append(marks, m)
	}
	s.light("panels", marks...).Faces = f.name
}

// rod is a tube that stands upright, or leans.
func (s *Scene) rod() {
	c, ok := s.free(0.1, 1.5)
	if !ok {
		return
	}
	r, tall := s.from(0.012, 0.03), s.from(0.8, 1.7)
	var lean [2]float64
	if s.chance(0.5) {
		a := s.from(0, 2*math.Pi)
		lean = [2]float64{s.from(0.2, 0.5) * math.Cos(a), s.from(0.2, 0.5) * math.Sin(a)}
		for s.inside(c.x+lean[0], c.y+lean[1]) < 0.05 {
			lean[0] *= 0.7
			lean[1] *= 0.7
		}
	}
	x, y := c.x+lean[0], c.y+lean[1]
	low := s.from(0.05, 0.3)
	s.add(tracer.Pill{A: s.at(c.x, c.y, low), B: s.at(x, y, tall), R: r}, "rod", "rod", off)
	a, b := s.px(c.x, c.y, low), s.px(x, y, tall)
	width := 2 * r * s.Camera.F / s.at(c.x, c.y, tall/2).Z
	m := scene.Mark{Kind: "tube", Points: [][2]float64{a, b}, Width: width,
		Feet: [][2]float64{s.px(c.x, c.y, 0)}}
	if lean[0] != 0 {
		m.Feet = append(m.Feet, s.px(x, y, 0))
	}
	s.light("rod", m)
}

// round returns the outline of a ball as it is seen.
func (s *Scene) round(x, y, z, r float64) (points [][2]float64, at [2]float64, radius float64) {
	at = s.px(x, y, z)
	radius = r * s.Camera.F / s.at(x, y, z).Len()
	for i := range 24 {
		b, a := math.Sincos(2 * math.Pi * float64(i) / 24)
		points = append(points, [2]float64{at[0] + radius*a, at[1] + radius*b})
	}
	return
}

// lamp stands on a platform: a globe between a foot and a cap, which nobody marks.
func (s *Scene) lamp() {
	if len(s.platforms) == 0 {
		return
	}
	p := s.platforms[0]
	r := s.from(0.05, 0.1)
	a := s.from(0, 2*math.Pi)
	x, y := p.x+s.from(0, 0.6)*p.r*math.Cos(a), p.y+s.from(0, 0.6)*p.r*math.Sin(a)
	z := p.high + r + 0.05
	s.add(tracer.Ball{C: s.at(x, y, z), R: r}, "lamp", "lamp", off)
	s.add(tracer.Block{C: s.at(x, y, p.high+0.02), H: [3]camera.Vec{s.way(0.6*r, 0, 0),
		s.way(0, 0.6*r, 0), s.way(0, 0, 0.02)}}, "misc", "", even(0.2))
	s.add(tracer.Pill{A: s.at(x, y, z+1.1*r), B: s.at(x, y, z+1.3*r), R: 0.3 * r}, "misc", "",
		even(0.2))
	points, _, _ := s.round(x, y, z, r)
	s.light("lamp", scene.Mark{Kind: "outline", Points: points,
		Feet: [][2]float64{s.px(x, y, p.high)}}).Platform = p.name
	s.Marks.Lights[len(s.Marks.Lights)-1].Shapes[0].Feet = [][2]float64{s.px(x, y, 0)}
}

// sign is a closed tube on the back wall.
func (s *Scene) sign() {
	ux, uy := math.Cos(s.yaw), math.Sin(s.yaw)
	for range 50 {
		size, gap, tube := s.from(0.25, 0.6), s.from(0.04, 0.1), s.from(0.012, 0.025)
		x, z := s.from(-3, 3), s.from(1, 2.6)
		n := 3 + s.r.IntN(4)
		turn := s.from(0, 1)
		m := scene.Mark{Kind: "tube", Closed: true}
		var at [][3]float64
		ok := true
		for i := range n {
			b, a := math.Sincos(2*math.Pi*float64(i)/float64(n) + turn)
			u := x + size*a
			p := [3]float64{u*ux + gap*uy, s.back + u*uy - gap*ux, z + size*b}
			at = append(at, p)
			m.Points = append(m.Points, s.px(p[0], p[1], p[2]))
			ok = ok && seen(m.Points[i], 15) && p[2] < s.tall-0.1 && s.inside(p[0], p[1]) > 0.9*gap
		}
		if !ok {
			continue
		}
		for i := range n {
			a, b := at[i], at[(i+1)%n]
			s.add(tracer.Pill{A: s.at(a[0], a[1], a[2]), B: s.at(b[0], b[1], b[2]), R: tube},
				"sign", "sign", off)
		}
		m.Width = 2 * tube * s.Camera.F / s.at(x*ux, s.back+x*uy, z).Z
		m.Feet = [][2]float64{s.px(x*ux+gap*uy, s.back+x*uy-gap*ux, 0)}
		s.light("sign", m).Wall = "back_wall"
		return
	}
}

// string is bulbs on a cord across the room.
func (s *Scene) string() {
	for range 100 {
		ax, ay, bx, by := s.from(-3, 0), s.from(2.5, 7), s.from(0, 3), s.from(2.5, 7)
		z, sag, r := s.from(1.6, 2.8), s.from(0.1, 0.4), s.from(0.03, 0.06)
		n := 4 + s.r.IntN(7)
		var marks []scene.Mark
		var balls []tracer.Ball
		for i := range n {
			t := float64(i) / float64(n-1)
			x, y, h := ax+(bx-ax)*t, ay+(by-ay)*t, z-4*sag*t*(1-t)
			_, at, radius := s.round(x, y, h, r)
			if seen(at, 15) && s.inside(x, y) > 0.15 && seen(s.px(x, y, 0), 0) && h < s.tall {
				marks = append(marks, scene.Mark{Kind: "bulb", At: at, Radius: radius,
					Feet: [][2]float64{s.px(x, y, 0)}})
				balls = append(balls, tracer.Ball{C: s.at(x, y, h), R: r})
			}
		}
		if len(marks) != n {
			continue
		}
		for _, b := range balls {
			s.add(b, "string", "string", off)
		}
		s.light("string", marks...)
		return
	}
}
