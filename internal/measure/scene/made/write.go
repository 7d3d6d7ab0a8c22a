package made

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"

	"pyrant/internal/base/camera"
	"pyrant/internal/measure/scene"
)

// fine is how many times as large as the pictures masks are, and rays how many go through each of
// their pixels along a side.
const (
	fine = 2
	rays = 3
)

// Write writes the scene into a folder as scene.Open reads it: what was marked, masks, the photo,
// and the light of each group alone, in pictures so wide, of so many samples a pixel.
func (s *Scene) Write(ctx context.Context, dir string, width, samples int) error {
	if err := os.MkdirAll(filepath.Join(dir, "masks"), 0o755); err != nil {
		return err
	}
	if err := s.masks(dir, width*fine); err != nil {
		return err
	}
	plain, err := s.picture(ctx, "", width, samples)
	if err != nil {
		return err
	}
	v := slices.Clone(plain.Pix)
	slices.Sort(v)
	top := 0.7 / v[len(v)*95/100] // as a photo is exposed
	for i := range plain.Pix {
		plain.Pix[i] *= top
	}
	if err := plain.WriteHDR(filepath.Join(dir, s.Marks.Plain)); err != nil {
		return err
	}
	if err := shown(plain, filepath.Join(dir, s.Marks.Picture)); err != nil {
		return err
	}
	for _, l := range s.Marks.Lights {
		lit, err := s.picture(ctx, l.Group, width, samples)
		if err != nil {
			return err
		}
		if err := lit.WriteHDR(filepath.Join(dir, l.Lit)); err != nil {
			return err
		}
	}
	b, err := json.MarshalIndent(s.Marks, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "marks.json"), b, 0o644)
}

// ray returns where a ray through a place of a picture so wide goes.
func (s *Scene) ray(x, y float64, width int) camera.Vec {
	k := Width / float64(width)
	return s.Camera.Ray(x*k, y*k).Unit()
}

// rows does rows of a picture side by side.
func rows(ctx context.Context, h int, do func(y int)) error {
	next := make(chan int)
	var wg sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wg.Go(func() {
			for y := range next {
				do(y)
			}
		})
	}
	var err error
	for y := 0; y < h && err == nil; y++ {
		next <- y
		err = ctx.Err()
	}
	close(next)
	wg.Wait()
	return err
}

// Daylight bounces three times. What of a light bounces comes from its echoes, and within half a
// metre from rays.
const (
	bounces = 3
	echoes  = 40000
	apart   = 0.5
)

func (s *Scene) picture(ctx context.Context, light string, w, samples int) (*scene.Linear, error) {
	h := w * Height / Width
	p := &scene.Linear{W: w, H: h, Pix: make([]float32, 3*w*h)}
	src := s.Truth.Source(light, echoes, apart, rand.New(rand.NewPCG(uint64(len(light)), 7)))
	err := rows(ctx, h, func(y int) {
		r := rand.New(rand.NewPCG(uint64(y), uint64(len(light))))
		for x := range w {
			sum := 0.0
			for range samples {
				sum += src.Radiance(camera.Vec{}, s.ray(float64(x)+r.Float64(),
					float64(y)+r.Float64(), w), bounces, r)
			}
			v := float32(sum / float64(samples))
			i := 3 * (y*w + x)
			p.Pix[i], p.Pix[i+1], p.Pix[i+2] = v, v, v
		}
	})
	return p, err
}

// masks writes what of everything with a name is seen.
func (s *Scene) masks(dir string, w int) error {
	h := w * Height / Width
	out := map[string]*image.Gray{}
	for _, p := range s.Truth.Parts {
		if out[p.Name] == nil {
			out[p.Name] = image.NewGray(image.Rect(0, 0, w, h))
		}
	}
	sky := image.NewGray(image.Rect(0, 0, w, h))
	_ = rows(context.Background(), h, func(y int) {
		for x := range w {
			n := map[string]int{}
			for j := range rays * rays {
				d := s.ray(float64(x)+(float64(j%rays)+0.5)/rays,
					float64(y)+(float64(j/rays)+0.5)/rays, w)
				if part, _, _ := s.Truth.First(camera.Vec{}, d); part != nil {
					n[part.Name]++
				} else {
					n[""]++
				}
			}
			for name, v := range n {
				m := out[name]
				if name == "" {
					m = sky
				}
				m.SetGray(x, y, color.Gray{Y: uint8(math.Round(255 * float64(v) / (rays * rays)))})
			}
		}
	})
	for name, m := range out {
		if err := write(filepath.Join(dir, "masks", name+".png"), m); err != nil {
			return fmt.Errorf("the mask of %s: %w", name, err)
		}
	}
	return nil
}

func write(path string, m image.Image) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := png.Encode(f, m); err != nil {
		_ = f.Close()
		return err
	}
	return f.Close()
}

// shown writes a picture as a screen shows it.
func shown(p *scene.Linear, path string) error {
	m := image.NewRGBA(image.Rect(0, 0, p.W, p.H))
	for i := range p.W * p.H {
		for c := range 3 {
			m.Pix[4*i+c] = uint8(math.Round(255 * encoded(float64(p.Pix[3*i+c]))))
		}
		m.Pix[4*i+3] = 255
	}
	return write(path, m)
}

// encoded is the transfer function of sRGB (IEC 61966-2-1).
func encoded(v float64) float64 {
	v = math.Min(math.Max(v, 0), 1)
	if v <= 0.0031308 {
		return 12.92 * v
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}
