package setting

import (
	"fmt"
	"reflect"
)

// Kind is one type that an interface field may hold, with the word that names it
// in JSON.
type Kind struct {
	Word  string
	Label string // as the user reads it
	Zero  any    // the type's zero value: a declared struct
}

type kinds struct {
	list []Kind
}

var registered = map[reflect.Type]*kinds{}

// Register says which kinds a field of the interface type I may hold. In JSON an
// object's member "kind" tells them apart. It is called from a package's variable
// declarations, once for each interface type, and returns the kinds.
func Register[I any](list ...Kind) []Kind {
	t := reflect.TypeFor[I]()
	for _, k := range list {
		if !reflect.TypeOf(k.Zero).Implements(t) {
			panic(fmt.Sprintf("setting: %T is no %v", k.Zero, t))
		}
	}
	registered[t] = &kinds{list}
	return list
}

// Kinds returns the kinds of an interface type.
func Kinds(t reflect.Type) []Kind {
	if k := registered[t]; k != nil {
		return k.list
	}
	panic(fmt.Sprintf("setting: no kinds of %v are registered", t))
}

// wordOf returns the word for a value's kind.
func wordOf(t reflect.Type, v reflect.Value) string {
	for _, k := range Kinds(t) {
		if reflect.TypeOf(k.Zero) == v.Type() {
			return k.Word
		}
	}
	panic(fmt.Sprintf("setting: %v is no registered kind of %v", v.Type(), t))
}

func kindOf(t reflect.Type, word string) (Kind, bool) {
	for _, k := range Kinds(t) {
		if k.Word == word {
			return k, true
		}
	}
	return Kind{}, false
}

// Word returns the word for the kind of a value of the interface type I.
func Word[I any](v I) string {
	return wordOf(reflect.TypeFor[I](), reflect.ValueOf(v))
}
