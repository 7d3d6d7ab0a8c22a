package store

import (
	"errors"
	"strings"
	"testing"

	"pyrant/internal/recipe"
)

// Rigs are there again after the folder was closed, by their new names, and go when they are
// deleted.
func TestRigs(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	p := recipe.Photo{Width: 1500, Height: 1000}
	l := recipe.DefaultLight(p)
	l.Core.Whiteness = 0.31
	a, err := s.SaveRig(t.Context(), recipe.NewRig("Quay panel", &l, p))
	if err != nil {
		t.Fatal(err)
	}
	b, err := s.SaveRig(t.Context(), recipe.NewRig("Rod", &l, p))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.RenameRig(t.Context(), a.ID, "Jetty panel"); err != nil {
		t.Fatal(err)
	}
	if err := s.RenameRig(t.Context(), a.ID, strings.Repeat("x", 100)); err == nil {
		t.Error("a name of 100 letters is taken")
	}
	if err := s.RenameRig(t.Context(), "none", "x"); !errors.Is(err, ErrNotFound) {
		t.Errorf("a rig that is not there is renamed: %v", err)
	}
	if err := s.RemoveRig(t.Context(), b.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.RemoveRig(t.Context(), b.ID); !errors.Is(err, ErrNotFound) {
		t.Errorf("a rig is deleted twice: %v", err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if s, err = Open(dir); err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	list, err := s.Rigs(t.Context())
	if err != nil || len(list) != 1 || list[0].Name != "Jetty panel" {
		t.Fatalf("after opening again there are %v, %v", list, err)
	}
	g, err := list[0].Rig()
	if err != nil || g.Name != "Jetty panel" || g.Core.Whiteness != 0.31 || len(g.Shells) != len(l.Shells) {
		t.Errorf("the rig holds %+v, %v", g, err)
	}
}
