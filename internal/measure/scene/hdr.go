package scene

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
)

// Linear is a picture of linear light: three interleaved samples a pixel.
type Linear struct {
	W, H int
	Pix  []float32
}

// ReadHDR reads a picture of linear light in the Radiance format (RGBE, after Ward 1991), plain or
// with runs, upright.
func ReadHDR(path string) (*Linear, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	p, err := readHDR(bufio.NewReader(f))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return p, nil
}

var errHDR = errors.New("not a Radiance picture that can be read")

func readHDR(r *bufio.Reader) (*Linear, error) {
	first, err := r.ReadString('\n')
	if err != nil || !strings.HasPrefix(first, "#?") {
		return nil, errHDR
	}
	for {
		line, err := r.ReadString('\n')
		if err != nil {
			return nil, errHDR
		}
		if line == "\n" {
			break
		}
	}
	size, err := r.ReadString('\n')
	if err != nil {
		return nil, errHDR
	}
	p := &Linear{}
	if n, err := fmt.Sscanf(size, "-Y %d +X %d", &p.H, &p.W); n != 2 || err != nil || p.W < 1 ||
		p.H < 1 || p.W > 1<<16 || p.H > 1<<16 {
		return nil, errHDR
	}
	p.Pix = make([]float32, 3*p.W*p.H)
	row := make([]byte, 4*p.W)
	for y := range p.H {
		if err := hdrRow(r, row, p.W); err != nil {
			return nil, err
		}
		for x := range p.W {
			e := row[4*x+3]
			if e == 0 {
				continue
			}
			k := math.Ldexp(1, int(e)-136)
			for c := range 3 {
				p.Pix[3*(y*p.W+x)+c] = float32((float64(row[4*x+c]) + 0.5) * k)
			}
		}
	}
	return p, nil
}

// hdrRow reads a row of w pixels, each of red, green, blue and exponent.
func hdrRow(r *bufio.Reader, row []byte, w int) error {
	head, err := r.Peek(4)
	if err != nil {
		return errHDR
	}
	if w < 8 || w > 32767 || head[0] != 2 || head[1] != 2 || int(head[2])<<8|int(head[3]) != w {
		_, err := io.ReadFull(r, row)
		if err != nil {
			return errHDR
		}
		return nil
	}
	if _, err := r.Discard(4); err != nil {
		return errHDR
	}
	for c := range 4 {
		for x := 0; x < w; {
			n, err := r.ReadByte()
			if err != nil {
				return errHDR
			}
			run := n > 128
			if run {
				n -= 128
			}
			if n == 0 || x+int(n) > w {
				return errHDR
			}
			var v byte
			for i := range int(n) {
				if !run || i == 0 {
					if v, err = r.ReadByte(); err != nil {
						return errHDR
					}
				}
				row[4*x+c] = v
				x++
			}
		}
	}
	return nil
}

// Resized returns the picture at another size: each pixel is the mean of those whose middles it
// holds, or, where it holds none, the one that its own middle lies in.
func (p *Linear) Resized(w, h int) *Linear {
	if w == p.W && h == p.H {
		return p
	}
	out := &Linear{W: w, H: h, Pix: make([]float32, 3*w*h)}
	span := func(i, n, of int) (a, b int) {
		a, b = (2*i*of+n)/(2*n), (2*(i+1)*of+n)/(2*n)
		if a >= b {
			a = min((2*i+1)*of/(2*n), of-1)
			b = a + 1
		}
		return a, min(b, of)
	}
	for y := range h {
		y0, y1 := span(y, h, p.H)
		for x := range w {
			x0, x1 := span(x, w, p.W)
			to := out.Pix[3*(y*w+x):]
			for v := y0; v < y1; v++ {
				for u := x0; u < x1; u++ {
					for c := range 3 {
						to[c] += p.Pix[3*(v*p.W+u)+c] / float32((x1-x0)*(y1-y0))
					}
				}
			}
		}
	}
	return out
}

// WriteHDR writes the picture in the Radiance format, plain.
func (p *Linear) WriteHDR(path string) error {
	out := fmt.Appendf(nil, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", p.H, p.W)
	for i := 0; i < len(p.Pix); i += 3 {
		r, g, b := float64(p.Pix[i]), float64(p.Pix[i+1]), float64(p.Pix[i+2])
		m := max(r, g, b)
		if !(m > 1e-32) {
			out = append(out, 0, 0, 0, 0)
			continue
		}
		_, e := math.Frexp(m)
		k := math.Ldexp(1, 8-e)
		out = append(out, byte(min(r*k, 255)), byte(min(g*k, 255)), byte(min(b*k, 255)),
			byte(e+128))
	}
	return os.WriteFile(path, out, 0o644)
}
