package raster

import (
	"context"
	"errors"
	"image"
	"math"
	"runtime"
	"sync/atomic"
	"testing"
	"time"

	"pyrant/internal/base/fault"
)

func TestRowsCoversEachRowOnce(t *testing.T) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(0))
	for _, procs := range []int{1, 2, 7} {
		runtime.GOMAXPROCS(procs)
		for _, n := range []int{0, 1, 15, 16, 17, 100} {
			seen := make([]atomic.Int32, n)
			if err := Rows(context.Background(), 5, 5+n, func(y0, y1 int) {
				for y := y0; y < y1; y++ {
					seen[y-5].Add(1)
				}
			}); err != nil {
				t.Fatal(err)
			}
			for y := range seen {
				if c := seen[y].Load(); c != 1 {
					t.Errorf("%d cores, %d rows: row %d was worked on %d times", procs, n, y, c)
				}
			}
		}
	}
}

func TestRowsStopsWhenCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var bands atomic.Int32
	err := Rows(ctx, 0, 16*1000, func(int, int) {
		if bands.Add(1) == 3 {
			cancel()
		}
	})
	if n := bands.Load(); !errors.Is(err, context.Canceled) || n > 3+int32(runtime.GOMAXPROCS(0)) {
		t.Errorf("cancelled in its third band, the work ended with %v after %d", err, n)
	}
}

// No more work goes on at a time than there are cores for.
func TestRowsTakesNoMoreThanItsCores(t *testing.T) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(3))
	var now, most atomic.Int32
	if err := Rows(context.Background(), 0, 16*40, func(int, int) {
		n := now.Add(1)
		for m := most.Load(); n > m && !most.CompareAndSwap(m, n); m = most.Load() {
		}
		runtime.Gosched()
		time.Sleep(100 * time.Microsecond)
		now.Add(-1)
	}); err != nil {
		t.Fatal(err)
	}
	if m := most.Load(); m != 3 {
		t.Errorf("%d bands were worked on at a time, on three cores", m)
	}
	if err := Rows(context.Background(), 7, 7, func(int, int) { t.Error("no rows are worked on") }); err != nil {
		t.Error(err)
	}
}

// A panic in any of the workers ends the work and is told, after the others have ended.
func TestRowsTellsOfAPanic(t *testing.T) {
	var p *fault.Panic
	for _, at := range []int{0, 16 * 20} {
		err := Rows(context.Background(), 0, 16*40, func(y0, _ int) {
			if y0 == at {
				panic("a mistake")
			}
		})
		if !errors.As(err, &p) || p.Value != "a mistake" || len(p.Stack) == 0 {
			t.Errorf("a panic in band %d ends with %v", at/16, err)
		}
	}
}

func TestRGB(t *testing.T) {
	p := NewRGB(image.Rect(3, -2, 7, 1))
	p.Row(-1)[5] = 0.25
	if p.Pix[12+5] != 0.25 || len(p.Row(0)) != 12 || p.Bytes() != 4*3*3*4 {
		t.Errorf("%v, %d bytes", p.Pix, p.Bytes())
	}
	if none := NewRGB(image.Rect(5, 5, 5, 9)); len(none.Row(6)) != 0 {
		t.Error("a picture without columns has samples")
	}
}

func TestPlane(t *testing.T) {
	p := NewPlane(image.Rect(-2, 3, 4, 7))
	p.Row(4)[1] = 0.5
	if got := p.At(-1, 4); got != 0.5 {
		t.Errorf("the sample that was set reads %v", got)
	}
	if p.At(-3, 4) != 0 || p.At(4, 4) != 0 || p.At(0, 7) != 0 {
		t.Error("outside of a plane there is something")
	}
	if p.Max() != 0.5 || p.Bytes() != 6*4*4 {
		t.Errorf("largest %v, %d bytes", p.Max(), p.Bytes())
	}
	row := p.Row(4)
	if len(row) != 6 || cap(row) != 6 {
		t.Errorf("a row has length %d and capacity %d", len(row), cap(row))
	}
}

// Channels stay apart, and are the average of one channel each.
func TestBoxRowOfColours(t *testing.T) {
	src, one := make([]float32, 3*50), make([]float32, 50)
	for i := range one {
		one[i] = float32((i*i)%17) / 17
		src[3*i], src[3*i+1], src[3*i+2] = one[i], 1-one[i], 0.25
	}
	got, want := make([]float32, 3*11), make([]float32, 11)
	BoxRow(got, src, 3, 2, 5, 55, 4.1, 0.5)
	BoxRow(want, one, 1, 2, 5, 55, 4.1, 0.5)
	for i, v := range want {
		if got[3*i] != v || math.Abs(float64(got[3*i+1]-(0.5-v))) > 1e-6 ||
			math.Abs(float64(got[3*i+2]-0.125)) > 1e-6 {
			t.Errorf("sample %d is %v, want %v", i, got[3*i:3*i+3], v)
		}
	}
}

// An area average keeps the light: the sum of the result times the step is the
// sum of the source, and a constant stays one.
func TestBoxRowKeepsLight(t *testing.T) {
	src := make([]float32, 101)
	sum := 0.0
	for i := range src {
		src[i] = float32((i*37)%11) / 11
		sum += float64(src[i])
	}
	for _, step := range []float64{1, 1.5, 2, 3.19, 10.1} {
		n := int(math.Ceil(101/step - 1e-9))
		dst := make([]float32, n)
		BoxRow(dst, src, 1, 0, 0, 101, step, 1)
		got := 0.0
		for i, v := range dst {
			a, b, _ := BoxSpan(i, 101, step)
			got += float64(v) * (b - a)
		}
		if math.Abs(got-sum) > 1e-3 {
			t.Errorf("step %v: %v of %v is left", step, got, sum)
		}
		for i, v := range dst {
			a, b, scale := BoxSpan(i, 101, step)
			if want := float64(i) * step; math.Abs(a-want) > 1e-9 ||
				math.Abs(b-math.Min(want+step, 101)) > 1e-9 || math.Abs(scale*(b-a)-1) > 1e-9 {
				t.Errorf("step %v: sample %d covers %v to %v, scale %v", step, i, a, b, scale)
			}
			mean := 0.0
			for j := range src {
				mean += float64(src[j]) * math.Max(0, math.Min(b, float64(j+1))-math.Max(a,
					float64(j))) / (b - a)
			}
			if math.Abs(float64(v)-mean) > 1e-5 {
				t.Errorf("step %v: sample %d is %v, want %v", step, i, v, mean)
			}
		}
		// A part is the same as in the whole.
		if n > 4 {
			part := make([]float32, 2)
			x0 := int(2 * step)
			BoxRow(part, src[x0:], 1, 2, x0, 101, step, 1)
			if part[0] != dst[2] || part[1] != dst[3] {
				t.Errorf("step %v: a part has %v, the whole %v", step, part, dst[2:4])
			}
		}
	}
}

// Between samples a colour is what lies between them, at the rim the rim's, and a pixel beyond
// there is none.
func TestBetween(t *testing.T) {
	m := NewRGB(image.Rect(10, 20, 13, 22))
	for i := range m.Pix {
		m.Pix[i] = float32(i)
	}
	var c [3]float32
	for _, k := range []struct{ x, y, want float64 }{{10, 20, 0}, {11, 20, 3}, {10.5, 20, 1.5},
		{10, 20.5, 4.5}, {11.25, 20.75, 3.75 + 0.75*9}, {9.5, 20, 0}, {12.9, 21.9, 15}} {
		if !m.Between(c[:], k.x, k.y) || math.Abs(float64(c[0])-k.want) > 1e-5 || c[2] != c[0]+2 {
			t.Errorf("at %g, %g it is %v, not %g", k.x, k.y, c, k.want)
		}
	}
	for _, k := range [][2]float64{{8.9, 20}, {13, 20}, {11, 18.9}, {11, 22}} {
		if m.Between(c[:], k[0], k[1]) {
			t.Errorf("there is something at %v", k)
		}
	}
}
