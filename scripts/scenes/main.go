// Scenes makes scenes up, with what each light truly does in them, for scripts/truth to measure.
//
//	go run ./scripts/scenes [-from 1] [-n 1] [-width 375] [-samples 256] FOLDER
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"

	"pyrant/internal/measure/scene/made"
)

func main() {
	from := flag.Uint64("from", 1, "seed of the first")
	n := flag.Int("n", 1, "how many")
	width := flag.Int("width", 375, "pixels across the pictures")
	samples := flag.Int("samples", 256, "samples a pixel")
	flag.Parse()
	if flag.NArg() != 1 || *n < 1 || *width < 30 || *samples < 1 {
		fmt.Fprintln(os.Stderr, "usage: scenes [-from SEED] [-n COUNT] [-width PIXELS] [-samples COUNT] FOLDER")
		os.Exit(2)
	}
	for i := range *n {
		seed := *from + uint64(i)
		dir := filepath.Join(flag.Arg(0), fmt.Sprint(seed))
		if err := made.Make(seed).Write(context.Background(), dir, *width, *samples); err != nil {
			fmt.Fprintln(os.Stderr, "scenes:", err)
			os.Exit(1)
		}
		fmt.Println(dir)
	}
}
