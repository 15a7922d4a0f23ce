package clock

import (
	"math"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// slowLeak: one that would leave the level low in more days than these has no date
// (judgement: three years).
const slowLeak = 3 * 365

// levelClock compares what the books say is inside with the last fill, and gives
// from the rate at which coolant goes when it will be low.
// A capacity that is a common value of the unit's type shows no level as sound.
func levelClock(a *ledger.Account, use meters, today evaluationDay) Clock {
	c := levelByBook(a, use, today)
	// What is missing for sure stays due: what was never seen may be missing as well.
	if a.LevelUnknown != "" && c.Verdict == Sound {
		code := LevelUnseen
		if a.LevelUnknown == ledger.LevelNotJudged {
			code = LevelUnjudged
		}
		return Clock{Kind: Level, Verdict: Unknown, Due: today.due(), Reason: Reason{Code: code, Numbers: c.Reason.Numbers}}
	}
	if a.Unit.CapacityCommon && c.Verdict == Sound {
		c.Verdict, c.Remaining, c.Reason.Code = Unknown, nil, LevelCommon
	}
	return c
}

func levelByBook(a *ledger.Account, use meters, today evaluationDay) Clock {
	full, litres := float64(a.Filled), float64(a.Charge.Volume())
	missing := full - litres
	left := share(1 - missing/(ledger.HoldShare*full))
	numbers := map[string]float64{"litres": litres, "full": full, "low": ledger.LowShare * full, "hold": ledger.HoldShare * full}
	c := Clock{Kind: Level, Verdict: Sound, Remaining: &left, Reason: Reason{Code: LevelHolds, Numbers: numbers}}
	leak := a.Leak()
	if leak != nil {
		if at, ok := reachesLow(a, leak, use, ledger.HoldShare*full-missing, usage.Likely, today); ok {
			numbers["days"] = float64(today.until(at))
		}
	}
	if missing >= ledger.LowShare*full {
		c.Reason.Code, numbers["missing"] = LevelLow, missing
		c.Verdict, c.Due = Due, today.due()
		if missing >= ledger.HoldShare*full {
			c.Verdict = Hold
		}
		return c
	}
	if leak == nil {
		return c
	}
	low := ledger.LowShare*full - missing
	var w usage.Window
	var ok bool
	if w.P50, ok = reachesLow(a, leak, use, low, usage.Likely, today); !ok || today.until(w.P50) > slowLeak {
		return c
	}
	w.P10, _ = reachesLow(a, leak, use, low, usage.Early, today)
	if w.P90, ok = reachesLow(a, leak, use, low, usage.Late, today); !ok {
		w.P90 = today.AddDate(usage.MaxYears, 0, 0)
	}
	c.Window, c.Due, c.Reason.Code = &w, &w.P50, LevelFalls
	numbers["ahead"] = float64(today.until(w.P50))
	c.Verdict = atMostDue(verdictOn(w.P50, today))
	// The window of a slow leak is wide: that it is open is a reason to check, no more.
	if c.Verdict == Sound && today.until(w.P10) <= dueDays {
		c.Verdict = Watch
	}
	return c
}

// reachesLow is when n litres more will have gone since the level was last known,
// by the leak's rate and its uncertainty. Where the leak is computed by the meter,
// the window is from the fast leak and the busy unit to the slow leak and the idle
// one. False when it is not known, or not in any time that means something.
func reachesLow(a *ledger.Account, leak *ledger.LeakRate, use meters, litres float64, s usage.Side, today evaluationDay) (measure.Date, bool) {
	litres = math.Max(litres, 0)
	// A rate less than a fifth of the likely one is as good as none.
	rate := math.Max(leak.Rate+float64(s)*usage.Z90*leak.Sigma, leak.Rate/5)
	if leak.Per == ledger.PerMonth {
		days := litres / rate * measure.DaysPerMonth
		return today.of(a.LevelAt).AddDays(int(math.Min(days, usage.MaxYears*365))), days < usage.MaxYears*365
	}
	per := 1000.0
	if leak.Per == ledger.Per100H {
		per = 100
	}
	if len(use) == 0 || a.LaidUp != nil {
		return measure.Date{}, false
	}
	model := use[0].model()
	meter, ok := model.MeterAt(a.Readings, a.LevelAt)
	if !ok {
		return measure.Date{}, false
	}
	at, ok := model.ReachesSide(meter+litres/rate*per, s)
	return today.of(at), ok
}
