package region

import (
	"context"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"testing"

	"pyrant/internal/codec"
	"pyrant/internal/edge"
	"pyrant/internal/shape"
)

func TestTmp(t *testing.T) {
	data, _ := os.ReadFile("../../../shared/truth/quay/plain_3000.jpg")
	p, _ := codec.Open(context.Background(), data)
	mf, _ := os.Open("../../../shared/truth/quay/masks/panels.png")
	mask, _ := png.Decode(mf)
	var pts []shape.Point
	val := func(x, y int) float64 { v, _, _, _ := mask.At(x, y).RGBA(); return float64(v) / 65535 }
	area := 0.0
	for y := 85; y < 195; y++ {
		for x := 560; x < 680; x++ {
			a := val(x, y)
			area += a
			if b := val(x+1, y); (a > .5) != (b > .5) {
				pts = append(pts, shape.Point{X: 2 * (float64(x) + .5 + (a-.5)/(a-b)), Y: 2 * (float64(y) + .5)})
			}
			if b := val(x, y+1); (a > .5) != (b > .5) {
				pts = append(pts, shape.Point{X: 2 * (float64(x) + .5), Y: 2 * (float64(y) + .5 + (a-.5)/(a-b))})
			}
		}
	}
	e, ok := shape.EllipseThrough(pts...)
	fmt.Println(e, ok, len(pts), area*4)
	for step := 1; step <= 3; step++ {
		r := image.Rect(1100/step, 150/step, 1360/step, 400/step)
		s, _ := edge.New(context.Background(), p, step, r, nil)
		for grow := 0.86; grow < 1.1; grow += 0.04 {
			e2 := e
			e2.Width *= grow
			e2.Height *= grow
			line := shape.Flatten(shape.Nodes(e2), true)
			for i := range line {
				line[i] = shape.Point{X: line[i].X/float64(step) - float64(r.Min.X), Y: line[i].Y/float64(step) - float64(r.Min.Y)}
			}
			sn := s.Snap(line, 2.5)
			fmt.Printf("step %d grow %.2f edge %.3f judge %.3f snapped %.3f %.3f\n", step, grow, edgeOf(s, line), judge(s, line, edgeOf(s, line)), edgeOf(s, sn), judge(s, sn, edgeOf(s, sn)))
		}
	}
}

func climb(s *edge.Sheet, e shape.Ellipse, score func(line []shape.Point) float64) (shape.Ellipse, float64, int) {
	on := func(e shape.Ellipse) []shape.Point { return shape.Flatten(shape.Nodes(e), true) }
	best := score(on(e))
	n := 1
	for step := 0.06; step > 0.006; step /= 2 {
		for moved := true; moved; {
			moved = false
			size := (e.Width + e.Height) / 2
			for k := range 5 {
				for _, sg := range []float64{-1, 1} {
					q := e
					d := sg * step * size
					switch k {
					case 0:
						q.X += d / 2
					case 1:
						q.Y += d / 2
					case 2:
						q.Width += d
					case 3:
						q.Height += d
					case 4:
						q.Width, q.Height = q.Width+d, q.Height+d
					}
					n++
					if v := score(on(q)); v > best+1e-4 {
						best, e, moved = v, q, true
					}
				}
			}
		}
	}
	return e, best, n
}

func TestClimb(t *testing.T) {
	data, _ := os.ReadFile("../../../shared/truth/quay/plain_3000.jpg")
	p, _ := codec.Open(context.Background(), data)
	for step := 1; step <= 3; step++ {
		r := image.Rect(1100/step, 150/step, 1360/step, 400/step)
		s, _ := edge.New(context.Background(), p, step, r, nil)
		k := float64(step)
		for _, e := range []shape.Ellipse{{X: 1239, Y: 275, Width: 119, Height: 117}, {X: 1236, Y: 277, Width: 116, Height: 110}, {X: 1240, Y: 270, Width: 130, Height: 130}} {
			q := shape.Ellipse{X: e.X/k - float64(r.Min.X), Y: e.Y/k - float64(r.Min.Y), Width: e.Width / k, Height: e.Height / k}
			full := func(l []shape.Point) float64 { return judge(s, l, edgeOf(s, l)) }
			ring := func(l []shape.Point) float64 {
				pts := edge.Spaced(l, true, 1)
				sum, cnt := 0.0, 0
				sides(s, pts, samples, func(_, out shape.Point, at func(d float64) int) {
					j := at(0)
					a := s.Across[j]
					cos := math.Abs(float64(a[0])*out.X + float64(a[1])*out.Y)
					c := float64(max(s.Crest[j], s.Crest[at(1)], s.Crest[at(-1)]))
					sum += c / (c + 0.03) * cos * cos
					cnt++
				})
				return sum / float64(cnt)
			}
			for name, f := range map[string]func(l []shape.Point) float64{"judge": full, "ring": ring, "both": func(l []shape.Point) float64 { return full(l) + ring(l) }} {
				b, v, n := climb(s, q, f)
				fmt.Printf("step %d %s: %.1f,%.1f %.1fx%.1f score %.3f n %d\n", step, name, (b.X+float64(r.Min.X))*k, (b.Y+float64(r.Min.Y))*k, b.Width*k, b.Height*k, v, n)
			}
		}
	}
}

func TestRay(t *testing.T) {
	data, _ := os.ReadFile("../../../shared/truth/quay/plain_3000.jpg")
	p, _ := codec.Open(context.Background(), data)
	eye := edge.NewEye(p)
	mf, _ := os.Open("../../../shared/truth/quay/masks/panels.png")
	mask, _ := png.Decode(mf)
	for _, a := range []float64{-135, -90, -45, 0, 90} {
		sin, cos := math.Sincos(a * math.Pi / 180)
		fmt.Println("angle", a)
		for d := 42.0; d < 78; d += 2 {
			var m [3]float32
			for o := -2.0; o <= 2; o++ {
				c := eye.At(1236+d*cos-o*sin, 272+d*sin+o*cos)
				for i := range m {
					m[i] += c[i] / 5
				}
			}
			v, _, _, _ := mask.At(int((1236+d*cos)/2), int((272+d*sin)/2)).RGBA()
			fmt.Printf("  %.0f L %.3f a %.3f b %.3f mask %d\n", d, m[0]/0.6, m[1], m[2], v>>8)
		}
	}
}
