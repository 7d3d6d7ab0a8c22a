package fault

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

func TestErrors(t *testing.T) {
	e := In("lights[0].level", "%d is too much.", 7)
	if e.Error() != "lights[0].level: 7 is too much." || e.Kind != Invalid {
		t.Errorf("%q, kind %d", e, e.Kind)
	}
	e = &Error{Kind: Gone, Msg: "It is gone.", Err: io.EOF}
	if e.Error() != "It is gone. (EOF)" || !errors.Is(e, io.EOF) {
		t.Errorf("%q", e)
	}
	wrapped := fmt.Errorf("opening: %w", New(TooLarge, "Too large."))
	if !Is(wrapped, TooLarge) || Is(wrapped, Gone) || Is(io.EOF, Invalid) || Is(nil, Invalid) {
		t.Error("kinds are not told apart")
	}
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if !Cancelled(fmt.Errorf("blurring: %w", ctx.Err())) || !Cancelled(context.DeadlineExceeded) ||
		Cancelled(io.EOF) || Cancelled(nil) {
		t.Error("what was cancelled is not told from what failed")
	}
}

func TestCatch(t *testing.T) {
	work := func(do func()) (err error) {
		defer Catch(&err)
		do()
		return io.EOF
	}
	if err := work(func() {}); err != io.EOF {
		t.Errorf("work that goes well ends with %v", err)
	}
	var p *Panic
	err := work(func() { var list []int; list[3]++ })
	if !errors.As(err, &p) || !strings.Contains(p.Error(), "index out of range") ||
		!strings.Contains(string(p.Stack), "fault_test.go") {
		t.Errorf("a panic ends with %v", err)
	}
	// Raised again in another goroutine, it keeps the stack of where it came from.
	if again := work(func() { panic(p) }); again != error(p) {
		t.Errorf("a panic raised again ends with %v", again)
	}
}

func ExampleError() {
	err := In("lights[2].shells[0].radius", "-1 is out of range; give a value from 0 to 6000.")
	fmt.Println(err)
	fmt.Println(Is(err, Invalid), Is(err, Gone))
	// Output:
	// lights[2].shells[0].radius: -1 is out of range; give a value from 0 to 6000.
	// true false
}
