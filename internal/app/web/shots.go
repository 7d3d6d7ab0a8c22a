package web

import (
	"context"
	"fmt"
	"mime"
	"net/http"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"pyrant/demo"
	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/archive"
	"pyrant/internal/shot/store"
)

func csrf(c *echo.Context) string {
	t, _ := c.Get("csrf").(string)
	return t
}

func (s *Server) shotsPage(c *echo.Context) error {
	ctx := c.Request().Context()
	event := s.hub.Last() // before anything is read: what comes after is told
	shots, err := s.store.Shots(ctx, false)
	if err != nil {
		return err
	}
	aside, err := s.store.Shots(ctx, true)
	if err != nil {
		return err
	}
	cards := make([]card, len(shots))
	for i := range shots {
		cards[i] = card{&shots[i], csrf(c)}
	}
	return c.Render(http.StatusOK, "shots.html", map[string]any{
		"CSRF": csrf(
			c,
		), "Event": event, "Shots": cards, "Aside": aside, "MaxUpload": s.opt.MaxUpload >> 20, "Max": s.opt.MaxUpload,
	})
}

// cleanName makes a shot's name of what a user or a file gives.
func cleanName(name string) string {
	name = strings.Join(strings.Fields(strings.ToValidUTF8(name, "")), " ")
	if utf8.RuneCountInString(name) > 80 {
		name = string([]rune(name)[:80])
	}
	return name
}

// AddDemo makes the demo shots: the lit ones, and the quay as it was photographed.
func (s *Server) AddDemo(ctx context.Context) error {
	s.demoMu.Lock()
	defer s.demoMu.Unlock()
	for i, d := range demo.Shots {
		r, err := edit.Decode(d.Recipe)
		if err != nil {
			return err
		}
		photo := store.Photo{Data: d.Photo, Format: "jpeg", Width: r.Photo.Width,
			Height: r.Photo.Height}
		if i == len(demo.Shots)-1 {
			if _, err := s.store.AddShot(ctx, d.Name+", untouched", photo, recipe.New(r.Photo.Width,
				r.Photo.Height), "Opened the photo"); err != nil {
				return err
			}
		}
		if _, err := s.store.AddShot(ctx, d.Name, photo, r, "Opened the demo"); err != nil {
			return err
		}
	}
	return nil
}

// AddDemoIfEmpty makes the demo shots in a data folder that holds no shots.
func (s *Server) AddDemoIfEmpty(ctx context.Context) error {
	for _, aside := range []bool{false, true} {
		shots, err := s.store.Shots(ctx, aside)
		if err != nil || len(shots) > 0 {
			return err
		}
	}
	return s.AddDemo(ctx)
}

// tour opens the photo of the quay as a new shot, on which the page plays the guided tour.
func (s *Server) tour(c *echo.Context) error {
	quay := demo.Shots[len(demo.Shots)-1]
	r, err := edit.Decode(quay.Recipe)
	if err != nil {
		return err
	}
	photo := store.Photo{Data: quay.Photo, Format: "jpeg", Width: r.Photo.Width,
		Height: r.Photo.Height}
	shot, err := s.store.AddShot(c.Request().Context(), "Tour of the quay", photo,
		recipe.New(r.Photo.Width, r.Photo.Height), "Opened the photo")
	if err != nil {
		return err
	}
	s.hub.Publish("shelf", nil)
	return c.Redirect(http.StatusSeeOther, "/shots/"+shot.ID+"?step=photo&tour=1")
}

func (s *Server) bringDemo(c *echo.Context) error {
	if err := s.AddDemo(c.Request().Context()); err != nil {
		return err
	}
	return s.shelfAgain(c)
}

// shelfAgain shows the shots page as it is now, and tells others that it changed.
func (s *Server) shelfAgain(c *echo.Context) error {
	s.hub.Publish("shelf", nil)
	if c.Request().Header.Get("HX-Request") != "" {
		c.Response().Header().Set("HX-Refresh", "true")
		return c.NoContent(http.StatusNoContent)
	}
	return c.Redirect(http.StatusSeeOther, "/")
}

func (s *Server) rename(c *echo.Context) error {
	name := cleanName(c.FormValue("name"))
	if name == "" {
		return &fault.Error{Field: "name", Msg: "A shot's name has 1 to 80 characters."}
	}
	if err := s.store.Rename(c.Request().Context(), c.Param("id"), name); err != nil {
		return err
	}
	s.hub.Publish("shelf", nil)
	return s.card(c)
}

// card answers with one shot of the grid.
func (s *Server) card(c *echo.Context) error {
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "card", card{shot, csrf(c)})
}

// card is a shot of the grid, with what its forms send along: they work before the page's scripts
// do.
type card struct {
	*store.Shot
	CSRF string
}

func (s *Server) duplicate(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	if _, err := s.store.Duplicate(ctx, shot.ID, cleanName(shot.Name+" copy")); err != nil {
		return err
	}
	return s.shelfAgain(c)
}

func (s *Server) putAside(c *echo.Context) error { return s.shelf(c, s.store.PutAside) }
func (s *Server) bring(c *echo.Context) error    { return s.shelf(c, s.store.Bring) }
func (s *Server) remove(c *echo.Context) error   { return s.shelf(c, s.store.Remove) }

func (s *Server) shelf(c *echo.Context, do func(context.Context, string) error) error {
	if err := do(c.Request().Context(), c.Param("id")); err != nil {
		return err
	}
	return s.shelfAgain(c)
}

// archive answers with the whole shot as one file.
func (s *Server) archive(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, r, err := s.asked(c)
	if err != nil {
		return err
	}
	photo, err := s.store.ReadFile(shot.PhotoSHA)
	if err != nil {
		return err
	}
	pictures := map[string][]byte{}
	for _, sum := range r.Pictures() {
		if pictures[sum], err = s.store.ReadFile(sum); err != nil {
			return err
		}
	}
	preview, err := s.renderPreview(ctx, shot, 1024)
	if err != nil {
		return err
	}
	attach(c, "application/zip", shot.Name+".pyrant")
	c.Response().WriteHeader(http.StatusOK)
	return archive.Write(c.Response(), &archive.Shot{Name: shot.Name, Recipe: r, Photo: photo,
		Preview: preview, Pictures: pictures})
}

// attach says that the answer is a file to keep.
func attach(c *echo.Context, kind, name string) {
	name = strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`/\:*?"<>|`, r) {
			return '-'
		}
		return r
	}, name)
	h := c.Response().Header()
	h.Set("Content-Type", kind)
	h.Set(
		"Content-Disposition",
		mime.FormatMediaType("attachment", map[string]string{"filename": name}),
	)
}

// megapixels is used by templates.
func megapixels(w, h int) string { return fmt.Sprintf("%.1f MP", float64(w)*float64(h)/1e6) }
