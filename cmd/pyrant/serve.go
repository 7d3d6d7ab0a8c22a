package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"github.com/spf13/pflag"

	"pyrant/internal/app/web"
	"pyrant/internal/shot/store"
)

// dataDir returns where shots are kept unless the user says otherwise.
func dataDir() string {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "pyrant-data"
	}
	return filepath.Join(dir, "pyrant")
}

func cmdServe(ctx context.Context, mode string, args []string) error {
	fs := pflag.NewFlagSet(mode, pflag.ContinueOnError)
	addr := fs.String("addr", "127.0.0.1:7373", "address and port to listen on")
	data := fs.String("data", dataDir(), "folder that keeps shots and photos")
	hosts := fs.String("host", "", "further host names to answer to, with commas between")
	upload := fs.Int64("max-upload", 200, "largest photo file in MB")
	cache := fs.Int64("cache", 1024, "memory in MB for cached results")
	if err := fs.Parse(args); err != nil {
		return err
	}
	if fs.NArg() > 0 {
		return fmt.Errorf("%s takes no file; there is %q", mode, fs.Arg(0))
	}
	if *upload < 1 || *cache < 16 {
		return errors.New("--max-upload is at least 1, --cache at least 16")
	}
	// The collector keeps to about the cache and the pictures in flight.
	debug.SetGCPercent(60)
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelInfo}))
	s, err := web.New(web.Options{
		Addr: *addr, Hosts: strings.FieldsFunc(strings.ToLower(*hosts),
			func(r rune) bool { return r == ',' }),
		Data: *data, MaxUpload: *upload << 20, CacheBytes: *cache << 20, Log: log,
	})
	if err != nil {
		return err
	}
	if mode == "demo" {
		if err := s.AddDemoIfEmpty(ctx); err != nil {
			_ = s.Close()
			return err
		}
	}
	l, err := s.Listen()
	if err != nil {
		_ = s.Close()
		return fmt.Errorf("%w (is a Pyrant running already? --addr chooses another port)", err)
	}
	link, key := s.Link(l.Addr())
	fmt.Printf("Pyrant is at %s\nShots are kept in %s. Stop with Ctrl-C.\n", link, *data)
	if key {
		fmt.Println("Others can reach this Pyrant: it asks for the access key that is in the link, which is another at each start.\nThe connection is not encrypted. docs/network.md shows how to put a proxy with TLS before it.")
	}
	return s.Serve(ctx, l)
}

// cmdRestore puts the newest sound copy of the database in its place.
func cmdRestore(args []string) error {
	fs := pflag.NewFlagSet("restore", pflag.ContinueOnError)
	data := fs.String("data", dataDir(), "folder that keeps shots and photos")
	if err := fs.Parse(args); err != nil {
		return err
	}
	from, kept, err := store.Restore(*data, time.Now())
	if err != nil {
		return err
	}
	fmt.Printf("The database is now that of %s.\nThe one that was there is kept as %s.\n", from, kept)
	return nil
}
