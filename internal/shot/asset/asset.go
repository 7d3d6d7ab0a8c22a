// Package asset names the files that belong to a shot: its photo, long lists of
// points, and whatever else is too large to stand in its recipe. They are one kind
// of thing in the store and in archives: bytes under their SHA-256, with a role.
package asset

import (
	"crypto/sha256"
	"encoding/hex"

	"pyrant/internal/base/fault"
)

// Role says what a file is to a shot.
type Role string

// The roles.
const (
	Photo  Role = "photo"
	Points Role = "points" // a list that the recipe names; see setting.List
	// A picture beside the photo that the recipe names: a reference, a sky.
	Picture Role = "picture"
)

// File is the bytes of a file and their name.
type File struct {
	Sum  string // SHA-256 in hex
	Role Role
	Data []byte
}

// New names bytes.
func New(role Role, data []byte) File { return File{Sum(data), role, data} }

// Sum returns the SHA-256 of bytes in hex.
func Sum(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:])
}

// Check returns a fault where the bytes are not those that the name promises.
func (f File) Check() error {
	if Sum(f.Data) != f.Sum {
		return fault.New(fault.Invalid, "A file of this shot (its %s) is damaged. Copy the shot file again.", f.Role)
	}
	return nil
}

// Lists turns the lists that a packed recipe names into files.
func Lists(lists map[string][]byte) []File {
	out := make([]File, 0, len(lists))
	for sum, data := range lists {
		out = append(out, File{sum, Points, data})
	}
	return out
}
