// Skies makes the pictures that ship with Pyrant, from seeded noise: two night skies and two
// textures.
//
//	go run ./scripts/skies internal/base/pictures
package main

import (
	"image"
	"image/color"
	"image/jpeg"
	"log"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
)

const (
	width  = 1800
	height = 1200
)

// noise is smooth noise on a lattice, from 0 to 1 (value noise, with quintic ways between its
// corners).
type noise struct{ seed uint32 }

func (n noise) corner(x, y int) float64 {
	h := uint32(x)*0x9E3779B1 ^ uint32(y)*0x85EBCA77 ^ n.seed*0xC2B2AE3D
	h = (h ^ h>>15) * 0x2C1B3C6D
	h = (h ^ h>>12) * 0x297A2D39
	return float64(h^h>>15) / (1 << 32)
}

func (n noise) at(x, y float64) float64 {
	i, j := math.Floor(x), math.Floor(y)
	ease := func(t float64) float64 { return t * t * t * (t*(6*t-15) + 10) }
	s, t := ease(x-i), ease(y-j)
	a, b, c, d := n.corner(int(i), int(j)), n.corner(int(i)+1, int(j)), n.corner(int(i), int(j)+1),
		n.corner(int(i)+1, int(j)+1)
	return (a+(b-a)*s)*(1-t) + (c+(d-c)*s)*t
}

// sum adds octaves, each of half the size and half the strength; from 0 to 1.
func (n noise) sum(x, y float64, octaves int) float64 {
	v, k, all := 0.0, 1.0, 0.0
	for o := range octaves {
		v += k * noise{n.seed + uint32(o)}.at(x, y)
		all += k
		x, y, k = 2*x+17.3, 2*y-5.1, k/2
	}
	return v / all
}

type rgb [3]float64

func mix(a, b rgb, t float64) (c rgb) {
	for i := range c {
		c[i] = a[i] + (b[i]-a[i])*t
	}
	return
}

func clamp(v float64) float64 { return math.Min(math.Max(v, 0), 1) }

// stars is a clear night: a few bright stars, many faint ones, a band of them across, a glow at the
// horizon.
func stars() func(x, y int) rgb {
	r := rand.New(rand.NewPCG(11, 4))
	light := make([]rgb, width*height)
	band := func(x, y float64) float64 {
		d := (y - 0.42*height - 0.35*(x-width/2)) / (0.16 * height)
		return math.Exp(-d*d) * noise{90}.sum(x/260, y/260, 5)
	}
	for range 5200 {
		x, y := r.Float64()*width, r.Float64()*height
		if r.Float64() > 0.35+1.3*band(x, y) {
			continue
		}
		power := 0.05 * math.Pow(r.Float64(), -0.9)
		size := 0.55 + 0.25*math.Min(power, 2)
		warm := r.Float64()
		tint := mix(rgb{0.75, 0.85, 1}, rgb{1, 0.88, 0.7}, warm*warm)
		for j := int(y) - 5; j <= int(y)+5; j++ {
			for i := int(x) - 5; i <= int(x)+5; i++ {
				if i < 0 || j < 0 || i >= width || j >= height {
					continue
				}
				d := math.Hypot(float64(i)+0.5-x, float64(j)+0.5-y)
				v := math.Min(power, 1.6) * math.Exp(-d*d/(2*size*size))
				for c := range tint {
					light[j*width+i][c] += v * tint[c]
				}
			}
		}
	}
	return func(x, y int) rgb {
		h := float64(y) / height
		c := mix(rgb{0.004, 0.007, 0.02}, rgb{0.016, 0.027, 0.06}, h)
		c = mix(c, rgb{0.05, 0.06, 0.085}, math.Pow(h, 5))
		b := band(float64(x), float64(y))
		dark := noise{50}.sum(float64(x)/170, float64(y)/170, 5)
		b *= clamp(1.5 - 1.6*dark)
		for i, t := range (rgb{0.75, 0.72, 0.85}) {
			c[i] += 0.055*b*t + light[y*width+x][i]
		}
		return c
	}
}

// clouds is a night with the moon behind broken clouds.
func clouds() func(x, y int) rgb {
	n := noise{7}
	return func(x, y int) rgb {
		u, v := float64(x)/width, float64(y)/height
		// Farther clouds lie closer together.
		k := 1 / (1.25 - v)
		warp := n.sum(3*u*k, 4*k, 4)
		d := noise{31}.sum(5*u*k+1.4*warp, 9*k+warp, 7)
		cover := clamp((d - 0.4) / 0.24)
		cover = cover * cover * (3 - 2*cover)
		thin := math.Exp(-math.Max(d-0.4, 0) * 7) // light comes through where a cloud is
		mx, my := u-0.63, (v-0.3)*height/width
		glow := math.Exp(-math.Hypot(mx, my) * 5)
		sky := mix(rgb{0.003, 0.006, 0.016}, rgb{0.016, 0.023, 0.04}, v)
		for c, t := range (rgb{0.75, 0.85, 1}) {
			sky[c] += 0.16 * glow * t
		}
		cloud := rgb{0.006, 0.007, 0.011}
		for c, t := range (rgb{0.85, 0.9, 1}) {
			cloud[c] += (0.02 + 0.26*glow) * t * (0.12 + 0.88*thin) * (0.4 + d)
		}
		out := mix(sky, cloud, cover)
		if m := math.Hypot(mx, my); m < 0.012 {
			for c := range out {
				out[c] += 0.9 * (1 - cover) * clamp((0.012-m)*900)
			}
		}
		return out
	}
}

// grime is a dusty pane: specks, smears and streaks on black, for screen.
func grime() func(x, y int) rgb {
	r := rand.New(rand.NewPCG(5, 9))
	v := make([]float64, width*height)
	dot := func(x, y, size, power float64) {
		for j := int(y - 3*size); j <= int(y+3*size); j++ {
			for i := int(x - 3*size); i <= int(x+3*size); i++ {
				if i >= 0 && j >= 0 && i < width && j < height {
					d := math.Hypot(float64(i)+0.5-x, float64(j)+0.5-y) / size
					v[j*width+i] += power * math.Exp(-d*d/2)
				}
			}
		}
	}
	for range 2600 {
		dot(r.Float64()*width, r.Float64()*height, 0.6+2.2*math.Pow(r.Float64(), 6),
			0.03+0.25*math.Pow(r.Float64(), 3))
	}
	for range 90 {
		x, y, a := r.Float64()*width, r.Float64()*height, r.Float64()*math.Pi
		long, bend := 20+120*r.Float64(), 0.01*(r.Float64()-0.5)
		for s := 0.0; s < long; s += 0.7 {
			a += bend
			x, y = x+0.7*math.Cos(a), y+0.7*math.Sin(a)
			dot(x, y, 0.6, 0.05*math.Sin(math.Pi*s/long))
		}
	}
	return func(x, y int) rgb {
		s := noise{70}.sum(float64(x)/300, float64(y)/90, 6)
		w := 0.03*clamp((s-0.5)*4) + v[y*width+x]
		return rgb{w, w * 0.97, w * 0.9}
	}
}

// plaster is an old wall's mottled grey, for multiply.
func plaster() func(x, y int) rgb {
	return func(x, y int) rgb {
		u, v := float64(x), float64(y)
		big := noise{3}.sum(u/420, v/420, 5)
		small := noise{21}.sum(u/14, v/14, 4)
		crack := math.Abs(noise{44}.sum(u/260, v/260, 6) - 0.5)
		k := 0.62 + 0.5*(big-0.5) + 0.16*(small-0.5) - 0.35*math.Exp(-crack*140)
		return mix(rgb{k, k, k}, rgb{1.02 * k, k, 0.93 * k}, big)
	}
}

func main() {
	log.SetFlags(0)
	if len(os.Args) != 2 {
		log.Fatal("usage: skies FOLDER")
	}
	for name, make := range map[string]func() func(x, y int) rgb{"stars": stars, "clouds": clouds,
		"grime": grime, "plaster": plaster} {
		at := make()
		m := image.NewRGBA(image.Rect(0, 0, width, height))
		r := rand.New(rand.NewPCG(1, 2))
		for y := range height {
			for x := range width {
				c := at(x, y)
				var out [3]uint8
				// One way for all channels, as grain of brightness hides steps better than that of
				// colour.
				dither := r.Float64() - 0.5
				for i, v := range c {
					v = clamp(v)
					if v <= 0.0031308 {
						v *= 12.92
					} else {
						v = 1.055*math.Pow(v, 1/2.4) - 0.055
					}
					out[i] = uint8(clamp((v*255+dither+0.5)/255) * 255)
				}
				m.SetRGBA(x, y, color.RGBA{out[0], out[1], out[2], 255})
			}
		}
		f, err := os.Create(filepath.Join(os.Args[1], name+".jpg"))
		if err != nil {
			log.Fatal(err)
		}
		if err := jpeg.Encode(f, m, &jpeg.Options{Quality: 88}); err != nil {
			log.Fatal(err)
		}
		if err := f.Close(); err != nil {
			log.Fatal(err)
		}
	}
}
