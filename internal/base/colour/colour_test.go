package colour

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/lucasb-eyer/go-colorful"

	"pyrant/internal/base/colour/icctest"
)

// opRGB's gamma is 563/256; ROMM RGB's curve is 1.8 with a straight toe.
var profiles = map[string][]byte{
	"sRGB v4":        icctest.Matrix(4, "sRGB v4", icctest.SRGB, icctest.SRGBCurve()),
	"sRGB v2, table": icctest.Matrix(2, "sRGB v2, table", icctest.SRGB, icctest.Table(4096, SRGBToLinear)),
	"opRGB":          icctest.Matrix(2, "opRGB", icctest.OpRGB, icctest.Gamma(563.0/256)),
	"Display P3":     icctest.Matrix(4, "Display P3", icctest.DisplayP3, icctest.SRGBCurve()),
	"ROMM RGB": icctest.Matrix(4, "ROMM RGB", icctest.ROMM, icctest.Parametric(3, 1.8, 1, 0,
		1.0/16, 0.03125)),
	"linear":          icctest.Matrix(2, "linear", icctest.SRGB, icctest.Gamma(1)),
	"grey, gamma 2.2": icctest.Grey("grey, gamma 2.2", icctest.Gamma(2.2)),
	"para kind 0":     icctest.Matrix(4, "para kind 0", icctest.SRGB, icctest.Parametric(0, 2.2)),
	"para kinds 1 + 4": icctest.Matrix(4, "para kinds 1 + 4", icctest.SRGB, icctest.Parametric(4,
		2.4, 1/1.055, 0.055/1.055, 1/12.92, 0.04045, 0, 0)),
}

func parse(t testing.TB, data []byte) *Profile {
	t.Helper()
	p, err := ParseICC(data)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// Every code of 8 and of 16 bits comes back as it was.
func TestCodesRoundTrip(t *testing.T) {
	for name, data := range profiles {
		p := parse(t, data)
		if p.Name != name {
			t.Errorf("the profile %q calls itself %q", name, p.Name)
		}
		lin, enc := make([]float32, 3), make([]uint8, 4)
		for v := range 256 {
			p.Linear8(lin, []uint8{uint8(v), uint8(v), uint8(v)})
			p.Encode8(enc, lin, 1<<31, 0)
			for c, got := range enc[:3] {
				if int(got) != v {
					t.Errorf("%s: code %d of 8 bits comes back as %d in channel %d", name, v, got, c)
				}
			}
		}
		bad, codes := 0, make([]uint16, 3)
		for v := range 65536 {
			p.Linear16(lin, []uint16{uint16(v), uint16(v), uint16(v)})
			p.Encode16(codes, lin)
			for c, got := range codes {
				if int(got) != v {
					if bad++; bad < 5 {
						t.Errorf("%s: code %d of 16 bits comes back as %d in channel %d", name, v, got, c)
					}
				}
			}
		}
	}
}

// In the photo's own primaries each channel is on its own: all codes of one
// channel return whatever the others hold.
func TestChannelsRoundTripApart(t *testing.T) {
	lin, back := make([]float32, 3), make([]uint16, 3)
	for v := range 65536 {
		codes := []uint16{uint16(v), uint16(65535 - v), uint16(v * 7)}
		SRGB.Linear16(lin, codes)
		if SRGB.Encode16(back, lin); !slices.Equal(back, codes) {
			t.Fatalf("%v comes back as %v", codes, back)
		}
	}
}

// Dither rounds up as often as the value lies above the lower code.
func TestDitherKeepsTheMean(t *testing.T) {
	const n = 20000
	for _, code := range []float64{0.25, 40.5, 128.1, 254.9} {
		src := make([]float32, 3*n)
		for i := range src {
			src[i] = float32(SRGBToLinear(code / 255))
		}
		out := make([]uint8, 4*n)
		SRGB.Encode8(out, src, 12345, 3242174889)
		sum := 0.0
		for i := range n {
			v := float64(out[4*i+1])
			if math.Abs(v-code) >= 1 {
				t.Fatalf("%v became %v", code, v)
			}
			sum += v
		}
		if math.Abs(sum/n-code) > 0.01 {
			t.Errorf("the mean of %v is %v", code, sum/n)
		}
	}
}

func TestWhatIsSRGB(t *testing.T) {
	for name, data := range profiles {
		want := name == "sRGB v4" || name == "sRGB v2, table" || name == "para kinds 1 + 4"
		if got := parse(t, data).IsSRGB(); got != want {
			t.Errorf("%s is sRGB: %t", name, got)
		}
	}
}

func TestPrimaries(t *testing.T) {
	// Pure green of each space in Rec. 709, from the published matrices.
	for _, c := range []struct {
		profile string
		want    [3]float64
	}{
		{"opRGB", [3]float64{-0.3985, 1.0, -0.0429}},
		{"Display P3", [3]float64{-0.2249, 1.0421, -0.0786}},
		{"sRGB v4", [3]float64{0, 1, 0}},
	} {
		lin := make([]float32, 3)
		parse(t, profiles[c.profile]).Linear8(lin, []uint8{0, 255, 0})
		for i, v := range lin {
			if math.Abs(float64(v)-c.want[i]) > 3e-3 {
				t.Errorf("green of %s is %v, want %v", c.profile, lin, c.want)
				break
			}
		}
	}
	for name, data := range profiles {
		p := parse(t, data)
		lin := make([]float32, 3)
		p.Linear8(lin, []uint8{255, 255, 255})
		for _, v := range lin {
			if math.Abs(float64(v)-1) > 2e-3 {
				t.Errorf("white of %s is %v", name, lin)
				break
			}
		}
	}
}

func TestProfilesThatAreRefused(t *testing.T) {
	good := profiles["Display P3"]
	change := func(at int, b byte) []byte {
		c := append([]byte{}, good...)
		c[at] = b
		return c
	}
	falling := icctest.Matrix(2, "falling", icctest.SRGB, icctest.Table(16,
		func(x float64) float64 { return 1 - x }))
	for name, data := range map[string][]byte{
		"empty":            nil,
		"cut off":          good[:200],
		"no signature":     change(36, 'x'),
		"of another space": change(16, 'C'),
		"falling curve":    falling,
		"flat primaries": icctest.Matrix(2, "flat", icctest.Primaries{{0.3, 0.3, 0.3},
			{0.3, 0.3, 0.3}, {0.3, 0.3, 0.3}}, icctest.Gamma(2)),
	} {
		if _, err := ParseICC(data); !errors.Is(err, ErrProfile) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzParseICC(f *testing.F) {
	for _, p := range profiles {
		f.Add(p)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := ParseICC(data)
		if err != nil {
			return
		}
		lin := make([]float32, 6)
		p.Linear8(lin, []uint8{0, 128, 255, 255, 3, 77})
		p.Encode8(make([]uint8, 8), lin, 1<<31, 0)
		p.Encode16(make([]uint16, 6), lin)
		for _, v := range lin {
			if v != v {
				t.Error("a code has no number in working values")
			}
		}
	})
}

func TestCurveFollowsItsFunction(t *testing.T) {
	c := NewCurve(LinearToSRGB)
	for x := 1e-9; x < 1; x *= 1.0037 {
		want := LinearToSRGB(x)
		if got := float64(c.At(float32(x))); math.Abs(got-want) > 2e-5*want {
			t.Fatalf("at %g: %v, want %v", x, got, want)
		}
	}
	for _, v := range []struct{ x, want float32 }{{0, 0}, {-1, 0}, {1, 1}, {7, 1},
		{float32(math.NaN()), 0}, {float32(math.Inf(1)), 1}} {
		if got := c.At(v.x); got != v.want {
			t.Errorf("at %v: %v, want %v", v.x, got, v.want)
		}
	}
	for v := float32(0); v <= 1; v += 0.0013 {
		if got := Undisplay(Display.At(v)); math.Abs(float64(got-v)) > 1e-5 {
			t.Fatalf("%v goes to the display and back as %v", v, got)
		}
	}
}

func TestSoftAdd(t *testing.T) {
	for _, p := range []float32{0, 0.001, 0.2, 0.5, 0.9, 0.999, 1, 1.2} {
		if got := SoftAdd(p, 0); got != p {
			t.Errorf("no light on %v gives %v", p, got)
		}
		last := p
		for x := float32(1e-5); x < 100; x *= 1.3 {
			got := SoftAdd(p, x)
			if got < last || got > max(p, 1) {
				t.Fatalf("%v with light %v is %v, with less it was %v", p, x, got, last)
			}
			if p < 1 {
				tt := 1 - float64(p)
				if want := float64(p) +
					tt*(1-math.Exp(-float64(x)/tt)); math.Abs(float64(got)-want) > 3e-6 {
					t.Errorf("%v with light %v is %v, want %v", p, x, got, want)
				}
			}
			last = got
			row := []float32{p}
			if SoftAddRow(row, []float32{x}); row[0] != got {
				t.Errorf("in a row %v with light %v is %v, alone %v", p, x, row[0], got)
			}
		}
		// Slope 1 at no light.
		if p < 1 {
			if got := (SoftAdd(p,
				1e-3) - p) / 1e-3; math.Abs(float64(got)-1) > 0.02+1e-3/float64(1-p) {
				t.Errorf("slope at %v is %v", p, got)
			}
		}
	}
	// Strong light whitens its own colour.
	if c := (RGB{SoftAdd(0, 5), SoftAdd(0, 2), SoftAdd(0, 0.5)}); c.R-c.B > 0.65 || c.R < c.G ||
		c.G < c.B {
		t.Errorf("strong red light gives %v", c)
	}
}

func TestDeltaE2000(t *testing.T) {
	// Pairs from the test data of Sharma, Wu and Dalal (2005).
	for _, c := range [][7]float64{
		{50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425},
		{50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615},
		{50, -1.3802, -84.2814, 50, 0, -82.7485, 1.0000},
		{50, 0, 0, 50, -1, 2, 2.3669},
		{50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792},
		{50, 2.5, 0, 73, 25, -18, 27.1492},
		{60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644},
		{22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373},
		{2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082},
	} {
		if got := DeltaE2000(c[0], c[1], c[2], c[3], c[4], c[5]); math.Abs(got-c[6]) > 1e-4 {
			t.Errorf("%v: %.4f", c, got)
		}
	}
	if l, a, b := (RGB{1, 1, 1}).Lab(); math.Abs(l-100) > 1e-3 || math.Hypot(a, b) > 0.02 {
		t.Errorf("white is %v %v %v in L*a*b*", l, a, b)
	}
}

func TestHSLAndBack(t *testing.T) {
	for _, c := range []struct {
		h, s, l float64
		hex     string
	}{{0, 1, 0.5, "#ff0000"}, {120, 1, 0.25, "#008000"}, {210, 0.5, 0.4, "#336699"},
		{77, 0, 0.5, "#808080"}, {-150, 0.5, 0.4, "#336699"}} {
		v := HSL(c.h, c.s, c.l)
		if got := v.Hex(); got != c.hex {
			t.Errorf("hsl(%v %v %v) is %s, want %s", c.h, c.s, c.l, got, c.hex)
		}
		if h, ch := HueOf(v); c.s > 0 && math.Abs(math.Mod(h-c.h+540, 360)-180) > 0.5 || c.s == 0 &&
			ch > 1e-6 {
			t.Errorf("the hue of hsl(%v %v %v) is %v", c.h, c.s, c.l, h)
		}
	}
}

// Another implementation of the same standards gives the same colours.
func TestAgreesWithAnotherLibrary(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	worst := 0.0
	for range 2000 {
		h, s, l := 360*r.Float64(), r.Float64(), r.Float64()
		got, want := HSL(h, s, l), colorful.Hsl(h, s, l)
		wr, wg, wb := want.LinearRgb()
		for i, d := range []float64{float64(got.R) - wr, float64(got.G) - wg, float64(got.B) - wb} {
			if math.Abs(d) > 1e-6 {
				t.Fatalf("HSL(%v, %v, %v): channel %d is off by %v", h, s, l, i, d)
			}
		}
		if got.Hex() != want.Clamped().Hex() {
			t.Errorf("HSL(%v, %v, %v) is %s, by the other %s", h, s, l, got.Hex(), want.Hex())
		}
		if hue, chroma := HueOf(got); chroma > 0.05 {
			wh, ws, wv := want.Hsv()
			if d := math.Abs(hue - wh); math.Min(d, 360-d) > 0.5 || math.Abs(chroma-ws*wv) > 1e-3 {
				t.Errorf("%s has hue %v and chroma %v, by the other %v and %v", got.Hex(), hue, chroma, wh, ws*wv)
			}
		}
		l1, a1, b1 := got.Lab()
		wl, wa, wbb := want.Lab() // from 0 to 1
		for _, d := range []float64{l1 - 100*wl, a1 - 100*wa, b1 - 100*wbb} {
			if math.Abs(d) > 0.05 { // white points of five digits against four
				t.Fatalf("%s is %v, %v, %v in L*a*b*, by the other %v, %v, %v", got.Hex(), l1, a1, b1, 100*wl, 100*wa, 100*wbb)
			}
		}
		other := colorful.Hsl(360*r.Float64(), r.Float64(), r.Float64())
		ol, oa, ob := other.Lab()
		ours := DeltaE2000(100*wl, 100*wa, 100*wbb, 100*ol, 100*oa, 100*ob)
		worst = math.Max(worst, math.Abs(ours-100*want.DistanceCIEDE2000(other)))
	}
	if worst > 1e-6 {
		t.Errorf("differences of colours are off by up to %v", worst)
	}
}

// paraTag and curvTag make tone curves as profiles hold them.
func paraTag(kind uint16, v ...float64) []byte {
	b := append([]byte("para\x00\x00\x00\x00"), byte(kind>>8), byte(kind), 0, 0)
	for _, x := range v {
		b = binary.BigEndian.AppendUint32(b, uint32(int32(math.Round(x*65536))))
	}
	return b
}

func curvTag(n uint32, v ...uint16) []byte {
	b := binary.BigEndian.AppendUint32([]byte("curv\x00\x00\x00\x00"), n)
	for _, x := range v {
		b = binary.BigEndian.AppendUint16(b, x)
	}
	return b
}

// Each kind of tone curve of ICC.1:2022 (10.6 and 10.18) has the values of its formula.
func TestToneCurves(t *testing.T) {
	for name, tt := range map[string]struct {
		tag  []byte
		want func(x float64) float64
	}{
		"kind 0": {paraTag(0, 2), func(x float64) float64 { return x * x }},
		"kind 1": {paraTag(1, 2, 1.25, -0.25),
			func(x float64) float64 { return math.Pow(math.Max(1.25*x-0.25, 0), 2) }},
		"kind 2": {paraTag(2, 2, 1, -0.25, 0.125),
			func(x float64) float64 { return math.Pow(math.Max(x-0.25, 0), 2) + 0.125 }},
		"kind 3": {paraTag(3, 2, 0.75, 0.25, 0.5, 0.25),
			func(x float64) float64 { return pick(x >= 0.25, math.Pow(0.75*x+0.25, 2), 0.5*x) }},
		"kind 4": {paraTag(4, 2, 0.7, 0.25, 0.5, 0.25, 0.0625, 0.0625),
			func(x float64) float64 {
				return pick(x >= 0.25, math.Pow(0.7*x+0.25, 2)+0.0625, 0.5*x+0.0625)
			}},
		"no curve":   {curvTag(0), func(x float64) float64 { return x }},
		"one number": {curvTag(1, 0x0180), func(x float64) float64 { return math.Pow(x, 1.5) }},
		"two numbers": {curvTag(2, 6553, 65535),
			func(x float64) float64 { return 6553.0/65535 + x*(65535-6553)/65535 }},
		"three numbers": {curvTag(3, 0, 6553, 65535),
			func(x float64) float64 {
				return pick(x < 0.5, x*2*6553/65535, (6553+(2*x-1)*(65535-6553))/65535)
			}},
		"a little falling": {curvTag(3, 0, 65535, 65533), func(x float64) float64 { return math.Min(2*x, 1) }},
	} {
		f, err := parseTRC(tt.tag)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		for _, x := range []float64{0, 0.1, 0.2, 0.2499, 0.25, 0.3, 0.5, 0.77, 1} {
			if got := f(x); math.Abs(got-tt.want(x)) > 1e-4 {
				t.Errorf("%s at %v is %v, want %v", name, x, got, tt.want(x))
			}
		}
	}
	for name, tag := range map[string][]byte{
		"cut off":         paraTag(4, 2, 1, 0, 1, 0, 0),
		"of no kind":      paraTag(5, 2, 1, 0, 1, 0, 0, 0, 0),
		"of no type":      []byte("text\x00\x00\x00\x00\x00\x00\x00\x00"),
		"a table cut off": curvTag(4, 1, 2, 3),
		"falling":         curvTag(2, 65535, 0),
		"above 1":         paraTag(1, 1, 1, 0.5),
		"below 0":         paraTag(4, 1, 1, 0, 1, 0, -0.5, 0),
		"no number":       paraTag(1, -2, 1, 0),
		"dark":            curvTag(2, 0, 30000),
		"of no room":      nil,
	} {
		if f, err := parseTRC(tag); err == nil {
			t.Errorf("a curve that is %s is taken: %v", name, f(0.5))
		} else if !errors.Is(err, ErrProfile) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func pick(first bool, a, b float64) float64 {
	if first {
		return a
	}
	return b
}

// What a profile calls itself is shown on one short line, whatever it holds.
func TestDescriptionsAreCut(t *testing.T) {
	desc := func(text string) []byte {
		b := binary.BigEndian.AppendUint32([]byte("desc\x00\x00\x00\x00"), uint32(len(text)+1))
		return append(append(b, text...), 0)
	}
	for text, want := range map[string]string{
		"Quay P3": "Quay P3", " two\nlines\x00and\x1b[31m more ": "two lines and [31m more", "": "embedded profile", "\xff\xfe": "embedded profile",
		strings.Repeat("x", 80):   strings.Repeat("x", 80),
		strings.Repeat("y", 5000): strings.Repeat("y", 79) + "…",
	} {
		if got := describe(desc(text)); got != want {
			t.Errorf("%.90q is shown as %q", text, got)
		}
	}
}

func TestExpNeg(t *testing.T) {
	last := float32(1)
	for x := float32(0); x < 20; x += 0.003 {
		got, want := ExpNeg(x), math.Exp(-float64(x))
		if err := math.Abs(float64(got)-want) / want; x < 15 && err > 4e-6 {
			t.Fatalf("e^-%v is %v, off by %v of it", x, got, err)
		}
		if got > last || got < 0 || x >= 16 && got != 0 {
			t.Fatalf("e^-%v is %v, after %v", x, got, last)
		}
		last = got
	}
}

func TestSmallSums(t *testing.T) {
	c := RGB{0.5, 0.25, 1}
	if got := c.Luma(); math.Abs(float64(got)-(0.5*0.2126+0.25*0.7152+0.0722)) > 1e-6 {
		t.Errorf("its luminance is %v", got)
	}
	if got := c.Mix(RGB{1, 0.75, 0}, 0.5); got != (RGB{0.75, 0.5, 0.5}) {
		t.Errorf("mixed it is %v", got)
	}
	if got := c.Scale(2); got != (RGB{1, 0.5, 2}) {
		t.Errorf("twice it is %v", got)
	}
}

func Example() {
	gel := HSL(172, 0.85, 0.5) // as CSS reads it
	fmt.Println(gel.Hex(), gel.Scale(0.5).Hex())
	// Light joins on film: what is bright already gains less.
	fmt.Printf("%.2f %.2f %.2f\n", SoftAdd(0, 0.5), SoftAdd(0.5, 0.5), SoftAdd(0.9, 0.5))
	// Output:
	// #13eccf #0bad98
	// 0.39 0.82 1.00
}

// The white of 2856 K, illuminant A, is at x = 0.4476, y = 0.4074 (CIE 15), that of a display lies
// near 6500 K.
func TestBlackBody(t *testing.T) {
	x, y := 0.4476, 0.4074
	m := invert(rec709ToXYZ)
	v := [3]float64{x / y, 1, (1 - x - y) / y}
	var c [3]float64
	for i := range c {
		c[i] = m[3*i]*v[0] + m[3*i+1]*v[1] + m[3*i+2]*v[2]
	}
	got := BlackBody(2856)
	for i, p := range [][2]float64{{float64(got.R), 1}, {float64(got.G), c[1] / c[0]},
		{float64(got.B), c[2] / c[0]}} {
		if math.Abs(p[0]-p[1]) > 0.01 {
			t.Errorf("part %d of 2856 K is %g, of illuminant A %g", i, p[0], p[1])
		}
	}
	if day := BlackBody(6504); min(day.R, day.G, day.B) < 0.92 {
		t.Errorf("6504 K is %v", day)
	}
	if ember := BlackBody(1000); ember.R != 1 || ember.B != 0 {
		t.Errorf("1000 K is %v", ember)
	}
}
