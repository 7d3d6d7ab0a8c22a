package render

import (
	"context"
	"image"
	"slices"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/simd"
	"pyrant/internal/recipe/pass"
)

// stage is one step on the way of a picture.
type stage interface {
	// prepare reads the recipe, once for a request, and computes what does not depend on the part
	// of the picture. It returns false where the stage has nothing to do.
	prepare(ctx context.Context) (bool, error)
	// collect finds or computes what the rows of one part need. It may return nil where the stage
	// does nothing there.
	collect(ctx context.Context, part image.Rectangle) (rower, error)
}

// rower does a stage's share of a row: the pixels from x0 to x1 of row y, of which
// s holds what the stages before it made. It is used by several goroutines, each
// with a scratch of its own.
type rower interface {
	row(s *scratch, x0, x1, y int)
}

// stages lists the stages in the order of their work. The order of light is
//
//	photo → frame → dusk → spill → shells → cores over them → points → air →
//	shoulder → finish
//
// A stage is added by one line here and a file of its own; the line gives it what it needs of a
// plan. Cores stand before the shells as light joins to them as well; over lays them over what lies
// behind, and bloom spreads some of their light.
var stages = []struct {
	name string
	make func(p *plan) stage
}{
	{"photo", func(p *plan) stage { return &photoStage{&p.canvas, p.layer.black, &p.darkened} }},
	{"dusk", func(p *plan) stage { return &duskStage{scene: p.scene} }},
	{"spill", func(p *plan) stage { return &spillStage{scene: p.scene, darkened: p.darkened} }},
	{"cores", func(p *plan) stage { return &coreStage{scene: p.scene, through: !p.layer.black} }},
	{"shells", func(p *plan) stage { return &shellStage{scene: p.scene} }},
	{"over", func(*plan) stage { return &overStage{} }},
	{"bloom", func(p *plan) stage { return &bloomStage{scene: p.scene} }},
	{"rays", func(p *plan) stage { return &raysStage{scene: p.scene} }},
	{"finish", func(p *plan) stage { return &finishStage{scene: p.scene} }},
}

// Layer names a choice of stages: a part of the picture that is rendered by itself.
type Layer string

// The layers. Whole is the picture.
const (
	Whole Layer = ""
	Plain Layer = "plain" // the photo as it is
	Glow  Layer = "glow"  // cores and shells, over black
	Spill Layer = "spill" // what the surroundings receive, over black
)

// layer is what a Layer stands for.
type layer struct {
	stages []string // nil for all
	black  bool     // over black, not over the photo
}

var layers = map[Layer]layer{
	Whole: {},
	Plain: {stages: []string{"photo"}},
	Glow:  {stages: []string{"photo", "cores", "shells", "over", "bloom", "rays"}, black: true},
	Spill: {stages: []string{"photo", "spill", "over"}, black: true},
}

// Layers returns the names of the layers but for the whole picture.
func Layers() []string {
	var out []string
	for l := range layers {
		if l != Whole {
			out = append(out, string(l))
		}
	}
	slices.Sort(out)
	return out
}

// scratch is the memory in which a row comes about.
type scratch struct {
	photo []float32 // a row of the photo, where it is not scaled
	plain []float32 // the photo, linear; may be part of a cached picture
	pix   []float32 // the picture as it comes about
	light []float32 // light to be added to pix
	fall  []float32 // light that comes back from surfaces
	waits bool      // fall has not been joined yet
	part  []float32 // light of one kind before it is added to others
	back  []float32 // what takes dusk off again
	cover []float32 // coverage of a core or of a blended shell
	deep  []float32 // how deep within a core a place lies
	alpha [][]float32
	core  cores
	hit   []bool // which pixels an effect changed
	all   bool   // all of them are known to be hit
	tmp   []float32
	codes []uint16 // of 16 bits, where they are asked for
	pass  pass.Scratch
	old   []float32 // the row before the passes of finish
}

func newScratch(w int) *scratch {
	return &scratch{
		photo: make([]float32, 3*w), pix: make([]float32, 3*w), light: make([]float32,
			3*w),
		fall: make([]float32, 3*w), cover: make([]float32, w), deep: make([]float32, w),
		hit:  make([]bool, w),
		core: newCores(w),
	}
}

// backs returns the memory of what takes dusk off again.
func (s *scratch) backs() []float32 {
	if s.back == nil {
		s.back = make([]float32, len(s.fall)/3)
	}
	return s.back
}

// yes is a row of pixels that are changed.
var yes = func() (t [64]bool) {
	for i := range t {
		t[i] = true
	}
	return
}()

// touchAll marks all pixels of the row as changed.
func (s *scratch) touchAll() {
	for n := copy(s.hit, yes[:]); n < len(s.hit); n *= 2 {
		copy(s.hit[n:], s.hit[:n])
	}
	s.all = true
}

// none is light that is none: a hundredth of an 8-bit step at black. What is less
// would change no pixel, and leaves those that it reaches untouched.
const none = 3e-6

// expose joins the light in s.light, and with it what falls on surfaces and still
// waits, by one soft add: what comes to one place meets the film once, whatever
// lights and shells it comes from. Surfaces that a core hides send nothing.
func (s *scratch) expose() {
	light := s.light
	s.core.expose(light)
	if s.waits {
		simd.Add(light, s.fall)
		s.waits = false
	}
	if s.all {
		colour.SoftAddRow(s.pix, light)
		return
	}
	for i, hit := range s.hit {
		if hit {
			continue
		}
		e := light[3*i : 3*i+3 : 3*i+3]
		if e[0] < none && e[1] < none && e[2] < none {
			e[0], e[1], e[2] = 0, 0, 0
		} else {
			s.hit[i] = true
		}
	}
	colour.SoftAddRow(s.pix, light)
}

// span returns the columns of row y, counted from x0, that rect reaches.
func span(rect image.Rectangle, x0, x1, y int) (int, int) {
	if y < rect.Min.Y || y >= rect.Max.Y {
		return 0, 0
	}
	a, b := max(x0, rect.Min.X)-x0, min(x1, rect.Max.X)-x0
	if a >= b {
		return 0, 0
	}
	return a, b
}
