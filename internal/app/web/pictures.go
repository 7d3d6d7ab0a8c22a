package web

import (
	"net/http"

	"github.com/labstack/echo/v5"

	"pyrant/internal/app/job"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/pictures"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/pass"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/asset"
)

// passPicture puts the picture that comes, or one that ships, into a pass of a shot.
func (s *Server) passPicture(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
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
			return fault.In("shipped", "There is no picture %q.", id)
		}
		for _, p := range pictures.All {
			if p.ID == id {
				name = p.Name
			}
		}
	}
	ctx := c.Request().Context()
	sum := asset.Sum(data)
	o, err := s.decoded(ctx, sum, job.Job{Title: "Reading " + fileName(name)},
		func() ([]byte, error) { return data, nil })
	if err != nil {
		return err
	}
	laid := pass.Picture{Sum: sum, Of: name, Width: o.Width, Height: o.Height}
	after, err := s.put(ctx, shot.ID, "Picture "+name,
		func(r *recipe.Recipe) (*recipe.Recipe, error) {
			next, err := withPicture(r, c.QueryParam("step"), c.QueryParam("pass"), laid)
			return next, s.nameGone(ctx, shot, err,
				"/"+c.QueryParam("step")+"/passes/id:"+c.QueryParam("pass"))
		}, asset.New(asset.Picture, data))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"version": after.Version})
}

// withPicture returns a recipe with a picture in a pass of a step: over all of the photo if the
// pass had none yet, else as the one before lay.
func withPicture(r *recipe.Recipe, step, id string, laid pass.Picture) (*recipe.Recipe, error) {
	i := passIndex(r, step, id)
	if i < 0 {
		return nil, fault.New(fault.Gone, "That pass is no longer in this shot. Reload the page.")
	}
	k, ok := (*r.Passes(step))[i].Does.(pass.Picture)
	if !ok {
		return nil, fault.New(
			fault.Invalid,
			"That pass has no picture. Add a “Picture” pass.",
		)
	}
	fresh := k.Sum == ""
	k.Sum, k.Of, k.Width, k.Height = laid.Sum, laid.Of, laid.Width, laid.Height
	if fresh {
		k.X, k.Y = float64(r.Photo.Width)/2, float64(r.Photo.Height)/2
		k.Size = setting.Round(max(float64(r.Photo.Width),
			float64(r.Photo.Height)*float64(k.Width)/float64(k.Height)))
	}
	next := r.Clone()
	(*next.Passes(step))[i].Does = k
	return next, next.Validate()
}

// Shipped lists the pictures that ship.
func (p *page) Shipped() []pictures.Shipped { return pictures.All }
