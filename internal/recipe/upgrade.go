package recipe

import (
	"fmt"

	"pyrant/internal/fault"
)

// upgrades[i] turns a document of version i+1 into one of version i+2. A field
// that is new needs none, as it takes its default; one that would make an old
// picture another gets its neutral value here. Samples of every version are in
// testdata.
var upgrades = []func(doc map[string]any){
	upgrade1,
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

// upgrade brings a document up to date in place.
func upgrade(raw any) error {
	doc, _ := raw.(map[string]any)
	v, ok := doc["version"].(float64)
	switch {
	case !ok:
		return fault.In("version", "A recipe must say its version.")
	case v != float64(int(v)) || v < 1 || v > Version:
		return fault.In("version", "This recipe is of version %s; this Pyrant reads versions 1 to %d.", fmt.Sprint(v), Version)
	}
	for i := int(v); i < Version; i++ {
		upgrades[i-1](doc)
		doc["version"] = float64(i + 1)
	}
	return nil
}
