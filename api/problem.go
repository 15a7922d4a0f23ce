package api

import (
	"net/http"

	"diligentledger/core/refusal"
)

// NewProblem of a status: RFC 9457, with what is wrong field by field.
func NewProblem(status int, title, detail string, fields ...FieldProblem) Problem {
	p := Problem{Type: "about:blank", Title: title, Status: status, Detail: &detail}
	if len(fields) > 0 {
		p.Errors = &fields
	}
	return p
}

// RefusedProblem is a refusal of what was typed: 422, or another status for one that the
// caller knows better.
func RefusedProblem(r *refusal.Error, status int) Problem {
	if status == 0 {
		status = http.StatusUnprocessableEntity
	}
	fields := make([]FieldProblem, len(r.Fields))
	for i, f := range r.Fields {
		fields[i] = FieldProblemOf(f)
	}
	return NewProblem(status, "Not accepted", r.Error(), fields...)
}

// FieldProblemOf one refused field.
func FieldProblemOf(f *refusal.Field) FieldProblem {
	p := FieldProblem{Pointer: f.Pointer, Detail: f.Detail(), Accepted: &f.Accepted}
	if f.Question {
		p.Question = &f.Question
	}
	return p
}
