// Package icctest makes small ICC profiles for tests: of the matrix and tone
// curve kind with the primaries of well-known colour spaces, and grey ones.
package icctest

import (
	"encoding/binary"
	"math"
	"unicode/utf16"
)

// Primaries are the colorants of a space adapted to D50, one row a primary:
// X, Y, Z of red, green and blue.
type Primaries [3][3]float64

// Colorants of colour spaces, computed from their chromaticities and adapted to
// D50 by the Bradford transform.
var (
	SRGB = Primaries{{0.43607, 0.22249, 0.01392}, {0.38515, 0.71687, 0.09708},
		{0.14307, 0.06061, 0.71410}}
	// IEC 61966-2-5
	OpRGB = Primaries{{0.60974, 0.31111, 0.01947}, {0.20528, 0.62567, 0.06087},
		{0.14919, 0.06322, 0.74457}}
	DisplayP3 = Primaries{{0.51512, 0.24120, -0.00105}, {0.29198, 0.69225, 0.04189},
		{0.15710, 0.06657, 0.78407}}
	// ISO 22028-2
	ROMM = Primaries{{0.79767, 0.28804, 0}, {0.13519, 0.71187, 0}, {0.03134, 0.00009, 0.82491}}
)

// Curve is an encoded tone curve tag.
type Curve []byte

// Gamma is a curve of type curv with one value.
func Gamma(g float64) Curve {
	c := append([]byte("curv\x00\x00\x00\x00"), 0, 0, 0, 1)
	return binary.BigEndian.AppendUint16(c, uint16(math.Round(g*256)))
}

// Table is a curve of type curv with n values of f.
func Table(n int, f func(float64) float64) Curve {
	c := binary.BigEndian.AppendUint32([]byte("curv\x00\x00\x00\x00"), uint32(n))
	for i := range n {
		c = binary.BigEndian.AppendUint16(c, uint16(math.Round(65535*f(float64(i)/float64(n-1)))))
	}
	return c
}

// Parametric is a curve of type para with the given kind and parameters.
func Parametric(kind int, params ...float64) Curve {
	c := append([]byte("para\x00\x00\x00\x00"), byte(kind>>8), byte(kind), 0, 0)
	for _, p := range params {
		c = binary.BigEndian.AppendUint32(c, uint32(int32(math.Round(p*65536))))
	}
	return c
}

// SRGBCurve is the transfer function of sRGB as ICC version 4 profiles state it.
func SRGBCurve() Curve {
	return Parametric(3, 2.4, 1/1.055, 0.055/1.055, 1/12.92, 0.04045)
}

// Matrix returns a profile with primaries and one curve for all channels, of
// ICC version 2 or 4.
func Matrix(version byte, name string, p Primaries, c Curve) []byte {
	tags := [][2]any{{"desc", description(version, name)}}
	for i, k := range []string{"r", "g", "b"} {
		xyz := []byte("XYZ \x00\x00\x00\x00")
		for _, v := range p[i] {
			xyz = binary.BigEndian.AppendUint32(xyz, uint32(int32(math.Round(v*65536))))
		}
		tags = append(tags, [2]any{k + "XYZ", xyz}, [2]any{k + "TRC", []byte(c)})
	}
	return build(version, "RGB ", tags)
}

// Grey returns a profile of one channel.
func Grey(name string, c Curve) []byte {
	return build(2, "GRAY", [][2]any{{"desc", description(2, name)}, {"kTRC", []byte(c)}})
}

func description(version byte, name string) []byte {
	if version >= 4 {
		u := utf16.Encode([]rune(name))
		d := append([]byte("mluc\x00\x00\x00\x00"), 0, 0, 0, 1, 0, 0, 0, 12, 'e', 'n', 'U', 'S')
		d = binary.BigEndian.AppendUint32(d, uint32(2*len(u)))
		d = binary.BigEndian.AppendUint32(d, 28)
		for _, v := range u {
			d = binary.BigEndian.AppendUint16(d, v)
		}
		return d
	}
	d := binary.BigEndian.AppendUint32([]byte("desc\x00\x00\x00\x00"), uint32(len(name)+1))
	return append(append(d, name...), make([]byte, 1+12+67)...)
}

func build(version byte, space string, tags [][2]any) []byte {
	b := make([]byte, 128, 4096)
	b[8] = version
	copy(b[12:], "mntr"+space+"XYZ ")
	copy(b[36:], "acsp")
	b = binary.BigEndian.AppendUint32(b, uint32(len(tags)))
	at := len(b) + 12*len(tags)
	var body []byte
	for _, t := range tags {
		data := t[1].([]byte)
		b = append(b, t[0].(string)...)
		b = binary.BigEndian.AppendUint32(b, uint32(at+len(body)))
		b = binary.BigEndian.AppendUint32(b, uint32(len(data)))
		body = append(body, data...)
		for len(body)%4 != 0 {
			body = append(body, 0)
		}
	}
	b = append(b, body...)
	binary.BigEndian.PutUint32(b, uint32(len(b)))
	return b
}
