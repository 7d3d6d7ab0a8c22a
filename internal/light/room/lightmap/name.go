package lightmap

import (
	"encoding/binary"
	"hash"
	"hash/fnv"
	"math"

	"pyrant/internal/base/camera"
	"pyrant/internal/light/room/silhouette"
)

// namer makes a name of numbers: what has the same gives the same light.
type namer struct {
	hash.Hash64
}

func newNamer() namer { return namer{fnv.New64a()} }

func (n namer) num(list ...float64) {
	var b [8]byte
	for _, v := range list {
		binary.LittleEndian.PutUint64(b[:], math.Float64bits(v))
		n.Write(b[:])
	}
}

func (n namer) id(v uint64) {
	var b [8]byte
	binary.LittleEndian.PutUint64(b[:], v)
	n.Write(b[:])
}

func (n namer) vec(list ...camera.Vec) {
	for _, v := range list {
		n.num(v.X, v.Y, v.Z)
	}
}

func (n namer) plane(list ...camera.Plane) {
	for _, p := range list {
		n.vec(p.N)
		n.num(p.D)
	}
}

func (n namer) body(b *silhouette.Body) {
	if b == nil {
		n.num(0)
		return
	}
	flat := 0.0
	if b.Flat {
		flat = 1
	}
	n.id(b.Shape.ID)
	n.plane(b.Card)
	n.num(b.Cam.CX, b.Cam.CY, b.Cam.F, b.Tall(), flat)
	n.vec(b.Cam.Up)
}

// sheet names a sheet by all that its places depend on.
func (s *Sheet) name() uint64 {
	n := newNamer()
	n.num(float64(s.Rect.Min.X), float64(s.Rect.Min.Y), float64(s.Rect.Max.X),
		float64(s.Rect.Max.Y))
	n.body(s.Body)
	n.plane(s.Plane)
	if s.Cam != nil {
		n.num(s.Cam.CX, s.Cam.CY, s.Cam.F)
		n.vec(s.Cam.Up)
	}
	if s.Wet != nil {
		n.num(s.Wet.Amount, s.Wet.Rough)
	}
	n.num(float64(len(s.Before)))
	n.plane(s.Before...)
	for _, p := range s.Under {
		n.plane(p.Planes...)
	}
	return n.Sum64()
}

// name names a light by what it is to the room.
func (l *Light) name() uint64 {
	n := newNamer()
	n.body(l.On)
	for i := range l.pieces {
		p := &l.pieces[i]
		n.num(float64(p.law), p.radius, p.thick)
		n.vec(p.axis, p.mid, p.a, p.b)
		for k := range p.samples {
			q := &p.samples[k]
			n.vec(q.at)
			n.num(q.area, q.size)
		}
	}
	return n.Sum64()
}

// named gives a blocker its name.
func (b *blocker) named() *blocker {
	n := newNamer()
	switch {
	case b.prism != nil:
		n.plane(b.prism.Planes...)
	case b.rod != nil:
		n.vec(b.rod.A, b.rod.B)
		n.num(b.rod.Radius)
	default:
		n.body(b.body)
		if b.self {
			n.num(1)
		}
	}
	b.name = n.Sum64()
	return b
}

// name names all that may hide a light, by piece; never 0.
func (h hidden) name(l *Light) uint64 {
	n := newNamer()
	for i := range h {
		if b := h[i].by; b.rod == nil || b.rod.Of != l.Of {
			n.id(b.name)
			for _, k := range h[i].pieces {
				n.id(uint64(k))
			}
		}
	}
	return n.Sum64() | 1
}
