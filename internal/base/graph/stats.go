package graph

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"
)

// Stat is what nodes of one type have done.
type Stat struct {
	Type   string        // the name of the key's type
	Found  int64         // requests that found a value
	Built  int64         // values that were built
	Failed int64         // builds that ended in an error, cancelled ones among them
	Time   time.Duration // that builds took, with what they waited for
}

type stats struct {
	mu     sync.Mutex
	byType map[reflect.Type]*Stat
}

func newStats() *stats {
	return &stats{byType: map[reflect.Type]*Stat{}}
}

// nameOf returns the name of a key's type, without its package.
func nameOf(key any) string {
	name := fmt.Sprintf("%T", key)
	return name[strings.LastIndex(name, ".")+1:]
}

func (s *stats) of(key any) *Stat {
	st := s.byType[reflect.TypeOf(key)]
	if st == nil {
		st = &Stat{Type: nameOf(key)}
		s.byType[reflect.TypeOf(key)] = st
	}
	return st
}

func (s *stats) found(key any) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.of(key).Found++
}

func (s *stats) built(key any, took time.Duration, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	st := s.of(key)
	if st.Time += took; err != nil {
		st.Failed++
	} else {
		st.Built++
	}
}

// Stats returns what nodes have done since g was made, by the names of their types.
func (g *Graph) Stats() []Stat {
	g.stats.mu.Lock()
	defer g.stats.mu.Unlock()
	var out []Stat
	for _, s := range g.stats.byType {
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b Stat) int { return strings.Compare(a.Type, b.Type) })
	return out
}

// Counts returns how often a value was found, and how often it had to be built.
func (g *Graph) Counts() (found, built int64) {
	for _, s := range g.Stats() {
		found, built = found+s.Found, built+s.Built+s.Failed
	}
	return found, built
}
