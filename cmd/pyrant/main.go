// Command pyrant turns objects in a photo into light sources: as a web
// application, or from the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/pflag"
)

const usage = `pyrant turns objects in a photo into light sources.

  pyrant demo   [--addr 127.0.0.1:7373] [--data DIR]   the application with the demo shot
  pyrant serve  [--addr 127.0.0.1:7373] [--data DIR]   the application
  pyrant restore [--data DIR]                          go back to the newest sound copy of a damaged database
  pyrant new    PHOTO -o SHOT.pyrant                   a shot with an empty recipe
  pyrant render SHOT.pyrant -o out.jpg|png|tif [--plain] [--light NAME] [--layer glow|spill]
                [--long-edge N] [--quality Q] [--depth 8|16] [--stats]

'pyrant COMMAND -h' lists what a command takes.
`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	err := run(ctx, os.Args[1:])
	switch {
	case errors.Is(err, pflag.ErrHelp):
	case err != nil:
		fmt.Fprintln(os.Stderr, "pyrant:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, args []string) error {
	if len(args) == 0 {
		fmt.Print(usage)
		return nil
	}
	switch args[0] {
	case "demo", "serve":
		return cmdServe(ctx, args[0], args[1:])
	case "restore":
		return cmdRestore(args[1:])
	case "new":
		return cmdNew(ctx, args[1:])
	case "render":
		return cmdRender(ctx, args[1:])
	case "help", "-h", "--help":
		fmt.Print(usage)
		return nil
	}
	return fmt.Errorf("there is no command %q; 'pyrant help' lists them", args[0])
}
