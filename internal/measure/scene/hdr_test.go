package scene

import (
	"bufio"
	"bytes"
	"math"
	"path/filepath"
	"testing"
)

// A picture of known values is read, plain and with runs, and what is no such picture is refused.
func TestReadHDR(t *testing.T) {
	head := "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 8\n"
	// Exponent 129 stands for values from 1 to 2: 128/256·2 is 1.
	plain := []byte(head)
	for i := range 8 {
		plain = append(plain, byte(128+i), 64, 0, 129)
	}
	runs := append([]byte(head), 2, 2, 0, 8)
	runs = append(runs, 8, 128, 129, 130, 131, 132, 133, 134, 135) // as they are
	runs = append(runs, 136, 64, 136, 0, 136, 129)                 // eight of one value each
	for name, doc := range map[string][]byte{"plain": plain, "with runs": runs} {
		p, err := readHDR(bufio.NewReader(bytes.NewReader(doc)))
		if err != nil || p.W != 8 || p.H != 1 {
			t.Fatalf("%s: %v, %+v", name, err, p)
		}
		for i := range 8 {
			want := [3]float64{(128.5 + float64(i)) / 128, 64.5 / 128, 0.5 / 128}
			for c := range 3 {
				if math.Abs(float64(p.Pix[3*i+c])-want[c]) > 1e-6 {
					t.Errorf("%s: channel %d of pixel %d is %v, want %v", name, c, i, p.Pix[3*i+c], want[c])
				}
			}
		}
		for cut := range len(doc) {
			if _, err := readHDR(bufio.NewReader(bytes.NewReader(doc[:cut]))); err == nil {
				t.Fatalf("%s: cut off after %d bytes it is read", name, cut)
			}
		}
	}
	if _, err := ReadHDR(t.TempDir() + "/none.hdr"); err == nil {
		t.Error("a file that is not there is read")
	}
}

// Made smaller a picture keeps its light, made larger its values.
func TestResized(t *testing.T) {
	p := &Linear{W: 4, H: 2, Pix: make([]float32, 24)}
	for i := range p.Pix {
		p.Pix[i] = float32(i / 3)
	}
	half := p.Resized(2, 1)
	if half.Pix[0] != (0+1+4+5)/4.0 || half.Pix[3] != (2+3+6+7)/4.0 {
		t.Errorf("halved: %v", half.Pix)
	}
	twice := p.Resized(8, 4)
	if twice.Pix[3*(3*8+7)] != 7 || twice.Pix[0] != 0 || twice.Pix[3*(1*8+3)] != 1 {
		t.Errorf("doubled: %v", twice.Pix)
	}
	if p.Resized(4, 2) != p {
		t.Error("at its own size it is another")
	}
}

// What is written is read as it was, within what eight bits of a mantissa tell.
func TestWriteHDR(t *testing.T) {
	p := &Linear{W: 9, H: 3, Pix: make([]float32, 81)}
	for i := range p.Pix {
		p.Pix[i] = float32(math.Exp(float64(i%11) - 6))
	}
	clear(p.Pix[:3])
	path := filepath.Join(t.TempDir(), "p.hdr")
	if err := p.WriteHDR(path); err != nil {
		t.Fatal(err)
	}
	got, err := ReadHDR(path)
	if err != nil {
		t.Fatal(err)
	}
	if got.W != p.W || got.H != p.H {
		t.Fatalf("%d by %d pixels", got.W, got.H)
	}
	for i, v := range p.Pix {
		k := i / 3 * 3
		if top := max(p.Pix[k], p.Pix[k+1],
			p.Pix[k+2]); math.Abs(float64(got.Pix[i]-v)) > float64(top)/200 {
			t.Errorf("value %d is %g, was %g", i, got.Pix[i], v)
		}
	}
	if err := p.WriteHDR(filepath.Join(path, "in")); err == nil {
		t.Error("a file inside of a file was written")
	}
}
