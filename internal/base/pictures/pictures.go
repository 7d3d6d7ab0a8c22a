// Package pictures holds the pictures that ship with Pyrant, for passes that lay one over the
// photo: two night skies and two textures, made from seeded noise by scripts/skies.
package pictures

import "embed"

//go:embed *.jpg
var files embed.FS

// Shipped is a picture that ships.
type Shipped struct {
	ID, Name string
	About    string
}

// All lists them.
var All = []Shipped{
	{"stars", "Clear night", "stars, for the sky behind roofs and hills"},
	{"clouds", "Moonlit clouds", "the moon behind broken clouds"},
	{"grime", "Dusty pane", "specks and scratches on black; use Screen"},
	{"plaster", "Old plaster", "mottled grey with cracks; use Multiply"},
}

// Data returns the bytes of one, nil for none.
func Data(id string) []byte {
	for _, p := range All {
		if p.ID == id {
			b, err := files.ReadFile(id + ".jpg")
			if err != nil {
				panic(err) // it is compiled in
			}
			return b
		}
	}
	return nil
}
