package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/recipe/shape"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
)

// page is what the templates of a shot see.
type page struct {
	pages *template.Template
	photo func() (*photo.Photo, error)
	rigs  func() ([]store.Rig, error)
	job   func() *jobView
	past  func(before, most int) (pastList, error)
	marks func() ([]store.Mark, error)
	CSRF  string
	Event string // the last that the page knows of
	Shot  *store.Shot
	R     *recipe.Recipe
	Step  string
	Light int // index of the chosen light, -1 for none
	focus
	Undo, Redo string
	Saved      time.Time
}

// focus is what of the bench is open, below the step and the light.
type focus struct {
	Pass   string     `json:"pass"` // an id, and so below; "" for none
	Area   area.Ref   `json:"area"`
	Part   string     `json:"part"`
	Stroke string     `json:"stroke"`
	Cut    cutout.Ref `json:"cut"`
}

// L is the chosen light.
func (p *page) L() *recipe.Light {
	if p.Light < 0 || p.Light >= len(p.R.Lights) {
		return nil
	}
	return &p.R.Lights[p.Light]
}

// Actions are the names of all actions, for the page's scripts.
func (p *page) Actions() string {
	return strings.Join(slices.Sorted(maps.Keys(actions)), " ")
}

func (p *page) frame() setting.Frame { return p.R.Photo.Frame() }

// At returns the path of something of the chosen light.
func (p *page) At(rest string) string {
	return p.Path(fmt.Sprintf("/lights/%d/%s", p.Light, rest))
}

// Path returns a path that names items by their ids, so that it leads to the same wherever they
// stand by then.
func (p *page) Path(path string) string { return setting.ByID(*p.R, path) }

// Rows are the settings of what stands at a path of the recipe.
func (p *page) Rows(path string) []row { return rows(*p.R, path, p.frame()) }

// Row is the setting at a path of the recipe.
func (p *page) Row(path string) row {
	r, _ := rowAt(*p.R, path, p.frame())
	return r
}

// Photo is the decoded photo.
func (p *page) Photo() (*photo.Photo, error) { return p.photo() }

// Fader is one channel of the board.
type fader struct {
	Label  string
	Path   string
	On     bool
	Switch string // path of the switch
	Row    row
	Gel    string // of a light, as #rrggbb
	Index  int
	Chosen bool
	Alone  bool
	Dark   bool   // something else is alone
	ID     string // of the light or the group
	Group  bool   // it is the channel of a group, before those of its lights
	In     string // id of the group that a light is in
}

// Faders are the channels of the lights.
func (p *page) Faders() []fader {
	lit := p.R.Lit()
	var out []fader
	for i := range p.R.Lights {
		l := &p.R.Lights[i]
		at := p.Path(fmt.Sprintf("/lights/%d", i)) + "/"
		if k := slices.IndexFunc(p.R.Groups,
			func(g recipe.Group) bool { return g.ID == l.Group }); k >= 0 &&
			(i == 0 || p.R.Lights[i-1].Group != l.Group) {
			g := &p.R.Groups[k]
			group := p.Path(fmt.Sprintf("/groups/%d", k)) + "/"
			out = append(out, fader{Label: g.Name, Path: group, On: g.On, Switch: group + "on",
				Row: p.Row(group + "level"), Index: -1, ID: g.ID, Group: true})
		}
		out = append(out, fader{ID: l.ID, In: l.Group, Label: l.Name, Path: at, On: l.On,
			Switch: at + "on", Row: p.Row(at + "level"),
			Gel: l.Gel.Colour().Hex(), Index: i, Chosen: i == p.Light, Alone: l.Alone,
			Dark: !lit[i] && l.On && len(l.Shapes) > 0})
	}
	return out
}

// Masters are the faders over everything.
func (p *page) Masters() []fader {
	daylight := p.Row("/dusk/daylight")
	daylight.short = true
	return []fader{
		{Label: daylight.Label, On: p.R.Dusk.On, Switch: "/dusk/on", Row: daylight},
		{Label: "All glow", On: p.R.Glow.On, Switch: "/glow/on", Row: p.Row("/glow/level")},
		{Label: "All spill", On: p.R.Spill.On, Switch: "/spill/on", Row: p.Row("/spill/level")},
	}
}

// inlineShapes is how many bytes of a light's shapes the page carries in itself.
// Larger ones it fetches once and keeps by their key.
const inlineShapes = 8 << 10

// shapesKey names shapes with their ids.
func shapesKey(
	s shape.Shapes,
) string {
	return setting.Key(s) + "-" + asset.Sum(setting.Brief(s))[:8]
}

// lightState returns a light as the page's scripts see it.
func lightState(l recipe.Light) json.RawMessage {
	small := len(setting.Brief(l.Shapes)) <= inlineShapes
	for _, s := range l.Shapes {
		small = small && shape.Nodes(s).Len() <= setting.Inline
	}
	if small {
		return setting.Encode(l)
	}
	key := shapesKey(l.Shapes)
	l.Shapes = nil
	b := setting.Encode(l)
	return fmt.Appendf(b[:len(b)-1], `,"shapes_key":%q}`, key)
}

// State is what the page's scripts read, as JSON.
func (p *page) State() (string, error) {
	lights := make([]json.RawMessage, len(p.R.Lights))
	for i, l := range p.R.Lights {
		lights[i] = lightState(l)
	}
	// Of areas the page needs the one that is open; strokes can be long.
	areas := make([]json.RawMessage, len(p.R.Areas))
	for i := range p.R.Areas {
		if a := &p.R.Areas[i]; a.ID == string(p.Area) {
			areas[i] = setting.Encode(*a)
		} else {
			b, err := json.Marshal(map[string]string{"id": a.ID, "name": a.Name})
			if err != nil {
				return "", err
			}
			areas[i] = b
		}
	}
	cuts := make([]json.RawMessage, len(p.R.CutOuts))
	for i := range p.R.CutOuts {
		cuts[i] = p.cutOutState(&p.R.CutOuts[i])
	}
	b, err := json.Marshal(map[string]any{
		"cutouts": cuts,
		"id":      p.Shot.ID, "photo": p.Shot.PhotoSHA, "version": p.Shot.Version,
		"step": p.Step, "light": p.Light, "focus": p.focus,
		"width": p.Shot.Photo.Width, "height": p.Shot.Photo.Height,
		"crop": json.RawMessage(setting.Encode(p.R.Crop)),
		"reference": json.RawMessage(
			setting.Encode(p.R.Reference),
		), "lights": lights, "name": p.Shot.Name,
		"areas": areas, "dusk": json.RawMessage(setting.Encode(p.R.Dusk)), "groups": p.R.Groups,
		"together": recipe.Together(), "room": p.roomState(), "finish": json.RawMessage(setting.Encode(p.R.Finish)),
	})
	return string(b), err
}

// roomState returns the room as the page's scripts see it: whether it is on, and the ids of its
// items.
func (p *page) roomState() map[string]any {
	type item struct {
		ID string `json:"id"`
	}
	room := &p.R.Room
	walls, platforms, things := []item{}, []item{}, []item{}
	for i := range room.Walls {
		walls = append(walls, item{room.Walls[i].ID})
	}
	for i := range room.Platforms {
		platforms = append(platforms, item{room.Platforms[i].ID})
	}
	for i := range room.Things {
		things = append(things, item{room.Things[i].ID})
	}
	return map[string]any{"on": room.On, "walls": walls, "platforms": platforms, "things": things}
}

// plural counts things.
func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return strconv.Itoa(n) + " " + many
}

var templateFuncs = template.FuncMap{
	"inc":        func(i int) int { return i + 1 },
	"hex":        func(c colour.RGB) string { return c.Hex() },
	"megapixels": megapixels,
	"clock":      func(t time.Time) string { return t.Local().Format("15:04") },
	"day":        func(t time.Time) string { return t.Local().Format("2 Jan 2006, 15:04") },
	"plural":     plural,
	"upload":     func(id, label, accept string) upload { return upload{id, label, accept} },
}

// upload is a button that chooses a file.
type upload struct{ ID, Label, Accept string }
