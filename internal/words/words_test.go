package words

import (
	"slices"
	"strings"
	"testing"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

func plain(s string) string { return strings.NewReplacer("\u00a0", " ", "−", "-").Replace(s) }

// The cautions of the trade, where they apply: the hot system first, the maker's manual last.
func TestCautions(t *testing.T) {
	for _, c := range []struct {
		kind, drive    string
		says, saysNone []string
	}{
		{"car", "combustion", []string{"hot system", "steam", "poisonous", "siphon", "Gloves", "indoors", "fans", "jack", "recycling"}, []string{"voltage", "over the side", "signatory"}},
		{"car", "hybrid", []string{"High voltage: isolate, lock out", "indoors"}, nil},
		{"car", "electric", []string{"High voltage: isolate, lock out"}, []string{"indoors"}},
		{"car", "", []string{"Hybrid or electric drive"}, nil},
		{"truck", "combustion", []string{"jack"}, []string{"voltage"}},
		{"boat", "combustion", []string{"over the side", "bilge"}, []string{"jack", "signatory"}},
		{"aircraft", "combustion", []string{"signatory", "propellers"}, []string{"jack"}},
		{"", "", []string{"Hybrid or electric drive", "over the side", "signatory"}, nil},
	} {
		all := Cautions(c.kind, c.drive)
		text := strings.Join(all, "\n")
		for _, want := range c.says {
			if !strings.Contains(text, want) {
				t.Errorf("%s %s: nothing of %q in\n%s", c.kind, c.drive, want, text)
			}
		}
		for _, not := range c.saysNone {
			if strings.Contains(text, not) {
				t.Errorf("%s %s: %q does not apply", c.kind, c.drive, not)
			}
		}
		if !strings.Contains(all[0], "hot system") || !strings.Contains(all[len(all)-1], "maker's manual") {
			t.Errorf("%s %s: %q first, %q last", c.kind, c.drive, all[0], all[len(all)-1])
		}
	}
}

// Every reason of the clocks of the mix has words, with its numbers in them, and a rule.
func TestReasons(t *testing.T) {
	type n = map[string]float64
	limits := func(strength float64) n {
		return n{"strength": strength, "dueLow": 33, "watchLow": 40, "watchHigh": 60, "dueHigh": 67, "perYear": 2.5}
	}
	for _, c := range []struct {
		kind    clock.Kind
		code    clock.Code
		verdict clock.Verdict
		about   string
		remedy  coolant.Remedy
		numbers n
		want    string
	}{
		{clock.Strength, clock.StrengthHolds, clock.Sound, "", "", limits(50), "50 % of glycol by volume."},
		{clock.Strength, clock.StrengthLow, clock.Watch, "", "", limits(38), "38 % of glycol by volume: below 40 % the inhibitors are thin and liners cavitate."},
		{clock.Strength, clock.StrengthLow, clock.Due, "", "", limits(30), "below 33 % the inhibitors are too thin"},
		{clock.Strength, clock.StrengthHigh, clock.Watch, "", "", limits(62), "above 60 % cooling worsens"},
		{clock.Strength, clock.StrengthHigh, clock.Due, "", "", limits(85), "too strong: above 67 %"},
		{clock.Strength, clock.StrengthSingle, clock.Watch, "R-2", "", limits(45), "45 % of glycol by volume by one test with R-2 alone, not zeroed"},
		{clock.Strength, clock.StrengthDilutes, clock.Watch, "", "", limits(45), "2.5 % a year less: 33 % is reached then"},
		{clock.Strength, clock.StrengthBeyond, clock.Due, "", "", nil, "too strong"},
		{clock.Chemistry, clock.ChemFails, clock.Due, "nitrite", coolant.RemedySCA, n{"value": 150, "high": 300, "others": 2}, "nitrite 150 to 300 ppm: dose SCA; and 2 more."},
		{clock.Chemistry, clock.ChemFails, clock.Due, "look", coolant.RemedyCause, n{"others": 0}, "appearance: find what got in."},
		{clock.Chemistry, clock.ChemFails, clock.Due, "stray voltage (all off)", coolant.RemedyGround, n{"value": -0.6, "high": -0.6}, "-0.60 V: find the faulty ground."},
		{clock.Chemistry, clock.ChemRetest, clock.Watch, "", "", n{"days": 0}, "dosed today"},
		{clock.Chemistry, clock.ChemRetest, clock.Due, "", "", n{"days": 1}, "dosed 1 day ago"},
		{clock.Chemistry, clock.ChemUntested, clock.Unknown, "", "", n{"limit": 12}, "neither a test nor the product"},
		{clock.Chemistry, clock.ChemUntested, clock.Watch, "", "", n{"limit": 12, "months": 14.2}, "14 months ago; it is wanted every 12 months"},
		{clock.Chemistry, clock.ChemReplaced, clock.Watch, "", "", n{"share": 12.4}, "12 % of the charge was replaced"},
		{clock.Chemistry, clock.ChemOld, clock.Watch, "", "", n{"limit": 12, "months": 14}, "tested 14 months ago"},
		{clock.Chemistry, clock.ChemHolds, clock.Sound, "", "", n{"limit": 12, "months": 0.4}, "less than a month ago and is good"},
		{clock.Chemistry, clock.ChemTrend, clock.Due, "pH", coolant.RemedyRenew, n{"value": 7.6, "high": 7.6}, "pH runs to its limit; 7.6 at the last test. Then: renew."},
		{clock.Product, clock.ProductForeign, clock.Watch, "", "", n{"share": 12}, "12 % of the charge is a foreign product: the conventional interval runs"},
		{clock.Product, clock.ProductForeign, clock.Due, "", "", n{"share": 30}, "flush it"},
		{clock.Product, clock.ProductUnknown, clock.Unknown, "Why.", "", nil, "not known to suit: Why."},
		{clock.Product, clock.ProductUnfit, clock.Due, "Why.", "", nil, "does not suit: Why."},
		{clock.Extender, clock.ExtenderRuns, clock.Watch, "months", "", n{"limit": 36, "hours": 6000, "km": 500000}, "36 months, 6000 h or 500000 km after the fill"},
		{clock.Extender, clock.ExtenderGiven, clock.Sound, "", "", n{"days": 12}, "given 12 days ago"},
		{clock.FilterDue, clock.FilterRuns, clock.Watch, "The filter", "", n{"days": 300}, "The filter was fitted 300 days ago."},
		{clock.Evaluation, clock.NotEvaluated, clock.Unknown, "the books are torn", "", nil, "not evaluated: the books are torn."},
		{clock.FilterDue, clock.FilterUnknown, clock.Unknown, "The filter", "", nil, "cannot be computed"},
	} {
		about := ledger.Subject{Text: c.about}
		if c.kind == clock.Chemistry || c.kind == clock.Extender {
			about = ledger.Subject{Point: c.about}
		}
		at := clock.Clock{Kind: c.kind, Verdict: c.verdict, Reason: clock.Reason{Code: c.code, About: about, Remedy: c.remedy, Numbers: c.numbers}}
		text, rule := Metric.Reason(at, "Depot"), Metric.Rule(at, Unit{}, &ledger.Account{})
		if !strings.Contains(plain(text), c.want) || len(rule) == 0 {
			t.Errorf("%s: %q, rule %q; want %q", c.code, plain(text), rule, c.want)
		}
	}
}

// What a property shows and what puts it right; what is only known to be untested is so named.
func TestPropertyWords(t *testing.T) {
	v := func(p coolant.Property, low, high float64, b coolant.Bounds, g coolant.Grade, r coolant.Remedy) coolant.PropertyGrade {
		return coolant.PropertyGrade{Property: p, Value: low, High: high, Bounds: b, Grade: g, Remedy: r}
	}
	nitrite, ph := coolant.Bounds{Min: 800, WatchMin: 1200, WatchMax: 2400, Max: 3200}, coolant.Bounds{Min: 7, WatchMin: 7.5, WatchMax: 9.5, Max: 10}
	for _, c := range []struct {
		g    coolant.PropertyGrade
		want string
	}{
		{v(coolant.PropNitrite, 0, 0, nitrite, coolant.GradeBad, coolant.RemedySCA), "nitrite 0 ppm: too little; dose SCA"},
		{v(coolant.PropNitrite, 900, 900, nitrite, coolant.GradeSoft, coolant.RemedySCA), "nitrite 900 ppm: less than wanted; dose SCA"},
		{v(coolant.PropNitrite, 2400, 3600, nitrite, coolant.GradeBad, coolant.RemedyDilute), "nitrite 2400 to 3600 ppm: too much; drain part and fill with the mix without additive"},
		{v(coolant.PropNitrite, 1500, 1500, nitrite, coolant.GradeGood, ""), "nitrite 1500 ppm: good"},
		{v(coolant.PropPH, 10.2, 10.2, ph, coolant.GradeBad, coolant.RemedyFlush), "pH 10.2: too high; find out what got in, flush and renew"},
		{v(coolant.PropPH, 6.9, 6.9, ph, coolant.GradeBad, coolant.RemedyRenew), "pH 6.9: too low; renew"},
		{v(coolant.PropPH, 9.8, 9.8, ph, coolant.GradeSoft, coolant.RemedyFlush), "higher than wanted"},
		{v(coolant.PropStray, -0.6, -0.6, coolant.Bounds{WatchMax: 0.1, Max: 0.15}, coolant.GradeBad, coolant.RemedyGround), "stray voltage -0.60 V: stray current; find the faulty ground"},
		{v(coolant.PropMolybdate, 900, 900, coolant.Bounds{}, coolant.GradeUnknown, coolant.RemedyTest), "molybdate 900 ppm: does not show it alone"},
		{v(coolant.PropPH, 0, 0, ph, coolant.GradeUnknown, ""), "pH: not tested"},
		{v(coolant.PropAppearance, 0, 0, coolant.Bounds{}, coolant.GradeBad, coolant.RemedyCause), "appearance: bad; find what got in"},
	} {
		if got := plain(Property(c.g)); !strings.Contains(got, c.want) {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
	for _, r := range []coolant.Remedy{coolant.RemedySCA, coolant.RemedyExtender, coolant.RemedyDilute, coolant.RemedyRenew, coolant.RemedyFlush, coolant.RemedyGround, coolant.RemedyProduct, coolant.RemedyTest, coolant.RemedyCause} {
		if Remedy(r) == "" {
			t.Errorf("%s has no words", r)
		}
	}
	additive := coolant.Additive{Name: "SCA liquid"}
	proposals := []ledger.Proposal{{Remedy: coolant.RemedySCA, Additive: &additive, Litres: 0.5, Most: 1.2, Now: 300, Target: 1800}, {Remedy: coolant.RemedyDilute, Litres: 15, Now: 3600, Target: 1800}}
	said := []string{plain(Proposal(proposals[0])), plain(Proposal(proposals[1]))}
	if !slices.Equal(said, []string{"0.50 L of SCA liquid: nitrite from 300 to about 1800 ppm; never more than 1.20 L.", "Drain 15.0 L and fill with the mix without additive: nitrite from 3600 to about 1800 ppm."}) {
		t.Errorf("%q", said)
	}
}
