// Package refusal is the one way in which something typed is refused: a JSON pointer to the
// field, the value as typed, and what is accepted in the reader's units.
package refusal

import (
	"fmt"
	"strings"
)

// Field is what is wrong with one field, for the person who has to correct it.
type Field struct {
	Pointer  string // JSON pointer into the request, such as /topUp/volume/value
	Got      string // the value as typed, with its unit
	Accepted string // what is accepted, in the same unit
	// Question: the value is possible but unusual. It is accepted once its author has
	// confirmed it.
	Question bool
}

// Detail is what is wrong, without what is accepted.
func (f *Field) Detail() string {
	if f.Question {
		return "is " + f.Got + " right?"
	}
	return f.Got + " is not accepted"
}

func (f *Field) Error() string {
	return fmt.Sprintf("%s: %s; accepted: %s", f.Pointer, f.Detail(), f.Accepted)
}

// Error is all that is wrong with a request.
type Error struct{ Fields []*Field }

// New refusal of one field.
func New(pointer, got, accepted string) *Error {
	return &Error{[]*Field{{Pointer: pointer, Got: got, Accepted: accepted}}}
}

func (e *Error) Error() string {
	parts := make([]string, len(e.Fields))
	for i, f := range e.Fields {
		parts[i] = f.Error()
	}
	return strings.Join(parts, "; ")
}
