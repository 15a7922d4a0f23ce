// Package refusal is the one way in which something typed is refused: a JSON pointer to the
// field, the value as typed, and what is accepted in the reader's units.
package refusal

import (
	"fmt"
	"regexp"
	"strings"
	"time"
)

// Moment is a time in a text of a refusal; [Worded] writes it as its reader does.
func Moment(t time.Time) string { return "⟨" + t.UTC().Format(time.RFC3339) + "⟩" }

// Day is the day of a time in a text of a refusal, at the place of the reader; see [Worded].
func Day(t time.Time) string { return "⟨day " + t.UTC().Format(time.RFC3339) + "⟩" }

var marked = regexp.MustCompile(`⟨(day )?([^⟩ ]*)⟩`)

// Worded is a text with its times as moment and day write them.
func Worded(text string, moment, day func(time.Time) string) string {
	return marked.ReplaceAllStringFunc(text, func(mark string) string {
		parts := marked.FindStringSubmatch(mark)
		t, err := time.Parse(time.RFC3339, parts[2])
		switch {
		case err != nil:
			return mark // no time of ours: part of what was typed
		case parts[1] != "":
			return day(t)
		}
		return moment(t)
	})
}

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
