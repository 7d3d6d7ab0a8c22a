package recipe

import "pyrant/internal/recipe/shape"

// Lost returns which foot of a shape lies where there is no floor, -1 for none.
func (s *Space) Lost(sh shape.Shape) int {
	for k, f := range shape.FeetOf(sh).All() {
		if _, ok := s.Cam.Floor(f.X, f.Y); !ok {
			return k
		}
	}
	return -1
}
