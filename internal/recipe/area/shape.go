package area

import (
	"pyrant/internal/recipe/shape"
)

// Shape covers a traced shape, of the kinds that lights use.
type Shape struct {
	Shape shape.Shape `json:"shape" label:"Shape" title:"*"`
}
