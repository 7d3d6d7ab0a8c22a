package render

import (
	"context"
	"image"
	"math"

	"pyrant/internal/base/colour"
	"pyrant/internal/base/fault"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/base/raster"
	"pyrant/internal/vision/align"
)

// Reference returns a second photo as it lies on q's, which lies on it by s, in the part of the
// picture that q asks for; what it does not show is black. key names its bytes.
func (e *Engine) Reference(ctx context.Context, q Request, o *photo.Photo, key string,
	s align.Similarity) (out *image.RGBA, err error) {
	defer fault.Catch(&err)
	m, err := q.frame(ctx, func(q Request) (image.Image, error) {
		return e.reference(ctx, q, o, key, s)
	})
	if err != nil {
		return nil, err
	}
	return m.(*image.RGBA), nil
}

func (e *Engine) reference(ctx context.Context, q Request, o *photo.Photo, key string,
	s align.Similarity) (image.Image, error) {
	w, h, scale := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
	if scale > 1 {
		return nil, tooLarge(max(q.Photo.Width, q.Photo.Height))
	}
	view := image.Rect(0, 0, w, h)
	if !q.View.Empty() {
		view = q.View.Intersect(view)
	}
	if view.Empty() {
		return nil, outside(w, h)
	}
	// As fine as the picture: never coarser than the reference itself.
	small := math.Min(scale/s.Size, 1)
	at := image.Rect(0, 0, max(int(float64(o.Width)*small+0.5), 1),
		max(int(float64(o.Height)*small+0.5), 1))
	pic, err := graph.Get(ctx, e.Cache,
		reducedPicture{graph.Intern(e.Cache, key, o), at.Dx(), at.Dy(), 0})
	if err != nil {
		return nil, err
	}
	profile := q.Profile
	if profile == nil {
		profile = q.Photo.Profile
	}
	out := image.NewRGBA(view)
	kx, ky := float64(at.Dx())/float64(o.Width), float64(at.Dy())/float64(o.Height)
	return out, raster.Rows(ctx, view.Min.Y, view.Max.Y, func(y0, y1 int) {
		row := make([]float32, 3*view.Dx())
		for y := y0; y < y1; y++ {
			clear(row)
			for x := range view.Dx() {
				u, v := s.At((float64(view.Min.X+x)+0.5)/scale, (float64(y)+0.5)/scale,
					q.Photo.Width, q.Photo.Height, o.Width, o.Height)
				pic.Between(row[3*x:], u*kx-0.5, v*ky-0.5)
			}
			profile.Encode8(out.Pix[out.PixOffset(view.Min.X, y):][:4*view.Dx()], row, 1<<31, 0)
		}
	})
}

// Added returns the light that each of q's lights adds to the photo by its spill, in white and at a
// strength of 1, in linear light on a picture with q's long edge: what match.Fit takes. Lights that
// are off, or whose spill is, add nothing.
func (e *Engine) Added(ctx context.Context, q Request, each func(done int)) ([]*raster.RGB, error) {
	q.View, q.Layer, q.Deep, q.Profile, q.Uncropped, q.Rough = image.Rectangle{}, Spill, true,
		colour.SRGB, true, nil
	lit := q.Recipe.Lit()
	out := make([]*raster.RGB, len(q.Recipe.Lights))
	for i := range out {
		w, h, _ := Size(q.Photo.Width, q.Photo.Height, q.LongEdge)
		out[i] = raster.NewRGB(image.Rect(0, 0, w, h))
		if !lit[i] || !q.Recipe.Lights[i].Spill.On || q.Recipe.Lights[i].Spill.Strength <= 0 ||
			q.Recipe.Lights[i].Gain() <= 0 {
			continue
		}
		r := *q.Recipe
		r.Lights = append(r.Lights[:0:0], r.Lights...)
		for k := range r.Lights {
			r.Lights[k].Alone = k == i
		}
		l := &r.Lights[i]
		l.Gel.Saturation, l.Gel.Lightness = 0, 1
		l.Spill.Strength, l.Level, l.Intensity = whiteSpill, 1, 0
		r.Spill.Level, r.Groups = 1, nil
		for k := range r.Lights {
			r.Lights[k].Group = ""
		}
		k := q
		k.Recipe = &r
		m, err := e.Render(ctx, k)
		if err != nil {
			return nil, err
		}
		pix := m.(*image.RGBA64).Pix
		for n := range out[i].Pix {
			at := 8*(n/3) + 2*(n%3)
			v := colour.SRGBToLinear(float64(uint16(pix[at])<<8|uint16(pix[at+1])) / 65535)
			// Back from how film meets light, see colour.SoftAdd.
			out[i].Pix[n] = float32(-math.Log1p(-math.Min(v, 0.9999)) / whiteSpill)
		}
		if each != nil {
			each(i + 1)
		}
	}
	return out, nil
}

// whiteSpill is the strength at which light is worked out for a fit: so low that next to nothing is
// near white.
const whiteSpill = 0.25
