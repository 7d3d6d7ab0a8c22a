package render

import (
	"image"
	"math"
	"sync/atomic"
	"testing"

	"pyrant/internal/base/colour"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/shape"
)

// benchRoom times frames of the demo's room with six lights; change makes the n-th move, and rough
// frames are those while it goes on.
func benchRoom(b *testing.B, rough bool, change func(r *recipe.Recipe, n int)) {
	p, base := demoShot(b)
	six(b, base)
	base.Room.On = true
	e := New(1 << 30)
	q := Request{Photo: p, Recipe: base, LongEdge: previewEdge, Profile: colour.SRGB}
	frame := render(b, e, q).(*image.RGBA)
	var may atomic.Bool
	if rough {
		q.Rough = &may
	}
	n := 0
	against(b, "x-jpeg", func() {
		n++
		r := base.Clone()
		change(r, n)
		q.Recipe = r
		render(b, e, q)
	}, func() { encode(b, frame, 85) })
}

func moveFoot(r *recipe.Recipe, n int) {
	s := r.Lights[3].Shapes[0]
	f := shape.FeetOf(s).At(0)
	r.Lights[3].Shapes[0] = shape.Standing(s, shape.FeetAt(shape.Foot{X: f.X + float64(n)*0.7,
		Y: f.Y}))
}

func moveThing(r *recipe.Recipe, n int) { r.Room.Things[0].Foot.X += float64(n) * 0.7 }

// While the foot of a light moves, and when it rests.
func BenchmarkRoomFoot(b *testing.B)     { benchRoom(b, true, moveFoot) }
func BenchmarkRoomFootRest(b *testing.B) { benchRoom(b, false, moveFoot) }

// While the figure moves, and when it rests.
func BenchmarkRoomThing(b *testing.B)     { benchRoom(b, true, moveThing) }
func BenchmarkRoomThingRest(b *testing.B) { benchRoom(b, false, moveThing) }

// A fader and a gel in the room: nothing of its light is worked out anew.
func BenchmarkRoomFader(b *testing.B) {
	benchRoom(b, true, func(r *recipe.Recipe, n int) {
		r.Lights[n%6].Level = 0.5 +
			math.Mod(float64(n)*0.618, 1)
	})
}

func BenchmarkRoomGel(b *testing.B) {
	benchRoom(b, true, func(r *recipe.Recipe,
		n int) {
		r.Lights[n%6].Gel.Hue = math.Mod(float64(n)*137, 360)
	})
}

// The whole of it as an export of 24 megapixels, with nothing ready.
func BenchmarkRoomExport24MP(b *testing.B) {
	p, r := enlarged(b, 2)
	six(b, r)
	r.Room.On = true
	var img image.Image = image.NewRGBA(image.Rect(0, 0, p.Width, p.Height))
	against(b, "x-jpeg", func() { img = export(b, p, r) }, func() { encode(b, img, 92) })
}
