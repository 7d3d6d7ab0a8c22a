package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"reflect"
	"slices"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/camera"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/light/room/staging"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/area"
	"pyrant/internal/recipe/cutout"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/vision/vanishing"
)

// findRoom makes the floor by the photo's lines.
func (a *acting) findRoom(nothing) error {
	r, err := a.forNewRoom()
	if err != nil {
		return err
	}
	p, err := a.photo(a.ctx, a.shot.PhotoSHA)
	if err != nil {
		return err
	}
	v, ok, err := vanishing.Of(a.ctx, p, r.Room.View)
	if err != nil {
		return err
	}
	if !ok {
		return fault.New(
			fault.Invalid,
			"The photo has too few straight lines to find the floor. Drag a wall line or the horizon, or click four corners on the floor.",
		)
	}
	next, err := edit.SetCamera(r, &v.Cam, v.Heading)
	return a.saveIf(next, err, "Find floor")
}

// forNewRoom returns the recipe for a new room, which sees as far across as the photo's lens did,
// if the camera data say so. A room that is there already is left as it is.
func (a *acting) forNewRoom() (*recipe.Recipe, error) {
	r := a.r
	if r.Room.On || r.Room.View != 0 || r.Room.Corners.Len() > 0 {
		return r, nil
	}
	p, err := a.photo(a.ctx, a.shot.PhotoSHA)
	if err != nil {
		return nil, err
	}
	deg, _ := codec.View(p.EXIF, p.Width, p.Height)
	if deg = math.Round(10*deg) / 10; deg > 0 {
		r = r.Clone()
		r.Room.View = deg
	}
	return r, nil
}

// sketch answers with the room as lines over the photo; of a draft that cannot be with what is
// wrong.
func (s *Server) sketch(c *echo.Context) error {
	q := struct {
		Patch json.RawMessage `json:"patch"`
		Light string          `json:"light"`
	}{}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	_, r, err := s.drafted(c, q.Patch)
	var k *staging.Sketch
	if err == nil && r.Room.On {
		k, err = staging.NewSketch(r, lightIndex(r, q.Light))
	}
	var f *fault.Error
	if errors.As(err, &f) && f.Kind == fault.Invalid {
		return c.JSON(
			http.StatusOK,
			map[string]any{"wrong": map[string]string{"field": f.Field, "text": f.Msg}},
		)
	}
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"room": k})
}

// roomLine is something of the room as the bench lists it.
type roomLine struct {
	Name, Path, About string
	Rename            bool
	Rows              []row
}

// RoomWalls lists the walls, RoomPlatforms the platforms and RoomThings the things of the room.
func (p *page) RoomWalls() (out []roomLine) {
	for i, w := range p.R.Room.Walls {
		at := p.Path(fmt.Sprintf("/room/walls/%d", i))
		out = append(out, roomLine{Name: w.Name, Path: at, About: "wall", Rename: true,
			Rows: append(p.seen(at), p.Row(at+"/gloss"))})
	}
	return
}

// RoomPlatforms lists the platforms.
func (p *page) RoomPlatforms() (out []roomLine) {
	for i, f := range p.R.Room.Platforms {
		at := p.Path(fmt.Sprintf("/room/platforms/%d", i))
		out = append(out, roomLine{Name: f.Name, Path: at, About: "platform", Rename: true,
			Rows: append(p.seen(at), p.Row(at+"/hollow"))})
	}
	return
}

// RoomThings lists the cut-outs that stand in the room.
func (p *page) RoomThings() (out []roomLine) {
	for i, t := range p.R.Room.Things {
		at := p.Path(fmt.Sprintf("/room/things/%d", i))
		rows := []row{
			p.Row(at + "/lies"),
			p.Row(at + "/edge"),
			p.Row(at + "/broad"),
			p.Row(at + "/relief"),
		}
		if len(p.R.Room.Platforms) > 0 {
			rows = append([]row{p.Row(at + "/on")}, rows...)
		}
		out = append(out, roomLine{Name: p.R.NameOf(t.Of), Path: at, About: "cut-out", Rows: rows})
	}
	return
}

// seen is the row that says in which cut-out something of the room is seen.
func (p *page) seen(at string) []row {
	r := p.Row(at + "/seen")
	if len(r.refs) < 2 {
		return nil // there is no cut-out to choose
	}
	r.refs[0].Label = "automatic"
	return []row{r}
}

// Absent lists the cut-outs that do not stand in the room yet.
func (p *page) Absent() (out []*cutout.CutOut) {
	for i := range p.R.CutOuts {
		o := &p.R.CutOuts[i]
		there := false
		for _, t := range p.R.Room.Things {
			there = there || string(t.Of) == o.ID
		}
		if !there && !o.Empty() {
			out = append(out, o)
		}
	}
	return
}

// RoomBrief says what the room has, in a few words.
func (p *page) RoomBrief() string {
	m := &p.R.Room
	if !m.On {
		return "none"
	}
	if m.Corners.Len() == 4 {
		return "floor from corners"
	}
	return "floor from horizon"
}

// RoomRows lists some settings of the room, but for those that do nothing.
func (p *page) RoomRows(names ...string) (out []row) {
	for _, r := range p.Rows("/room") {
		if slices.Contains(names, r.Name) {
			out = append(out, r)
		}
	}
	return
}

// CameraBrief says how the camera of the room is known.
func (p *page) CameraBrief() string {
	m := &p.R.Room
	if m.View > 0 {
		return fmt.Sprintf("%.0f° across", m.View)
	}
	sp, err := p.R.Space()
	if err != nil {
		return ""
	}
	by := "estimated"
	if m.Corners.Len() == 4 {
		by = "from corners"
	}
	return fmt.Sprintf("%.0f° %s", camera.ViewOf(sp.Cam.F, float64(p.R.Photo.Width)), by)
}

// surfaces lists the surfaces of a room.
func surfaces(r *recipe.Recipe) []setting.Choice {
	out := []setting.Choice{{Value: string(area.TheFloor), Label: "Floor"}}
	for _, w := range r.Room.Walls {
		out = append(out, setting.Choice{Value: w.ID, Label: w.Name})
	}
	if r.Room.Ceiling > 0 {
		out = append(out, setting.Choice{Value: string(area.TheCeiling), Label: "Ceiling"})
	}
	for _, k := range r.Room.Platforms {
		out = append(out, setting.Choice{Value: k.ID, Label: k.Name})
	}
	for _, t := range r.Room.Things {
		out = append(out, setting.Choice{Value: t.ID, Label: r.NameOf(t.Of)})
	}
	return out
}

// Surfaces lists the surfaces of the room.
func (p *page) Surfaces() []setting.Choice { return surfaces(p.R) }

// Falls has a row for each surface: how much of the chosen light's spill falls on it.
func (p *page) Falls() (out []row) {
	amount := setting.Fields(reflect.TypeFor[recipe.Fall]())[0]
	for _, k := range p.Surfaces() {
		s := *amount
		s.Label = k.Label
		r := row{Setting: &s, Is: "number", Value: s.Value(p.frame()), frame: p.frame()}
		r.entry = p.Path(p.At("spill/falls/" + k.Value))
		r.Path = r.entry + "/" + s.Name
		if f, ok := p.L().Spill.Falls[k.Value]; ok {
			r.Value = f.Amount
		}
		out = append(out, r)
	}
	return
}

// touchLine is spill that is touched up, as the bench lists it.
type touchLine struct {
	Index        int
	Path         string
	On           bool
	Does, Amount row
	Where        areaLine
}

// Touches lists what of the chosen light's spill is touched up.
func (p *page) Touches() (out []touchLine) {
	for j, t := range p.L().Spill.Touches {
		at := p.At(fmt.Sprintf("spill/touches/%d", j))
		out = append(out, touchLine{j, at, t.On, p.Row(at + "/does"), p.Row(at + "/amount"),
			p.AreaLine(at+"/area", "", fmt.Sprintf("Touch-up of %s", p.L().Name))})
	}
	return
}

// FallsBrief says how many surfaces do not get 100 % of the chosen light's spill.
func (p *page) FallsBrief() string {
	n := 0
	for _, f := range p.L().Spill.Falls {
		if f.Amount != 1 {
			n++
		}
	}
	if n == 0 {
		return "all 100 %"
	}
	return fmt.Sprintf("%d changed", n)
}

// PartsBrief counts what the room has beside its floor.
func (p *page) PartsBrief() string {
	m := &p.R.Room
	if n := len(m.Walls) + len(m.Platforms) + len(m.Things); n > 0 {
		return strconv.Itoa(n)
	}
	return "none"
}
