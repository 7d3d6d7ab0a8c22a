package graph

import "strings"

// Text is a key that is written by hand: the first word says what it is of, the rest what that
// depends on. Whoever writes it may forget something; a Node cannot.
type Text string

// Kind returns the first word.
func (t Text) Kind() string {
	word, _, _ := strings.Cut(string(t), " ")
	return word
}

// Number is a float64 that a graph can hold.
type Number float64

// Bytes returns about what an entry of the graph takes.
func (Number) Bytes() int64 { return 64 }
