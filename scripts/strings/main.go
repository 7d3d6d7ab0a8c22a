// Command strings lists every text that the interface shows, sorted, with the files it stands in:
//
//	go run ./scripts/strings          # write docs/interface-words.md
//	go run ./scripts/strings -check   # say what differs from it
//
// It reads the templates, the tags of settings, the scripts of the page, and the strings of the Go
// packages that speak to users. Whoever adds a text reads the new line of the list against the
// rules at its head; a test fails until the list has it.
package main

import (
	"flag"
	"fmt"
	"os"
)

func main() {
	check := flag.Bool("check", false, "say what differs and write nothing")
	flag.Parse()
	texts, err := collect(".")
	if err == nil && *check {
		err = compare(texts)
	} else if err == nil {
		err = os.WriteFile(listFile, []byte(render(texts)), 0o644)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "strings:", err)
		os.Exit(1)
	}
}

// compare returns an error that names the texts that the list lacks, and those that it has for
// nothing.
func compare(texts []text) error {
	was, err := os.ReadFile(listFile)
	if err != nil {
		return err
	}
	missing, stale := difference(texts, string(was))
	if len(missing)+len(stale) == 0 {
		return nil
	}
	return fmt.Errorf("run go run ./scripts/strings; new %q, gone %q", missing, stale)
}
