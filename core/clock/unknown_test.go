package clock

import (
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// What was not observed is not sound: the level of a charge that is known by a test alone, and a freeze point that
// rests on one test that was not zeroed.
func TestUnknownIsNotSound(t *testing.T) {
	forgot := ago(900, ledger.Opening{History: ledger.UnknownHistory})
	one := freezeTest(-33, coolant.EG)
	one.Tool = "R-2"
	other := one
	other.Tool = "R-1"
	zeroed := one
	zeroed.Zero = new(float64)
	over := measure.Reading{Value: -50, Unit: measure.Millimetre}
	cold := ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}
	millimetres := ledger.LevelCheck{Temper: ledger.Cold, Over: &over}
	for _, c := range []struct {
		name                    string
		entries                 []ledger.Entry
		freeze, strength, level Verdict
		code                    Code
	}{
		{"one test", []ledger.Entry{ago(3, one)}, Watch, Watch, Unknown, LevelUnseen},
		{"the same instrument again", []ledger.Entry{ago(3, one), ago(2, one)}, Watch, Watch, Unknown, LevelUnseen},
		{"another instrument", []ledger.Entry{ago(3, one), ago(2, other)}, Sound, Sound, Unknown, LevelUnseen},
		{"a zeroed one", []ledger.Entry{ago(3, zeroed)}, Sound, Sound, Unknown, LevelUnseen},
		{"the level seen", []ledger.Entry{ago(3, zeroed), ago(2, cold)}, Sound, Sound, Sound, LevelHolds},
		{"a level that cannot be judged", []ledger.Entry{ago(3, zeroed), ago(2, cold), ago(1, millimetres)}, Sound, Sound, Unknown, LevelUnjudged},
		{"a loss after it", []ledger.Entry{ago(3, zeroed), ago(1, loss(2))}, Sound, Sound, Hold, LevelLow},
	} {
		o := evaluated(car, plan, mild, append([]ledger.Entry{forgot}, c.entries...)...)
		level := clockOf(t, o, Level)
		if f, s := clockOf(t, o, Freeze), clockOf(t, o, Strength); f.Verdict != c.freeze || s.Verdict != c.strength || level.Verdict != c.level || level.Reason.Code != c.code {
			t.Errorf("%s: freeze %s %s, strength %s, level %s %s", c.name, f.Verdict, f.Reason.Code, s.Verdict, level.Verdict, level.Reason.Code)
		}
		if work, due := WorkFor(level); c.level == Unknown && (Answered(level) != ledger.KindLevelCheck || !due || work != LevelWork || level.Due == nil) {
			t.Errorf("%s: an unknown level is answered by %q, work %s %v", c.name, Answered(level), work, due)
		}
	}
	// Its zero check may be in the books of another unit.
	a := ledger.Fold(car, []ledger.Entry{forgot, ago(3, one)})
	for days, want := range map[int]Verdict{4: Sound, 60: Watch, 1: Watch} {
		around := Conditions{Climate: mild, Zeroed: map[string]time.Time{"R-2": now.AddDate(0, 0, -days)}}
		if f := clockOf(t, Evaluate(&a, plan, around, today), Freeze); f.Verdict != want {
			t.Errorf("zeroed %d days ago elsewhere: %s %s", days, f.Verdict, f.Reason.Code)
		}
	}
}

// 400 km a month, laid up on 2 July and back on 28 November: the use stood still, and what stood is checked.
func TestLayUpStopsTheUse(t *testing.T) {
	at := func(month time.Month, day int) time.Time { return time.Date(2026, month, day, 8, 0, 0, 0, time.UTC) }
	e := func(id string, t time.Time, b ledger.Body) ledger.Entry { return ledger.Entry{ID: id, At: t, Body: b} }
	renewal := fill(false)
	renewal.Meter = &measure.Reading{Value: 10_000, Unit: measure.Km}
	entries := []ledger.Entry{e("a", time.Date(2025, 7, 1, 8, 0, 0, 0, time.UTC), renewal)}
	for i := 1; i <= 12; i++ {
		entries = append(entries, e("m"+string(rune('a'+i)), time.Date(2025, time.July+time.Month(i), 1, 8, 0, 0, 0, time.UTC), meter(10_000+400*float64(i))))
	}
	laid, back := e("x", at(time.July, 2), ledger.LayUp{}), e("y", at(time.November, 28), ledger.Return{})
	limited, capped := plan, car
	capped.Cap = 108
	limited.Later.Km, limited.Later.Months = 5500, 0
	on := measure.NewDate(2026, 11, 30)
	evaluate := func(more ...ledger.Entry) (UnitStatus, ledger.Account) {
		a := ledger.Fold(capped, append(entries[:len(entries):len(entries)], more...))
		return Evaluate(&a, limited, Conditions{Climate: mild}, on), a
	}
	o, _ := evaluate()
	if c := clockOf(t, o, Use); c.Verdict != Overdue {
		t.Errorf("in use all the time: %s %v", c.Verdict, c.Due)
	}
	o, a := evaluate(laid, back)
	use := clockOf(t, o, Use)
	if use.Verdict == Overdue || use.Reason.Numbers["used"] > 4950 || use.Due == nil || use.Due.Before(on) {
		t.Errorf("laid up from July to November: %s, %v km, due %v", use.Verdict, use.Reason.Numbers["used"], use.Due)
	}
	packed, err := a.Store()
	if err != nil {
		t.Fatal(err)
	}
	restored, err := ledger.Restore(capped, packed)
	if err != nil {
		t.Fatal(err)
	}
	if again := clockOf(t, Evaluate(restored, limited, Conditions{Climate: mild}, on), Use); again.Due == nil || !again.Due.Equal(*use.Due) {
		t.Errorf("restored, due %v; folded, %v", again.Due, use.Due)
	}
	// The return brings its own follow-up, one after the other.
	answers := []struct {
		body   ledger.Body
		answer ledger.Kind
		work   Work
	}{
		{ledger.LevelCheck{Temper: ledger.Cold, Mark: "max"}, ledger.KindLevelCheck, LevelWork},
		{ledger.CapTest{Opened: &measure.Reading{Value: 108, Unit: measure.KPa}, Vacuum: "opens", Seal: "good"}, ledger.KindCapTest, CapWork},
		{ledger.HoseCheck{Hoses: []ledger.HoseFound{{Hose: "upper", State: "good"}}}, ledger.KindHoseCheck, HoseWork},
		{freezeTest(-37, coolant.EG), ledger.KindFreezeTest, TestWork},
	}
	more := []ledger.Entry{laid, back, e("z", at(time.November, 29), ledger.LevelCheck{Temper: ledger.Hot, Mark: "max"})}
	for i, answer := range answers {
		o, _ := evaluate(more...)
		c := clockOf(t, o, FollowUp)
		if work, _ := WorkFor(c); c.Reason.Code != CheckReturn || Answered(c) != answer.answer || work != answer.work {
			t.Errorf("after %d checks: %+v is answered by %s, work %s", i, c.Reason, Answered(c), work)
		}
		more = append(more, e("z"+string(rune('a'+i)), at(time.November, 29).Add(time.Duration(i)*time.Hour), answer.body))
	}
	o, _ = evaluate(more...)
	for _, c := range o.Clocks {
		if c.Kind == FollowUp {
			t.Errorf("all was checked, and %s is owed", c.Reason.Code)
		}
	}
}
