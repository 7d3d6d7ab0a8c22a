package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"image"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"pyrant/internal/archive"
	"pyrant/internal/codec"
	"pyrant/internal/recipe"
	"pyrant/internal/render"
)

// photoLimit is the largest photo file that the command line reads.
const photoLimit = 2 << 30

// parse reads flags that may stand before or after the one file argument.
func parse(fs *flag.FlagSet, args []string) (file string, err error) {
	for len(args) > 0 {
		if err := fs.Parse(args); err != nil {
			return "", err
		}
		if args = fs.Args(); len(args) > 0 {
			if file != "" {
				return "", fmt.Errorf("one file is enough; there is %q and %q", file, args[0])
			}
			file, args = args[0], args[1:]
		}
	}
	if file == "" {
		return "", errors.New("name the file to work on")
	}
	return file, nil
}

// writeFile makes a file through a temporary one beside it, so that an old file
// of that name is replaced whole or not at all.
func writeFile(name string, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".pyrant-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	if err := write(f); err != nil {
		f.Close()
		return err
	}
	if err := f.Chmod(0o644); err != nil {
		f.Close()
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

func cmdNew(args []string) error {
	fs := flag.NewFlagSet("new", flag.ContinueOnError)
	out := fs.String("o", "", "the shot to write, SHOT.pyrant")
	file, err := parse(fs, args)
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
	p, err := codec.Open(data)
	if err != nil {
		return err
	}
	name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
	s := &archive.Shot{Name: name, Recipe: recipe.New(p.Width, p.Height), Photo: data}
	return writeFile(*out, func(w io.Writer) error { return archive.Write(w, s) })
}

// formats maps the endings of output files to formats.
var formats = map[string]string{".jpg": "jpeg", ".jpeg": "jpeg", ".png": "png", ".tif": "tiff", ".tiff": "tiff"}

func cmdRender(ctx context.Context, args []string) error {
	fs := flag.NewFlagSet("render", flag.ContinueOnError)
	out := fs.String("o", "", "the picture to write: .jpg, .png or .tif")
	plain := fs.Bool("plain", false, "the photo as it was")
	light := fs.String("light", "", "only the light of this name")
	pass := fs.String("pass", "", "only this part of the light, over black: glow or spill")
	long := fs.Int("long-edge", 0, "long edge in pixels; 0 for the photo's own")
	quality := fs.Int("quality", 92, "of a JPEG, 1 to 100")
	depth := fs.Int("depth", 8, "bits a sample of a PNG or TIFF: 8 or 16")
	stats := fs.Bool("stats", false, "print times and memory as JSON")
	file, err := parse(fs, args)
	if err != nil {
		return err
	}
	format := formats[strings.ToLower(filepath.Ext(*out))]
	switch {
	case format == "":
		return errors.New("say with -o what to write: a name that ends in .jpg, .png or .tif")
	case *pass != "" && *pass != "glow" && *pass != "spill":
		return fmt.Errorf("there is no pass %q; there are glow and spill", *pass)
	case *quality < 1 || *quality > 100:
		return errors.New("the quality lies between 1 and 100")
	case *depth != 8 && *depth != 16 || *depth == 16 && format == "jpeg":
		return errors.New("the depth is 8, or 16 for PNG and TIFF")
	case *long < 0:
		return errors.New("the long edge is a number of pixels")
	}
	// Pictures are large and few: a collector that waits for twice their size
	// would ask for more memory than a machine may have.
	debug.SetGCPercent(50)
	start := time.Now()
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	s, err := archive.Read(data, photoLimit)
	if err != nil {
		return err
	}
	photo, err := codec.Open(s.Photo)
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
	edge := *long
	if edge >= max(photo.Width, photo.Height) {
		edge = 0
	}
	opened := time.Since(start)
	e := render.New(1 << 29)
	st := new(render.Stats)
	start = time.Now()
	img, err := e.Export(ctx, render.Request{
		Photo: photo, PhotoKey: "file", Recipe: s.Recipe, LongEdge: edge,
		Plain: *plain, Pass: render.Pass(*pass), Deep: *depth == 16, Stats: st,
	}, nil)
	if err != nil {
		return err
	}
	rendered := time.Since(start)
	start = time.Now()
	o := codec.Options{Format: format, Quality: *quality, ICC: photo.ICC, EXIF: photo.EXIF}
	data, s, photo = nil, nil, nil // the encoder needs room of its own
	if err := writeFile(*out, func(w io.Writer) error { return codec.Write(w, img, o) }); err != nil {
		return err
	}
	if *stats {
		return printStats(e, st, img.Bounds(), opened, rendered, time.Since(start))
	}
	return nil
}

func printStats(e *render.Engine, st *render.Stats, size image.Rectangle, opened, rendered, encoded time.Duration) error {
	ms := func(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
	nodes := map[string]float64{}
	for k, v := range st.Sum {
		nodes[k] = ms(v)
	}
	hits, misses := e.Cache.Counts()
	var usage syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &usage); err != nil {
		return err
	}
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", "  ")
	return enc.Encode(map[string]any{
		"width": size.Dx(), "height": size.Dy(), "cores": runtime.GOMAXPROCS(0),
		"ms":              map[string]any{"open": ms(opened), "render": ms(rendered), "encode": ms(encoded), "nodes": nodes},
		"cache":           map[string]int64{"hits": hits, "misses": misses},
		"peak_memory_mib": usage.Maxrss / 1024,
	})
}
