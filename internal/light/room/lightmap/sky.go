package lightmap

import (
	"context"
	"maps"
	"math"
	"slices"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/raster"
)

// Sky is the daylight that a photo was taken by: brighter above than at the horizon, and perhaps
// with a brighter part, as of a veiled sun. Walls hide it up to their height.
type Sky struct {
	up, ahead, right camera.Vec
	above            int // how many directions there are
	dirs             []camera.Vec
	rise             []float64 // of each direction: how far up it goes
	base             []float64 // of each direction: radiance times its solid angle by pi
	lobe             []float64 // of the brighter part, the same
	share            float64
	walls            []skyWall
}

type skyWall struct {
	plane camera.Plane
	high  float64
	away  []float64 // cosine of each direction to its normal
}

// Lobe is where the sky is brighter.
type Lobe struct {
	Elevation, Azimuth float64 // degrees; azimuth 0 to the right, 90 ahead
	Share              float64 // of the light on open ground
}

// skyDirections is how many directions the sky is looked at in.
const skyDirections = 96

// NewSky returns the sky over a room with walls of the given heights; a rough one looks in fewer
// directions.
func NewSky(cam *camera.Camera, walls []camera.Plane, heights []float64, rough bool) *Sky {
	s := &Sky{up: cam.Up, above: skyDirections}
	if rough {
		s.above = skyDirections / 3
	}
	s.ahead = cam.Level(camera.Vec{Z: 1})
	s.right = s.ahead.Cross(s.up)
	if s.right.X < 0 {
		s.right = s.right.Mul(-1)
	}
	golden := math.Pi * (3 - math.Sqrt(5))
	for i := range s.above {
		h := (float64(i) + 0.5) / float64(s.above) // even over the half sphere
		r := math.Sqrt(1 - h*h)
		sin, cos := math.Sincos(golden * float64(i))
		s.dirs = append(s.dirs, s.right.Mul(r*cos).Add(s.ahead.Mul(r*sin)).Add(s.up.Mul(h)))
	}
	s.base, s.lobe, s.rise = make([]float64, len(s.dirs)), make([]float64, len(s.dirs)),
		make([]float64, len(s.dirs))
	for i, w := range walls {
		away := make([]float64, len(s.dirs))
		for k, d := range s.dirs {
			away[k] = w.N.Dot(d)
		}
		s.walls = append(s.walls, skyWall{w, heights[i], away})
	}
	sum := 0.0
	for i := range s.above {
		h := s.dirs[i].Dot(s.up)
		s.rise[i] = h
		s.base[i] = (1 + 2*h) / 3
		sum += s.base[i] * h
	}
	for i := range s.above {
		s.base[i] /= sum // open ground gets 1
	}
	return s
}

// Toward sets where the sky is brighter.
func (s *Sky) Toward(l Lobe) { s.share, s.lobe = l.Share, s.toward(l) }

// toward returns what each direction gives where all light is that of a brighter part.
func (s *Sky) toward(l Lobe) []float64 {
	el, az := l.Elevation*math.Pi/180, l.Azimuth*math.Pi/180
	se, ce := math.Sincos(el)
	sa, ca := math.Sincos(az)
	to := s.right.Mul(ce * ca).Add(s.ahead.Mul(ce * sa)).Add(s.up.Mul(se))
	lobe := make([]float64, len(s.dirs))
	sum := 0.0
	for i := range s.above {
		c := math.Max(s.dirs[i].Dot(to), 0)
		c *= c
		c *= c
		lobe[i] = c * c
		sum += lobe[i] * s.dirs[i].Dot(s.up)
	}
	for i := range s.above {
		lobe[i] /= sum
	}
	return lobe
}

// of returns what a direction gives.
func (s *Sky) of(i int) float64 { return s.base[i]*(1-s.share) + s.lobe[i]*s.share }

// highest is how far away what hides the sky may be.
const highest = 6

// open gives for each of some places each direction from which the sky is seen, with how much of it
// is not hidden. What surfaces send back of it is left to a Bounce.
func (s *Sky) open(pls []Place, by []*blocker, each func(n, i int, seen float64)) {
	cone := math.Sqrt(2.0 / float64(s.above))
	q := queries.Get().(*query)
	defer q.free()
	dirs := len(s.dirs)
	q.seen = slices.Grow(q.seen[:0], len(pls)*dirs)[:len(pls)*dirs]
	q.x = q.x[:0]
	for n := range pls {
		pl := &pls[n]
		x := pl.At.Add(pl.N.Mul(lift))
		q.x = append(q.x, x)
		high := x.Dot(s.up) + 1
		seen := q.seen[n*dirs : (n+1)*dirs]
		for i, d := range s.dirs {
			seen[i] = 1
			if pl.Body == nil && d.Dot(pl.N) <= 0 {
				seen[i] = 0
			}
		}
		for k := range s.walls {
			w := &s.walls[k]
			before := w.plane.Side(x)
			for i, c := range w.away {
				if t := -before / c; c < -1e-9 && t > 0 && high+t*s.rise[i] < w.high {
					seen[i] = 0
				}
			}
		}
	}
	for _, b := range by {
		q.reset()
		for n, x := range q.x {
			// In which directions the blocker lies.
			to, least := b.mid.Sub(x), math.Inf(-1)
			if dist := to.Len(); dist > b.round {
				least = dist * math.Cos(math.Min(math.Asin(b.round/dist)+1.1*cone, math.Pi))
			}
			for i, d := range s.dirs {
				if q.seen[n*dirs+i] > 0 && to.Dot(d) >= least {
					q.way(n*dirs+i, x, d.Mul(highest), lift, lift+cone*highest, 1)
				}
			}
		}
		q.hide(b, 0, pls[0].Body == nil)
	}
	for k, v := range q.seen {
		if v > 0 {
			each(k/dirs, k%dirs, v)
		}
	}
}

// beam writes the daylight that comes to places, however they are turned, to out.
func (s *Sky) beam(pls []Place, by []*blocker, out []Beam) {
	clear(out)
	s.open(pls, by, func(n, i int, seen float64) {
		g, b := s.of(i)*seen, &out[n]
		b.V, b.S = b.V.Add(s.dirs[i].Mul(g)), b.S+g
	})
}

// at writes the daylight on flat places to out; 1 is open ground.
func (s *Sky) at(pls []Place, by []*blocker, out []float64) {
	clear(out)
	s.open(pls, by,
		func(n, i int, seen float64) { out[n] += s.of(i) * seen * s.dirs[i].Dot(pls[n].N) })
}

// fromSky is a sky as what gives values.
type fromSky struct {
	sky *Sky
	by  []*blocker
}

func (f *fromSky) near(mids []Place, _ []float64) []hidden {
	out := make([]hidden, len(mids))
	for n := range out {
		out[n] = hidden{}
	}
	return out
}

func (f *fromSky) values(pls []Place, _ hidden, out []value) {
	if pls[0].Body == nil {
		e := make([]float64, len(pls))
		f.sky.at(pls, f.by, e)
		for n, v := range e {
			out[n] = value{float32(v)}
		}
		return
	}
	e := make([]Beam, len(pls))
	f.sky.beam(pls, f.by, e)
	for n, b := range e {
		out[n] = value{float32(b.V.X), float32(b.V.Y), float32(b.V.Z), float32(b.S)}
	}
}

// Lit is a place of which the photo tells how bright it was.
type Lit struct {
	Place   Place
	Light   float64 // linear luminance in the photo
	Surface int     // places of one surface have the same
}

// placed is what has a place.
type placed interface{ place() Place }

func (l Lit) place() Place   { return l.Place }
func (p Patch) place() Place { return p.Place }

// together calls work for the places of a list, some at a time from an index on, spread over the
// cores.
func together[T placed](ctx context.Context, list []T, work func(from int, pls []Place)) error {
	const some = 8
	return raster.Each(ctx, (len(list)+some-1)/some, func(k int) {
		part := list[k*some : min((k+1)*some, len(list))]
		pls := make([]Place, len(part))
		for i := range part {
			pls[i] = part[i].place()
		}
		work(k*some, pls)
	})
}

// Find finds the brighter part of a sky: that by which what each surface sends back is most even
// once the daylight is divided out. It is measured as the mean distance of the logarithms from the
// median of their surface, with something for surfaces that come out apart, and for the share.
func (s *Sky) Find(ctx context.Context, sc *Scene, places []Lit) (Lobe, error) {
	by := sc.wholes(nil)
	all := make([][]float64, len(places))
	n := len(s.dirs)
	for k := range all {
		all[k] = make([]float64, n)
	}
	if err := together(ctx, places, func(from int, pls []Place) {
		s.open(pls, by,
			func(k, i int, seen float64) { all[from+k][i] = seen * s.dirs[i].Dot(pls[k].N) })
	}); err != nil {
		return Lobe{}, err
	}
	// What each place has of the even sky, and of the brighter part for the share that this has.
	even := make([]float64, len(all))
	for k, seen := range all {
		for i, v := range seen {
			even[k] += s.base[i] * v
		}
	}
	// The places of each surface, and the logarithms of what the photo shows of them.
	of := map[int][]int{}
	logs := make([]float64, len(places))
	for k := range places {
		of[places[k].Surface] = append(of[places[k].Surface], k)
		logs[k] = math.Log(math.Max(places[k].Light, 1e-4))
	}
	surfaces := slices.Sorted(maps.Keys(of))
	cost := func(lobe []float64, share float64) float64 {
		var sum, floor float64
		medians := make([]float64, len(surfaces))
		some := make([]float64, 0, len(places))
		for n, f := range surfaces {
			some = some[:0]
			for _, k := range of[f] {
				e := even[k] * (1 - share)
				if lobe != nil {
					e += share * lobe[k]
				}
				some = append(some, logs[k]-math.Log(math.Max(e, 1e-3)))
			}
			slices.Sort(some)
			m := some[len(some)/2]
			for _, x := range some {
				sum += math.Abs(x - m)
			}
			if medians[n] = m; f == 0 {
				floor = m
			}
		}
		c := sum/math.Max(float64(len(places)), 1) + 0.01*share
		if len(of[0]) > 0 {
			for _, m := range medians {
				c += 0.015 * math.Abs(m-floor) / float64(max(len(medians)-1, 1))
			}
		}
		return c
	}
	var lobes []Lobe
	for _, el := range [...]float64{20, 35, 50, 65} {
		for az := 0.0; az < 360; az += 30 {
			lobes = append(lobes, Lobe{Elevation: el, Azimuth: az})
		}
	}
	shares := [...]float64{0.2, 0.4, 0.6}
	costs := make([][len(shares)]float64, len(lobes))
	if err := raster.Each(ctx, len(lobes), func(n int) {
		own := s.toward(lobes[n])
		lobe := make([]float64, len(all))
		for k, seen := range all {
			for i, v := range seen {
				lobe[k] += own[i] * v
			}
		}
		for q, share := range shares {
			costs[n][q] = cost(lobe, share)
		}
	}); err != nil {
		return Lobe{}, err
	}
	best, least := Lobe{Elevation: 35}, cost(nil, 0)
	for n := range lobes {
		for q, c := range costs[n] {
			if c < least {
				best, least = Lobe{lobes[n].Elevation, lobes[n].Azimuth, shares[q]}, c
			}
		}
	}
	s.Toward(best)
	return best, ctx.Err()
}
