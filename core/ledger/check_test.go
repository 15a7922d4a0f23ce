package ledger

import (
	"math"
	"strings"
	"testing"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

func TestCheck(t *testing.T) {
	written := []Entry{on(0, Fill{Volume: litres(8), Product: premix, Meter: ptr(km(5000))}), on(50, Meter{km(7000)}), on(100, Meter{km(9000)})}
	now := day(200)
	over, share := 140.0, 50.0
	noMeter := car
	noMeter.Meter = ""
	for _, c := range []struct {
		name     string
		unit     Unit
		entry    Entry
		field    string // empty: accepted
		accepted string // part of what is said to be accepted
	}{
		{"water top-up", car, on(120, water(0.5)), "", ""},
		{"freeze test in °F", car, on(120, FreezeTest{measure.Reading{Value: -34, Unit: measure.DegF}, Refractometer, coolant.EG}), "", ""},
		{"a test of plain water", car, on(120, test(0, coolant.EG)), "", ""},
		{"loss", car, on(120, Loss{Volume: litres(8)}), "", ""},
		{"fill of concentrate", car, on(120, Fill{Volume: litres(8.3), Product: conc, Share: &share}), "", ""},
		{"meter between two", car, on(75, Meter{km(8000)}), "", ""},
		{"a clock a little ahead", car, Entry{At: now.Add(3 * time.Minute), Body: water(0.1)}, "", ""},

		{"negative litres", car, on(120, water(-0.5)), "/topUp/volume/value", "more than 0 and at most 8 L"},
		{"no litres", car, on(120, Loss{Volume: litres(0)}), "/loss/volume/value", "more than 0"},
		{"litres beyond capacity", car, on(120, TopUp{Volume: measure.Reading{Value: 9, Unit: measure.USQt}, With: coolant.Water}), "/topUp/volume/value", "8.45 US qt"},
		{"litres as degrees", car, on(120, TopUp{Volume: measure.Reading{Value: 1, Unit: measure.DegC}, With: coolant.Water}), "/topUp/volume/unit", "qt_us"},
		{"not a number", car, on(120, water(math.NaN())), "/topUp/volume/value", "finite"},
		{"water from a product", car, on(120, TopUp{Volume: litres(1), With: coolant.Water, Product: &premix}), "/topUp/product", "no product"},
		{"premix without a product", car, on(120, TopUp{Volume: litres(1), With: coolant.Premix}), "/topUp/product", "premix"},
		{"concentrate called premix", car, on(120, TopUp{Volume: litres(1), With: coolant.Premix, Product: &conc}), "/topUp/product", "a premix"},
		{"with what", car, on(120, TopUp{Volume: litres(1), With: "milk"}), "/topUp/with", "premix, concentrate, water"},
		{"before anything was known", car, on(-5, water(0.5)), "/at", "after the first fill"},
		{"loss before anything was known", car, on(-5, Loss{Volume: litres(1)}), "/at", "after the first fill"},
		{"more lost than there is", car, on(120, Loss{Volume: litres(8.5)}), "/loss/volume/value", "at most 8 L"},

		{"in the future", car, on(201, test(-30, coolant.EG)), "/at", "not after now"},
		{"before the age of records", car, Entry{At: time.Date(1950, 1, 1, 0, 0, 0, 0, time.UTC), Body: test(-30, coolant.EG)}, "/at", "1970"},
		{"above freezing", car, on(120, test(3, coolant.EG)), "/freezeTest/temperature/value", "-60 to 0 °C"},
		{"absolute zero", car, on(120, FreezeTest{measure.Reading{Value: -300, Unit: measure.DegF}, Refractometer, coolant.EG}), "/freezeTest/temperature/value", "-76 to 32 °F"},
		{"no scale", car, on(120, test(-30, "")), "/freezeTest/scale", "EG, PG"},
		{"another instrument", car, on(120, FreezeTest{measure.Reading{Value: -30, Unit: measure.DegC}, "finger", coolant.EG}), "/freezeTest/instrument", "refractometer"},
		{"degrees as litres", car, on(120, FreezeTest{litres(3), Refractometer, coolant.EG}), "/freezeTest/temperature/unit", "degF"},

		{"meter runs backwards", car, on(120, Meter{km(8500)}), "/meter/meter/value", "9000 km or more"},
		{"meter in miles runs backwards", car, on(120, Meter{measure.Reading{Value: 5000, Unit: measure.Mi}}), "/meter/meter/value", "5592.34 mi or more"},
		{"backdated meter too high", car, on(75, Meter{km(9500)}), "/meter/meter/value", "7000 to 9000 km"},
		{"more than any meter", car, on(120, Meter{km(2e7)}), "/meter/meter/value", "at most"},
		{"hours on a car", car, on(120, Meter{measure.Reading{Value: 5, Unit: measure.H}}), "/meter/meter/unit", "mi"},
		{"meter on a unit without one", noMeter, on(120, Meter{km(1)}), "/meter/meter", "no meter"},
		{"fill with a meter that ran back", car, on(120, Fill{Volume: litres(8), Product: premix, Meter: ptr(km(1))}), "/fill/meter/value", "9000"},

		{"a fill of a lorry", car, on(120, fill(26)), "/fill/volume/value", "at most 12 L"},
		{"concentrate without a share", car, on(120, Fill{Volume: litres(8), Product: conc}), "/fill/share", "1 to 100"},
		{"share over all", car, on(120, Fill{Volume: litres(8), Product: conc, Share: &over}), "/fill/share", "1 to 100"},
		{"share of a premix", car, on(120, Fill{Volume: litres(8), Product: premix, Share: &share}), "/fill/share", "none for a premix"},
		{"a fill of nothing known", car, on(120, Fill{Volume: litres(8)}), "/fill/product", "concentrate, premix"},
		{"no content", car, Entry{At: day(120)}, "/kind", "top_up"},
	} {
		errs := Check(c.unit, written, c.entry, now)
		if c.field == "" {
			if len(errs) > 0 {
				t.Errorf("%s: refused: %v", c.name, errs[0])
			}
			continue
		}
		if len(errs) == 0 {
			t.Errorf("%s: accepted", c.name)
			continue
		}
		if e := errs[0]; e.Field != c.field || !strings.Contains(e.Accepted, c.accepted) || !strings.Contains(e.Error(), e.Got) {
			t.Errorf("%s: %v; want %s … %s", c.name, e, c.field, c.accepted)
		}
	}
}

// What has been checked folds without a complaint.
func TestCheckedEntriesFold(t *testing.T) {
	var written []Entry
	for _, e := range []Entry{on(0, fill(8)), on(3, Meter{km(40)}), on(9, water(0.4)), on(12, test(-33, coolant.EG)), on(13, Loss{Volume: litres(0.7)})} {
		if errs := Check(car, written, e, day(20)); len(errs) > 0 {
			t.Fatalf("%s: %v", e.ID, errs[0])
		}
		written = append(written, e)
	}
	for _, l := range Fold(car, written).Lines {
		for _, n := range l.Notes {
			if n != NoteImpliedLoss {
				t.Errorf("%s carries %s", l.Entry.ID, n)
			}
		}
	}
}
