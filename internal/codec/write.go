package codec

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/jpeg"
	"image/png"
	"io"

	"golang.org/x/image/tiff"
)

// Options says how a picture is written.
type Options struct {
	Format  string // jpeg, png or tiff
	Quality int    // of a JPEG, 1 to 100
	ICC     []byte // profile to embed; where nil, the picture is said to be sRGB
	EXIF    []byte // EXIF block to embed, if any
}

// Write encodes img, an *image.RGBA or *image.RGBA64 without transparency, to w.
func Write(w io.Writer, img image.Image, o Options) error {
	switch o.Format {
	case "jpeg":
		s := &splice{w: w, after: 2, insert: jpegSegments(o)}
		if err := jpeg.Encode(s, img, &jpeg.Options{Quality: o.Quality}); err != nil {
			return err
		}
		return nil
	case "png":
		s := &splice{w: w, after: 33, insert: pngChunks(o)} // signature and IHDR
		// The default level takes six times as long to save a fifth of the size.
		e := png.Encoder{CompressionLevel: png.BestSpeed}
		return e.Encode(s, img)
	case "tiff":
		opt := &tiff.Options{Compression: tiff.Deflate, Predictor: true}
		if o.ICC == nil {
			return tiff.Encode(w, img, opt)
		}
		var b bytes.Buffer
		if err := tiff.Encode(&b, img, opt); err != nil {
			return err
		}
		out, err := tiffWithICC(b.Bytes(), o.ICC)
		if err != nil {
			return err
		}
		_, err = w.Write(out)
		return err
	}
	return fmt.Errorf("codec: no format %q", o.Format)
}

// splice passes on what is written, with insert put in after so many bytes.
type splice struct {
	w      io.Writer
	after  int
	insert []byte
}

func (s *splice) Write(p []byte) (int, error) {
	done := 0
	if s.after > 0 {
		n := min(s.after, len(p))
		if _, err := s.w.Write(p[:n]); err != nil {
			return 0, err
		}
		s.after -= n
		done = n
		if s.after == 0 {
			if _, err := s.w.Write(s.insert); err != nil {
				return done, err
			}
		}
	}
	if done == len(p) {
		return done, nil
	}
	n, err := s.w.Write(p[done:])
	return done + n, err
}

func jpegSegments(o Options) []byte {
	var b []byte
	seg := func(kind byte, parts ...[]byte) {
		n := 2
		for _, p := range parts {
			n += len(p)
		}
		b = append(b, 0xff, kind, byte(n>>8), byte(n))
		for _, p := range parts {
			b = append(b, p...)
		}
	}
	if n := len(o.EXIF); n > 0 && n < 65_500 {
		seg(0xe1, exifPrefix, o.EXIF)
	}
	const most = 65_000
	count := (len(o.ICC) + most - 1) / most
	for i := 0; i < count && count < 256; i++ {
		seg(0xe2, iccPrefix, []byte{byte(i + 1), byte(count)}, o.ICC[i*most:min((i+1)*most, len(o.ICC))])
	}
	return b
}

func pngChunks(o Options) []byte {
	var b []byte
	chunk := func(kind string, body []byte) {
		b = binary.BigEndian.AppendUint32(b, uint32(len(body)))
		at := len(b)
		b = append(append(b, kind...), body...)
		b = binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(b[at:]))
	}
	if o.ICC == nil {
		chunk("sRGB", []byte{0})
	} else {
		var z bytes.Buffer
		z.WriteString("profile\x00\x00")
		zw := zlib.NewWriter(&z)
		zw.Write(o.ICC) // to memory: cannot fail
		zw.Close()
		chunk("iCCP", z.Bytes())
	}
	if len(o.EXIF) > 0 {
		chunk("eXIf", o.EXIF)
	}
	return b
}

// tiffWithICC returns the TIFF file with one more entry in its directory, the
// colour profile; the new directory is laid at the end.
func tiffWithICC(data, icc []byte) ([]byte, error) {
	if icc == nil {
		return data, nil
	}
	d, ok := parseTIFF(data)
	if !ok {
		return nil, fmt.Errorf("codec: the TIFF encoder wrote no directory")
	}
	at := len(data)
	data = append(data, icc...)
	if len(data)&1 != 0 {
		data = append(data, 0)
	}
	d.order.PutUint32(data[4:], uint32(len(data)))
	u16 := func(v uint16) { data = binary.LittleEndian.AppendUint16(data, v) }
	u32 := func(v uint32) { data = binary.LittleEndian.AppendUint32(data, v) }
	if d.order != binary.ByteOrder(binary.LittleEndian) {
		return nil, fmt.Errorf("codec: the TIFF encoder wrote in another byte order")
	}
	u16(uint16(len(d.entries) + 1))
	for _, e := range d.entries { // tags rise, and the profile's is the highest
		data = append(data, data[e:e+12]...)
	}
	u16(0x8773)
	u16(7)
	u32(uint32(len(icc)))
	u32(uint32(at))
	u32(0)
	return data, nil
}
