package sums

import (
	"diligentledger/core/refusal"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// plain is everything an answer says, with plain spaces and hyphens.
func plain(r Result) string {
	var b strings.Builder
	b.WriteString(r.Headline + "\n")
	for _, l := range r.Lines {
		b.WriteString(l.Label + ": " + l.Text + "\n")
	}
	for _, w := range r.Warnings {
		b.WriteString(w + "\n")
	}
	return strings.NewReplacer("\u00a0", " ", "−", "-").Replace(b.String())
}

type given = map[string]string

// Worked answers. Figures: handbook and label values as named in the tests of
// the core; words: what a technician has to know.
func TestAnswers(t *testing.T) {
	for _, c := range []struct {
		question string
		units    Units
		given    given
		says     []string
	}{
		{"protects", Metric, given{"strength": "50 %"}, []string{"Freezes at -37 °C", "glycol by mass: 52", "the same freeze point: 85.0 % by mass"}},
		{"protects", US, given{"strength": "50"}, []string{"Freezes at -34 °F"}},
		{"protects", Metric, given{"strength": "-34 F", "night": "-20"}, []string{"Freezes at -37 °C. Good for that night.", "margin on that night: 16.7 K"}},
		{"protects", Metric, given{"strength": "33 %", "night": "-24 C"}, []string{"It freezes on that night.", "Below 40 % the inhibitors are thin, and liners cavitate."}},
		{"protects", Metric, given{"strength": "-26", "night": "-24 C"}, []string{"Too small a margin"}},
		{"protects", Metric, given{"strength": "85 %"}, []string{"eutectic", "Above 67 %"}},
		{"protects", Metric, given{"base": "PG", "strength": "50 %"}, []string{"Freezes at -33 °C"}},
		// 50/50 under 15 psi boils near 129 °C, 265 °F (common practice).
		{"boil", Metric, given{"rated": "15 psi", "opened": "15 psi", "vacuum": "5"}, []string{"Boils at 129 °C."}},
		{"boil", US, given{"rated": "15", "running": "230"}, []string{"Boils at 263 °F.", "rating is assumed"}},
		{"boil", Metric, given{"rated": "90", "opened": "71", "vacuum": "5", "running": "100"}, []string{"still serves", "the cap costs: ", "margin of"}},
		{"boil", Metric, given{"rated": "90", "opened": "66", "running": "110"}, []string{"opens too soon"}},
		{"boil", Metric, given{"rated": "90", "opened": "75", "age": "new", "running": "110"}, []string{"opens too soon"}},
		// 10 to 15 K are wanted (common practice).
		{"boil", Metric, given{"running": "127"}, []string{"too little"}},
		{"boil", Metric, given{"running": "116"}, []string{"just enough"}},
		{"boil", Metric, given{"running": "110"}, []string{"K."}},
		{"boil", Metric, given{"rated": "90", "seat": "unseated", "running": "115", "altitude": "5000 ft"}, []string{"not seated", "It boils at that gauge"}},
		{"target", Metric, given{"strength": "39 %", "target": "50 %"}, []string{"One pass does it.", "drain 1.5", "pour 1.5", "test again"}},
		{"target", US, given{"capacity": "10 qt", "drainable": "8 qt", "strength": "60 %", "target": "-34 F", "with": "concentrate"}, []string{"One pass", "water", "US qt"}},
		{"target", Metric, given{"capacity": "10", "volume": "2", "drainable": "8", "strength": "0 %", "target": "50 %"}, []string{"first, all of it, then"}},
		{"target", Metric, given{"capacity": "10", "drainable": "4", "strength": "0 %", "target": "50 %"}, []string{"2 passes do it.", "block drain"}},
		{"target", Metric, given{"strength": "20 %", "target": "60 %", "with": "premix_only"}, []string{"It cannot be reached", "A product with at least 73.3 % of glycol by volume is needed."}},
		// A can that holds 66 % by its label: 8·(50−39)/(66−39) litres of it.
		{"target", Metric, given{"strength": "39 %", "target": "50 %", "content": "66 %", "night": "-24"}, []string{"pour 3.2", "margin on the coldest night: 12.9 K"}},
		{"target", Metric, given{"strength": "20 %", "target": "35 %", "night": "-30"}, []string{"Even so it freezes on the coldest night."}},
		{"target", Metric, given{"strength": "50 %", "target": "50 %"}, []string{"on target already"}},
		{"target", Metric, given{"strength": "20 %", "target": "50 %", "drainable": "0"}, []string{"nothing can be drained"}},
		// What may be added leads the wrong way: nothing is poured, and what is needed said
		// (by hand: (0.50·8 − 0.39·2)/6 and (0.55·8 − 0.50·2)/6).
		{"target", Metric, given{"strength": "39 %", "target": "50 %", "with": "water"}, []string{"Pour nothing", "at least 53.7 %"}},
		{"target", Metric, given{"strength": "50 %", "target": "55 %", "with": "premix_only", "premix": "45 %"}, []string{"Pour nothing", "at least 56.7 %"}},
		// No one typed what one drain reaches, so it is no complaint.
		{"target", Metric, given{"capacity": "4", "strength": "39 %", "target": "50 %"}, []string{"One pass does it."}},
		{"target", Metric, given{"capacity": "2 qt 1 pt", "strength": "39 %", "target": "50 %"}, []string{"One pass does it."}},
		{"reading", Metric, given{"freeze": "-56"}, []string{"Too strong: dilute and test again.", "to be recorded: no"}},
		{"reading", Metric, given{"instrument": "discs", "inside": "PG"}, []string{"This reading is not usable.", "A floating tester gives no strength of PG"}},
		{"chemistry", Metric, given{"technology": "NOAT", "liners": "yes", "molybdate": "50", "look": "clear"}, []string{"Watch it", "molybdate: 50 ppm: less than wanted; test it", "not tested: nitrite", "without a test of the nitrite"}},
		{"chemistry", Metric, given{"technology": "NOAT", "liners": "yes", "nitrite": "0"}, []string{"Not good", "nitrite: 0 ppm: too little; add its extender"}},
		{"chemistry", Metric, given{"technology": "IAT", "liners": "yes", "nitrite": "50", "molybdate": "310"}, []string{"too little; dose SCA"}},
		// 1800 ppm stated as NaNO₂ are 1200 as NO₂.
		{"chemistry", Metric, given{"technology": "IAT", "liners": "yes", "nitrite": "1800", "nitriteas": "NaNO2"}, []string{"nitrite: 1200 ppm: good"}},
		{"chemistry", Metric, given{"technology": "IAT", "liners": "yes", "nitrite": "2400", "nitriteto": "3600"}, []string{"2400 to 3600 ppm: too much; drain part"}},
		{"chemistry", Metric, given{"reserve": "4", "fresh": "10"}, []string{"reserve alkalinity: 4.0 mL: less than wanted; renew"}},
		{"chemistry", Metric, given{"ph": "10.2"}, []string{"10.2: too high; find out what got in, flush and renew"}},
		// 30 L of half and half weigh 32 kg: 32·1.2 = 38.4 g of NO₂ bring 600 to 1800 ppm.
		{"dose", Metric, given{}, []string{"Dose 0.43 L; never more than 0.92 L.", "too little; dose SCA", "test the nitrite again"}},
		{"dose", Metric, given{"nitrite": "3600"}, []string{"Dose nothing.", "drain 15.00 L"}},
		{"dose", Metric, given{"technology": "NOAT", "nitrite": "250"}, []string{"reaches: 700 ppm"}},
		{"water", Metric, given{}, []string{"Fit for mixing.", "hardness: 120 of at most 170 ppm"}},
		{"water", Metric, given{"chloride": "60"}, []string{"Not fit", "chloride: 60 of at most 40 ppm: too much"}},
		{"water", Metric, given{"solids": ""}, []string{"the rest is not known", "not tested: dissolved solids"}},
		{"mix", Metric, given{"add": "water", "form": "premix", "strong": "yes"}, []string{"Yes, as a top-up.", "tested too strong"}},
		{"mix", Metric, given{"technology": "IAT", "addtech": "IAT", "liners": "yes", "meets": "D3306"}, []string{"Never in this system.", "passenger-car IAT"}},
		{"mix", Metric, given{"technology": "IAT", "addtech": "IAT", "liners": "yes", "meets": "D4985", "sca": "yes"}, []string{"Yes, as a top-up."}},
		{"mix", Metric, given{"technology": "IAT", "addtech": "IAT", "metal": "aluminium"}, []string{"Yes, as a top-up."}},
		{"mix", Metric, given{"technology": "NOAT", "addtech": "NOAT", "metal": "aluminium"}, []string{"Unknown, which is not yes.", "ammonia"}},
		{"mix", Metric, given{"base": "waterless", "technology": "waterless", "addtech": "OAT"}, []string{"Only after a full flush.", "Waterless"}},
		{"mix", Metric, given{"technology": "HOAT", "addtech": "HOAT", "liners": "yes"}, []string{"Unknown, which is not yes.", "maker's list"}},
		// 4.0 of 5.8 qt is about 70 % (common practice).
		{"again", US, given{"capacity": "5.8", "drained": "4.0"}, []string{"69.0 % is new. That counts as a renewal", "mean age 11.2 months"}},
		{"again", Metric, given{"capacity": "8", "drained": "3"}, []string{"does not count as a renewal"}},
		{"buy", Metric, given{"cleaner": "yes"}, []string{"concentrate to pour: 5.00 L", "the level falls by: 0.10 L", "Concentrate is cheaper", "concentrate to buy: 1 × 5 L for 48.00", "flush cleaner: 1 bottle\n", "water flushes after it: 2 to 4", "does not say what it holds"}},
		{"buy", Metric, given{"capacity": "12", "cleaner": "yes"}, []string{"2 bottles"}},
		{"buy", Metric, given{"capacity": "40", "cleaner": "yes"}, []string{"4 bottles"}},
		{"buy", Metric, given{"capacity": "10", "trapped": "6", "content": "99 %"}, []string{"One fill reaches 40.0 % at best. Drain 0.99 L more first, by the block or the heater core", "concentrate to pour: 4.00 L", "purified water to pour: 0.00 L"}},
		{"buy", Metric, given{"is": "same", "premix": "1 L 1"}, []string{"Premix is cheaper"}},
		{"reading", Metric, given{"checked": "3"}, []string{"Freezes at -30 °C, give or take 1.4 K.", "to be recorded: yes"}},
		{"reading", Metric, given{"inside": "PG", "freeze": "-41", "checked": "3"}, []string{"It shows -41 °C; what is inside freezes at about -3", "other glycol", "to be recorded: no"}},
		{"reading", Metric, given{"inside": "unknown"}, []string{"Which glycol is inside is not known", "No zero check"}},
		{"reading", US, given{"instrument": "freeze", "freeze": "-34", "checked": "3", "sample": "68"}, []string{"Freezes at -34 °F"}},
		{"reading", Metric, given{"instrument": "percent", "percent": "50", "checked": "3"}, []string{"Freezes at -37 °C"}},
		{"reading", Metric, given{"instrument": "brix", "inside": "unknown"}, []string{"to be recorded: no"}},
		{"reading", Metric, given{"instrument": "hydrometer", "inside": "PG"}, []string{"This reading is not usable.", "A floating tester gives no strength of PG"}},
		{"reading", Metric, given{"instrument": "hydrometer", "density": "1.066"}, []string{"Protected to -19 °C, perhaps to -41 °C."}},
		{"reading", Metric, given{"instrument": "percent", "percent": "95 %"}, []string{"Too strong"}},
		{"reading", Metric, given{"instrument": "brix", "brix": "58"}, []string{"Too strong"}},
		{"reading", Metric, given{"instrument": "hydrometer", "density": "1.072", "own": "1.122"}, []string{"Freezes at -35 °C"}},
		// Six discs, three floating: −23 °C (common practice).
		// Twelve systems need twelve times as much, bought together.
		{"buy", Metric, given{"capacity": "12 x 7 L", "trapped": "0"}, []string{"concentrate to pour, each of 12 systems", "4 × 1 L + 2 × 20 L", "4 × 1 L + 4 × 20 L"}},
		{"buy", Metric, given{"capacity": "7", "systems": "12", "trapped": "0"}, []string{"concentrate to pour, each of 12 systems", "4 × 1 L + 2 × 20 L", "4 × 1 L + 4 × 20 L"}},
		{"reading", Metric, given{"instrument": "discs"}, []string{"Protected to -23 °C, perhaps to -30 °C."}},
		{"reading", Metric, given{"instrument": "discs", "chart": "-8 -16 -24 -31", "floating": "3"}, []string{"Protected to -24 °C, perhaps to -31 °C."}},
		{"reading", Metric, given{"instrument": "discs", "chart": "-8, -16, -24, -31", "floating": "3"}, []string{"Protected to -24 °C, perhaps to -31 °C."}},
		{"reading", Metric, given{"instrument": "discs", "chart": "-7,5; -15,5; -24; -31", "floating": "3"}, []string{"Protected to -24 °C, perhaps to -31 °C."}},
		// A bare figure of a US reader is °F, in a chart too.
		{"reading", US, given{"instrument": "discs", "chart": "20; 5; -10; -22", "floating": "3"}, []string{"Protected to -10 °F, perhaps to -22 °F."}},
		{"reading", US, given{"instrument": "discs", "chart": "20 F 5 F -10 F -22 F", "floating": "3"}, []string{"Protected to -10 °F, perhaps to -22 °F."}},
		{"reading", Metric, given{"instrument": "strip", "spoilt": "expired"}, []string{"past its date", "to be recorded: no"}},
		{"chemistry", Metric, given{"look": "clear"}, []string{"What was tested is good.", "not tested: "}},
		{"chemistry", Metric, given{}, []string{"What was tested is good.", "not tested: stray voltage (cranking), stray voltage (loads on), look"}},
		{"chemistry", Metric, given{"ph": "", "strayoff": ""}, []string{"Nothing was tested that decides it."}},
		{"chemistry", Metric, given{"ph": "6.5", "strayoff": "-0.4"}, []string{"Not good", "stray voltage (all off): -0.40 V: stray current; find the faulty ground"}},
		{"chemistry", Metric, given{"look": "clear", "earlier": "2024-05-01 8.9; 2025-05-01 8.6; 2026-05-01 8.3"}, []string{"pH at its limit: in about 52 months"}},
		{"mix", Metric, given{}, []string{"Only after a full flush.", "Other inhibitors"}},
		{"mix", Metric, given{"technology": ""}, []string{"Unknown, which is not yes."}},
		{"mix", Metric, given{"add": "water", "form": "premix"}, []string{"Only in need.", "The same premix first."}},
		{"mix", Metric, given{"addtech": "OAT"}, []string{"Yes, as a top-up."}},
	} {
		r, err := Ask(c.question, c.units, c.given)
		if err != nil {
			t.Errorf("%s %v: %v", c.question, c.given, err)
			continue
		}
		text := plain(r)
		for _, want := range c.says {
			if !strings.Contains(text, want) {
				t.Errorf("%s %v %s: %q is not in\n%s", c.question, c.units, c.given, want, text)
			}
		}
	}
}

// Wrong input is answered with what is accepted, at its field.
func TestRefusals(t *testing.T) {
	for _, c := range []struct {
		question string
		given    given
		field    string
		accepted string
	}{
		{"target", given{"target": "75 %"}, "target", "33 to 65 %"},
		{"target", given{"target": "20 %"}, "target", "33 to 65 %"},
		{"target", given{"capacity": "0"}, "capacity", "0.1 L to 10000 L"},
		{"target", given{"drainable": "9"}, "drainable", "0 L to 8 L"},
		{"protects", given{"strength": "-300 C"}, "strength", "−52.8"},
		{"protects", given{"strength": "NaN"}, "strength", "such as 50 %"},
		{"protects", given{"strength": "50%%"}, "strength", "such as 50 %"},
		{"protects", given{"strength": ""}, "strength", "such as 50 %"},
		{"protects", given{"strength": "150 %"}, "strength", "0 to"},
		{"protects", given{"base": "PG", "strength": "70 %"}, "strength", "0 to 60 % PG by volume"},
		{"protects", given{"base": "XG"}, "base", "EG, PG"},
		{"protects", given{"colour": "green"}, "colour", "no such input"},
		{"protects", given{"night": "warm"}, "night", "°C or °F"},
		{"boil", given{"rated": "-5"}, "rated", "0 kPa to 300 kPa"},
		{"boil", given{"rated": "-5 psi"}, "rated", "0 psi to 43.51 psi"},
		{"protects", given{"strength": "400 %"}, "strength", "% EG by volume"},
		{"target", given{"capacity": "1,000 L"}, "capacity", "1000 l or 1 l"},
		{"boil", given{"altitude": "20000 m"}, "altitude", "9000 m"},
		{"again", given{"passes": "1.5"}, "passes", "whole number"},
		{"again", given{"drained": ""}, "drained", "2 1/2 qt"},
		{"buy", given{"concentrate": "five litres"}, "concentrate", "20 L 140"},
		{"buy", given{"concentrate": ""}, "concentrate", "20 L 140"},
		{"buy", given{"premix": "0.001 L 5"}, "premix", "0.05"},
		{"buy", given{"premix": "1 L -5"}, "premix", "sizes with prices"},
		{"reading", given{"instrument": "nose"}, "instrument", "hydrometer"},
		{"reading", given{"freeze": "5 C"}, "freeze", "−60"},
		{"buy", given{"capacity": "12 x 7 L", "systems": "3"}, "capacity", "12 x 7 L"},
		{"buy", given{"systems": "1.5"}, "systems", "a whole number"},
		{"buy", given{"systems": "0"}, "systems", "1 to"},
		{"reading", given{"instrument": "discs", "floating": "9"}, "floating", "0"},
		{"reading", given{"instrument": "discs", "chart": "-7; cold"}, "chart", "one disc first"},
		{"reading", given{"instrument": "strip", "warm": "-30 C", "cold": "-20 C"}, "cold", "warmer first"},
		{"chemistry", given{"ph": "15"}, "ph", "0 to 14"},
		{"chemistry", given{"earlier": "lately 8"}, "earlier", "2024-05-01"},
		{"mix", given{"add": "milk"}, "add", "water"},
		{"why", given{}, "question", "protects"},
	} {
		_, err := Ask(c.question, Metric, c.given)
		var refused *refusal.Error
		if !errors.As(err, &refused) || !slices.Contains([]string{"/inputs/" + c.field, "/" + c.field}, refused.Fields[0].Pointer) || !strings.Contains(strings.ReplaceAll(refused.Fields[0].Accepted, "\u00a0", " "), c.accepted) {
			t.Errorf("%s %v: %v; want %s … %s", c.question, c.given, err, c.field, c.accepted)
		}
	}
	if text, err := Ask("reading", Metric, given{"instrument": "hydrometer", "inside": "PG"}); err != nil || len(text.Steps) == 0 || text.Steps[0].Source == "" {
		t.Errorf("a reading that tells nothing: %+v, %v", text, err)
	}
	if r, err := Ask("target", US, given{"capacity": "½ gal", "strength": "-20", "target": "50"}); err != nil || len(r.Read) != 3 || r.Read[0] != (Line{"system holds", "0.5 US gal"}) || r.Read[1] != (Line{"strength now", "-20 °F"}) {
		t.Errorf("what was typed is read as %v, %v", r.Read, err)
	}
	if r, err := Ask("target", Metric, given{"strength": "50 %", "target": "50 %"}); err != nil || strings.Contains(plain(r), "Warm it") {
		t.Errorf("on target, and to be warmed through: %v", err)
	}
	if _, err := Ask("protects", "cubits", nil); err == nil || !strings.Contains(err.Error(), "metric, us, imperial") {
		t.Errorf("cubits: %v", err)
	}
	_, err := Ask("target", Metric, given{"capacity": "x", "strength": "y"})
	var refused *refusal.Error
	if !errors.As(err, &refused) || len(refused.Fields) < 2 {
		t.Errorf("two faults at once: %v", err)
	}
}

// Every question answers as it opens, in every system of units, and the sum is
// laid open with a source.
func TestEveryQuestionOpens(t *testing.T) {
	for _, q := range Questions() {
		for _, u := range []Units{Metric, US, Imperial} {
			r, err := Ask(q.Name, u, nil)
			if err != nil || r.Headline == "" || len(r.Lines) == 0 || len(r.Steps) == 0 {
				t.Errorf("%s in %s: %+v, %v", q.Name, u, r, err)
			}
			for _, s := range r.Steps {
				if s.Source == "" || s.Formula == "" {
					t.Errorf("%s: step %q has no source", q.Name, s.What)
				}
			}
			if c := r.Curve; c != nil && (len(c.Freeze) < 50 || c.At == nil || c.At.Low > c.At.High) {
				t.Errorf("%s: curve of %d points, mark %+v", q.Name, len(c.Freeze), c.At)
			}
		}
		for _, f := range q.Fields {
			if f.Label == "" || len(f.ShownFor) > 0 && f.ShownBy == "" {
				t.Errorf("%s: field %+v", q.Name, f)
			}
		}
	}
}

// Prices with thousands or a money are read or asked about, never cut.
func TestPrices(t *testing.T) {
	cans := func(list string) string {
		r, err := Ask("buy", Metric, given{"capacity": "10", "trapped": "0", "content": "99 %", "concentrate": list})
		if err != nil {
			return err.Error()
		}
		return plain(r)
	}
	want := cans("200 L 1250; 5 L 39")
	for _, list := range []string{"200 L 1,250.00; 5 L 39.00", "200 L €1,250.00; 5 L 39.00 €", "200 L 1'250 kr; 5 L € 39", "200 L 1.250,00; 5 L 39,00 kr"} {
		if got := cans(list); got != want || !strings.Contains(want, "39") {
			t.Errorf("%s: %s; want %s", list, got, want)
		}
	}
	if got := cans("200 L 1,250; 5 L 39"); !strings.Contains(got, "1250 or 1.25") {
		t.Errorf("a price that may be meant two ways: %s", got)
	}
}

// What is to be drained first is said as from now: drained so much of what is inside, the system is brought to target
// in one pass.
func TestDrainFromNow(t *testing.T) {
	inputs := given{"capacity": "12.5 qt", "volume": "8.5 qt", "drainable": "0", "strength": "20 %", "target": "50 %", "with": "premix_only", "premix": "60 %"}
	r, err := Ask("target", US, inputs)
	if err != nil {
		t.Fatal(err)
	}
	m := regexp.MustCompile(`Drain ([\d.]+)\D+ of what is inside now first`).FindStringSubmatch(r.Headline)
	if m == nil {
		t.Fatalf("%q says no drain", r.Headline)
	}
	drain, err := strconv.ParseFloat(m[1], 64)
	if err != nil || drain <= 0 || drain > 8.5 {
		t.Fatalf("%q", r.Headline)
	}
	inputs["volume"], inputs["drainable"] = fmt.Sprintf("%.2f qt", 8.5-drain-0.01), "0"
	if r, err = Ask("target", US, inputs); err != nil || r.Headline != "One pass does it." {
		t.Errorf("after the drain of %v: %q, %v", drain, r.Headline, err)
	}
	inputs["volume"] = fmt.Sprintf("%.2f qt", 8.5-drain+0.3)
	if r, err = Ask("target", US, inputs); err != nil || r.Headline == "One pass does it." {
		t.Errorf("with less drained: %q, %v", r.Headline, err)
	}
}
