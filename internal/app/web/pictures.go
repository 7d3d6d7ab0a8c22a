package web

import (
	"context"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/fault"
	"pyrant/internal/base/pictures"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
)

// passPicture puts the picture that comes, or one that ships, into a pass of a shot.
func (s *Server) passPicture(c *echo.Context) error {
	shot, r, err := s.seen(c)
	if err != nil {
		return err
	}
	data, err := s.file(c)
	if err != nil {
		return err
	}
	name := fileName(c.QueryParam("name"))
	if id := c.QueryParam("shipped"); id != "" {
		if data = pictures.Data(id); data == nil {
			return fault.In("shipped", "There is no picture %q that ships.", id)
		}
		for _, p := range pictures.All {
			if p.ID == id {
				name = p.Name
			}
		}
	}
	i, err := strconv.Atoi(c.QueryParam("pass"))
	if err != nil {
		i = -1
	}
	next, err := s.withPicture(c.Request().Context(), r, c.QueryParam("step"), i, name, data)
	if err != nil {
		return err
	}
	return s.keepPicture(c, shot, next, "Picture "+name, data)
}

// keepPicture commits a recipe that names a picture, with its bytes.
func (s *Server) keepPicture(c *echo.Context, shot *store.Shot, r *recipe.Recipe, title string,
	data []byte) error {
	after, err := s.store.Commit(c.Request().Context(), shot.ID, shot.Version, r, title,
		asset.New(asset.Picture, data))
	if err != nil {
		return err
	}
	s.remember(c.Request().Context(), after, r)
	s.wishSmall(after, r)
	return c.JSON(http.StatusOK, map[string]any{"version": after.Version})
}

// withPicture returns a recipe with a picture in a pass of a step: over all of the photo if the
// pass had none yet, else as the one before lay.
func (s *Server) withPicture(ctx context.Context, r *recipe.Recipe, step string, i int, name string,
	data []byte) (*recipe.Recipe, error) {
	list := r.Passes(step)
	if list == nil || i < 0 || i >= len(*list) {
		return nil, fault.New(fault.Gone, "That pass is no longer in this shot. Reload the page.")
	}
	old, ok := (*list)[i].Does.(pass.Picture)
	if !ok {
		return nil, fault.New(fault.Invalid, "That pass lays no picture. Add one of the kind “Picture”.")
	}
	sum := asset.Sum(data)
	o, err := s.decoded(ctx, sum, new(reading), func() ([]byte, error) { return data, nil })
	if err != nil {
		return nil, err
	}
	k := old
	k.Sum, k.Of, k.Width, k.Height = sum, name, o.Width, o.Height
	if old.Sum == "" {
		k.X, k.Y = float64(r.Photo.Width)/2, float64(r.Photo.Height)/2
		k.Size = setting.Round(max(float64(r.Photo.Width),
			float64(r.Photo.Height)*float64(o.Width)/float64(o.Height)))
	}
	next := r.Clone()
	(*next.Passes(step))[i].Does = k
	return next, next.Validate()
}

// Shipped lists the pictures that ship.
func (p *page) Shipped() []pictures.Shipped { return pictures.All }
