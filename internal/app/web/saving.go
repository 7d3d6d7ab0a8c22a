package web

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"strconv"

	"github.com/labstack/echo/v5"

	"pyrant/internal/base/fault"
	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/shot/asset"
	"pyrant/internal/shot/store"
)

// A change names what it is for by ids, so it is made of the recipe in force, whatever the page
// that sends it has seen of it. Only what counts from what is there (undo, a position in a list
// without ids) needs the version that the page shows.

// triesToSave is how often a change is made anew because another was saved in between.
const triesToSave = 20

// saved runs do, which makes a change of the shot in force and saves it, again for as long as
// another change is saved first. exact says that the shot must be at the version that the page
// shows.
func (s *Server) saved(c *echo.Context, exact bool,
	do func(shot *store.Shot, r *recipe.Recipe) error) error {
	version, err := strconv.ParseInt(c.FormValue("version"), 10, 64)
	if err != nil {
		return echo.NewHTTPError(
			400,
			"The version of the shot is missing in the request. Reload the page.",
		)
	}
	for try := 1; ; try++ {
		shot, r, err := s.asked(c)
		if err != nil {
			return err
		}
		if exact && !s.amends.lead(shot.ID, version, shot.Version) {
			return store.ErrStale
		}
		if err = do(shot, r); !errors.Is(err, store.ErrStale) || try == triesToSave {
			return err
		}
	}
}

// put makes a change of the recipe in force and saves it with files that it names, whatever was
// saved since the work on it began.
func (s *Server) put(
	ctx context.Context,
	shotID, title string,
	change func(r *recipe.Recipe) (*recipe.Recipe, error),
	files ...asset.File,
) (*store.Shot, error) {
	for try := 1; ; try++ {
		shot, err := s.store.Shot(ctx, shotID)
		if err != nil {
			return nil, err
		}
		r, err := s.head(ctx, shot)
		if err != nil {
			return nil, err
		}
		next, err := change(r)
		if err != nil {
			return nil, err
		}
		next = edit.Identify(next)
		after, err := s.store.Commit(ctx, shot.ID, shot.Version, next, title, files...)
		switch {
		case err == nil:
			s.remember(ctx, after, next)
			s.wishSmall(after, next)
			return after, nil
		case !errors.Is(err, store.ErrStale) || try == triesToSave:
			return nil, err
		}
	}
}

// inOrder matches a path that names an element by its position.
var inOrder = regexp.MustCompile(`/\d+(/|$)`)

// positional reports whether a change names elements by their positions.
func positional(ops []setting.Op) bool {
	for _, op := range ops {
		if inOrder.MatchString(op.Path) || inOrder.MatchString(op.From) {
			return true
		}
	}
	return false
}

// revisionsSearched is in how many revisions a name is looked for.
const revisionsSearched = 40

// nameGone says which item it was that a change was made for and that is gone, if a revision still
// has it.
func (s *Server) nameGone(ctx context.Context, shot *store.Shot, err error, paths ...string) error {
	if !fault.Is(err, fault.Gone) {
		return err
	}
	for seq := shot.LastSeq; seq >= max(1, shot.LastSeq-revisionsSearched); seq-- {
		r, rerr := s.store.Recipe(ctx, shot.ID, seq)
		if rerr != nil {
			continue
		}
		for _, path := range paths {
			if _, _, ok := setting.At(*r, path); path == "" || !ok {
				continue
			}
			what := edit.Title(r, []setting.Op{{Op: "replace", Path: path}})
			return fault.New(fault.Gone,
				"“%s” was deleted in another window, or by an undo. Nothing was changed.", what)
		}
	}
	return err
}

// itemPaths returns the paths of the items that an action's form names and that a recipe lacks.
func itemPaths(r *recipe.Recipe, value func(string) string) (paths []string) {
	for name, list := range map[string]string{"light": "/lights", "before": "/lights", "of": "/cutouts",
		"remove": "/areas", "pass": fmt.Sprintf("/%s/passes", value("step"))} {
		if id := value(name); id != "" {
			path := list + "/id:" + id
			if _, _, ok := setting.At(*r, path); !ok {
				paths = append(paths, path)
			}
		}
	}
	return paths
}
