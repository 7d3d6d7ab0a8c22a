package fault

import (
	"errors"
	"testing"
)

// A panic in one function of a group becomes the error of Wait; the other functions finish.
func TestGroup(t *testing.T) {
	var g Group
	g.SetLimit(2)
	done := make([]bool, 5)
	for i := range done {
		g.Go(func() error {
			if i == 3 {
				panic("out of place")
			}
			done[i] = true
			return nil
		})
	}
	var p *Panic
	if err := g.Wait(); !errors.As(err, &p) || p.Value != "out of place" || len(p.Stack) == 0 {
		t.Errorf("a panic is %v", err)
	}
	for i, d := range done {
		if d != (i != 3) {
			t.Errorf("function %d has run: %v", i, d)
		}
	}
	// Joined, it comes up in the caller, where Catch takes it as it is.
	err := func() (err error) {
		defer Catch(&err)
		var g Group
		g.Go(func() error { panic("again") })
		g.Join()
		return nil
	}()
	if !errors.As(err, &p) || p.Value != "again" {
		t.Errorf("joined, it is %v", err)
	}
	var calm Group
	calm.Go(func() error { return errors.New("usual") })
	if err := calm.Wait(); err == nil || err.Error() != "usual" {
		t.Errorf("an error is %v", err)
	}
}
