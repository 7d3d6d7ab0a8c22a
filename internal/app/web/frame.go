package web

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"net/http"
	"strconv"
	"sync"
	"sync/atomic"

	"github.com/labstack/echo/v5"

	"pyrant/demo"
	"pyrant/internal/app/job"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/edit"
	"pyrant/internal/light/glow"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/crop"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/store"
	"pyrant/internal/vision/align"
)

// frameRequest asks for the pixels that the screen shows.
type frameRequest struct {
	Patch json.RawMessage `json:"patch"` // values that are not saved yet: operations of a change
	Long  int             `json:"long"`  // long edge of the whole picture at this zoom
	X     int             `json:"x"`     // the part that is seen, in pixels of that picture
	Y     int             `json:"y"`
	W     int             `json:"w"`
	H     int             `json:"h"`
	Plain bool            `json:"plain"`
	// a revision, or a mark, whose picture is asked for; see Server.then
	Of    string `json:"of"`
	Whole bool   `json:"whole"` // all of the photo, as it was before it was cropped
	Quick bool   `json:"quick"` // what is not ready may be rough; the answer says so
	As    string `json:"as"`    // one of frameKinds
	// which page asks; a newer draft of the same takes the place of one that waits
	Page string `json:"page"`
}

// framesAtOnce is how many frames are computed at a time: while the rows of one use all
// cores, what of another cannot be split up goes on beside them.
const framesAtOnce = 2

// frameKinds are the ways in which a frame can be sent, with their media types:
// a JPEG while a value is dragged, a PNG for when the hand rests, and bare
// pixels, four bytes each, for a browser on the same machine. Over loopback they
// arrive sooner than a JPEG is encoded and decoded, and without loss.
var frameKinds = map[string]string{
	"jpeg":   "image/jpeg",
	"png":    "image/png",
	"pixels": "application/octet-stream",
}

// maxFrame is the largest frame in pixels that a page may ask for: a screen of
// 8K has 33 million.
const maxFrame = 40_000_000

// dragQuality is the JPEG quality of frames while a value is dragged.
const dragQuality = 85

func (q *frameRequest) check() error {
	if q.Long < 1 || q.Long > codec.MaxEdge || q.X < 0 || q.Y < 0 || q.W < 1 || q.H < 1 ||
		q.W > maxFrame/q.H {
		return fault.New(fault.Invalid, "The requested picture has no valid size.")
	}
	if frameKinds[q.As] == "" {
		return fault.New(fault.Invalid, "The format of a frame is jpeg, png or pixels.")
	}
	return nil
}

// frame answers with a part of the picture as it was last saved.
func (s *Server) frame(c *echo.Context) error {
	q := &frameRequest{
		Plain: c.QueryParam("plain") == "1",
		As:    c.QueryParam("as"),
		Page:  c.QueryParam("page"),
	}
	for name, to := range map[string]*int{"long": &q.Long, "x": &q.X, "y": &q.Y, "w": &q.W, "h": &q.H} {
		n, err := strconv.Atoi(c.QueryParam(name))
		if err != nil {
			return fault.In(name, "A number is missing in the request.")
		}
		*to = n
	}
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	r, err := s.head(c.Request().Context(), shot)
	if err != nil {
		return err
	}
	q.Quick, q.Whole, q.Of = c.QueryParam(
		"quick",
	) == "1", c.QueryParam(
		"whole",
	) == "1", c.QueryParam(
		"of",
	)
	tag := fmt.Sprintf(
		`"%s-%d-%d-%d-%d-%d-%d-%s-%t-%s"`,
		shot.ID,
		shot.Version,
		q.Long,
		q.X,
		q.Y,
		q.W,
		q.H,
		q.As,
		q.Whole,
		q.Of,
	)
	if q.Plain {
		tag = fmt.Sprintf(
			`"%s-plain-%d-%d-%d-%d-%d-%s-%t-%s"`,
			shot.PhotoSHA[:16],
			q.Long,
			q.X,
			q.Y,
			q.W,
			q.H,
			q.As,
			q.Whole,
			setting.Key(r.Crop),
		)
	}
	h := c.Response().Header()
	h.Set("Cache-Control", "private, no-cache")
	h.Set("ETag", tag)
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	return s.sendFrame(c, shot, q)
}

// draftFrame answers with a part of the picture under values that are still in
// the user's hand.
func (s *Server) draftFrame(c *echo.Context) error {
	q := new(frameRequest)
	if err := bindJSON(c, q); err != nil {
		return err
	}
	shot, err := s.store.Shot(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.sendFrame(c, shot, q)
}

func (s *Server) sendFrame(c *echo.Context, shot *store.Shot, q *frameRequest) error {
	ctx := c.Request().Context()
	if err := q.check(); err != nil {
		return err
	}
	r, err := s.draft(ctx, shot, q.Patch)
	if err != nil {
		return err
	}
	if q.Whole && !r.Crop.Idle() {
		whole := *r
		whole.Crop = crop.Crop{}
		r = &whole
	}
	if q.Of == "reference" || q.Of == "left" {
		return s.sendBeside(c, shot, r, q)
	}
	if q.Of != "" {
		// As the picture is framed now: beside it.
		old, err := s.then(ctx, shot, q.Of)
		if err != nil {
			return err
		}
		then := *old
		then.Crop = r.Crop
		r = &then
	}
	who := asker{shot.ID + q.Page, len(q.Patch) > 0}
	var rough *atomic.Bool
	if q.Quick {
		rough = new(atomic.Bool)
	}
	img, err := s.renderPart(ctx, who, shot, r, q.Long, image.Rect(q.X, q.Y, q.X+q.W, q.Y+q.H),
		q.Plain, rough)
	if err != nil {
		return err
	}
	if rough != nil && rough.Load() {
		h := c.Response().Header()
		h.Set("X-Rough", "1")
		h.Set("Cache-Control", "no-store") // it is not to be kept
		h.Del("ETag")
	}
	return s.sendPixels(c, img, q)
}

// sendBeside answers with what stands beside the picture: the reference, or what a match to it
// leaves over.
func (s *Server) sendBeside(c *echo.Context, shot *store.Shot, r *recipe.Recipe,
	q *frameRequest) error {
	ctx := c.Request().Context()
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return err
	}
	req := render.Request{Photo: p, PhotoKey: shot.PhotoSHA, Recipe: r, LongEdge: min(q.Long,
		max(r.Size())), View: image.Rect(q.X, q.Y, q.X+q.W, q.Y+q.H), Profile: colour.SRGB}
	var img *image.RGBA
	if q.Of == "left" {
		img, err = s.left(ctx, shot, r, req)
	} else {
		var o *photo.Photo
		if o, err = s.referenceOf(ctx, r); err == nil {
			img, err = s.engine.Reference(ctx, req, o, r.Reference.Sum, align.Of(r.Reference,
				r.Photo))
		}
	}
	if err != nil {
		return err
	}
	return s.sendPixels(c, img, q)
}

// sendPixels answers with an image as it was asked for.
func (s *Server) sendPixels(c *echo.Context, img *image.RGBA, q *frameRequest) error {
	kind := frameKinds[q.As]
	if q.As != "jpeg" {
		c.Response().Header().Set("X-Clipped", strconv.FormatFloat(clipped(img), 'f', 4, 64))
	}
	if q.As == "pixels" {
		if img.Rect.Dx() != q.W || img.Rect.Dy() != q.H {
			return fault.New(
				fault.Invalid,
				"The requested part lies outside the picture.",
			)
		}
		return c.Blob(http.StatusOK, kind, img.Pix)
	}
	var b bytes.Buffer
	if err := codec.Write(&b, img, codec.Options{Format: q.As, Quality: dragQuality}); err != nil {
		return err
	}
	return c.Blob(http.StatusOK, kind, b.Bytes())
}

// inTurn waits for the photo of a shot, then for the asker's turn, and does work. A turn does not
// hold the reading of a photo: others need not wait for that. Work may be done twice; see
// turns.run.
func (s *Server) inTurn(ctx context.Context, shot *store.Shot, who asker, work func(context.Context,
	*photo.Photo) error) error {
	p, err := s.photo(ctx, shot.PhotoSHA)
	if err != nil {
		return err
	}
	return s.turns.run(ctx, who, func(ctx context.Context) error { return work(ctx, p) })
}

// inTurn is Server.inTurn for work with a result.
func inTurn[T any](ctx context.Context, s *Server, shot *store.Shot, who asker,
	work func(context.Context, *photo.Photo) (T, error)) (out T, err error) {
	err = s.inTurn(ctx, shot, who, func(ctx context.Context, p *photo.Photo) (err error) {
		out, err = work(ctx, p)
		return err
	})
	return out, err
}

// renderPart renders for a screen, which takes sRGB, when it is the asker's turn.
func (s *Server) renderPart(ctx context.Context, who asker, shot *store.Shot, r *recipe.Recipe,
	long int, part image.Rectangle, plain bool, rough *atomic.Bool) (*image.RGBA, error) {
	return inTurn(ctx, s, shot, who, func(ctx context.Context,
		photo *photo.Photo) (*image.RGBA, error) {
		layer := render.Whole
		if plain {
			layer = render.Plain
		}
		img, err := s.engine.Render(ctx, render.Request{
			Photo: photo, PhotoKey: shot.PhotoSHA, Recipe: r, LongEdge: min(long, max(r.Size())),
			View: part, Layer: layer, Profile: colour.SRGB, Rough: rough,
		})
		if err != nil {
			return nil, err
		}
		return img.(*image.RGBA), nil
	})
}

// clipped returns the share of pixels with a channel at its upper end.
func clipped(m *image.RGBA) float64 {
	n := 0
	for i := 0; i+3 < len(m.Pix); i += 4 {
		if m.Pix[i] == 255 || m.Pix[i+1] == 255 || m.Pix[i+2] == 255 {
			n++
		}
	}
	return float64(n) / math.Max(float64(len(m.Pix)/4), 1)
}

// renderPreview returns the lit picture as a small JPEG.
func (s *Server) renderPreview(ctx context.Context, shot *store.Shot, long int) ([]byte, error) {
	r, err := s.head(ctx, shot)
	if err != nil {
		return nil, err
	}
	img, err := s.renderPart(
		ctx,
		asker{lane: "preview"},
		shot,
		r,
		long,
		image.Rectangle{},
		false,
		nil,
	)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = jpeg.Encode(&b, img, &jpeg.Options{Quality: 88})
	return b.Bytes(), err
}

// bytesNode is a file in the render cache.
type bytesNode []byte

func (b bytesNode) Bytes() int64 { return int64(len(b)) }

// previewEdge is the long edge of a preview on the shots page, twice what is
// shown, for dense screens.
const previewEdge = 840

func (s *Server) preview(c *echo.Context) error {
	ctx := c.Request().Context()
	shot, err := s.store.Shot(ctx, c.Param("id"))
	if err != nil {
		return err
	}
	tag := fmt.Sprintf(`"%s-%d"`, shot.ID, shot.Version)
	c.Response().Header().Set("Cache-Control", "private, no-cache")
	c.Response().Header().Set("ETag", tag)
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	b, err := graph.Load(ctx, s.engine.Cache, previewFile{shot.ID, shot.Version},
		func(ctx context.Context) (bytesNode, error) {
			return s.thumbnail(ctx, shot)
		})
	if err != nil {
		return err
	}
	return c.Blob(http.StatusOK, "image/jpeg", b)
}

// demoThumbnails are the thumbnails of the demo shots, by the keys of their recipes.
var demoThumbnails = sync.OnceValue(func() map[string][]byte {
	out := map[string][]byte{}
	for _, d := range demo.Shots {
		if r, err := edit.Decode(d.Recipe); err == nil {
			out[setting.Key(*r)] = d.Thumbnail
		}
	}
	return out
})

// thumbnail renders a shot's preview as a job, and tells pages that it is there. A demo shot that
// was not changed has one already.
func (s *Server) thumbnail(ctx context.Context, shot *store.Shot) (b bytesNode, err error) {
	if r, err := s.head(ctx, shot); err != nil {
		return nil, err
	} else if ready := demoThumbnails()[setting.Key(*r)]; ready != nil {
		return ready, nil
	}
	err = s.board.Run(ctx, job.Job{Kind: job.Thumbnail, Subject: shot.ID,
		Title: "Thumbnail of " + shot.Name},
		func(ctx context.Context, _ job.Report) error {
			b, err = s.renderPreview(ctx, shot, previewEdge)
			return err
		})
	if err == nil {
		s.hub.Publish("thumbnail", revised{shot.ID, shot.Version})
	}
	return b, err
}

// falloff answers with what the chart of a light's stack draws: distances from
// the edge, the display brightness of the summed glow there, and its colour.
func (s *Server) falloff(c *echo.Context) error {
	ctx := c.Request().Context()
	q := struct {
		Patch json.RawMessage `json:"patch"`
		Light string          `json:"light"`
		Count int             `json:"count"`
		From  float64         `json:"from"` // pixels
		To    float64         `json:"to"`
	}{}
	if err := bindJSON(c, &q); err != nil {
		return err
	}
	_, r, err := s.drafted(c, q.Patch)
	if err != nil {
		return err
	}
	i := lightIndex(r, q.Light)
	if i < 0 { // deleted while it was looked at
		return c.NoContent(http.StatusNoContent)
	}
	if q.Count < 2 || q.Count > 1000 || !(q.From > 0) ||
		!(q.To > q.From) {
		return fault.New(fault.Invalid, "There is no such range.")
	}
	curve, err := s.engine.Falloff(ctx, r, i, glow.LogSpace(q.From, q.To, q.Count),
		string(q.Patch) != "" && string(q.Patch) != "null" && string(q.Patch) != "[]")
	if err != nil {
		return err
	}
	line, strip, tints := make([]float64, len(curve)), make([]string, len(curve)), []string{}
	for i, v := range curve {
		line[i] = math.Round(1e4*float64(colour.Display.At(v.Luma()))) / 1e4
		strip[i] = v.Hex()
	}
	l := &r.Lights[i]
	for i := range l.Shells {
		tints = append(tints, l.Shells[i].Tint.Colour(l.Gel).Hex())
	}
	return c.JSON(http.StatusOK, map[string]any{"line": line, "strip": strip, "tints": tints,
		"gel": l.Gel.Colour().Hex()})
}

// shapes answers with the shapes of a light by their key, for a page that does not
// carry them. What a key names never changes.
func (s *Server) shapes(c *echo.Context) error {
	_, r, err := s.asked(c)
	if err != nil {
		return err
	}
	for i := range r.Lights {
		if shapesKey(r.Lights[i].Shapes) == c.Param("key") {
			c.Response().Header().Set("Cache-Control", "private, max-age=86400, immutable")
			return c.Blob(http.StatusOK, "application/json", setting.Encode(r.Lights[i].Shapes))
		}
	}
	return fault.New(fault.Gone, "These shapes are no longer in this shot. Reload the page.")
}
