package render

import (
	"context"
	"slices"
	"sync"
	"sync/atomic"

	"pyrant/internal/base/coverage"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/light/room/lightmap"
	"pyrant/internal/light/room/staging"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
)

// roomPower is how much brighter than white what a light covers is taken to be, at a strength of 1,
// for the light that it gives to a room.
const roomPower = 40

// maxRoomVersions is how many versions of what follows from a room are held, for undo and to
// compare. Of the light on whole frames, which is large, maxFrameVersions are: enough for one undo.
const (
	maxRoomVersions  = 3
	maxFrameVersions = 2
)

// recipeInput is a part of a recipe that a value depends on: a recipe with all else left out. What
// was left out by mistake is missing in every picture, and not only in an old one.
type recipeInput = *graph.Input[*recipe.Recipe]

func inputOf(g *graph.Graph, part *recipe.Recipe) recipeInput {
	return graph.Intern(g, setting.Key(*part), part)
}

// roomKey names the room of a recipe as a photo shows it.
type roomKey struct {
	photo    photoInput
	geometry recipeInput // see staging.Geometry
	gloss    *graph.Input[staging.Gloss]
	daylight bool // whether it is taken out of the photo
	draft    roomDraft
}

// roomDraft says what of a room is a draft, while something moves.
type roomDraft struct {
	daylight bool // found coarsely
	bounce   bool // left out
}

func (k roomKey) isDraft() bool { return k.draft != roomDraft{} }

// room is the room of a scene.
type room struct {
	roomKey
	canvas    *canvas
	recipe    *recipe.Room
	lights    []*recipe.Light
	alone     []recipeInput // by light: see lightAlone
	space     recipeInput   // its geometry without the lights that cross objects
	moved     bool          // its geometry is that of a moment ago
	draftFlag *atomic.Bool  // notes that something is a draft; nil if nothing may be one
}

// newRoom returns the room of a scene; nil for none. In a draft, what is not ready is made more
// coarsely or left out, and while a light moves that crosses an object, the geometry stays.
func newRoom(sc *scene) *room {
	r, g := sc.recipe, sc.graph
	if !r.Room.On {
		return nil
	}
	whole, space := staging.Geometry(r)
	m := &room{canvas: &sc.canvas, recipe: &r.Room, space: inputOf(g, space),
		draftFlag: sc.draftFlag}
	m.roomKey = roomKey{photo: sc.picture.Photo, geometry: inputOf(g, whole),
		gloss: graph.Of(g, staging.GlossOf(r)), daylight: r.Room.Daylight > 0}
	for i := range r.Lights {
		m.lights = append(m.lights, &r.Lights[i])
		m.alone = append(m.alone, lightAlone(g, r, &r.Lights[i]))
	}
	if m.draftFlag == nil {
		return m
	}
	if !graph.Has(g, m.set()) {
		before := m.roomKey
		before.geometry = m.history().get()
		if m.moved = before.geometry != nil && graph.Has(g, before.set()); m.moved {
			m.roomKey = before
		}
	}
	m.roomKey.draft = roomDraft{
		daylight: m.daylight && !graph.Has(g, roomDaylight{m.photo, m.geometry, false}),
		bounce:   (m.daylight || r.Room.Bounce > 0) && !graph.Has(g, m.bounces()),
	}
	return m
}

// use notes that a value of the room is used: where that is a draft, so is the picture.
func (m *room) use() {
	if m.isDraft() || m.moved {
		m.draftFlag.Store(true)
	} else {
		m.history().set(m.geometry)
	}
}

// roomHistory remembers the last geometry that a picture was made of.
type roomHistory struct {
	mu   sync.Mutex
	last recipeInput
}

// roomHistoryKey is what a roomHistory is of.
type roomHistoryKey struct {
	photo photoInput
	space recipeInput
}

func (m *room) history() *roomHistory {
	return graph.History(m.canvas.graph, roomHistoryKey{m.photo, m.space},
		func() *roomHistory { return new(roomHistory) })
}

// Bytes returns about the memory that is held.
func (h *roomHistory) Bytes() int64 { return 1 << 12 }

func (h *roomHistory) get() recipeInput {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.last
}

func (h *roomHistory) set(in recipeInput) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.last = in
}

// covers gives what cut-outs and lights of a recipe cover.
type covers struct {
	g *graph.Graph
	r *recipe.Recipe
}

func (c covers) CutOut(ctx context.Context, id cutout.Ref) (coverage.Coverage, error) {
	k := c.r.CutOut(id)
	if k == nil || k.Empty() {
		return nil, nil
	}
	return cutOut(ctx, c.g, k, cutout.Alpha)
}

func (c covers) Light(ctx context.Context, l *recipe.Light) (coverage.Coverage, error) {
	return coverOf(ctx, c.g, c.r, l.Shapes, false)
}

func (c covers) Graph() *graph.Graph { return c.g }

// versions names the values of one kind that a photo has; see graph.Versioned.
type versions struct {
	kind  string
	photo photoInput
}

// roomSet is a room as geometry, with what its floor and walls mirror; gloss is nil for nothing.
type roomSet struct {
	photo    photoInput
	geometry recipeInput
	gloss    *graph.Input[staging.Gloss]
}

func (k roomKey) set() roomSet { return roomSet{k.photo, k.geometry, k.gloss} }

// bare returns the room without what mirrors.
func (k roomKey) bare() roomSet { return roomSet{k.photo, k.geometry, nil} }

func (k roomSet) Group() (any, int) {
	if k.gloss == nil {
		return versions{"room", k.photo}, maxRoomVersions
	}
	return versions{"glossy room", k.photo}, maxRoomVersions
}

func (k roomSet) Build(ctx context.Context, g *graph.Graph) (*staging.Set, error) {
	if k.gloss == nil {
		r := k.geometry.Value()
		return staging.New(ctx, r, covers{g, r})
	}
	set, err := graph.Get(ctx, g, roomSet{k.photo, k.geometry, nil})
	if err != nil {
		return nil, err
	}
	return set.Glossy(k.gloss.Value()), nil
}

// smallPhoto returns the small picture on which a room is looked at.
func smallPhoto(ctx context.Context, g *graph.Graph, of photoInput,
	set *staging.Set) (staging.Small, error) {
	p, err := graph.Get(ctx, g, photo.Whole{Photo: of, Edge: set.Small()})
	return staging.Small{RGB: p}, err
}

// roomDaylight is the daylight by which a photo was taken.
type roomDaylight struct {
	photo    photoInput
	geometry recipeInput
	draft    bool // more coarsely
}

func (k roomDaylight) Group() (any, int) {
	if k.draft {
		return nil, 0
	}
	return versions{"daylight", k.photo}, maxRoomVersions
}

func (k roomDaylight) Build(ctx context.Context, g *graph.Graph) (*staging.Daylight, error) {
	set, err := graph.Get(ctx, g, roomSet{k.photo, k.geometry, nil})
	if err != nil {
		return nil, err
	}
	p, err := smallPhoto(ctx, g, k.photo, set)
	if err != nil {
		return nil, err
	}
	return set.Daylight(ctx, p, k.draft)
}

// roomBounce is what the surfaces of a room give to each other.
type roomBounce struct {
	photo    photoInput
	geometry recipeInput
	daylight bool // whether it is taken out of the surfaces' colours
}

func (k roomKey) bounces() roomBounce { return roomBounce{k.photo, k.geometry, k.daylight} }

func (k roomBounce) Group() (any, int) { return versions{"bounce", k.photo}, maxRoomVersions }

func (k roomBounce) Build(ctx context.Context, g *graph.Graph) (*staging.Bounce, error) {
	set, err := graph.Get(ctx, g, roomSet{k.photo, k.geometry, nil})
	if err != nil {
		return nil, err
	}
	p, err := smallPhoto(ctx, g, k.photo, set)
	if err != nil {
		return nil, err
	}
	var day *staging.Daylight
	if k.daylight {
		if day, err = graph.Get(ctx, g, roomDaylight{k.photo, k.geometry, false}); err != nil {
			return nil, err
		}
	}
	return set.Bounce(ctx, p, day)
}

// roomLooks is how bright a photo shows the surfaces of a room. It stays for as long as they are
// seen where they were.
type roomLooks struct {
	photo  photoInput
	layout *graph.Input[*staging.Set]
}

func (k roomLooks) Group() (any, int) { return versions{"looks", k.photo}, maxRoomVersions }

func (k roomLooks) Build(ctx context.Context, g *graph.Graph) (*staging.Looks, error) {
	p, err := smallPhoto(ctx, g, k.photo, k.layout.Value())
	if err != nil {
		return nil, err
	}
	return k.layout.Value().Looks(ctx, p)
}

// roomShown is how dark daylight can have made the surfaces of a room, by how they look.
type roomShown struct {
	photo    photoInput
	geometry recipeInput
}

func (k roomShown) Group() (any, int) { return versions{"shown", k.photo}, maxRoomVersions }

func (k roomShown) Build(ctx context.Context, g *graph.Graph) (*staging.Shown, error) {
	set, err := graph.Get(ctx, g, roomSet{k.photo, k.geometry, nil})
	if err != nil {
		return nil, err
	}
	looks, err := graph.Get(ctx, g, roomLooks{k.photo, set.Layout})
	if err != nil {
		return nil, err
	}
	day, err := graph.Get(ctx, g, roomDaylight{k.photo, k.geometry, false})
	if err != nil {
		return nil, err
	}
	bounce, err := graph.Get(ctx, g, roomBounce{k.photo, k.geometry, true})
	if err != nil {
		return nil, err
	}
	return set.Shows(ctx, looks, day, bounce)
}

// roomLight is what a light gives to the surfaces of a room.
type roomLight struct {
	room    roomKey
	light   recipeInput                 // with nothing but the light; see lightAlone
	others  *graph.Input[[]recipeInput] // that may shade it; nil in a draft
	shadows float64
	bounce  bool // whether it bounces
	draft   bool // more coarsely, and without others
}

// roomLightKind is what versions of a roomLight are of.
type roomLightKind struct {
	photo photoInput
	light string
}

func (k roomLight) kind() roomLightKind {
	return roomLightKind{k.room.photo, k.light.Value().Lights[0].ID}
}

func (k roomLight) Group() (any, int) {
	if k.draft {
		return nil, 0
	}
	return k.kind(), maxRoomVersions
}

// isolated returns the key without what it says of other lights.
func (k roomLight) isolated() roomLight {
	k.others = nil
	return k
}

// set returns the room that the light falls in, and what its surfaces give to each other; nil if
// nothing bounces. Both have the same bodies.
func (k roomLight) set(ctx context.Context, g *graph.Graph) (*staging.Set, *lightmap.Bounce,
	error) {
	if !k.bounce {
		set, err := graph.Get(ctx, g, k.room.set())
		return set, nil, err
	}
	b, err := graph.Get(ctx, g, k.room.bounces())
	if err != nil {
		return nil, nil, err
	}
	return b.Set.Glossy(k.room.gloss.Value()), b.Bounce, nil
}

func (k roomLight) Build(ctx context.Context, g *graph.Graph) (*lightmap.Field, error) {
	set, bounce, err := k.set(ctx, g)
	if err != nil {
		return nil, err
	}
	r := *k.light.Value()
	l := &r.Lights[0]
	var others []*recipe.Light
	if !k.draft {
		for _, o := range k.others.Value() {
			others = append(others, &o.Value().Lights[0])
			r.CutOuts = append(slices.Clip(r.CutOuts), o.Value().CutOuts...)
		}
	}
	cover := covers{g, &r}
	light, err := set.Light(ctx, l, cover)
	if err != nil {
		return nil, err
	}
	scene, before := set.For(l), (*lightmap.Field)(nil)
	if !k.draft {
		if scene, err = set.Among(ctx, l, others, cover); err != nil {
			return nil, err
		}
		_, before = lightHistoryOf(g, k.kind()).get() // something may have moved since
	}
	return scene.Of(ctx, light, set.Sheets(), set.Detail(k.draft, k.room.isDraft()), k.shadows,
		bounce, before)
}

// lightHistory remembers the light that was last used in a frame at rest.
type lightHistory struct {
	mu    sync.Mutex
	key   roomLight
	field *lightmap.Field
}

func lightHistoryOf(g *graph.Graph, k roomLightKind) *lightHistory {
	return graph.History(g, k, func() *lightHistory { return new(lightHistory) })
}

// Bytes returns the memory that is held.
func (h *lightHistory) Bytes() int64 {
	if _, f := h.get(); f != nil {
		return f.Bytes()
	}
	return 1 << 10
}

func (h *lightHistory) get() (roomLight, *lightmap.Field) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.key, h.field
}

func (h *lightHistory) set(k roomLight, f *lightmap.Field) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.key, h.field = k, f
}

// lightAlone returns a light of a recipe by itself, with where it stands and what it covers.
func lightAlone(g *graph.Graph, r *recipe.Recipe, l *recipe.Light) recipeInput {
	return inputOf(g, recipe.Recipe{Photo: r.Photo}.With(r, []*recipe.Light{l}))
}

// light returns what names the light that a light gives to the room, and whether that is a draft.
// In a draft, a light that stands as it stood keeps what it gives, although others may shade it
// otherwise now.
func (m *room) light(l *recipe.Light) (k roomLight, draft bool) {
	g := m.canvas.graph
	k = roomLight{room: m.roomKey, shadows: m.recipe.Shadows, bounce: m.recipe.Bounce > 0}
	var others []recipeInput // all of them, lit or not
	for i, o := range m.lights {
		if o.ID == l.ID {
			k.light = m.alone[i]
		} else if len(o.Shapes) > 0 {
			others = append(others, m.alone[i])
		}
	}
	k.others = graph.Of(g, others)
	if m.draftFlag == nil || !m.isDraft() && graph.Has(g, k) {
		return k, false
	}
	last, _ := lightHistoryOf(g, k.kind()).get()
	if last.others != nil && last.isolated() == k.isolated() && graph.Has(g, last) {
		return last, true
	}
	k.others, k.bounce, k.draft = nil, false, true
	return k, true
}

// roomSpill is what a light gives to the surfaces of a room.
type roomSpill struct {
	light roomLight
	field *lightmap.Field
}

// shine returns what a light gives to the surfaces of the room.
func (m *room) shine(ctx context.Context, l *recipe.Light) (*roomSpill, error) {
	g := m.canvas.graph
	k, draft := m.light(l)
	if m.use(); draft {
		m.draftFlag.Store(true)
	}
	f, err := graph.Get(ctx, g, k)
	if err == nil && !draft && !g.IsChild() {
		lightHistoryOf(g, k.kind()).set(k, f)
	}
	return &roomSpill{k, f}, err
}
