package ledger

// ExplainOrPanic is Explain without its guard, for the laws.
func (a *Account) ExplainOrPanic(i int) []Explanation { return a.explain(i) }
