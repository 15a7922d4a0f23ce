package register

import (
	"maps"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/measure"
)

var today = measure.NewDate(2026, time.November, 27)

// What was typed is kept as it was read, in the unit it was read in; source of the conversions: package
// measure.
func TestRead(t *testing.T) {
	us := Metric(today)
	us.Usual = func(d measure.Dimension, u measure.Unit) measure.Unit {
		if d == measure.Volume {
			return measure.USQt
		}
		return u
	}
	for _, c := range []struct {
		of          Record
		field       string
		as          Reading
		typed, want string
		wrong       string
	}{
		{Unit, "capacity", Metric(today), "8,5", "8.5 L", ""},
		{Unit, "capacity", us, "9", "9 US qt", ""},
		{Unit, "capacity", us, "5.8 imp qt", "5.8 imp qt", ""},
		{Unit, "capacity", us, "3000", "", "0.2113 US qt to 2113.3764 US qt"},
		{Unit, "capacity", Metric(today), "not known", "", ""},
		{Unit, "torque", Metric(today), "9 lbf ft", "9 lbf·ft", ""},
		{Unit, "cold_offset", Metric(today), "−5", "-5", ""},
		{Unit, "year", Metric(today), "2019", "2019", ""},
		{Unit, "year", Metric(today), "19", "", "1900 to 2100"},
		{Unit, "wet_liners", Metric(today), "Yes", "yes", ""},
		{Unit, "wet_liners", Metric(today), "perhaps", "", "yes, no"},
		{Unit, "fill", Metric(today), "Vacuum, gravity,vacuum", "vacuum,gravity", ""},
		{Unit, "fill", Metric(today), "bucket", "", "any of gravity, vacuum"},
		{Unit, "name", Metric(today), "  two   words ", "two words", ""},
		{Unit, "code", Metric(today), strings.Repeat("x", 25), "", "at most 24 characters; these are 25"},
		{Unit, "drains", Metric(today), "radiator petcock: 4.2 l; block left 1 1/2 qt\nblock right", "radiator petcock 4.2 L\nblock left 1.5 US qt\nblock right", ""},
		{Site, "cold", Metric(today), "-20;-19;-14;-7;-2;3;6;5;1;-4;-10", "", "12 values"},
		{Instrument, "expires", Metric(today), "1 Mar 2027", "2027-03-01", ""},
		{Instrument, "expires", Metric(today), "some day", "", "2026"},
		{Instrument, "kind", Metric(today), "Disc tester", "disc_tester", ""},
	} {
		field, ok := FieldOf(c.of, c.field)
		if !ok {
			t.Fatalf("no %s of a %s", c.field, c.of)
		}
		got, wrong := field.Read(c.typed, c.as)
		switch {
		case c.wrong != "" && (wrong == nil || !strings.Contains(wrong.Accepted, c.wrong) || !strings.Contains(wrong.Got, strings.TrimSpace(c.typed))):
			t.Errorf("%s %q: %v, want a refusal with %q", c.field, c.typed, wrong, c.wrong)
		case c.wrong == "" && (wrong != nil || got != c.want):
			t.Errorf("%s %q is %q, %v; want %q", c.field, c.typed, got, wrong, c.want)
		}
	}
}

// Law: what is read in its canonical form is the same again, for every reader.
func TestCanonicalAgain(t *testing.T) {
	us := Metric(today)
	us.Usual = func(d measure.Dimension, u measure.Unit) measure.Unit {
		units := measure.Units(d)
		return units[len(units)-1]
	}
	texts := []string{"1", "2.5", "8 L", "9 US qt", "15 psi", "-20 °C", "yes", "EG", "premix", "2027-03-01", "km", "row 3", "petcock 4 L", "vacuum,gravity", "-4 °C; -8 °C", "50 %", "1.07", "car"}
	read := 0
	for _, r := range Records {
		for _, f := range Fields(r, "") {
			for _, text := range texts {
				first, wrong := f.Read(text, Metric(today))
				if wrong != nil {
					continue
				}
				read++
				if again, wrong := f.Read(first, us); wrong != nil || again != first {
					t.Errorf("%s of a %s: %q is %q, and again %q, %v", f.Code, r, text, first, again, wrong)
				}
			}
		}
	}
	if read < 200 {
		t.Errorf("%d texts read", read)
	}
}

func FuzzRead(f *testing.F) {
	for _, seed := range []string{"8.5 L", "radiator 4 L; block 1/2 qt", "-4;-8", "1 Mar 2027", "CA-1 to CA-9", "½", "\x00", "yes"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, r := range Records {
			for _, field := range Fields(r, "") {
				canonical, wrong := field.Read(text, Metric(today))
				if wrong != nil {
					continue
				}
				if again, wrong := field.Read(canonical, Metric(today)); wrong != nil || again != canonical {
					t.Fatalf("%s: %q is %q, and again %q, %v", field.Code, text, canonical, again, wrong)
				}
			}
		}
		if numbers, err := Numbers(text); err == nil && slices.Contains(numbers, "") {
			t.Fatalf("numbers of %q: %q", text, numbers)
		}
	})
}

func TestNumbers(t *testing.T) {
	for text, want := range map[string][]string{
		"":                        nil,
		"CA-60 to CA-62, TK-1":    {"CA-60", "CA-61", "CA-62", "TK-1"},
		"008 to 010\n99;":         {"008", "009", "010", "99"},
		"HB 2 to HB 2":            {"HB 2"},
		"CA-60 to CA-59":          {"!"},
		"CA-1 to TK-9":            {"!"},
		"CA to CB":                {"!"},
		"CA-1 to CA-999999999999": {"!"},
	} {
		got, err := Numbers(text)
		if refused := len(want) == 1 && want[0] == "!"; refused != (err != nil) || !refused && !slices.Equal(got, want) {
			t.Errorf("%q: %q, %v", text, got, err)
		}
	}
}

// Required facts of each record, and what does not go together.
func TestCheck(t *testing.T) {
	car := Facts{"code": "A", "kind": "car", "site": "S", "plan": "P", "capacity": "8 L"}
	premix := Facts{"code": "P", "name": "P", "base": "EG", "technology": "OAT", "form": "premix", "glycol": "50 %"}
	for name, c := range map[string]struct {
		of     Record
		facts  Facts
		change Facts
		want   string // pointer; ? for a question
	}{
		"sound":                     {Unit, car, nil, ""},
		"no site":                   {Unit, car, Facts{"site": ""}, "/facts/site"},
		"no capacity":               {Unit, car, Facts{"capacity": ""}, "/facts/capacity"},
		"a car of 80 L":             {Unit, car, Facts{"capacity": "80 L"}, "/facts/capacity?"},
		"a truck of 80 L":           {Unit, car, Facts{"capacity": "80 L", "kind": "truck"}, ""},
		"drains beyond its volume":  {Unit, car, Facts{"drains": "a 5 L\nb 4 L"}, "/facts/drains"},
		"drains within the neck":    {Unit, car, Facts{"drains": "a 5 L\nb 3.5 L\nc"}, ""},
		"winters at home":           {Unit, car, Facts{"winters": "S"}, "/facts/winters"},
		"a product":                 {Product, premix, nil, ""},
		"premix of no strength":     {Product, premix, Facts{"glycol": ""}, "/facts/glycol"},
		"premix of 95 %":            {Product, premix, Facts{"glycol": "95 %"}, "/facts/glycol"},
		"waterless of a technology": {Product, premix, Facts{"base": "waterless"}, "/facts/technology"},
		"glycol with a freeze":      {Product, premix, Facts{"freeze": "-37 °C"}, "/facts/freeze"},
		"a concentrate unstated":    {Product, premix, Facts{"form": "concentrate", "glycol": ""}, ""},
	} {
		var got []string
		for _, f := range Check(c.of, c.facts.With(c.change)) {
			text := f.Pointer
			if f.Question {
				text += "?"
			}
			got = append(got, text)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %v, want %q", name, got, c.want)
		}
	}
}

// Law: for any changes and undos that are accepted, the facts that held on a day are those that a list of values by day
// gives, of which the last one on or before the day counts.
func TestFactsOfADay(t *testing.T) {
	codes := []string{"capacity", "base", "metal"}
	begin := measure.NewDate(2025, time.January, 1)
	tried, conflicts := 0, 0
	for seed := range 400 {
		rng := rand.New(rand.NewPCG(uint64(seed), 5))
		now := Facts{"capacity": "8 L"}
		var changes []Change
		for id := range int64(14) {
			if rng.IntN(4) == 0 && len(changes) > 0 {
				c := &changes[rng.IntN(len(changes))]
				if Undoable(changes, c.ID) {
					now, c.Undone = now.With(c.Was), true
				}
				continue
			}
			code := codes[rng.IntN(len(codes))]
			after := now.With(Facts{code: []string{"7 L", "9 L", "", "10 L"}[rng.IntN(4)]})
			was, is := Difference(now, after)
			if len(is) == 0 {
				continue
			}
			var from *measure.Date
			if rng.IntN(3) > 0 {
				day := begin.AddDays(rng.IntN(60))
				from = &day
			}
			if conflict, _ := Conflict(changes, is, from); conflict != "" {
				conflicts++
				continue
			}
			changes, now = append(changes, Change{ID: id + 1, From: from, Was: was, Is: is}), after
		}
		for n := range 62 {
			day := begin.AddDays(n - 1)
			want := maps.Clone(now)
			// Backwards: what came into effect later had its value before it.
			for _, c := range slices.Backward(changes) {
				if !c.Undone && c.From != nil && day.Before(*c.From) {
					want = want.With(c.Was)
				}
			}
			if got := At(now, Before(Unit, changes), day); !reflect.DeepEqual(got.Known(), want.Known()) {
				t.Fatalf("history %d on %s: %v, want %v; %+v", seed, day, got, want, changes)
			}
			tried++
		}
	}
	if tried == 0 || conflicts == 0 {
		t.Errorf("%d days, %d conflicts: the law was not tried", tried, conflicts)
	}
}

// Each starting type is accepted as it is, is marked as common practice, and there is one for each
// kind.
func TestLibrary(t *testing.T) {
	kinds := map[string]bool{}
	for _, facts := range Library {
		read, wrong := ReadAll(Type, facts["kind"], facts, Metric(today))
		if len(wrong) > 0 || !reflect.DeepEqual(read, facts) {
			t.Errorf("%s: %v, read as %v", facts["name"], wrong, read)
		}
		common := facts.With(Facts{"common": "yes"})
		if wrong := Check(Type, common); len(wrong) > 0 {
			t.Errorf("%s: %v", facts["name"], wrong[0])
		}
		kinds[facts["kind"]] = true
	}
	if len(kinds) != len(Kinds) {
		t.Errorf("types of %v", kinds)
	}
}
