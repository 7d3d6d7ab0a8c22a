package codec

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"io"
)

// meta is what a file says about its picture besides the pixels.
type meta struct {
	icc         []byte
	exif        []byte // a TIFF structure, without the "Exif" prefix
	orientation int    // 1 to 8 as in EXIF
}

const maxICC = 4 << 20

func readMeta(format string, data []byte) meta {
	m := meta{orientation: 1}
	switch format {
	case "jpeg":
		m.jpeg(data)
	case "png":
		m.png(data)
	case "webp":
		m.webp(data)
	case "tiff":
		e, ok := parseTIFF(data)
		if ok {
			m.icc = e.bytes(tagICC)
			m.setOrientation(e)
			m.exif = exifOf(data)
		}
		return m
	}
	if e, ok := parseTIFF(m.exif); ok {
		m.setOrientation(e)
	} else {
		m.exif = nil
	}
	return m
}

func (m *meta) setOrientation(e ifd) {
	if v, ok := e.short(0x0112); ok && v >= 1 && v <= 8 {
		m.orientation = v
	}
}

var (
	exifPrefix = []byte("Exif\x00\x00")
	iccPrefix  = []byte("ICC_PROFILE\x00")
)

// jpegSegmentsOf visits the segments before a JPEG's pixels, until visit returns false.
func jpegSegmentsOf(data []byte, visit func(kind byte, seg []byte) bool) {
	for i := 2; i+4 <= len(data) && data[i] == 0xff; {
		kind := data[i+1]
		if kind == 0xda || kind == 0xd9 {
			break
		}
		if kind == 0xff { // fill
			i++
			continue
		}
		n := int(binary.BigEndian.Uint16(data[i+2:]))
		if n < 2 || i+2+n > len(data) {
			break
		}
		if !visit(kind, data[i+4:i+2+n]) {
			return
		}
		i += 2 + n
	}
}

// progressive tells whether a JPEG's frame is of the kind that is decoded as a whole
// before the first pixel is known (ITU T.81, SOF2).
func progressive(data []byte) (is bool) {
	jpegSegmentsOf(data, func(kind byte, _ []byte) bool {
		is = kind == 0xc2
		return !is
	})
	return is
}

// scans returns how many scans a JPEG has. Within a scan 0xff is never followed by a marker's code
// (ITU-T T.81, B.1.1.5).
func scans(data []byte) int {
	head := 2
	jpegSegmentsOf(data, func(_ byte, seg []byte) bool {
		head += 4 + len(seg)
		return true
	})
	return bytes.Count(data[min(head, len(data)):], []byte{0xff, 0xda})
}

func (m *meta) jpeg(data []byte) {
	parts := map[byte][]byte{}
	jpegSegmentsOf(data, func(kind byte, seg []byte) bool {
		switch {
		case kind == 0xe1 && bytes.HasPrefix(seg, exifPrefix) && m.exif == nil:
			m.exif = seg[len(exifPrefix):]
		case kind == 0xe2 && bytes.HasPrefix(seg, iccPrefix) && len(seg) > len(iccPrefix)+2:
			parts[seg[len(iccPrefix)]] = seg[len(iccPrefix)+2:]
		}
		return true
	})
	for i := byte(1); int(i) <= len(parts); i++ {
		m.icc = append(m.icc, parts[i]...)
	}
}

func (m *meta) png(data []byte) {
	for i := 8; i+12 <= len(data); {
		n := int(binary.BigEndian.Uint32(data[i:]))
		kind := string(data[i+4 : i+8])
		if n < 0 || n > len(data)-i-12 || kind == "IDAT" {
			break
		}
		body := data[i+8 : i+8+n]
		switch kind {
		case "eXIf":
			m.exif = body
		case "iCCP":
			if k := bytes.IndexByte(body, 0); k >= 0 && k+2 <= len(body) {
				if z, err := zlib.NewReader(bytes.NewReader(body[k+2:])); err == nil {
					m.icc, _ = io.ReadAll(io.LimitReader(z, maxICC))
				}
			}
		}
		i += 12 + n
	}
}

func (m *meta) webp(data []byte) {
	for i := 12; i+8 <= len(data); {
		n := int(binary.LittleEndian.Uint32(data[i+4:]))
		if n < 0 || n > len(data)-i-8 {
			break
		}
		body := data[i+8 : i+8+n]
		switch string(data[i : i+4]) {
		case "ICCP":
			m.icc = body
		case "EXIF":
			m.exif = bytes.TrimPrefix(body, exifPrefix)
		}
		i += 8 + n + n&1
	}
}

// ifd is the first directory of a TIFF structure.
type ifd struct {
	data    []byte
	order   binary.ByteOrder
	entries []int // offsets in data
	next    int   // offset of the pointer to the next directory
}

func parseTIFF(data []byte) (ifd, bool) {
	d := ifd{data: data}
	if len(data) < 8 {
		return d, false
	}
	switch string(data[:4]) {
	case "II*\x00":
		d.order = binary.LittleEndian
	case "MM\x00*":
		d.order = binary.BigEndian
	default:
		return d, false
	}
	return d, d.read(int(d.order.Uint32(data[4:])))
}

func (d *ifd) read(at int) bool {
	if at < 8 || at+2 > len(d.data) {
		return false
	}
	n := int(d.order.Uint16(d.data[at:]))
	if at+2+12*n+4 > len(d.data) {
		return false
	}
	d.entries = nil
	for i := range n {
		d.entries = append(d.entries, at+2+12*i)
	}
	d.next = at + 2 + 12*n
	return true
}

func (d ifd) find(tag uint16) int {
	for _, e := range d.entries {
		if d.order.Uint16(d.data[e:]) == tag {
			return e
		}
	}
	return -1
}

func (d ifd) short(tag uint16) (int, bool) {
	e := d.find(tag)
	if e < 0 {
		return 0, false
	}
	if d.order.Uint16(d.data[e+2:]) == 4 {
		return int(d.order.Uint32(d.data[e+8:])), true
	}
	return int(d.order.Uint16(d.data[e+8:])), true
}

func (d ifd) bytes(tag uint16) []byte {
	e := d.find(tag)
	if e < 0 {
		return nil
	}
	n, off := uint64(d.order.Uint32(d.data[e+4:])), uint64(d.order.Uint32(d.data[e+8:]))
	if n <= 4 || n > maxICC || off+n > uint64(len(d.data)) {
		return nil
	}
	return d.data[off : off+n]
}

// carried returns a copy of an EXIF block fit for the exported picture: upright,
// and without the thumbnail, which would show the plain photo.
func carried(exif []byte) []byte {
	data := bytes.Clone(exif)
	d, ok := parseTIFF(data)
	if !ok {
		return nil
	}
	if e := d.find(0x0112); e >= 0 {
		d.order.PutUint16(data[e+2:], 3)
		d.order.PutUint32(data[e+4:], 1)
		d.order.PutUint32(data[e+8:], 0)
		d.order.PutUint16(data[e+8:], 1)
	}
	second := int(d.order.Uint32(data[d.next:]))
	d.order.PutUint32(data[d.next:], 0)
	if t := (ifd{data: data, order: d.order}); second > 0 && t.read(second) {
		off, ok1 := t.short(0x0201)
		n, ok2 := t.short(0x0202)
		if ok1 && ok2 && off > 8 && n > 0 && off+n <= len(data) {
			clear(data[off : off+n])
			if off+n == len(data) {
				data = data[:off]
			}
		}
	}
	return data
}
