// Command guards checks rules of this repository that the compiler knows nothing of:
//
//		go run ./scripts/guards
//
//	  - The folders of internal/ import only folders below them (see folders).
//	  - No line of Go is longer than 100 columns, but for what cannot be broken (see columns).
//	  - A screenshot takes at most 250 kB.
//
// It prints each fault as FILE:LINE: sentence, and exits with 1 if there is one. It is run in the
// folder of the repository, or in the one that is named.
package main

import (
	"fmt"
	"os"
)

func main() {
	root := "."
	if len(os.Args) > 1 {
		root = os.Args[1]
	}
	bad := false
	for _, check := range []func(string) ([]string, error){imports, nodes, columns, screenshots} {
		faults, err := check(root)
		if err != nil {
			fmt.Fprintln(os.Stderr, "guards:", err)
			os.Exit(1)
		}
		for _, f := range faults {
			fmt.Println(f)
			bad = true
		}
	}
	if bad {
		os.Exit(1)
	}
}
