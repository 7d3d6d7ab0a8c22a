// Package codec reads photos as cameras and other programs write them, and
// writes the engine's results with the photo's colour profile and EXIF.
package codec

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"io"
	"strings"

	"golang.org/x/image/tiff"
	"golang.org/x/image/webp"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
)

// Limits of a photo.
const (
	MaxEdge   = 60_000
	MaxPixels = 200_000_000
	// MaxBytes is the most memory that decoding a photo may take: the decoder's
	// picture and the photo's samples. 100 megapixels of any kind fit.
	MaxBytes = 2 << 30
	// MaxScans is how many scans a progressive JPEG may have; encoders make about ten. Each goes
	// over the whole picture, however little it says.
	MaxScans = 100
)

// Sniff returns the format of a file by its first bytes, or "" for one that is
// no picture this package reads.
func Sniff(head []byte) string {
	switch {
	case bytes.HasPrefix(head, []byte{0xff, 0xd8, 0xff}):
		return "jpeg"
	case bytes.HasPrefix(head, []byte("\x89PNG\r\n\x1a\n")):
		return "png"
	case bytes.HasPrefix(head, []byte("II*\x00")), bytes.HasPrefix(head, []byte("MM\x00*")):
		return "tiff"
	case len(head) >= 12 && string(head[:4]) == "RIFF" && string(head[8:12]) == "WEBP":
		return "webp"
	}
	return ""
}

// Size returns the format of a picture and its size as stored, after the same
// checks of the header that Open makes.
func Size(data []byte) (format string, width, height int, err error) {
	format, cfg, err := header(data)
	return format, cfg.Width, cfg.Height, err
}

// Need returns about how much memory decoding a photo takes, after the same checks.
func Need(data []byte) (int64, error) {
	format, cfg, err := header(data)
	if err != nil {
		return 0, err
	}
	return need(data, format, cfg), nil
}

// header reads and checks a picture's header.
func header(data []byte) (format string, cfg image.Config, err error) {
	format = Sniff(data)
	r := bytes.NewReader(data)
	switch {
	case len(data) == 0:
		return "", cfg, &fault.Error{Msg: "The file is empty. Choose the photo again."}
	case format == "jpeg":
		cfg, err = jpeg.DecodeConfig(r)
	case format == "png":
		cfg, err = png.DecodeConfig(r)
	case format == "tiff":
		cfg, err = tiff.DecodeConfig(r)
	case format == "webp":
		cfg, err = webp.DecodeConfig(r)
	case bytes.HasPrefix(data, []byte{'I', 'I', 43, 0}), bytes.HasPrefix(data,
		[]byte{'M', 'M', 0, 43}):
		return "", cfg, &fault.Error{Msg: "This is a BigTIFF. Save it as an ordinary TIFF and open that."}
	default:
		return "", cfg, &fault.Error{Msg: "Pyrant cannot read this file. Open a JPEG, PNG, TIFF or WebP file."}
	}
	if format == "webp" && animated(data) {
		return "", cfg, &fault.Error{Msg: "This WebP is an animation. Save one picture of it as a still and open that."}
	}
	if format == "tiff" && planar(data) {
		return "", cfg, &fault.Error{Msg: "This TIFF keeps red, green and blue in separate planes, which Pyrant does not read. Save it with interleaved channels (the usual way) and open that."}
	}
	if err != nil {
		return "", cfg, damaged(err)
	}
	if format == "jpeg" && scans(data) > MaxScans {
		return "", cfg, &fault.Error{Kind: fault.TooLarge, Msg: fmt.Sprintf("This JPEG has more than %d scans. Save it as an ordinary JPEG and open that.", MaxScans)}
	}
	if cfg.Width <= 0 || cfg.Height <= 0 {
		return "", cfg, &fault.Error{Msg: "This picture has no pixels. Save it again and open that."}
	}
	if cfg.Width > MaxEdge || cfg.Height > MaxEdge || cfg.Width*cfg.Height > MaxPixels {
		return "", cfg, &fault.Error{Kind: fault.TooLarge, Msg: fmt.Sprintf("This picture has %d × %d pixels. Pyrant opens up to %d megapixels and %d pixels on an edge. Make it smaller first.",
			cfg.Width, cfg.Height, MaxPixels/1_000_000, MaxEdge)}
	}
	if n := need(data, format, cfg); n > MaxBytes {
		return "", cfg, &fault.Error{Kind: fault.TooLarge, Msg: fmt.Sprintf("This picture of %d × %d pixels needs %.1f GB of memory; the limit is %.1f GB. Make it smaller, or save it with 8 bits per channel.",
			cfg.Width, cfg.Height, float64(n)/1e9, float64(MaxBytes)/1e9)}
	}
	// What the best compression of PNG and TIFF can do, with one bit a pixel.
	// A header that promises more is made to use up memory.
	if n := cfg.Width * cfg.Height; format != "webp" && n > 1<<20 && n/10_000 > len(data) {
		return "", cfg, &fault.Error{Msg: fmt.Sprintf("This picture claims %d × %d pixels, which do not fit in a file of %d bytes. Copy the file again.", cfg.Width, cfg.Height, len(data))}
	}
	if cfg.ColorModel == color.CMYKModel {
		return "", cfg, &fault.Error{Msg: "This picture is in CMYK, for print. Convert it to RGB and open that."}
	}
	return format, cfg, nil
}

// animated tells whether a WebP says that it moves (WebP Container, "Extended File
// Format").
func animated(data []byte) bool {
	return len(data) > 20 && string(data[12:16]) == "VP8X" && data[20]&2 != 0
}

// planar tells whether a TIFF's first directory has PlanarConfiguration 2 (TIFF 6.0,
// section 8) for more than one sample a pixel.
func planar(data []byte) bool {
	if len(data) < 8 {
		return false
	}
	var order binary.ByteOrder = binary.LittleEndian
	if data[0] == 'M' {
		order = binary.BigEndian
	}
	const samples, planes = 277, 284
	r := &fieldReader{data: data, order: order, left: maxFieldBytes}
	is := map[uint16]uint16{samples: 1, planes: 1}
	for _, f := range r.read(int(order.Uint32(data[4:])), 0,
		func(tag uint16) bool { return tag == samples || tag == planes }) {
		if f.kind == 3 && len(f.data) >= 2 {
			is[f.tag] = binary.LittleEndian.Uint16(f.data)
		}
	}
	return is[planes] == 2 && is[samples] > 1
}

// need returns about how much memory decoding a picture of such a header takes.
func need(data []byte, format string, cfg image.Config) int64 {
	decoder, samples := int64(4), int64(3) // bytes a pixel
	switch cfg.ColorModel {
	case color.RGBA64Model, color.NRGBA64Model:
		decoder, samples = 8, 6
	case color.Gray16Model:
		decoder, samples = 2, 6
	case color.GrayModel:
		decoder = 1
	case color.YCbCrModel:
		decoder = 3
		if format == "jpeg" && progressive(data) {
			decoder += 12 // its coefficients
		}
	}
	return int64(cfg.Width) * int64(cfg.Height) * (decoder + samples)
}

func damaged(err error) *fault.Error {
	var (
		uj jpeg.UnsupportedError
		up png.UnsupportedError
		ut tiff.UnsupportedError
	)
	msg := "This picture file is damaged. Copy the file again."
	switch {
	case errors.As(err, &uj), errors.As(err, &up), errors.As(err, &ut):
		msg = "Pyrant cannot read this kind of picture. Save it as an 8 or 16-bit RGB TIFF, PNG or JPEG and open that."
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF), strings.Contains(err.Error(),
		"short Huffman data"):
		msg = "A part of this picture file is missing. Copy the file again."
	}
	return &fault.Error{Msg: msg, Err: err}
}

// Open decodes a photo, turns it upright and reads its profile. Errors are of
// type *fault.Error, or ctx's, which ends the decoding soon after it is done.
func Open(ctx context.Context, data []byte) (*photo.Photo, error) {
	return OpenWatched(ctx, data, nil)
}

// OpenWatched is Open, and tells how much of the file is read, from 0 to 1.
func OpenWatched(ctx context.Context, data []byte,
	progress func(float64)) (p *photo.Photo, err error) {
	format, _, _, err := Size(data)
	if err != nil {
		return nil, err
	}
	// The decoders are sound, but they read what strangers made; a fault in one
	// of them must not take the application down.
	defer func() {
		if r := recover(); r != nil {
			p, err = nil, damaged(fmt.Errorf("decoder stopped: %v", r))
		}
	}()
	var img image.Image
	r := &reader{ctx: ctx, file: bytes.NewReader(data), progress: progress}
	switch format {
	case "jpeg":
		img, err = jpeg.Decode(r)
	case "png":
		img, err = png.Decode(r)
	case "tiff":
		img, err = tiff.Decode(r)
	case "webp":
		img, err = webp.Decode(r)
	}
	if cerr := ctx.Err(); cerr != nil {
		return nil, cerr
	}
	if err != nil {
		return nil, damaged(err)
	}
	m := readMeta(format, data)
	p = &photo.Photo{Format: format, Profile: colour.SRGB, EXIF: carried(m.exif)}
	if len(m.icc) > 0 {
		if prof, err := colour.ParseICC(m.icc); err != nil {
			p.Notes = append(p.Notes, "The embedded colour profile cannot be read; sRGB is assumed.")
		} else {
			p.Profile, p.ICC = prof, m.icc
			if prof.IsSRGB() { // then the screen shows the very codes of an export
				p.Profile = colour.SRGB
			}
			if prof.Grey {
				// The export has three channels, which a grey profile cannot describe.
				p.ICC = nil
				p.Notes = append(p.Notes, "The photo is greyscale; exports are in colour.")
			}
		}
	} else {
		p.Notes = append(p.Notes, "No embedded colour profile; sRGB is assumed.")
	}
	if err := take(ctx, p, img, m.orientation); err != nil {
		return nil, err
	}
	if p.Profile.Grey {
		toSRGB(p)
	}
	return p, nil
}

// reader reads a file in memory until its context is done.
type reader struct {
	ctx      context.Context
	file     *bytes.Reader
	progress func(float64) // may be nil
	told     int64         // how far it was when it was told last
}

func (r *reader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := r.file.Read(p)
	if at := r.file.Size() - int64(r.file.Len()); r.progress != nil &&
		at-r.told > r.file.Size()/100 {
		r.told = at
		r.progress(float64(at) / float64(r.file.Size()))
	}
	return n, err
}

func (r *reader) ReadAt(p []byte, off int64) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.file.ReadAt(p, off)
}

// toSRGB moves a grey photo with a profile of its own to sRGB codes of 16 bits,
// for an export with three channels.
func toSRGB(p *photo.Photo) {
	n := p.Width * p.Height * 3
	out := make([]uint16, n)
	row := make([]float32, 3*p.Width)
	for y := range p.Height {
		p.Linear(row, 0, y, p.Width)
		for i, v := range row {
			out[y*3*p.Width+i] = uint16(colour.Display.At(v)*65535 + 0.5)
		}
	}
	p.Pix8, p.Pix16, p.Profile = nil, out, colour.SRGB
}

// take copies img into p, turned by an EXIF orientation, and lays it on black
// where it is transparent.
func take(ctx context.Context, p *photo.Photo, img image.Image, orientation int) error {
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	p.Width, p.Height = w, h
	if orientation >= 5 {
		p.Width, p.Height = h, w
	}
	// place returns where the stored pixel (x, y) goes.
	place := func(x, y int) int {
		switch orientation {
		case 2:
			x = w - 1 - x
		case 3:
			x, y = w-1-x, h-1-y
		case 4:
			y = h - 1 - y
		case 5:
			x, y = y, x
		case 6:
			x, y = h-1-y, x
		case 7:
			x, y = h-1-y, w-1-x
		case 8:
			x, y = y, w-1-x
		}
		return 3 * (y*p.Width + x)
	}
	transparent := false
	var err error
	switch img.(type) {
	case *image.RGBA64, *image.NRGBA64, *image.Gray16:
		p.Pix16 = make([]uint16, 3*w*h)
		err = rows(ctx, p.Pix16, w, h, orientation, place,
			func(dst []uint16, y int) { row16(dst, img, y) })
	default:
		p.Pix8 = make([]uint8, 3*w*h)
		err = rows(ctx, p.Pix8, w, h, orientation, place,
			func(dst []uint8, y int) { row8(dst, img, y) })
	}
	if o, ok := img.(interface{ Opaque() bool }); ok {
		transparent = !o.Opaque()
	}
	if transparent {
		p.Notes = append(p.Notes, "Transparent parts of the photo are filled with black.")
	}
	return err
}

// rows fills pix with the rows of a picture, turned to where place says.
func rows[T uint8 | uint16](ctx context.Context, pix []T, w, h, orientation int,
	place func(x, y int) int, read func(dst []T, y int)) error {
	return raster.Rows(ctx, 0, h, func(y0, y1 int) {
		var row []T
		for y := y0; y < y1; y++ {
			if orientation <= 1 {
				read(pix[3*y*w:3*(y+1)*w], y)
				continue
			}
			if row == nil {
				row = make([]T, 3*w)
			}
			read(row, y)
			for x := range w {
				copy(pix[place(x, y):][:3], row[3*x:])
			}
		}
	})
}

// row16 writes row y of a picture of 16 bits, laid on black where it is transparent.
func row16(dst []uint16, img image.Image, y int) {
	b := img.Bounds()
	y += b.Min.Y
	switch m := img.(type) {
	case *image.Gray16:
		s := m.Pix[m.PixOffset(b.Min.X, y):]
		for i := 0; i+2 < len(dst); i += 3 {
			v := uint16(s[0])<<8 | uint16(s[1])
			dst[i], dst[i+1], dst[i+2] = v, v, v
			s = s[2:]
		}
	case *image.RGBA64: // premultiplied: laid on black already
		s := m.Pix[m.PixOffset(b.Min.X, y):]
		for i := 0; i+2 < len(dst); i += 3 {
			v := s[:8:8]
			dst[i], dst[i+1], dst[i+2] = uint16(v[0])<<8|uint16(v[1]), uint16(v[2])<<8|uint16(v[3]),
				uint16(v[4])<<8|uint16(v[5])
			s = s[8:]
		}
	case *image.NRGBA64:
		s := m.Pix[m.PixOffset(b.Min.X, y):]
		for i := 0; i+2 < len(dst); i += 3 {
			v := s[:8:8]
			a := uint32(v[6])<<8 | uint32(v[7])
			for c := range 3 {
				dst[i+c] = uint16((uint32(v[2*c])<<8 | uint32(v[2*c+1])) * a / 0xffff)
			}
			s = s[8:]
		}
	}
}

// row8 writes row y of a picture of 8 bits, laid on black where it is transparent.
func row8(dst []uint8, img image.Image, y int) {
	b := img.Bounds()
	y += b.Min.Y
	switch m := img.(type) {
	case *image.YCbCr:
		for i, x := 0, b.Min.X; i+2 < len(dst); i, x = i+3, x+1 {
			yi, ci := m.YOffset(x, y), m.COffset(x, y)
			dst[i], dst[i+1], dst[i+2] = color.YCbCrToRGB(m.Y[yi], m.Cb[ci], m.Cr[ci])
		}
	case *image.Gray:
		for i, v := range m.Pix[m.PixOffset(b.Min.X, y):][:len(dst)/3] {
			dst[3*i], dst[3*i+1], dst[3*i+2] = v, v, v
		}
	case *image.RGBA:
		s := m.Pix[m.PixOffset(b.Min.X, y):]
		for i := 0; i+2 < len(dst); i += 3 {
			v := s[:4:4]
			dst[i], dst[i+1], dst[i+2] = v[0], v[1], v[2]
			s = s[4:]
		}
	case *image.NRGBA:
		s := m.Pix[m.PixOffset(b.Min.X, y):]
		for i := 0; i+2 < len(dst); i += 3 {
			v := s[:4:4]
			for c := range 3 {
				// As color.NRGBA has it: over 16 bits, and their upper half.
				dst[i+c] = uint8(uint32(v[c]) * 0x101 * uint32(v[3]) / 0xff >> 8)
			}
			s = s[4:]
		}
	case *image.Paletted:
		var table [256][3]uint8
		for i, c := range m.Palette {
			r, g, b, _ := c.RGBA()
			table[i] = [3]uint8{uint8(r >> 8), uint8(g >> 8), uint8(b >> 8)}
		}
		for i, v := range m.Pix[m.PixOffset(b.Min.X, y):][:len(dst)/3] {
			copy(dst[3*i:3*i+3], table[v][:])
		}
	default: // WebP with transparency
		for i, x := 0, b.Min.X; i+2 < len(dst); i, x = i+3, x+1 {
			r, g, bl, _ := img.At(x, y).RGBA()
			dst[i], dst[i+1], dst[i+2] = uint8(r>>8), uint8(g>>8), uint8(bl>>8)
		}
	}
}
