package lightmap

import (
	"image"
	"slices"
	"testing"
)

// What falls on a row is what falls on each pixel of it.
func TestRows(t *testing.T) {
	v := []float32{0.1, 0.2, -0.3, 0.1, 0, 0.2, 0.7, 0.5, 0.4, 1, 0.9, 0.8}
	normals := []float32{0, 0.6, 0, 0, 0, 0.6, 1, 0.8, 0.8}
	got := make([]float32, 3)
	OnRow(got, v, normals)
	for i := range got {
		if want := On([]float32{v[i], v[3+i], v[6+i], v[9+i]}, []float32{normals[i], normals[3+i],
			normals[6+i]}); got[i] != want || want == 0 {
			t.Errorf("pixel %d: %v, by itself %v", i, got[i], want)
		}
	}
	dst := []float32{1, 1, 1, 2, 2, 2}
	Add(dst, []float32{1, 0.5}, []float32{0.25, 0.5}, []float32{1, 2, 3, 4, 5, 6}, 0.5)
	if want := []float32{1.75, 2.75, 3.75, 2.75, 3.25, 3.75}; !slices.Equal(dst, want) {
		t.Errorf("added up %v, want %v", dst, want)
	}
	dst = []float32{1, 1, 1, 3}
	if Divide(dst, []float32{0.5, 0.01, 0.125, 2}, []float32{0, 0, 0.25, 1},
		0.0625); !slices.Equal(dst, []float32{2, 16, 4, 1.5}) {
		t.Errorf("divided %v", dst)
	}
}

// Where a grid has nothing, and beyond it, 0 is read, whatever the row held.
func TestReadNothing(t *testing.T) {
	g := &Grid{Tile: 10, C: 2, Tiles: image.Rect(1, 0, 4, 1), tiles: make([]tile, 3)}
	for _, i := range []int{0, 2} {
		g.tiles[i] = tile{n: 1, val: []float32{1, 2, 1, 2, 1, 2, 1, 2}}
	}
	row := make([]float32, 2*50)
	for y, there := range map[float64]bool{5: true, -5: false, 15: false} {
		for i := range row {
			row[i] = 7
		}
		g.Read(row, 0, 1, y, 50)
		for x := range 50 {
			want := float32(0)
			if there && (x >= 10 && x < 20 || x >= 30 && x < 40) {
				want = 1
			}
			if row[x] != want || row[50+x] != 2*want {
				t.Fatalf("at %d, %v there are %v and %v", x, y, row[x], row[50+x])
			}
		}
	}
}
