package core

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"diligentledger/core/clock"
	"diligentledger/core/job"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
	"diligentledger/core/visit"
)

const startingDocument = "../docs/starting-values.md"

// planSources of the starting service plans: where the intervals come from. All are patterns that are met, recalled from memory.
var planSources = map[string]string{
	"Car, long-life coolant":          "common practice: a factory fill for 160,000 km or 6 years first, then 80,000 km or 3 years",
	"Car, conventional coolant":       "common practice: 48,000 km; 24 months of conventional coolant",
	"Sealed fill, as a precaution":    "common practice: owners run a sealed fill five years and more, or renew every 2 years or 30,000 km as insurance",
	"Heavy truck":                     "common practice: extended-life coolant with chemistry by condition; engine hours beside the distance; tests twice a year",
	"Motorcycle":                      "common practice: 38,000 km or 36 months, later 13,000 km or 36 months",
	"Boat diesel with heat exchanger": "common practice: impeller 12 months or 200 to 500 h, anodes 6 to 12 months, exchanger 24 months",
	"Light aircraft":                  "common practice: by the manual; inspection each 100 h or 12 months, hoses 5 years",
}

// hoursSource of the hours of work without a sheet.
const hoursSource = "judgement: what a row of such units takes, each; cold engines alone are touched"

// docs/starting-values.md lists the values that a new register starts with and that methods and plan use by default, each with its
// source. `go test ./core -run StartingValues -update` writes it.
func TestStartingValues(t *testing.T) {
	var b strings.Builder
	b.WriteString(`# Starting values

Values that a new register starts with, and that methods and plan use until a coordinator sets others. None is from a maker: the
manual overrules them. This page is written by ` + "`go test ./core -run StartingValues -update`" + ` and a test holds it against
the code. All values were recalled from memory: *common practice* has no source to cite, *judgement* is ours, where the trade is silent.

## Service plans (core/serviceplan)

| plan | first | later | margin, K | replaced | strategy | test, cap, hoses, months | hoses, years | follow-up, days, runs | parts | source |
| --- | --- | --- | ---: | ---: | --- | --- | ---: | --- | --- | --- |
`)
	interval := func(i serviceplan.Interval) string {
		return fmt.Sprintf("%d months, %g km, %g h", i.Months, float64(i.Km), float64(i.Hours))
	}
	for _, p := range serviceplan.Library {
		var parts []string
		for _, part := range p.Parts {
			parts = append(parts, part.Part+" "+interval(part.Interval))
		}
		if planSources[p.Name] == "" {
			t.Errorf("the plan %s has no source", p.Name)
		}
		fmt.Fprintf(&b, "| %s | %s | %s | %g | %g | %s | %d, %d, %d | %d | %d, %d | %s | %s |\n", p.Name, interval(p.First), interval(p.Later), float64(p.FreezeMargin), p.Replaced, p.Strategy,
			p.TestMonths, p.CapMonths, p.HoseMonths, p.HoseYears, p.FollowDays, p.FollowRuns, strings.Join(parts, "; "), planSources[p.Name])
	}
	b.WriteString(`
## Types (core/register)

Cap ratings: cars 13 to 20 psi, motorcycles 18 to 21 psi, boat diesels 13 to 14 psi; thermostats open at 83 to 88 °C (common practice).
Capacities: the middle of what such units hold (judgement). A level by such a capacity is never sound.

| type | facts |
| --- | --- |
`)
	for _, facts := range register.Library {
		var all []string
		for code, value := range facts {
			if code != "name" {
				all = append(all, code+" "+value)
			}
		}
		slices.Sort(all)
		fmt.Fprintf(&b, "| %s | %s |\n", facts["name"], strings.Join(all, "; "))
	}
	b.WriteString("\n## Parameters of the methods (core/job)\n\n| parameter | value | from | to | source |\n| --- | ---: | ---: | ---: | --- |\n")
	for _, p := range job.Parameters {
		if p.Source == "" || p.Least > p.Value || p.Value > p.Most {
			t.Errorf("the parameter %s has no source, or is outside of its bounds", p.Code)
		}
		fmt.Fprintf(&b, "| `%s` | %g %s | %g | %g | %s |\n", p.Code, p.Value, p.Unit, p.Least, p.Most, p.Source)
	}
	fmt.Fprintf(&b, "\n## Hours of work without a sheet (core/visit)\n\nSource: %s.\n\n| work | cooling, h | hands, h | waiting, h | further days |\n| --- | ---: | ---: | ---: | ---: |\n", hoursSource)
	for _, w := range []clock.Work{clock.RenewWork, clock.CorrectWork, clock.RepairWork, clock.HoseWork, clock.ServiceWork, clock.RawWork, clock.FilterWork, clock.CapWork, clock.DoseWork, clock.TestWork, clock.LevelWork, clock.SampleWork} {
		h := visit.HoursOf(w)
		fmt.Fprintf(&b, "| %s | %g | %g | %g | %v |\n", w, h.Cool, h.Hands, h.Wait, visit.FollowUps(w, 3))
	}
	if *update {
		if err := os.WriteFile(startingDocument, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	text, err := os.ReadFile(startingDocument)
	if err != nil || string(text) != b.String() {
		t.Errorf("docs/starting-values.md is not what the core holds (%v): go test ./core -run StartingValues -update", err)
	}
}
