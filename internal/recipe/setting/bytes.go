package setting

import (
	"encoding/base64"
	"reflect"
	"strings"
	"sync"
)

// Bytes is data of a form of its own, such as a picture, that is never changed in place. Like a
// List it is named by the SHA-256 of its bytes and kept beside a packed document; in one that is
// complete in itself it stands as lines of base64 (RFC 4648).
//
// The zero Bytes is empty.
type Bytes struct{ d *bytesData }

type bytesData struct {
	data []byte
	once sync.Once
	sum  string
	away bool
}

// BytesOf returns data, which the caller must not change any more.
func BytesOf(data []byte) Bytes {
	if len(data) == 0 {
		return Bytes{}
	}
	return Bytes{&bytesData{data: data}}
}

// bytesLine is how many bytes stand in one line of base64.
const bytesLine = 3 * 1024

// Bytes returns the data. It must not be changed.
func (b Bytes) Bytes() []byte {
	if b.d == nil {
		return nil
	}
	return b.d.data
}

// Len returns the number of bytes.
func (b Bytes) Len() int { return len(b.Bytes()) }

// Key returns the SHA-256 of the data in hex.
func (b Bytes) Key() string {
	if b.d == nil {
		return emptyKey
	}
	b.d.once.Do(func() {
		if b.d.sum == "" {
			b.d.sum = sumOf(b.d.data)
		}
	})
	return b.d.sum
}

// Away tells whether only the key is known.
func (b Bytes) Away() bool { return b.d != nil && b.d.away }

func (b Bytes) large(inline int) bool { return b.Len()/16 > inline }

func (b Bytes) opaque() bool { return true }

func (b Bytes) slice() reflect.Value {
	var lines []string
	for d := b.Bytes(); len(d) > 0; {
		n := min(len(d), bytesLine)
		lines = append(lines, base64.StdEncoding.EncodeToString(d[:n]))
		d = d[n:]
	}
	return reflect.ValueOf(lines)
}

// from reads lines of base64; what is none ends the data, which its owner then finds damaged.
func (Bytes) from(s reflect.Value) any {
	text := strings.Join(s.Interface().([]string), "")
	data, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		data = []byte{0}
	}
	return BytesOf(data)
}

func (Bytes) reference(key string) any { return Bytes{&bytesData{sum: key, away: true}} }

func (Bytes) read(key string, data []byte) any { return Bytes{&bytesData{data: data, sum: key}} }
