package main

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"unicode/utf8"
)

const (
	maxColumns    = 100    // of a line of Go, where a tab counts as four
	maxScreenshot = 250000 // bytes
)

// literal is a string in quotes on one line.
var literal = regexp.MustCompile("\"(?:[^\"\\\\]|\\\\.)*\"")

// columns returns the lines of Go that are too long. What a string in quotes holds does not count,
// since it cannot be broken without changing it; neither do lines of raw strings, such as struct
// tags, nor directives.
func columns(root string) (faults []string, err error) {
	err = goFiles(root, func(name string) error {
		data, err := os.ReadFile(name)
		if err != nil {
			return err
		}
		raw := false // inside a raw string of several lines
		for i, line := range strings.Split(string(data), "\n") {
			inside := raw || strings.Contains(line, "`")
			if strings.Count(line, "`")%2 == 1 {
				raw = !raw
			}
			bare := literal.ReplaceAllString(strings.ReplaceAll(line, "\t", "    "), `""`)
			n := utf8.RuneCountInString(bare)
			if n > maxColumns && !inside && !strings.HasPrefix(line, "//go:") {
				faults = append(faults, fmt.Sprintf(
					"%s:%d: The line has %d columns; %d are allowed.", name, i+1, n, maxColumns))
			}
		}
		return nil
	})
	return faults, err
}

// screenshots returns the pictures of docs/screenshots that take too much room.
func screenshots(root string) (faults []string, err error) {
	dir := filepath.Join(root, "docs", "screenshots")
	err = filepath.WalkDir(dir, func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		if err == nil && info.Size() > maxScreenshot {
			faults = append(
				faults,
				fmt.Sprintf(
					"%s: The screenshot takes %d kB; %d are allowed. Make it a PNG with a palette.",
					name,
					info.Size()/1000,
					maxScreenshot/1000,
				),
			)
		}
		return err
	})
	return faults, err
}
