package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/spf13/pflag"

	"pyrant/internal/app/export"
	"pyrant/internal/base/codec"
	"pyrant/internal/base/graph"
	"pyrant/internal/base/photo"
	"pyrant/internal/recipe"
	"pyrant/internal/recipe/setting"
	"pyrant/internal/render"
	"pyrant/internal/shot/archive"
	"pyrant/internal/shot/atomicfile"
)

// photoLimit is the largest photo file that the command line reads.
const photoLimit = 2 << 30

// oneFile returns the one file that a command works on, of its arguments that are
// no flags.
func oneFile(fs *pflag.FlagSet) (string, error) {
	switch args := fs.Args(); len(args) {
	case 0:
		return "", errors.New("name the file to work on")
	case 1:
		return args[0], nil
	default:
		return "", fmt.Errorf("one file is enough; there is %q and %q", args[0], args[1])
	}
}

// writeFile makes a file whole or not at all.
func writeFile(name string, write func(io.Writer) error) error {
	return atomicfile.Write(name, 0o644, write)
}

func cmdNew(ctx context.Context, args []string) error {
	fs := pflag.NewFlagSet("new", pflag.ContinueOnError)
	out := fs.StringP("output", "o", "", "the shot to write, SHOT.pyrant")
	if err := fs.Parse(args); err != nil {
		return err
	}
	file, err := oneFile(fs)
	if err != nil {
		return err
	}
	if *out == "" {
		return errors.New("say with -o where to write the shot")
	}
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	p, err := codec.Open(ctx, data)
	if err != nil {
		return err
	}
	name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
	s := &archive.Shot{Name: name, Recipe: recipe.New(p.Width, p.Height), Photo: data}
	return writeFile(*out, func(w io.Writer) error { return archive.Write(w, s) })
}

// formats maps the endings of output files to formats of 8 and of 16 bits.
var formats = map[string][2]export.Format{
	".jpg": {export.JPEG}, ".jpeg": {export.JPEG}, ".png": {export.PNG, export.PNG16},
	".tif": {export.TIFF, export.TIFF16}, ".tiff": {export.TIFF, export.TIFF16},
}

func cmdRender(ctx context.Context, args []string) error {
	fs := pflag.NewFlagSet("render", pflag.ContinueOnError)
	out := fs.StringP("output", "o", "", "the picture to write: .jpg, .png or .tif")
	plain := fs.Bool("plain", false, "the photo as it was")
	light := fs.String("light", "", "render only the light with this name")
	layer := fs.String("layer", "", "only this part of the picture: "+strings.Join(render.Layers(), ", "))
	long := fs.Int("long-edge", 0, "long edge in pixels; 0 for the photo's own")
	quality := setting.Of[export.Settings]("quality")
	jpeg := fs.Int("quality", int(quality.Default.A), "of a JPEG")
	depth := fs.Int("depth", 8, "bits a sample of a PNG or TIFF: 8 or 16")
	stats := fs.Bool("stats", false, "print times and memory as JSON")
	// The layers were called passes once.
	fs.SetNormalizeFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
		if name == "pass" {
			name = "layer"
		}
		return pflag.NormalizedName(name)
	})
	if err := fs.Parse(args); err != nil {
		return err
	}
	file, err := oneFile(fs)
	if err != nil {
		return err
	}
	ending, known := formats[strings.ToLower(filepath.Ext(*out))]
	set := setting.New[export.Settings](setting.Frame{})
	set.Format, set.Quality = ending[0], *jpeg
	if *depth == 16 {
		set.Format = ending[1]
	}
	if *long != 0 {
		set.Size, set.Long = export.Edge, *long
	}
	switch {
	case !known:
		return errors.New("say with -o what to write: a name that ends in .jpg, .png or .tif")
	case *depth != 8 && *depth != 16 || set.Format == "":
		return errors.New("the depth is 8, or 16 for PNG and TIFF")
	case *layer != "" && !slices.Contains(render.Layers(), *layer):
		return fmt.Errorf("there is no layer %q; there are %s", *layer, strings.Join(render.Layers(), ", "))
	}
	if err := setting.Validate(set, setting.Frame{}); err != nil {
		return err
	}
	if *plain {
		*layer = string(render.Plain)
	}
	// Pictures are large and few: a collector that waits for twice their size
	// would ask for more memory than a machine may have.
	debug.SetGCPercent(50)
	start := time.Now()
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	s, err := archive.Read(ctx, data, photoLimit)
	if err != nil {
		return err
	}
	photo, err := codec.Open(ctx, s.Photo)
	if err != nil {
		return err
	}
	if err := archive.Fits(s.Recipe, photo.Width, photo.Height); err != nil {
		return err
	}
	if *light != "" {
		found := false
		for i := range s.Recipe.Lights {
			l := &s.Recipe.Lights[i]
			l.Alone = l.Name == *light
			found = found || l.Alone
		}
		if !found {
			return fmt.Errorf("there is no light %q in this shot", *light)
		}
	}
	e := render.New(1 << 29)
	e.Pictures = picturesOf(e, s.Pictures)
	w, h := s.Recipe.Size()
	w, h, _ = render.Size(w, h, set.LongEdge(w, h))
	times := map[string]time.Duration{"open": time.Since(start)}
	start = time.Now()
	j := &export.Job{Photo: photo, PhotoKey: "file", Recipe: s.Recipe, Layer: render.Layer(*layer),
		Settings: set}
	data, s, photo = nil, nil, nil // the encoder needs room of its own
	var notes []string
	err = writeFile(*out, func(w io.Writer) (err error) {
		notes, err = export.Write(ctx, e, j, w, func(done float64) {
			if done == 1 {
				times["render"], start = time.Since(start), time.Now()
			}
		})
		return err
	})
	if err != nil {
		return err
	}
	times["encode"] = time.Since(start)
	for _, n := range notes {
		fmt.Fprintln(os.Stderr, "pyrant:", n)
	}
	if *stats {
		return printStats(e, w, h, times)
	}
	return nil
}

// pictureFile is the key of a decoded picture.
type pictureFile struct{ sum string }

// picturesOf returns how an engine comes to the pictures of a shot, each of which is decoded once.
func picturesOf(e *render.Engine, files map[string][]byte) func(ctx context.Context,
	sum string) (*photo.Photo, error) {
	return func(ctx context.Context, sum string) (*photo.Photo, error) {
		return graph.Load(ctx, e.Cache, pictureFile{sum},
			func(ctx context.Context) (*photo.Photo, error) { return codec.Open(ctx, files[sum]) })
	}
}

func printStats(e *render.Engine, w, h int,
	times map[string]time.Duration) error {
	ms := map[string]any{}
	for k, v := range times {
		ms[k] = float64(v.Microseconds()) / 1000
	}
	hits, misses := e.Cache.Counts()
	graph := map[string]any{} // what nodes of the graph did, by their type
	for _, s := range e.Cache.Stats() {
		graph[s.Type] = map[string]any{"found": s.Found, "built": s.Built, "failed": s.Failed,
			"ms": float64(s.Time.Microseconds()) / 1000}
	}
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	return enc.Encode(map[string]any{
		"width": w, "height": h, "cores": runtime.GOMAXPROCS(0), "ms": ms,
		"cache":           map[string]int64{"hits": hits, "misses": misses},
		"graph":           graph,
		"peak_memory_mib": peakMemory() >> 20,
	})
}
