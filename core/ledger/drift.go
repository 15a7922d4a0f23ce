package ledger

import (
	"math"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// driftPrior is the standard deviation, mass fraction a year, by which the
// strength of a charge may move without anybody having seen it (common practice:
// a tenth of the charge made up with water in a year would be 0.05; set so that the
// windows of the backtest hold, docs/forecast.md).
const driftPrior = 0.016

// mostStrengths that are kept of one charge: the fill, and the latest tests (judgement:
// a test a month of a year and more).
const mostStrengths = 16

// addStrength adds a strength. What is shared with a snapshot is left as it is.
func (a *Account) addStrength(s Strength) {
	n := len(a.Strengths)
	kept := make([]Strength, 0, min(n+1, mostStrengths))
	if n == mostStrengths {
		kept = append(kept, a.Strengths[0])
		kept = append(kept, a.Strengths[2:]...)
	} else {
		kept = append(kept, a.Strengths...)
	}
	a.Strengths = append(kept, s)
}

// unseen widens the book's strength for the time since it was last known, before a
// test is weighed against it. Whether the two agree was asked before: what is written
// is held to account for all that happened.
func (a *Account) unseen(at time.Time) {
	if n := len(a.Strengths); n > 0 && at.After(a.Strengths[n-1].At) {
		a.strength = math.Hypot(a.strength, driftPrior*at.Sub(a.Strengths[n-1].At).Hours()/24/measure.DaysPerYear)
	}
}

// begins remembers the strength of a charge that was filled at t.
func (a *Account) begins(t time.Time) {
	a.Strengths = nil
	if a.Known && !a.Mixed {
		a.Strengths = []Strength{{t, a.Charge.MassFraction(), math.Max(a.strength, sigmaPremix)}}
	}
}

// Drift is how fast the strength of the charge moves, mass fraction a year, with
// its standard uncertainty: from what was filled, the trusted tests since, and
// what the book has changed since the last of them. It is the weighted
// least-squares slope drawn towards no drift at all (normal prior; Gelman et al.,
// Bayesian Data Analysis, ch. 14).
func (a *Account) Drift() (perYear, sigma float64) {
	points := func(f func(Strength)) {
		for _, s := range a.Strengths {
			f(s)
		}
		if n := len(a.Strengths); n > 0 && a.Changes > 0 && a.Known && !a.Mixed && a.movedAt.After(a.Strengths[n-1].At) {
			f(Strength{a.movedAt, a.Charge.MassFraction(), math.Max(a.strength, sigmaPremix)})
		}
	}
	var sum, sumT, sumW float64
	at := func(s Strength) float64 { return s.At.Sub(a.Strengths[0].At).Hours() / 24 / measure.DaysPerYear }
	points(func(s Strength) {
		p := 1 / (s.Sigma * s.Sigma)
		sum += p
		sumT += p * at(s)
		sumW += p * s.Mass
	})
	certain := 1 / (driftPrior * driftPrior)
	tied := 0.0
	points(func(s Strength) {
		p, off := 1/(s.Sigma*s.Sigma), at(s)-sumT/sum
		certain += p * off * off
		tied += p * off * (s.Mass - sumW/sum)
	})
	return tied / certain, 1 / math.Sqrt(certain)
}

// FreezePerStrength is how much the freeze point moves, K, for a mass fraction more of
// glycol in the charge as it is by book; 0 when it is not known what is inside.
func (a *Account) FreezePerStrength() float64 {
	if a.freeze() == nil || a.Base == coolant.NoWater {
		return 0
	}
	return slope(a.Base, a.Charge.MassFraction())
}
