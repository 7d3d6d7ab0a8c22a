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

// maxSegment is the most bytes of EXIF that a JPEG can hold.
const maxSegment = 65_500

// Lost returns sentences on what of the options the format cannot hold and Write
// leaves out.
func (o Options) Lost() (notes []string) {
	if n := len(o.EXIF); o.Format == "jpeg" && n >= maxSegment {
		notes = append(notes, fmt.Sprintf("The photo's EXIF data (%d kB) does not fit into a JPEG and was left out. PNG and TIFF keep it.", n/1000))
	}
	if o.Format == "tiff" {
		if _, lost := description(o.EXIF); lost > 0 {
			notes = append(notes, fmt.Sprintf("%d entries of the photo's EXIF data are too large and were left out.", lost))
		}
	}
	return notes
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
		t := &tiffSplice{w: w}
		if err := tiff.Encode(t, img, &tiff.Options{Compression: tiff.Deflate,
			Predictor: true}); err != nil {
			return err
		}
		return t.finish(o)
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
	if n := len(o.EXIF); n > 0 && n < maxSegment {
		seg(0xe1, exifPrefix, o.EXIF)
	}
	const most = 65_000
	count := (len(o.ICC) + most - 1) / most
	for i := 0; i < count && count < 256; i++ {
		seg(0xe2, iccPrefix, []byte{byte(i + 1), byte(count)},
			o.ICC[i*most:min((i+1)*most, len(o.ICC))])
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
		_, _ = zw.Write(o.ICC) // to memory: cannot fail
		_ = zw.Close()
		chunk("iCCP", z.Bytes())
	}
	if len(o.EXIF) > 0 {
		chunk("eXIf", o.EXIF)
	}
	return b
}

// tiffSplice passes on a TIFF file but for its directory, which the encoder writes
// last: that is kept, to be written with more in it.
type tiffSplice struct {
	w    io.Writer
	head []byte // the first eight bytes, which say where the directory is
	at   int    // what was passed on
	tail []byte // from the directory on
}

func (t *tiffSplice) Write(p []byte) (int, error) {
	done := 0
	if n := min(8-len(t.head), len(p)); n > 0 {
		t.head = append(t.head, p[:n]...)
		if _, err := t.w.Write(p[:n]); err != nil {
			return 0, err
		}
		t.at += n
		done = n
	}
	if len(t.head) < 8 {
		return done, nil
	}
	if n := min(t.directory()-t.at, len(p)-done); n > 0 {
		if _, err := t.w.Write(p[done : done+n]); err != nil {
			return done, err
		}
		t.at += n
		done += n
	}
	t.tail = append(t.tail, p[done:]...)
	return len(p), nil
}

// directory returns the offset of the directory.
func (t *tiffSplice) directory() int { return int(binary.LittleEndian.Uint32(t.head[4:])) }

// finish writes the directory with the profile and the EXIF block of o.
func (t *tiffSplice) finish(o Options) error {
	if string(t.head[:4]) != "II*\x00" || t.at != t.directory() {
		return fmt.Errorf("codec: the TIFF encoder wrote its directory elsewhere than at the end")
	}
	r := &fieldReader{data: t.tail, base: t.at, order: binary.LittleEndian, left: maxFieldBytes}
	list := r.read(t.at, 0, everything)
	if o.ICC != nil {
		list = merged(list, []field{{tag: tagICC, kind: 7, count: uint32(len(o.ICC)), data: o.ICC}})
	}
	told, _ := description(o.EXIF)
	list = merged(list, told)
	_, err := t.w.Write(appendIFD(nil, t.at, list))
	return err
}
