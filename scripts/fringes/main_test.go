package main

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	"pyrant/internal/measure/scene"
)

func TestDraw(t *testing.T) {
	for seed := range uint64(len(kinds)) {
		s := Draw(seed, 300, 200)
		mixed, full, empty := 0, 0, 0
		for i, a := range s.Coverage {
			switch {
			case a < 0 || a > 1.0001:
				t.Fatalf("%d: pixel %d is covered by %v", seed, i, a)
			case a < 0.02:
				empty++
			case a > 0.98:
				full++
			default:
				mixed++
			}
		}
		if mixed < 100 || full < 20 || empty < 10_000 {
			t.Errorf("%s: %d mixed, %d full, %d empty", kinds[seed].name, mixed, full, empty)
		}
		if !slices.Equal(s.Photo, Draw(seed, 300, 200).Photo) {
			t.Errorf("%d: a second time it is another", seed)
		}
	}
}

func TestWrite(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "one")
	if err := write(folder, Draw(5, 300, 200)); err != nil {
		t.Fatal(err)
	}
	sc, err := scene.Open(folder)
	if err != nil {
		t.Fatal(err)
	}
	own, err := sc.Own(sc.Things[0])
	if err != nil || len(own) != 3*300*200 {
		t.Errorf("its own light has %d values, %v", len(own), err)
	}
	if _, err := os.Stat(sc.PicturePath()); err != nil {
		t.Error(err)
	}
}
