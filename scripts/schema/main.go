// Command schema writes docs/recipe.schema.json and the tables of settings in
// docs/recipe.md from the declarations of the recipe's fields.
//
//	go generate ./internal/recipe
package main

import (
	"log"
	"os"
	"path/filepath"

	"pyrant/internal/recipe"
)

func main() {
	log.SetFlags(0)
	root := "."
	if len(os.Args) > 1 {
		root = os.Args[1]
	}
	if err := os.WriteFile(filepath.Join(root, "docs", "recipe.schema.json"), recipe.Schema(), 0o644); err != nil {
		log.Fatal(err)
	}
	name := filepath.Join(root, "docs", "recipe.md")
	doc, err := os.ReadFile(name)
	if err != nil {
		log.Fatal(err)
	}
	if doc, err = recipe.Manual(doc); err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile(name, doc, 0o644); err != nil {
		log.Fatal(err)
	}
}
