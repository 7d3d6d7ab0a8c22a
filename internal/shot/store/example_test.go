package store_test

import (
	"context"
	"fmt"
	"os"

	"pyrant/internal/edit"
	"pyrant/internal/recipe"
	"pyrant/internal/shot/store"
)

// Every change of a shot is kept as a revision, which undo goes back to.
func Example() {
	dir, err := os.MkdirTemp("", "example")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer os.RemoveAll(dir)
	s, err := store.Open(dir)
	if err != nil {
		fmt.Println(err)
		return
	}
	defer s.Close()
	ctx := context.Background()
	r := recipe.New(30, 20)
	shot, _ := s.AddShot(ctx, "Quay", store.Photo{Data: []byte("its bytes"), Format: "jpeg",
		Width: 30, Height: 20}, r, "Opened")
	darker, _ := edit.Apply(r, edit.Set("/dusk/daylight", -2))
	shot, err = s.Commit(ctx, shot.ID, shot.Version, darker, "Daylight")
	fmt.Println(shot.HeadSeq, shot.Version, err)
	shot, _ = s.Step(ctx, shot.ID, shot.Version, -1)
	undo, redo, _ := s.Titles(ctx, shot)
	now, err := s.Recipe(ctx, shot.ID, shot.HeadSeq)
	fmt.Printf("%q %q %v %v\n", undo, redo, now.Dusk.Daylight, err)
	// Output:
	// 2 2 <nil>
	// "" "Daylight" 0 <nil>
}
