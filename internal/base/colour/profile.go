package colour

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"pyrant/internal/base/simd"
	"strings"
	"sync"
	"unicode"
	"unicode/utf16"
)

// Profile is the way between a photo's encoded values and working values: one
// tone curve a channel and a matrix between primaries.
type Profile struct {
	Name string // as the file describes it, for people
	Grey bool   // a single channel, spread to three

	decode   [3]func(float64) float64 // encoded to linear, both in [0, 1]
	plain    bool                     // the primaries are those of Rec. 709
	srgb     bool                     // and the tone curve that of sRGB
	toWork   [9]float32               // profile's linear RGB to working RGB
	fromWork [9]float32

	enc   [3]*Curve
	dec8  [3][256]float32
	once  sync.Once
	dec16 [3][]float32
}

// SRGB is the profile of IEC 61966-2-1, assumed where a photo carries none.
var SRGB = newProfile("sRGB", [3]func(float64) float64{SRGBToLinear, SRGBToLinear, SRGBToLinear},
	rec709ToXYZ50)

// rec709ToXYZ50 holds the colorants of Rec. 709 adapted to D50, by column, as
// ICC profiles of sRGB state them.
var rec709ToXYZ50 = [9]float64{
	0.4360747, 0.3850649, 0.1430804,
	0.2225045, 0.7168786, 0.0606169,
	0.0139322, 0.0971045, 0.7141733,
}

func newProfile(name string, decode [3]func(float64) float64, toXYZ [9]float64) *Profile {
	p := &Profile{Name: name, decode: decode}
	to := Mul(invert(rec709ToXYZ50), toXYZ)
	back := invert(to)
	p.plain = true
	for i := range to {
		want := 0.0
		if i%4 == 0 {
			want = 1
		}
		// Colorants are stored with 16 fractional bits; what differs by less
		// than rounding explains is the same set of primaries.
		if math.Abs(to[i]-want) > 2e-3 {
			p.plain = false
		}
		p.toWork[i], p.fromWork[i] = float32(to[i]), float32(back[i])
	}
	p.srgb = p.plain
	for c := range 3 {
		f := decode[c]
		for i := range 1025 {
			p.srgb = p.srgb && math.Abs(f(float64(i)/1024)-SRGBToLinear(float64(i)/1024)) < 1e-6
		}
		p.enc[c] = NewCurve(func(y float64) float64 { return solve(f, y) })
		for i := range 256 {
			p.dec8[c][i] = float32(f(float64(i) / 255))
		}
	}
	return p
}

// solve returns the x in [0, 1] with f(x) = y, for f increasing.
func solve(f func(float64) float64, y float64) float64 {
	lo, hi := 0.0, 1.0
	if y >= f(1) {
		return 1
	}
	for range 48 {
		mid := (lo + hi) / 2
		if f(mid) < y {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// Linear8 writes to dst the working values of the interleaved 8-bit RGB codes
// in src; len(dst) must be at least len(src).
func (p *Profile) Linear8(dst []float32, src []uint8) {
	for i := 0; i+2 < len(src); i += 3 {
		dst[i] = p.dec8[0][src[i]]
		dst[i+1] = p.dec8[1][src[i+1]]
		dst[i+2] = p.dec8[2][src[i+2]]
	}
	if !p.plain {
		apply(&p.toWork, dst[:len(src)])
	}
}

// Encode8 writes to dst the 8-bit codes of the working colours in src, and 255 as
// the fourth byte of each pixel. A value between two codes goes to the upper one
// where its fraction and n/2^32 make more than one; n starts as seed and grows by
// step from pixel to pixel. Seed 2^31 with step 0 rounds to the nearest code.
func (p *Profile) Encode8(dst []uint8, src []float32, seed, step uint32) {
	if p.srgb {
		simd.EncodeRow(dst, src, seed, step)
		return
	}
	r, g, b := p.enc[0], p.enc[1], p.enc[2]
	m := p.fromWork
	n := seed
	for i, j := 0, 0; i+2 < len(src); i, j = i+3, j+4 {
		s, d := src[i:i+3:i+3], dst[j:j+4:j+4]
		x, y, z := s[0], s[1], s[2]
		if !p.plain {
			x, y, z = m[0]*x+m[1]*y+m[2]*z, m[3]*x+m[4]*y+m[5]*z, m[6]*x+m[7]*y+m[8]*z
		}
		k := n >> 16
		d[0] = uint8((uint32(r.At(x)*(255*65536)) + k) >> 16)
		d[1] = uint8((uint32(g.At(y)*(255*65536)) + k) >> 16)
		d[2] = uint8((uint32(b.At(z)*(255*65536)) + k) >> 16)
		d[3] = 255
		n += step
	}
}

// IsSRGB tells whether p is sRGB but for the rounding of its numbers in a file.
func (p *Profile) IsSRGB() bool {
	if !p.plain || p.Grey {
		return false
	}
	for c := range 3 {
		for i := range 257 {
			x := float64(i) / 256
			if math.Abs(p.decode[c](x)-SRGBToLinear(x)) > 1e-4 {
				return false
			}
		}
	}
	return true
}

// deep makes the tables for 16-bit codes, which few photos need.
func (p *Profile) deep() {
	p.once.Do(func() {
		for c := range 3 {
			p.dec16[c] = make([]float32, 65536)
			for i := range p.dec16[c] {
				p.dec16[c][i] = float32(p.decode[c](float64(i) / 65535))
			}
		}
	})
}

// Linear16 is Linear8 for 16-bit codes.
func (p *Profile) Linear16(dst []float32, src []uint16) {
	p.deep()
	for i := 0; i+2 < len(src); i += 3 {
		dst[i] = p.dec16[0][src[i]]
		dst[i+1] = p.dec16[1][src[i+1]]
		dst[i+2] = p.dec16[2][src[i+2]]
	}
	if !p.plain {
		apply(&p.toWork, dst[:len(src)])
	}
}

// Encode16 writes to dst the 16-bit codes whose working values are nearest to
// the working colours in src, three samples a pixel; src is used up. The curve's
// table only says where to look: it may be off by a code where the profile's own
// curve has a kink.
func (p *Profile) Encode16(dst []uint16, src []float32) {
	p.deep()
	if !p.plain {
		apply(&p.fromWork, src)
	}
	for i, v := range src {
		c := i % 3
		dec := p.dec16[c]
		k := int(p.enc[c].At(v)*65535 + 0.5)
		for k < 65535 && v-dec[k] > dec[k+1]-v {
			k++
		}
		for k > 0 && dec[k]-v > v-dec[k-1] {
			k--
		}
		dst[i] = uint16(k)
	}
}

func apply(m *[9]float32, v []float32) {
	for i := 0; i+2 < len(v); i += 3 {
		r, g, b := v[i], v[i+1], v[i+2]
		v[i] = m[0]*r + m[1]*g + m[2]*b
		v[i+1] = m[3]*r + m[4]*g + m[5]*b
		v[i+2] = m[6]*r + m[7]*g + m[8]*b
	}
}

// Mul returns the product of two matrices, by row: what b and then a does.
func Mul(a, b [9]float64) (c [9]float64) {
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				c[3*i+j] += a[3*i+k] * b[3*k+j]
			}
		}
	}
	return
}

func invert(m [9]float64) (r [9]float64) {
	for i := range 3 {
		for j := range 3 {
			a, b, c, d := (j+1)%3, (j+2)%3, (i+1)%3, (i+2)%3
			r[3*i+j] = m[3*a+c]*m[3*b+d] - m[3*a+d]*m[3*b+c]
		}
	}
	det := m[0]*r[0] + m[1]*r[3] + m[2]*r[6]
	for i := range r {
		r[i] /= det
	}
	return
}

// ErrProfile reports an embedded profile that is not of a kind this package
// reads: matrix and tone curves, or grey, of ICC version 2 or 4.
var ErrProfile = errors.New("colour: profile is not a matrix or grey profile")

// ParseICC reads an embedded ICC profile (ISO 15076-1, and version 2) of the
// matrix/TRC or grey kind.
func ParseICC(data []byte) (*Profile, error) {
	be := binary.BigEndian
	if len(data) < 132 || string(data[36:40]) != "acsp" {
		return nil, fmt.Errorf("%w: no ICC header", ErrProfile)
	}
	n := be.Uint32(data[128:])
	if n > 200 || int(n)*12+132 > len(data) {
		return nil, fmt.Errorf("%w: tag table runs past the end", ErrProfile)
	}
	tags := map[string][]byte{}
	for i := range int(n) {
		e := data[132+12*i:]
		off, size := uint64(be.Uint32(e[4:])), uint64(be.Uint32(e[8:]))
		if off+size <= uint64(len(data)) && size >= 8 {
			tags[string(e[:4])] = data[off : off+size]
		}
	}
	name := describe(tags["desc"])
	switch string(data[16:20]) {
	case "GRAY":
		f, err := parseTRC(tags["kTRC"])
		if err != nil {
			return nil, err
		}
		p := newProfile(name, [3]func(float64) float64{f, f, f}, rec709ToXYZ50)
		p.Grey = true
		return p, nil
	case "RGB ":
	default:
		return nil, fmt.Errorf("%w: colour space %q", ErrProfile, data[16:20])
	}
	var m [9]float64
	var f [3]func(float64) float64
	for c, k := range []string{"r", "g", "b"} {
		xyz := tags[k+"XYZ"]
		if len(xyz) < 20 || string(xyz[:4]) != "XYZ " {
			return nil, fmt.Errorf("%w: no %sXYZ", ErrProfile, k)
		}
		for i := range 3 {
			m[3*i+c] = float64(int32(be.Uint32(xyz[8+4*i:]))) / 65536
		}
		var err error
		if f[c], err = parseTRC(tags[k+"TRC"]); err != nil {
			return nil, err
		}
	}
	for _, v := range invert(m) {
		if math.IsNaN(v) || math.Abs(v) > 100 {
			return nil, fmt.Errorf("%w: primaries lie on a line", ErrProfile)
		}
	}
	return newProfile(name, f, m), nil
}

// parseTRC reads a tone curve of type curv or para and returns it as an
// increasing function of [0, 1].
func parseTRC(t []byte) (func(float64) float64, error) {
	be := binary.BigEndian
	if len(t) < 12 {
		return nil, fmt.Errorf("%w: a tone curve is missing", ErrProfile)
	}
	var f func(float64) float64
	switch string(t[:4]) {
	case "curv":
		n := int(be.Uint32(t[8:]))
		if n < 0 || n > (len(t)-12)/2 {
			return nil, fmt.Errorf("%w: a tone curve is cut off", ErrProfile)
		}
		switch n {
		case 0:
			f = func(x float64) float64 { return x }
		case 1:
			g := float64(be.Uint16(t[12:])) / 256
			f = func(x float64) float64 { return math.Pow(x, g) }
		default:
			tab := make([]float64, n)
			for i := range tab {
				tab[i] = float64(be.Uint16(t[12+2*i:])) / 65535
			}
			f = func(x float64) float64 {
				p := x * float64(n-1)
				i := min(int(p), n-2)
				return tab[i] + (tab[i+1]-tab[i])*(p-float64(i))
			}
		}
	case "para":
		kind := int(be.Uint16(t[8:]))
		counts := []int{1, 3, 4, 5, 7}
		if kind >= len(counts) || len(t) < 12+4*counts[kind] {
			return nil, fmt.Errorf("%w: a parametric curve is cut off", ErrProfile)
		}
		var v [7]float64
		for i := range counts[kind] {
			v[i] = float64(int32(be.Uint32(t[12+4*i:]))) / 65536
		}
		g, a, b, c, d, e, h := v[0], v[1], v[2], v[3], v[4], v[5], v[6]
		switch kind {
		case 0:
			a, d = 1, -1
		case 1:
			c, d = 0, -b/a
		case 2:
			e, h, c, d = c, c, 0, -b/a
		}
		f = func(x float64) float64 {
			if x >= d {
				return math.Pow(math.Max(a*x+b, 0), g) + e
			}
			return c*x + h
		}
	default:
		return nil, fmt.Errorf("%w: tone curve of type %q", ErrProfile, t[:4])
	}
	last := math.Inf(-1)
	for i := range 257 {
		y := f(float64(i) / 256)
		if math.IsNaN(y) || y < last-1e-4 || y < -0.01 || y > 1.01 {
			return nil, fmt.Errorf("%w: a tone curve does not rise from 0 to 1", ErrProfile)
		}
		last = math.Max(last, y)
	}
	if f(1) < 0.5 {
		return nil, fmt.Errorf("%w: a tone curve stays dark", ErrProfile)
	}
	return f, nil
}

// describe returns the text of a desc (version 2) or mluc (version 4) tag, as far as it
// can be shown on a line.
func describe(t []byte) string {
	text := strings.Join(strings.FieldsFunc(strings.ToValidUTF8(description(t), ""),
		func(r rune) bool { return !unicode.IsGraphic(r) || unicode.IsSpace(r) }), " ")
	if r := []rune(text); len(r) > 80 {
		text = string(r[:79]) + "…"
	}
	if text == "" {
		return "embedded profile"
	}
	return text
}

// description returns the text of a desc (version 2) or mluc (version 4) tag.
func description(t []byte) string {
	be := binary.BigEndian
	switch {
	case len(t) > 12 && string(t[:4]) == "desc":
		n := int(be.Uint32(t[8:]))
		if n > 0 && n <= len(t)-12 {
			return string(t[12 : 12+n-1])
		}
	case len(t) >= 28 && string(t[:4]) == "mluc":
		n, off := int(be.Uint32(t[20:])), int(be.Uint32(t[24:]))
		if n >= 0 && off >= 0 && off+n <= len(t) {
			u := make([]uint16, n/2)
			for i := range u {
				u[i] = be.Uint16(t[off+2*i:])
			}
			return string(utf16.Decode(u))
		}
	}
	return ""
}
