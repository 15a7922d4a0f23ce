package ledger

import (
	"errors"
	"fmt"
	"math"
)

// TryFold is [Fold] for what a database holds: books that cannot be folded give an account
// that says so in Failure, with their lines and nothing else known. One unit's books never
// take down the answer about another. The laws of the package show that [Fold] does not
// panic; this holds for what they have not drawn.
func TryFold(u Unit, entries []Entry) (a Account) {
	return try(u, entries, func() *Account { a := Fold(u, entries); return &a })
}

func try(u Unit, entries []Entry, fold func() *Account) (a Account) {
	defer func() {
		if cause := recover(); cause != nil {
			a = Unevaluated(u, entries, fmt.Errorf("the books of %s cannot be folded: %v", u.Code, cause))
		}
	}()
	for _, e := range entries {
		if b, ok := e.Body.(UnreadableBody); ok {
			return Unevaluated(u, entries, fmt.Errorf("line %s of %s cannot be read: %w", e.ID, u.Code, b.Why))
		}
	}
	a = *fold()
	if err := a.finite(); err != nil {
		return Unevaluated(u, entries, err)
	}
	return a
}

// Unevaluated is the account of books that cannot be evaluated, and why. Nothing of it is known.
func Unevaluated(u Unit, entries []Entry, why error) Account {
	a := Account{Unit: u, Base: u.Base, Filled: u.Capacity, renewal: -1, Failure: why.Error()}
	for _, e := range inOrder(entries) {
		a.Lines = append(a.Lines, Line{Entry: e})
	}
	return a
}

// UnreadableBody is the body of a stored entry that cannot be read. What it was is not known, a hold
// perhaps, so the account that holds it cannot be evaluated.
type UnreadableBody struct {
	Of  Kind
	Why error
}

// finite reports a figure of the account that is NaN or infinite.
func (a *Account) finite() error {
	figures := map[string]float64{"glycol in kg": float64(a.Charge.Glycol), "water in kg": float64(a.Charge.Water), "uncertainty of the strength": a.strength,
		"uncertainty of the litres": a.volume, "litres filled": float64(a.Filled), "nitrite given": a.Given.Raised, "meter at the renewal": a.startsAt, "second meter at the renewal": a.Second.startsAt}
	for name, v := range map[string]*float64{"litres": (*float64)(a.Balance.Litres), "strength": a.Balance.Glycol, "freeze point": (*float64)(a.Balance.Freeze),
		"cold end": (*float64)(a.Balance.Low), "warm end": (*float64)(a.Balance.High), "use": a.Balance.Used} {
		if v != nil {
			figures[name] = *v
		}
	}
	var wrong []error
	for name, v := range figures {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			wrong = append(wrong, fmt.Errorf("the %s of %s cannot be computed", name, a.Unit.Code))
		}
	}
	return errors.Join(wrong...)
}

// Explain the test of line i: the likeliest causes first. It is nil when the line is no
// test, the test agrees, or it cannot be explained. It takes the time of some folds.
func (a *Account) Explain(i int) (found []Explanation) {
	defer func() {
		if recover() != nil {
			found = nil
		}
	}()
	return a.explain(i)
}
