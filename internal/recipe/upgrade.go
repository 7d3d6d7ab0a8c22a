package recipe

import (
	"fmt"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/recipe/setting"
)

// upgrades[i] turns a document of version i+1 into one of version i+2. A field
// that is new needs none, as it takes its default; one that would make an old
// picture another gets its neutral value here. Samples of every version are in
// testdata.
var upgrades = []func(doc map[string]any){
	upgrade1,
	upgrade2,
	upgrade3,
	upgrade4,
	upgrade5,
}

// upgrade1 : shapes are of kinds with fields of their own. An outline could have a
// width of 0 and be called not closed.
func upgrade1(doc map[string]any) {
	lights, _ := doc["lights"].([]any)
	for _, l := range lights {
		light, _ := l.(map[string]any)
		shapes, _ := light["shapes"].([]any)
		for _, s := range shapes {
			shape, _ := s.(map[string]any)
			if shape["kind"] == "outline" {
				if shape["width"] == 0.0 {
					delete(shape, "width")
				}
				if shape["closed"] == false {
					delete(shape, "closed")
				}
			}
		}
	}
}

// upgrade2 : dusk had a warmth and a saturation; they are passes now, that do the same to
// every pixel. Lights were not kept out of dusk beyond their cores.
func upgrade2(doc map[string]any) {
	dusk, _ := doc["dusk"].(map[string]any)
	number := func(name string, or float64) float64 {
		v, ok := dusk[name].(float64)
		delete(dusk, name)
		if !ok {
			return or
		}
		return v
	}
	warmth, saturation := number("warmth", 0), number("saturation", 1)
	var passes []any
	add := func(name, kind string, fields map[string]any) {
		fields["kind"] = kind
		passes = append(passes, map[string]any{"name": name, "does": fields})
	}
	if saturation != 1 {
		add("Saturation", "colour", map[string]any{"saturation": saturation})
	}
	if warmth != 0 {
		// Red and blue moved against each other, with the luminance of white kept.
		n := math.Log2(colour.Luma(math.Exp2(0.5*warmth), 1, math.Exp2(-0.5*warmth)))
		add(
			"Warmth",
			"levels",
			map[string]any{"red": 0.5*warmth - n, "green": -n, "blue": -0.5*warmth - n},
		)
	}
	if passes != nil && dusk != nil {
		dusk["passes"] = passes
	}
	lights, _ := doc["lights"].([]any)
	for _, l := range lights {
		light, ok := l.(map[string]any)
		if !ok {
			continue
		}
		light["keep"] = 0.0
		// What is missing was meant by the defaults of then.
		old(light, "core", map[string]any{"whiteness": 0.82, "texture": 0.35,
			"feather": setting.Round(frameOf(doc).LongEdge() / 3000)})
		old(light, "spill", map[string]any{"strength": 2.0})
		shells, _ := light["shells"].([]any)
		for i := range shells {
			if shell, ok := shells[i].(map[string]any); ok {
				if _, ok := shell["lift"]; !ok {
					shell["lift"] = 0.6
				}
			}
		}
	}
}

// upgrade3 : cores had one colour, and looked as those that are called even now.
func upgrade3(doc map[string]any) {
	lights, _ := doc["lights"].([]any)
	for _, l := range lights {
		if light, ok := l.(map[string]any); ok {
			// What is missing was meant by the defaults of then.
			old(light, "core", map[string]any{"look": "even", "whiteness": 0.3, "texture": 0.1,
				"feather": setting.Round(frameOf(doc).LongEdge() / 1000)})
		}
	}
}

// upgrade4 : what is missing takes its default; edit.Unpack does the rest, as it computes light.
func upgrade4(map[string]any) {}

// upgrade5 : items of lists had no ids; edit.Unpack makes them, as in any document that has none.
func upgrade5(map[string]any) {}

// old fills what an object below in lacks, and makes the object where it is missing.
func old(in map[string]any, name string, fields map[string]any) {
	if in[name] == nil {
		in[name] = map[string]any{}
	}
	if m, ok := in[name].(map[string]any); ok {
		for k, v := range fields {
			if _, ok := m[k]; !ok {
				m[k] = v
			}
		}
	}
}

// upgrade brings a document up to date in place, and returns the version that it had.
func upgrade(raw any) (from int, err error) {
	doc, _ := raw.(map[string]any)
	v, ok := doc["version"].(float64)
	switch {
	case !ok:
		return 0, fault.In("version", "A recipe must say its version.")
	case v != float64(int(v)) || v < 1 || v > Version:
		return 0, fault.In(
			"version",
			"This recipe has version %s; this Pyrant reads versions 1 to %d.",
			fmt.Sprint(v),
			Version,
		)
	}
	for i := int(v); i < Version; i++ {
		upgrades[i-1](doc)
		doc["version"] = float64(i + 1)
	}
	return int(v), nil
}
