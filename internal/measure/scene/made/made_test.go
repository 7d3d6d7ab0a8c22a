package made

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"testing"

	"pyrant/internal/measure/scene"
)

// A seed makes one scene, another another; what is marked lies in the picture, and feet where
// things stand.
func TestMake(t *testing.T) {
	seen := map[string]uint64{}
	kinds := map[string]int{}
	for seed := range uint64(20) {
		s := Make(seed)
		b, err := json.Marshal(s.Marks)
		if err != nil {
			t.Fatal(err)
		}
		if again, _ := json.Marshal(Make(seed).Marks); string(again) != string(b) {
			t.Fatalf("seed %d makes two scenes", seed)
		}
		if other, ok := seen[string(b)]; ok {
			t.Errorf("seeds %d and %d make one scene", seed, other)
		}
		seen[string(b)] = seed
		in := func(what string, p [2]float64) {
			t.Helper()
			if p[0] < 0 || p[1] < 0 || p[0] > Width || p[1] > Height {
				t.Errorf("seed %d: %s lies at %v", seed, what, p)
			}
		}
		for _, p := range s.Marks.Floor {
			in("a corner of the floor", p)
		}
		for _, x := range s.Marks.Things {
			in(x.Mask, x.Foot)
		}
		for _, l := range s.Marks.Lights {
			kinds[l.Group]++
			for _, m := range l.Shapes {
				for _, p := range m.Points {
					in(l.Group, p)
				}
			}
		}
		if s.Truth.Glare > 0 && s.Truth.Sun.Dot(s.Camera.Up) < 0.3 {
			t.Errorf("seed %d: the sun is below the floor", seed)
		}
		for i, p := range s.stand {
			for _, q := range s.stand[:i] {
				if math.Hypot(p.x-q.x, p.y-q.y) < p.r+q.r {
					t.Errorf("seed %d: two things stand in each other", seed)
				}
			}
		}
	}
	for _, k := range []string{"panels", "rod", "lamp", "sign", "string"} {
		if kinds[k] < 10 {
			t.Errorf("%d of 20 scenes have %s", kinds[k], k)
		}
	}
}

// What is written can be read and set up, masks hold what is marked, and the camera is found by the
// floor's corners, as far as those of a floor that is seen almost straight tell.
func TestWrite(t *testing.T) {
	if testing.Short() {
		t.Skip("nothing of it is kept between goroutines")
	}
	dir := t.TempDir()
	s := Make(3)
	if err := s.Write(t.Context(), dir, 90, 2); err != nil {
		t.Fatal(err)
	}
	sc, err := scene.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	r, err := sc.Recipe(900, 600)
	if err != nil {
		t.Fatal(err)
	}
	sp, err := r.Space()
	if err != nil {
		t.Fatal(err)
	}
	if want := s.Camera.F * 900 / Width; math.Abs(sp.Cam.F/want-1) > 0.12 {
		t.Errorf("the focal length is %.1f, true is %.1f", sp.Cam.F, want)
	}
	// Where things stand, in heights of the camera.
	for i, f := range sp.Feet {
		if want := s.at(s.stand[i].x, s.stand[i].y,
			0).Mul(1 / s.eye); f.Sub(want).Len() > 0.12*want.Len() {
			t.Errorf("%s stands at %v, truly at %v", s.Marks.Things[i].Mask, f, want)
		}
	}
	floor, err := sc.Mask("floor")
	if err != nil {
		t.Fatal(err)
	}
	for _, l := range sc.Lights {
		m, err := sc.Mask(l.Mask)
		if err != nil {
			t.Fatal(err)
		}
		sum := 0.0
		for i, v := range m.Pix {
			sum += float64(v)
			if v+floor.Pix[i] > 1.01 {
				t.Fatalf("%s and the floor are seen at one place", l.Group)
			}
		}
		if sum < 1 {
			t.Errorf("nothing is seen of %s", l.Group)
		}
		lit, err := scene.ReadHDR(sc.Path(l.Lit))
		if err != nil {
			t.Fatal(err)
		}
		all := 0.0
		for _, v := range lit.Pix {
			all += float64(v)
		}
		if lit.W != 90 || lit.H != 60 || !(all > 0) || math.IsInf(all, 0) {
			t.Errorf("%s gives %g in all on %d by %d pixels", l.Group, all, lit.W, lit.H)
		}
	}
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	if err := s.Write(gone, t.TempDir(), 90, 2); err == nil {
		t.Error("what nobody wants is written")
	}
	file := filepath.Join(dir, "file")
	if err := os.WriteFile(file, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	if err := s.Write(t.Context(), filepath.Join(file, "in"), 90, 2); err == nil {
		t.Error("a folder inside of a file was written")
	}
}
