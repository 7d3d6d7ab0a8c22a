package recipe

import (
	"fmt"

	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
)

// OwnRig is a rig that was saved from a light: its core, its stack and its spill, in sizes for a
// photo with a long edge of 6000 pixels. As a file it is JSON.
type OwnRig struct {
	Kind    string  `json:"kind" fixed:"true" count:"3..3"`
	Version int     `json:"version" fixed:"true" label:"Version" range:"1..1"`
	Name    string  `json:"name" label:"Name" count:"1..80"`
	Core    Core    `json:"core"`
	Shells  []Shell `json:"shells" count:"0..32"`
	Spill   Spill   `json:"spill"`
}

// MaxRigBytes is the largest file of a rig that is read.
const MaxRigBytes = 64 << 10

var rigFrame = setting.Frame{W: rigEdge, H: rigEdge}

// NewRig returns what a light of a photo has as a rig. What refers to areas stays behind.
func NewRig(name string, l *Light, p Photo) OwnRig {
	g := OwnRig{Kind: "rig", Version: 1, Name: name, Core: l.Core, Shells: l.Shells, Spill: l.Spill}
	g = setting.Scale(g, rigEdge/float64(p.LongEdge()))
	g.Core.On, g.Spill.On, g.Spill.Carrier, g.Spill.Touches, g.Spill.Falls = true, true, "",
		nil, nil
	for i := range g.Shells {
		g.Shells[i].Trim = setting.New[Trim](p.Frame())
		g.Shells[i].Radius = min(g.Shells[i].Radius, MaxRadius)
	}
	return g
}

// Put gives a light the rig's core, stack and spill, in sizes for a photo. What carries the light
// and its switches stay.
func (g OwnRig) Put(l *Light, p Photo) {
	g = setting.Scale(g, float64(p.LongEdge())/rigEdge)
	core, spill := l.Core, l.Spill
	l.Core, l.Shells, l.Spill = g.Core, g.Shells, g.Spill
	l.Core.On, l.Spill.On, l.Spill.Carrier, l.Spill.Onto, l.Spill.Touches, l.Spill.Falls = core.On,
		spill.On, spill.Carrier, spill.Onto, spill.Touches, spill.Falls
	for i := range l.Shells {
		l.Shells[i].Radius = min(l.Shells[i].Radius, MaxRadius)
	}
}

// Encode returns the rig as a file.
func (g OwnRig) Encode() []byte { return setting.Encode(g) }

// DecodeRig reads a rig from a file. Faults are of type *fault.Error.
func DecodeRig(data []byte) (OwnRig, error) {
	var g OwnRig
	if len(data) > MaxRigBytes {
		return g, fault.New(fault.TooLarge, "A rig file has at most %d kB.", MaxRigBytes>>10)
	}
	raw, err := setting.Parse(data, "rig")
	if err != nil {
		return g, err
	}
	if m, ok := raw.(map[string]any); !ok || m["kind"] != "rig" {
		return g, fault.New(
			fault.Invalid,
			"This is not a rig file. Save one with “Save as rig”, or choose another.",
		)
	} else if v, _ := m["version"].(float64); v > 1 {
		return g, fault.New(fault.Invalid, "This rig was saved by a newer Pyrant (version %s; this one reads 1).", fmt.Sprint(m["version"]))
	}
	if err := setting.Decode(raw, &g, rigFrame); err != nil {
		return g, err
	}
	return g, setting.Validate(g, rigFrame)
}
