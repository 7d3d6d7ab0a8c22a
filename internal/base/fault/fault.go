// Package fault holds the one kind of error that is said to a user.
//
// Everything else that goes wrong is the application's own affair: it is
// logged, and the user is told that something went wrong inside. An error of
// this package says in a sentence what is wrong and what to do, names the field
// at fault where there is one, and has a Kind by which the interface chooses a
// status.
package fault

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"

	"golang.org/x/sync/errgroup"
)

// Kind says whose fault an error is, or what became of the thing asked for.
type Kind int

// The kinds of fault.
const (
	Invalid  Kind = iota // a value or a file that cannot be used as it is
	TooLarge             // sound for all we know, but beyond a limit
	NoRoom               // nothing more of this kind fits into a shot
	Gone                 // what was asked for is not there, or no longer
)

// Error is a fault, said for the user.
type Error struct {
	Kind  Kind
	Field string // such as lights[2].shells[0].radius; empty where no one field is at fault
	// what a page calls the field, such as “Radius of shell 1 of Signal rod”; empty where that is
	// not known
	Words string
	Msg   string // a sentence, or several
	Err   error  // what led to it; may be nil. It is for the log and never shown.
}

// Error returns the sentence with the field before it.
func (e *Error) Error() string {
	s := e.Msg
	if e.Field != "" {
		s = e.Field + ": " + s
	}
	if e.Err != nil {
		s += " (" + e.Err.Error() + ")"
	}
	return s
}

// Unwrap returns what led to the fault.
func (e *Error) Unwrap() error { return e.Err }

// New returns a fault of a kind with a formatted sentence.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Msg: fmt.Sprintf(format, args...)}
}

// In returns an Invalid fault of a field with a formatted sentence.
func In(field, format string, args ...any) *Error {
	return &Error{Field: field, Msg: fmt.Sprintf(format, args...)}
}

// Is tells whether err is a fault of the given kind.
func Is(err error, kind Kind) bool {
	var e *Error
	return errors.As(err, &e) && e.Kind == kind
}

// Cancelled tells whether err says that work was given up because nobody wants
// its result any more.
func Cancelled(err error) bool {
	return errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}

// Panic is a programming error that stopped one piece of work. It ends that work
// and nothing else.
type Panic struct {
	Value any
	Stack []byte
}

func (p *Panic) Error() string { return fmt.Sprintf("panic: %v", p.Value) }

// Catch turns a panic of the function that defers it into a *Panic in *err.
func Catch(err *error) {
	if v := recover(); v != nil {
		if p, ok := v.(*Panic); ok { // caught before, in another goroutine
			*err = p
			return
		}
		*err = &Panic{v, debug.Stack()}
	}
}

// Group runs functions side by side, as an errgroup.Group does. One that panics ends with a *Panic
// as its error, and no more: a panic in a goroutine would otherwise end the program.
type Group struct{ group errgroup.Group }

// Go runs f in a goroutine of its own.
func (g *Group) Go(f func() error) {
	g.group.Go(func() (err error) {
		defer Catch(&err)
		return f()
	})
}

// SetLimit bounds how many functions run at a time.
func (g *Group) SetLimit(n int) { g.group.SetLimit(n) }

// Join waits for functions that return no errors. Where one has panicked, it panics in the caller's
// goroutine, with the *Panic, which the caller's own Catch takes as it is.
func (g *Group) Join() {
	if err := g.group.Wait(); err != nil {
		panic(err)
	}
}

// Wait waits for all functions and returns the first error of theirs.
func (g *Group) Wait() error { return g.group.Wait() }
