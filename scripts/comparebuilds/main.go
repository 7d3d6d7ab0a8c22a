// Command comparebuilds shows whether two builds of Pyrant make the same pictures, byte for byte:
//
//	go run ./scripts/comparebuilds OLD NEW
//
// OLD and NEW are pyrant binaries. Both are asked for the same list of pictures of the demo shots,
// of the archives and recipes of all earlier versions, and of shot files named after NEW: frames at
// rest and drafts of a series of drags from the server, and exports of every layer from the command
// line. It prints each picture that differs and exits with 1 if there is one.
package main

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"pyrant/demo"
)

func main() {
	only := flag.String("only", "", "compare only shots whose name contains this")
	flag.Parse()
	if flag.NArg() < 2 {
		fmt.Fprintln(os.Stderr, "usage: go run ./scripts/comparebuilds [-only NAME] OLD NEW [SHOT.pyrant ...]")
		os.Exit(2)
	}
	differ, err := compare(flag.Arg(0), flag.Arg(1), *only, flag.Args()[2:])
	if err != nil {
		fmt.Fprintln(os.Stderr, "comparebuilds:", err)
		os.Exit(1)
	}
	if differ > 0 {
		os.Exit(1)
	}
}

// A shot is a name and the bytes of a shot file.
type shot struct {
	name string
	file []byte
}

// shots returns the demo shots, the samples of earlier versions, and the files that are named.
func shots(files []string) (list []shot, err error) {
	for _, d := range demo.Shots {
		list = append(list, shot{d.Name, pack(d.Name, d.Recipe, d.Photo)})
	}
	recipes, err := filepath.Glob("internal/recipe/testdata/v*.json")
	if err != nil {
		return nil, err
	}
	for _, name := range recipes {
		r, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		list = append(list, shot{name, pack(filepath.Base(name), r, demo.Photo)})
	}
	archives, err := filepath.Glob("internal/*/*/testdata/v*/*.pyrant")
	if err != nil {
		return nil, err
	}
	old, err := filepath.Glob("internal/*/testdata/v*/*.pyrant")
	if err != nil {
		return nil, err
	}
	for _, name := range append(append(archives, old...), files...) {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		list = append(list, shot{name, data})
	}
	return list, nil
}

// pack makes a shot file of a recipe and a photo.
func pack(name string, recipe, photo []byte) []byte {
	about, _ := json.Marshal(map[string]any{"format": 1, "name": name, "photo": "photo.jpg"})
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range []struct {
		name string
		data []byte
	}{{"shot.json", about}, {"recipe.json", recipe}, {"photo.jpg", photo}} {
		w, _ := z.Create(f.name) // into memory: it cannot fail
		w.Write(f.data)
	}
	z.Close()
	return b.Bytes()
}

// compare returns how many pictures of two builds differ.
func compare(old, new, only string, files []string) (differ int, err error) {
	list, err := shots(files)
	if err != nil {
		return 0, err
	}
	dir, err := os.MkdirTemp("", "comparebuilds")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	total := 0
	for _, s := range list {
		if !strings.Contains(s.name, only) {
			continue
		}
		var sums [2]map[string][32]byte
		for i, binary := range []string{old, new} {
			if sums[i], err = pictures(binary, filepath.Join(dir, fmt.Sprint(i)), s); err != nil {
				return differ, fmt.Errorf("%s, %s: %w", binary, s.name, err)
			}
		}
		for name, sum := range sums[0] {
			if sums[1][name] != sum {
				differ++
				fmt.Printf("%s: %s differs\n", s.name, name)
			}
		}
		fmt.Printf("%-50s %3d pictures\n", s.name, len(sums[0]))
		total += len(sums[0])
	}
	fmt.Printf("%d of %d pictures differ\n", differ, total)
	return differ, nil
}

// pictures returns the sums of all pictures that a build makes of a shot, by their names.
func pictures(binary, dir string, s shot) (map[string][32]byte, error) {
	if err := os.RemoveAll(dir); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	file := filepath.Join(dir, "shot.pyrant")
	if err := os.WriteFile(file, s.file, 0o644); err != nil {
		return nil, err
	}
	sums := map[string][32]byte{}
	if err := served(binary, dir, s.file, sums); err != nil {
		return nil, err
	}
	return sums, exports(binary, dir, file, sums)
}

// exports adds the pictures that the command line makes.
func exports(binary, dir, file string, sums map[string][32]byte) error {
	for _, args := range [][]string{
		{"whole.tif", "--depth", "16"},
		{"small.png", "--long-edge", "500"},
		{"whole.jpg", "--long-edge", "1200"},
		{"plain.png", "--layer", "plain", "--long-edge", "1200", "--depth", "16"},
		{"glow.png", "--layer", "glow", "--long-edge", "1200", "--depth", "16"},
		{"spill.png", "--layer", "spill", "--long-edge", "1200", "--depth", "16"},
	} {
		out := filepath.Join(dir, args[0])
		args = append([]string{"render", file, "-o", out}, args[1:]...)
		if text, err := exec.Command(binary, args...).CombinedOutput(); err != nil {
			return fmt.Errorf("%s: %w: %s", strings.Join(args, " "), err, text)
		}
		data, err := os.ReadFile(out)
		if err != nil {
			return err
		}
		sums["export "+filepath.Base(out)] = sha256.Sum256(data)
	}
	return nil
}
