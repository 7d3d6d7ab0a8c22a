package codec

import (
	"encoding/binary"
	"slices"
)

// field is an entry of a TIFF or EXIF directory (TIFF 6.0, section 2), its values
// in little-endian order, or a directory that it points to.
type field struct {
	tag, kind uint16
	count     uint32
	data      []byte
	sub       []field // of a pointer to another directory
}

// kindSizes are the bytes of one value of each kind, and of what is turned round
// to change its byte order.
var kindSizes = map[uint16][2]int{
	1: {1, 1}, 2: {1, 1}, 3: {2, 2}, 4: {4, 4}, 5: {8, 4}, 6: {1, 1},
	7: {1, 1}, 8: {2, 2}, 9: {4, 4}, 10: {8, 4}, 11: {4, 4}, 12: {8, 8},
}

// Tags that stand for more than a value.
const (
	tagExif    = 0x8769
	tagGPS     = 0x8825
	tagInterop = 0xa005
	tagICC     = 0x8773
)

// described are the tags of a picture's first directory that tell of its taking,
// not of how its pixels are stored.
var described = []uint16{
	// description, camera, program, date, artist, rights
	0x010e, 0x010f, 0x0110, 0x0131, 0x0132, 0x013b, 0x8298,
	tagExif, tagGPS,
}

// Bounds of what the directories of a stranger's file can make of memory:
// entries may point to the same bytes again and again.
const (
	maxFields     = 500     // of one directory
	maxFieldBytes = 4 << 20 // of all that is read from one file
)

// fieldReader reads directories of a file of which data holds the part from base
// on.
type fieldReader struct {
	data  []byte
	base  int
	order binary.ByteOrder
	left  int // bytes that may still be read
	lost  int // entries that were passed over for their size
}

// read returns the fields of the directory at offset at that keep lets through,
// with those of directories below it down to depth. It passes over what it cannot
// read.
func (r *fieldReader) read(at, depth int, keep func(tag uint16) bool) (out []field) {
	at -= r.base
	if at < 0 || at+2 > len(r.data) {
		return nil
	}
	n := min(int(r.order.Uint16(r.data[at:])), maxFields)
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > len(r.data) {
			break
		}
		f := field{tag: r.order.Uint16(r.data[e:]), kind: r.order.Uint16(r.data[e+2:]),
			count: r.order.Uint32(r.data[e+4:])}
		size, ok := kindSizes[f.kind]
		length := uint64(f.count) * uint64(size[0])
		if !ok || !keep(f.tag) {
			continue
		}
		if length+12 > uint64(r.left) {
			r.lost++
			continue
		}
		value := r.data[e+8 : e+12]
		if length > 4 {
			off := int64(r.order.Uint32(value)) - int64(r.base)
			if off < 0 || off+int64(length) > int64(len(r.data)) {
				continue
			}
			value = r.data[off : off+int64(length)]
		}
		r.left -= int(length) + 12
		f.data = slices.Clone(value[:length])
		if r.order == binary.ByteOrder(binary.BigEndian) {
			for j := 0; j+size[1] <= len(f.data); j += size[1] {
				slices.Reverse(f.data[j : j+size[1]])
			}
		}
		if f.tag == tagExif || f.tag == tagGPS || f.tag == tagInterop {
			if f.kind != 4 || f.count != 1 || depth == 0 {
				continue
			}
			f.sub = r.read(int(binary.LittleEndian.Uint32(f.data)), depth-1, everything)
			if len(f.sub) == 0 {
				continue
			}
		}
		out = append(out, f)
	}
	return out
}

func everything(uint16) bool { return true }

// description returns what the first directory of a TIFF structure tells of the
// picture's taking, and how many entries were passed over for their size.
func description(data []byte) (list []field, lost int) {
	d, ok := parseTIFF(data)
	if !ok {
		return nil, 0
	}
	r := &fieldReader{data: data, order: d.order, left: maxFieldBytes}
	list = r.read(int(d.order.Uint32(data[4:])), 2,
		func(tag uint16) bool { return slices.Contains(described, tag) })
	return list, r.lost
}

// merged returns both lists by rising tags; where both have a tag, that of a.
func merged(a, b []field) []field {
	out := slices.Clone(a)
	for _, f := range b {
		if !slices.ContainsFunc(a, func(g field) bool { return g.tag == f.tag }) {
			out = append(out, f)
		}
	}
	slices.SortStableFunc(out, func(a, b field) int { return int(a.tag) - int(b.tag) })
	return out
}

// appendIFD adds a little-endian directory, which ends its chain, to buf, which
// lies at offset base of its file. What the entries point to follows it.
func appendIFD(buf []byte, base int, list []field) []byte {
	le := binary.LittleEndian
	at := len(buf)
	buf = append(buf, make([]byte, 2+12*len(list)+4)...)
	le.PutUint16(buf[at:], uint16(len(list)))
	for i, f := range list {
		e := at + 2 + 12*i
		le.PutUint16(buf[e:], f.tag)
		le.PutUint16(buf[e+2:], f.kind)
		le.PutUint32(buf[e+4:], f.count)
		if f.sub == nil && len(f.data) <= 4 {
			copy(buf[e+8:e+12], f.data)
			continue
		}
		if len(buf)%2 != 0 { // directories and values begin at even offsets
			buf = append(buf, 0)
		}
		le.PutUint32(buf[e+8:], uint32(base+len(buf)))
		if f.sub != nil {
			buf = appendIFD(buf, base, f.sub)
		} else {
			buf = append(buf, f.data...)
		}
	}
	return buf
}

// exifOf returns an EXIF block of what a TIFF file tells of its taking.
func exifOf(tiff []byte) []byte {
	list, _ := description(tiff)
	if len(list) == 0 {
		return nil
	}
	return appendIFD([]byte("II*\x00\x08\x00\x00\x00"), 0, list)
}
