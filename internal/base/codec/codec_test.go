package codec

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pyrant/internal/base/colour/icctest"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
)

var ctx = context.Background()

// picture returns a w by h picture in which every pixel differs from those
// beside it.
func picture(w, h int) *image.RGBA {
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			m.SetRGBA(x, y, color.RGBA{uint8(40 + 5*x), uint8(30 + 7*y), uint8(20 + 3*(x+y)), 255})
		}
	}
	return m
}

func write(t testing.TB, m image.Image, o Options) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Write(&b, m, o); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func open(t testing.TB, data []byte) *photo.Photo {
	t.Helper()
	p, err := Open(ctx, data)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// exif makes a block with a camera's name, an orientation and a thumbnail.
func exif(order binary.AppendByteOrder, orientation uint16, thumbnail []byte) []byte {
	b := []byte("II*\x00")
	if order == binary.AppendByteOrder(binary.BigEndian) {
		b = []byte("MM\x00*")
	}
	u16 := func(v uint16) { b = order.AppendUint16(b, v) }
	u32 := func(v uint32) { b = order.AppendUint32(b, v) }
	entry := func(tag, kind uint16, n, v uint32) {
		u16(tag)
		u16(kind)
		u32(n)
		if kind == 3 {
			u16(uint16(v))
			u16(0)
		} else {
			u32(v)
		}
	}
	const name = "Quayside Mk II\x00"
	u32(8)
	u16(2) // first directory: two entries, at 8; ends at 38
	entry(0x010f, 2, uint32(len(name)), 38)
	entry(0x0112, 3, 1, uint32(orientation))
	second := uint32(38 + len(name))
	u32(second)
	b = append(b, name...)
	u16(2) // second directory: the thumbnail
	entry(0x0201, 4, 1, second+2+24+4)
	entry(0x0202, 4, 1, uint32(len(thumbnail)))
	u32(0)
	return append(b, thumbnail...)
}

func TestFormatsRoundTrip(t *testing.T) {
	m := picture(31, 17)
	deep := image.NewRGBA64(m.Bounds())
	for y := range 17 {
		for x := range 31 {
			deep.SetRGBA64(x, y, color.RGBA64{uint16(1000 + 999*x), uint16(77 * y),
				uint16(65535 - 500*x), 65535})
		}
	}
	for _, format := range []string{"png", "tiff"} {
		p := open(t, write(t, m, Options{Format: format}))
		for i := range 31 * 17 {
			if !bytes.Equal(p.Pix8[3*i:3*i+3], m.Pix[4*i:4*i+3]) {
				t.Fatalf("%s: pixel %d came back as %v", format, i, p.Pix8[3*i:3*i+3])
			}
		}
		p = open(t, write(t, deep, Options{Format: format}))
		if !p.Deep() {
			t.Fatalf("%s: 16 bits came back as 8", format)
		}
		for i := range 31 * 17 {
			c := deep.RGBA64At(i%31, i/31)
			if p.Pix16[3*i] != c.R || p.Pix16[3*i+1] != c.G || p.Pix16[3*i+2] != c.B {
				t.Fatalf("%s: pixel %d of 16 bits came back as %v, was %v", format, i, p.Pix16[3*i:3*i+3], c)
			}
		}
	}
	p := open(t, write(t, m, Options{Format: "jpeg", Quality: 100}))
	worst := 0.0
	for i := range 31 * 17 {
		for c := range 3 {
			worst = math.Max(worst, math.Abs(float64(p.Pix8[3*i+c])-float64(m.Pix[4*i+c])))
		}
	}
	if worst > 12 {
		t.Errorf("jpeg of quality 100 is off by %v", worst)
	}
}

// A photo comes upright whatever way its camera was held.
func TestOrientation(t *testing.T) {
	m := picture(9, 5)
	// Where the pixel of the upright picture lies in the stored one, for a
	// stored picture of 9 by 5 (EXIF 2.3, tag 0x0112).
	stored := map[uint16]func(x, y int) (int, int){
		1: func(x, y int) (int, int) { return x, y },
		2: func(x, y int) (int, int) { return 8 - x, y },
		3: func(x, y int) (int, int) { return 8 - x, 4 - y },
		4: func(x, y int) (int, int) { return x, 4 - y },
		5: func(x, y int) (int, int) { return y, x },
		6: func(x, y int) (int, int) { return y, 4 - x },
		7: func(x, y int) (int, int) { return 8 - y, 4 - x },
		8: func(x, y int) (int, int) { return 8 - y, x },
	}
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		for o, at := range stored {
			p := open(t, write(t, m, Options{Format: "png", EXIF: exif(order, o, nil)}))
			w, h := 9, 5
			if o >= 5 {
				w, h = 5, 9
			}
			if p.Width != w || p.Height != h {
				t.Fatalf("orientation %d: %d by %d", o, p.Width, p.Height)
			}
			for y := range h {
				for x := range w {
					sx, sy := at(x, y)
					c := m.RGBAAt(sx, sy)
					i := 3 * (y*w + x)
					if p.Pix8[i] != c.R || p.Pix8[i+1] != c.G || p.Pix8[i+2] != c.B {
						t.Fatalf("orientation %d: pixel %d, %d is not that of %d, %d", o, x, y, sx, sy)
					}
				}
			}
		}
	}
}

func TestExifGoesAlongUprightAndWithoutThumbnail(t *testing.T) {
	thumb := []byte("the plain photo, small")
	block := exif(binary.BigEndian, 6, thumb)
	for _, format := range []string{"jpeg", "png"} {
		p := open(t, write(t, picture(20, 10), Options{Format: format, Quality: 90, EXIF: block}))
		out := write(t, picture(20, 10), Options{Format: format, Quality: 90, EXIF: p.EXIF})
		if !bytes.Contains(out, []byte("Quayside Mk II")) {
			t.Errorf("%s: the camera's name is lost", format)
		}
		if bytes.Contains(out, thumb) {
			t.Errorf("%s: the thumbnail of the plain photo went along", format)
		}
		if m := readMeta(format, out); m.orientation != 1 {
			t.Errorf("%s: the export says that it is turned (%d)", format, m.orientation)
		}
	}
	if !bytes.Contains(block, thumb) || block[len(block)-1] != 'l' {
		t.Error("reading the block changed it")
	}
}

// What a camera wrote goes from any format to any, in either byte order.
func TestExifGoesBetweenFormats(t *testing.T) {
	// A block as exif makes it, with a directory of its own for the exposure time,
	// a fraction of two numbers.
	deep := func(order binary.AppendByteOrder) []byte {
		list := []field{
			{tag: 0x010f, kind: 2, count: 14, data: []byte("Quayside Mk II\x00")[:14]},
			{tag: 0x0112, kind: 3, count: 1, data: []byte{6, 0}},
			{tag: tagExif, kind: 4, count: 1, sub: []field{
				{tag: 0x829a, kind: 5, count: 1, data: []byte{1, 0, 0, 0, 250, 0, 0, 0}},
				{tag: 0x8827, kind: 3, count: 1, data: []byte{64, 1}},
			}},
		}
		b := appendIFD([]byte("II*\x00\x08\x00\x00\x00"), 0, list)
		if order == binary.AppendByteOrder(binary.BigEndian) {
			return bigEndian(t, b)
		}
		return b
	}
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		for _, from := range []string{"jpeg", "png", "tiff"} {
			for _, to := range []string{"jpeg", "png", "tiff"} {
				p := open(t, write(t, picture(20, 10), Options{Format: from, Quality: 90,
					EXIF: deep(order)}))
				q := open(t, write(t, picture(20, 10), Options{Format: to, Quality: 90,
					EXIF: p.EXIF}))
				got, _ := description(q.EXIF)
				if len(got) != 2 || string(got[0].data) != "Quayside Mk II" || len(got[1].sub) != 2 ||
					!bytes.Equal(got[1].sub[0].data, []byte{1, 0, 0, 0, 250, 0, 0, 0}) ||
					!bytes.Equal(got[1].sub[1].data, []byte{64, 1}) {
					t.Errorf("from %s to %s: %+v", from, to, got)
				}
				if q.Width != 20 || len(q.Pix8) != 600 {
					t.Errorf("from %s to %s: the picture is %d by %d", from, to, q.Width, q.Height)
				}
			}
		}
	}
}

// Entries that point to the same bytes again and again, and directories that hold
// themselves, must not make much of a small file.
func TestDirectoriesThatRepeatThemselves(t *testing.T) {
	const entries = 500
	b := []byte("II*\x00\x08\x00\x00\x00")
	b = binary.LittleEndian.AppendUint16(b, entries)
	for i := range entries {
		// one text, many times
		tag, kind, count, at := uint16(0x010e), uint16(2), uint32(900_000), uint32(0)
		if i%2 == 0 {
			tag, kind, count, at = tagExif, 4, 1, 8 // this very directory
		}
		b = binary.LittleEndian.AppendUint16(b, tag)
		b = binary.LittleEndian.AppendUint16(b, kind)
		b = binary.LittleEndian.AppendUint32(b, count)
		b = binary.LittleEndian.AppendUint32(b, at)
	}
	b = append(b, make([]byte, 900_000)...)
	var sum func(list []field) int
	sum = func(list []field) (n int) {
		for _, f := range list {
			n += len(f.data) + sum(f.sub)
		}
		return
	}
	list, _ := description(b)
	if n := sum(list); n > maxFieldBytes {
		t.Errorf("%d bytes were made of %d", n, len(b))
	}
}

// bigEndian returns the small EXIF block of TestExifGoesBetweenFormats in the
// other byte order.
func bigEndian(t *testing.T, le []byte) []byte {
	t.Helper()
	b := bytes.Clone(le)
	copy(b, "MM\x00*")
	swap := func(at, n int) {
		for i, j := at, at+n-1; i < j; i, j = i+1, j-1 {
			b[i], b[j] = b[j], b[i]
		}
	}
	swap(4, 4)
	var turn func(at int)
	turn = func(at int) {
		n := int(binary.LittleEndian.Uint16(le[at:]))
		swap(at, 2)
		for i := range n {
			e := at + 2 + 12*i
			tag, kind, value := binary.LittleEndian.Uint16(le[e:]),
				binary.LittleEndian.Uint16(le[e+2:]), int(binary.LittleEndian.Uint32(le[e+8:]))
			swap(e, 2)
			swap(e+2, 2)
			swap(e+4, 4)
			switch kind {
			case 3:
				swap(e+8, 2)
			case 5:
				swap(value, 4)
				swap(value+4, 4)
				swap(e+8, 4)
			default:
				swap(e+8, 4)
			}
			if tag == tagExif {
				turn(value)
			}
		}
	}
	turn(8)
	return b
}

func TestProfilesGoAlong(t *testing.T) {
	icc := icctest.Matrix(4, "Display P3", icctest.DisplayP3, icctest.SRGBCurve())
	// more than one JPEG segment holds
	long := append(append([]byte{}, icc...), make([]byte, 150_000)...)
	for _, format := range []string{"jpeg", "png", "tiff"} {
		for _, c := range [][]byte{icc, long} {
			p := open(t, write(t, picture(20, 10), Options{Format: format, Quality: 90, ICC: c}))
			if p.Profile.Name != "Display P3" || !bytes.Equal(p.ICC, c) {
				t.Errorf("%s: a profile of %d bytes came back as %q with %d", format, len(c), p.Profile.Name, len(p.ICC))
			}
		}
	}
	p := open(t, write(t, picture(20, 10), Options{Format: "png", ICC: []byte("no profile at all")}))
	if p.Profile.Name != "sRGB" || p.ICC != nil || len(p.Notes) == 0 {
		t.Errorf("an unreadable profile: %q, notes %q", p.Profile.Name, p.Notes)
	}
}

func TestGreyAndTransparent(t *testing.T) {
	grey := image.NewGray(image.Rect(0, 0, 4, 4))
	for i := range grey.Pix {
		grey.Pix[i] = uint8(16 * i)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, grey); err != nil {
		t.Fatal(err)
	}
	p := open(t, b.Bytes())
	if p.Pix8[3*7] != 112 || p.Pix8[3*7+1] != 112 || p.Pix8[3*7+2] != 112 {
		t.Errorf("a grey of 112 came out as %v", p.Pix8[21:24])
	}
	half := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	half.SetNRGBA(0, 0, color.NRGBA{200, 100, 50, 128})
	half.SetNRGBA(1, 0, color.NRGBA{200, 100, 50, 255})
	b.Reset()
	if err := png.Encode(&b, half); err != nil {
		t.Fatal(err)
	}
	p = open(t, b.Bytes())
	if got := p.Pix8[:6]; got[0] != 100 || got[3] != 200 {
		t.Errorf("laid on black: %v", got)
	}
	if n := strings.Join(p.Notes, " "); !strings.Contains(n, "filled with black") {
		t.Errorf("nothing is said about transparency: %q", n)
	}
}

// A grey photo with a profile of its own keeps its tones, in sRGB.
func TestGreyProfile(t *testing.T) {
	grey := image.NewGray(image.Rect(0, 0, 16, 16))
	for i := range grey.Pix {
		grey.Pix[i] = uint8(i)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, grey); err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	s := &splice{w: &out, after: 33, insert: pngChunks(Options{ICC: icctest.Grey("grey",
		icctest.Gamma(1))})}
	if _, err := s.Write(b.Bytes()); err != nil {
		t.Fatal(err)
	}
	p := open(t, out.Bytes())
	row := make([]float32, 3*16)
	for y := range 16 {
		p.Linear(row, 0, y, 16)
		for x := range 16 {
			if want := float64(16*y+x) / 255; math.Abs(float64(row[3*x])-want) > 1e-4 {
				t.Fatalf("grey %d is %v in linear light, want %v", 16*y+x, row[3*x], want)
			}
		}
	}
}

// pngHeader is a PNG that claims a size and has nothing else.
func pngHeader(w, h uint32) []byte {
	b := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x0dIHDR")
	b = binary.BigEndian.AppendUint32(b, w)
	b = binary.BigEndian.AppendUint32(b, h)
	b = append(b, 8, 2, 0, 0, 0)
	return binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[12:]))
}

func TestBadPictures(t *testing.T) {
	good := write(t, picture(200, 150), Options{Format: "jpeg", Quality: 90})
	broken := bytes.Clone(good)
	for i := 700; i < 760; i++ {
		broken[i] = 0xff
	}
	// A JPEG header with four components.
	cmyk := []byte{0xff, 0xd8, 0xff, 0xc0, 0, 20, 8, 0, 10, 0, 10, 4, 1, 0x11, 0, 2, 0x11, 0, 3,
		0x11, 0, 4, 0x11, 0, 0xff, 0xda, 0, 14, 4, 1, 0, 2, 0, 3, 0, 4, 0, 0, 63, 0}
	for name, c := range map[string]struct {
		data     []byte
		say      string
		tooLarge bool
	}{
		"empty":              {nil, "empty", false},
		"text":               {[]byte("Dear Tidewatch Players, the lamp is broken."), "cannot read this file", false},
		"truncated":          {good[:len(good)/2], "file is missing", false},
		"only a head":        {good[:40], "", false},
		"damaged":            {broken, "damaged", false},
		"100 000 x 100 000":  {pngHeader(100_000, 100_000), "100000 × 100000", true},
		"too many pixels":    {pngHeader(20_000, 20_000), "megapixels", true},
		"more than it holds": {pngHeader(12_000, 12_000), "do not fit in a file", false},
		"CMYK":               {cmyk, "CMYK", false},
		"no pixels":          {pngHeader(0, 10), "", false},
	} {
		_, err := Open(ctx, c.data)
		var e *fault.Error
		if !errors.As(err, &e) {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if !strings.Contains(e.Msg, c.say) || e.Kind == fault.TooLarge != c.tooLarge {
			t.Errorf("%s: says %q (too large: %t): %v", name, e.Msg, e.Kind == fault.TooLarge, e.Err)
		}
	}
}

// Whatever the decoder's picture is made of, each pixel is what its At says, laid on
// black, and turned as the orientation says.
func TestEveryKindOfPictureIsTakenAsItIs(t *testing.T) {
	r := image.Rect(3, -2, 3+13, -2+9) // and need not begin at 0
	rnd := rand.New(rand.NewPCG(1, 4))
	bytesOf := func(pix []uint8) {
		for i := range pix {
			pix[i] = uint8(rnd.Uint32())
		}
	}
	rgba64, nrgba64, gray16 := image.NewRGBA64(r), image.NewNRGBA64(r), image.NewGray16(r)
	rgba, nrgba, gray := image.NewRGBA(r), image.NewNRGBA(r), image.NewGray(r)
	pal := image.NewPaletted(r, color.Palette{color.RGBA{1, 2, 3, 255}, color.NRGBA{200, 100, 50,
		128}, color.Gray{77}})
	ycc := image.NewYCbCr(r, image.YCbCrSubsampleRatio420)
	alpha := image.NewNYCbCrA(r, image.YCbCrSubsampleRatio420)
	for _, pix := range [][]uint8{rgba64.Pix, nrgba64.Pix, gray16.Pix, rgba.Pix, nrgba.Pix,
		gray.Pix, ycc.Y, ycc.Cb, ycc.Cr, alpha.Y, alpha.Cb, alpha.Cr, alpha.A} {
		bytesOf(pix)
	}
	for i := range pal.Pix {
		pal.Pix[i] = uint8(rnd.IntN(3))
	}
	for _, m := range []image.Image{rgba64, nrgba64, gray16, rgba, nrgba, gray, pal, ycc, alpha} {
		for o := 1; o <= 8; o++ {
			p := new(photo.Photo)
			if err := take(ctx, p, m, o); err != nil {
				t.Fatal(err)
			}
			for y := range 9 {
				for x := range 13 {
					// Where EXIF says that the stored pixel is shown.
					at := map[int][2]int{1: {x, y}, 2: {12 - x, y}, 3: {12 - x, 8 - y},
						4: {x, 8 - y}, 5: {y, x}, 6: {8 - y, x}, 7: {8 - y, 12 - x},
						8: {y, 12 - x}}[o]
					i := 3 * (at[1]*p.Width + at[0])
					cr, cg, cb, _ := m.At(r.Min.X+x, r.Min.Y+y).RGBA()
					for c, want := range []uint32{cr, cg, cb} {
						if p.Deep() && uint32(p.Pix16[i+c]) != want || !p.Deep() &&
							uint32(p.Pix8[i+c]) != want>>8 {
							t.Fatalf("%T, orientation %d: pixel %d, %d is not what it was", m, o, x, y)
						}
					}
				}
			}
		}
	}
}

// What would take more memory than a photo is given is refused by its header.
func TestMemoryIsBounded(t *testing.T) {
	header := func(w, h uint32, depth, kind byte) []byte {
		b := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR")
		b = binary.BigEndian.AppendUint32(b, w)
		b = binary.BigEndian.AppendUint32(b, h)
		b = append(b, depth, kind, 0, 0, 0)
		b = binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[12:29]))
		return append(b, make([]byte, 40_000)...) // enough for what it says it holds
	}
	for _, tt := range []struct {
		w, h        uint32
		depth, kind byte
		fits        bool
	}{
		{14000, 14000, 16, 2, false}, {14000, 14000, 16, 6, false}, {14000, 14000, 8, 2, true},
		{14000, 14000, 8, 6, true},
		{12000, 8400, 16, 6, true}, {12000, 8400, 16, 2, true}, {12000, 8400, 8, 6, true},
		{12000, 8400, 8, 2, true}, {14000, 14000, 16, 0, true},
	} {
		_, _, _, err := Size(header(tt.w, tt.h, tt.depth, tt.kind))
		if (err == nil) != tt.fits || err != nil && (!fault.Is(err, fault.TooLarge) ||
			!strings.Contains(err.Error(), "GB of memory")) {
			t.Errorf("%d × %d of %d bits, kind %d: %v", tt.w, tt.h, tt.depth, tt.kind, err)
		}
	}
}

// A JPEG takes more where it is progressive: its coefficients are kept until the end.
func TestMemoryOfJPEGs(t *testing.T) {
	jpegOf := func(w, h uint16, frame byte) []byte {
		b := []byte{0xff, 0xd8, 0xff, 0xe0, 0, 16, 'J', 'F', 'I', 'F', 0, 1, 1, 0, 0, 1, 0, 1, 0, 0,
			0xff, frame, 0, 17, 8, byte(h >> 8), byte(h), byte(w >> 8), byte(w), 3, 1, 0x22, 0, 2,
			0x11, 1, 3, 0x11, 1}
		return append(b, make([]byte, 40_000)...)
	}
	for _, tt := range []struct {
		w, h  uint16
		frame byte
		need  int64 // 0 for too much
	}{{14000, 14000, 0xc0, 6 * 14000 * 14000}, {14000, 14000, 0xc2, 0},
		{12000, 8400, 0xc2, 18 * 12000 * 8400}, {12000, 8400, 0xc0, 6 * 12000 * 8400}} {
		got, err := Need(jpegOf(tt.w, tt.h, tt.frame))
		if got != tt.need || (err == nil) != (tt.need > 0) {
			t.Errorf("%d × %d, frame %x: %d, %v", tt.w, tt.h, tt.frame, got, err)
		}
	}
}

// A JPEG of very many scans is refused before it is decoded; one with a thumbnail and the usual ten
// is not.
func TestScansAreCounted(t *testing.T) {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 64, 64)), nil); err != nil {
		t.Fatal(err)
	}
	one := b.Bytes()
	// The same with a thumbnail in its EXIF, which has a scan as well.
	thumb := append([]byte{0xff, 0xe1, byte((len(one) + 2) >> 8), byte(len(one) + 2)}, one...)
	withThumb := slices.Concat(one[:2], thumb, one[2:])
	if n, m := scans(one), scans(withThumb); n != 1 || m != 1 {
		t.Errorf("one scan is counted as %d, with a thumbnail as %d", n, m)
	}
	scan := []byte{0xff, 0xda, 0, 8, 1, 1, 0, 0, 63, 0, 0, 0}
	many := slices.Concat(one[:len(one)-2], bytes.Repeat(scan, 99), one[len(one)-2:])
	if _, err := Need(many); fault.Is(err, fault.TooLarge) {
		t.Errorf("a hundred scans: %v", err)
	}
	many = slices.Concat(one[:len(one)-2], bytes.Repeat(scan, 100), one[len(one)-2:])
	if _, err := Need(many); !fault.Is(err, fault.TooLarge) || !strings.Contains(err.Error(), "100 scans") {
		t.Errorf("a hundred and one: %v", err)
	}
}

// Kinds of pictures that are not read are called by their names, with what to do.
func TestKindsThatAreNotReadAreNamed(t *testing.T) {
	entry := func(tag, value uint16) []byte {
		b := binary.LittleEndian.AppendUint16(nil, tag)
		b = binary.LittleEndian.AppendUint16(b, 3)
		b = binary.LittleEndian.AppendUint32(b, 1)
		return append(binary.LittleEndian.AppendUint16(b, value), 0, 0)
	}
	tiffOf := func(samples, planes uint16) []byte {
		b := []byte("II*\x00\x08\x00\x00\x00\x02\x00")
		return append(append(append(b, entry(277, samples)...), entry(284, planes)...),
			make([]byte, 40)...)
	}
	webp := func(flags byte) []byte {
		return append([]byte("RIFF\x40\x00\x00\x00WEBPVP8X\x0a\x00\x00\x00"), append([]byte{flags}, make([]byte, 40)...)...)
	}
	for name, tt := range map[string]struct {
		data []byte
		say  string
	}{
		"BigTIFF":                {append([]byte("II+\x00\x08\x00\x00\x00"), make([]byte, 40)...), "This is a BigTIFF"},
		"BigTIFF, other way":     {append([]byte("MM\x00+\x00\x08\x00\x00"), make([]byte, 40)...), "This is a BigTIFF"},
		"planes":                 {tiffOf(3, 2), "separate planes"},
		"one plane, called so":   {tiffOf(1, 2), "damaged"}, // grey has but one
		"interleaved":            {tiffOf(3, 1), "damaged"},
		"animation":              {webp(2), "is an animation"},
		"animation with profile": {webp(0x22), "is an animation"},
		"still":                  {webp(0x20), "damaged"},
		"PDF":                    {[]byte("%PDF-1.7 and more than a few bytes of it"), "cannot read this file"},
	} {
		_, err := Open(ctx, tt.data)
		var fe *fault.Error
		if !errors.As(err, &fe) || !strings.Contains(fe.Msg, tt.say) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// What a format cannot hold is said, not dropped in silence.
func TestWhatIsLostIsSaid(t *testing.T) {
	large := exif(binary.LittleEndian, 1, make([]byte, 70_000))
	for _, tt := range []struct {
		o    Options
		says string
	}{
		{Options{Format: "jpeg", EXIF: large}, "70 kB) does not fit into a JPEG"},
		{Options{Format: "jpeg", EXIF: large[:200]}, ""},
		{Options{Format: "jpeg"}, ""},
		{Options{Format: "png", EXIF: large}, ""},
	} {
		got := strings.Join(tt.o.Lost(), " ")
		if tt.says == "" && got != "" || !strings.Contains(got, tt.says) {
			t.Errorf("%s with %d bytes of EXIF: %q", tt.o.Format, len(tt.o.EXIF), got)
		}
		tt.o.Quality = 90
		kept := open(t, write(t, picture(20, 10), tt.o)).EXIF != nil
		if lost := got != ""; len(tt.o.EXIF) > 0 && kept == lost {
			t.Errorf("%s with %d bytes of EXIF: lost by its word %v, kept in the file %v", tt.o.Format, len(tt.o.EXIF), lost, kept)
		}
	}
}

// Decoding ends soon after nobody wants the photo any more.
func TestDecodingIsCancelled(t *testing.T) {
	for _, format := range []string{"jpeg", "png", "tiff"} {
		data := write(t, picture(600, 400), Options{Format: format, Quality: 95})
		c, cancel := context.WithCancel(ctx)
		cancel()
		var fe *fault.Error // that would say that the photo is damaged
		if p, err := Open(c, data); !errors.Is(err, context.Canceled) || errors.As(err, &fe) ||
			p != nil {
			t.Errorf("%s: cancelled before, decoding ends with %v", format, err)
		}
		if open(t, data).Width != 600 {
			t.Errorf("%s: afterwards it does not open", format)
		}
	}
}

func FuzzOpen(f *testing.F) {
	small := picture(12, 9)
	for _, format := range []string{"jpeg", "png", "tiff"} {
		f.Add(write(f, small, Options{Format: format, Quality: 80,
			ICC:  icctest.Matrix(2, "opRGB", icctest.OpRGB, icctest.Gamma(2.2)),
			EXIF: exif(binary.LittleEndian, 6, []byte("thumb"))}))
	}
	f.Add([]byte("RIFF\x1a\x00\x00\x00WEBPVP8L\x0d\x00\x00\x00\x2f\x00\x00\x00\x10\x07\x10\x11\x11\x88\x88\xfe\x07\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		_, w, h, err := Size(data)
		if err != nil || w*h > 1<<20 {
			return
		}
		p, err := Open(ctx, data)
		if err != nil {
			var e *fault.Error
			if !errors.As(err, &e) {
				t.Errorf("an error that no user can read: %v", err)
			}
			return
		}
		row := make([]float32, 3*p.Width)
		for y := range p.Height {
			p.Linear(row, 0, y, p.Width)
		}
	})
}

func BenchmarkOpenJPEG6MP(b *testing.B) {
	var buf bytes.Buffer
	if err := jpeg.Encode(&buf, picture(3000, 2000), &jpeg.Options{Quality: 90}); err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		open(b, buf.Bytes())
	}
}

// Whatever an EXIF block holds, what is carried on is a block that can be carried on, in
// every format.
func FuzzEXIF(f *testing.F) {
	for _, order := range []binary.AppendByteOrder{binary.LittleEndian, binary.BigEndian} {
		f.Add(exif(order, 6, []byte("thumb")))
	}
	m := image.NewRGBA(image.Rect(0, 0, 2, 2))
	f.Fuzz(func(t *testing.T, block []byte) {
		if len(block) > 60_000 {
			return
		}
		kept := carried(block)
		for _, format := range []string{"jpeg", "png", "tiff"} {
			o := Options{Format: format, Quality: 80, EXIF: kept}
			o.Lost()
			p, err := Open(ctx, write(t, m, o))
			if err != nil {
				t.Fatalf("%s: a picture with it cannot be read: %v", format, err)
			}
			if p.Width != 2 || p.Height != 2 {
				t.Errorf("%s: it turned the picture", format)
			}
		}
	})
}
