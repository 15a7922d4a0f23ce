package words_test

import (
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/round"
	"diligentledger/internal/words"
)

// Each question, fit and grade of a round has words; a refused reading says why, a band is said as the
// instrument leaves it open.
func TestRoundWords(t *testing.T) {
	for _, q := range round.Questions {
		if words.QuestionNames[q] == "" {
			t.Errorf("%s has no name", q)
		}
	}
	for _, f := range []round.Fit{round.OtherScale, round.Density, round.Waterless, round.NoBase} {
		if words.Fit(f, coolant.PG) == "" {
			t.Errorf("%s has no words", f)
		}
	}
	if words.Fit(round.Fits, coolant.EG) != "" {
		t.Error("an instrument that fits is warned about")
	}
	for _, c := range []struct {
		test ledger.Reconciliation
		want string
	}{
		{ledger.Reconciliation{Trusted: true, Measured: -23, Low: -25, High: -21}, "Protects to −23 °C ± 2 K"},
		{ledger.Reconciliation{Trusted: true, Measured: -23, Low: -30, High: -23}, "Protects to −23 °C (−23 °C to −30 °C)"},
		{ledger.Reconciliation{Trusted: true, Measured: -40}, "Protects to −40 °C"},
		{ledger.Reconciliation{Measured: -40, Flags: []coolant.Flag{coolant.FlagHydroPG}}, "not used: a floating tester gives no strength of PG"},
	} {
		if got := strings.ReplaceAll(words.Metric.Protects(c.test), "\u00a0", " "); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
	if a, b := words.GradeName(coolant.GradeBad, false), words.GradeName(coolant.GradeBad, true); a == b || words.GradeName(coolant.GradeUnknown, false) == words.GradeName(coolant.GradeGood, false) {
		t.Errorf("bad on a car and on an aircraft: %q and %q", a, b)
	}
	day := measure.DateOf(time.Date(2026, 11, 27, 0, 0, 0, 0, time.UTC), time.UTC)
	at := day.Time()
	if got := words.Metric.RoundInstrument("refractometer", "EG_PG", &at, nil, time.UTC); got != "refractometer, scales EG and PG, zero checked 27 Nov 2026" {
		t.Error(got)
	}
	if got := words.Metric.RoundInstrument("strips", "", nil, &day, time.UTC); got != "strips, good until 27 Nov 2026" {
		t.Error(got)
	}
	if got := words.Metric.RoundInstrument("", "", nil, nil, time.UTC); got != "kind not in the register" {
		t.Error(got)
	}
	if got := words.RoundProgress(3, 1, 2, 1, true); got != "3 of 6 done, 1 skipped, 2 not visited, 1 on hold" {
		t.Error(got)
	}
}
