package words

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
)

// joined are the parts that are not empty.
func joined(separator string, parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(p string) bool { return p == "" }), separator)
}

// Inside a unit: where it is, its charge, product, cap and meter, in one line.
func (r Reader) Inside(u Unit, a *ledger.Account) string {
	charge := r.Litres(float64(a.Unit.Capacity), 1) + " system, charge not known"
	if l := a.Balance.Litres; l != nil {
		charge = r.Litres(float64(*l), 1)
	}
	product := "coolant not known"
	switch {
	case a.Product != nil:
		product = a.Product.Name
	case a.Base.Known():
		product = string(a.Base) + ", product not known"
	}
	limit, meter := "", ""
	if a.Unit.Cap > 0 {
		limit = "cap " + r.Kilopascals(float64(a.Unit.Cap))
	}
	for _, d := range []measure.Dimension{a.Unit.Meter, a.Unit.Second} {
		if points := a.MeterOf(d).Points; len(points) > 0 {
			meter = joined(" · ", meter, r.Meter(points[len(points)-1].Raw, measure.Units(d)[0], 0))
		}
	}
	winters := ""
	if u.Winters != "" {
		winters = "in winter also at " + u.Winters
	}
	colder := ""
	if u.ColdOffset < 0 {
		colder = r.Kelvin(float64(-u.ColdOffset), 0) + " colder than its site"
	}
	heated := ""
	if u.Heated {
		heated = "heated storage"
	}
	return joined(" · ", u.Name, u.Site, winters, colder, heated, charge, product, limit, meter)
}

// ProtectedBy is what the temperature that a unit is relied on to protect to rests on.
func (r Reader) ProtectedBy(a *ledger.Account, zone *time.Location) string {
	day := func(t *ledger.TestMark) string { return r.Date(measure.DateOf(t.At, zone)) }
	t, by := a.LastTest, a.ProtectsTo()
	switch {
	case by == nil:
		return ""
	case a.Base == coolant.NoWater && t != nil:
		return "by its product, water tested " + day(t)
	case a.Base == coolant.NoWater:
		return "by its product"
	case t == nil:
		return "by the book"
	case a.Balance.Freeze != nil && *by != *a.Balance.Freeze:
		return "as measured " + day(t)
	case t.Waits:
		return "by the book; the last test reads colder and does not count yet"
	}
	return fmt.Sprintf("by the book (measured %s on %s)", r.Celsius(t.Measured, 0), day(t))
}

// Blended are the products poured in since the renewal, and the share that is foreign; empty for
// none.
func (r Reader) Blended(a *ledger.Account) string {
	if len(a.Blended) == 0 {
		return ""
	}
	var names []string
	for _, p := range a.Blended {
		names = append(names, fmt.Sprintf("%s (%s)", p.Name, p.Technology))
	}
	foreign := ""
	if share := a.ForeignShare(); share >= 0.005 {
		foreign = "; foreign: " + Figure(100*share, 0) + nbsp + "% of the charge"
	}
	return "Also poured in since the renewal: " + strings.Join(names, ", ") + foreign + "."
}

// System is what the register knows of a cooling system that decides what may go in.
func System(l ledger.Unit, drive string) string {
	when := func(is bool, text string) string {
		if is {
			return text
		}
		return ""
	}
	return "System: " + joined(" · ", cmp.Or(string(l.Metal), "metal not known"), when(l.WetLiners, "wet liners"), when(l.SilicateFree, "silicate-free only"),
		when(l.PremixOnly, "premix only"), when(l.Required != "", string(l.Required)+" required"), when(drive == "hybrid" || drive == "electric", drive+" drive"),
		when(len(l.Listed) > 0, "maker’s list: "+strings.Join(l.Listed, ", "))) + "."
}

// ServicePlan of a unit, in a sentence.
func (r Reader) ServicePlan(p serviceplan.Plan) string {
	return fmt.Sprintf("Service plan “%s”: first %s, later %s; a margin of %s on the coldest night. The maker’s manual overrides it.",
		p.Name, r.interval(p.First), r.interval(p.Later), r.Kelvin(float64(p.FreezeMargin), 0))
}

// PlanRules are the rules of a service plan in a line; its distances are in the unit that they were
// given in.
func (r Reader) PlanRules(p serviceplan.Plan) string {
	r.Distance = measure.Km
	if p.Miles {
		r.Distance = measure.Mi
	}
	first := ""
	if p.First != (serviceplan.Interval{}) {
		first = "first " + r.interval(p.First) + ", later "
	}
	every := func(what string, n int, unit string) string {
		if n == 0 {
			return ""
		}
		return fmt.Sprintf("%s %d %s", what, n, unit)
	}
	level := every("level checked cold on", p.FollowDays, "days")
	if p.FollowRuns > 0 {
		level = every("level checked cold after", p.FollowRuns, "runs")
	}
	return joined(" · ", first+r.interval(p.Later), "freeze margin "+r.Kelvin(float64(p.FreezeMargin), 0), every("freeze test every", p.TestMonths, "months"),
		every("cap every", p.CapMonths, "months"), every("hoses every", p.HoseMonths, "months"), every("hoses at most", p.HoseYears, "years old"), level, strings.Join(r.partIntervals(p), " · "))
}

func (r Reader) interval(i serviceplan.Interval) string {
	months, distance, hours := "", "", ""
	switch {
	case i.Months == 1:
		months = "1 month"
	case i.Months > 0:
		months = Figure(float64(i.Months), 0) + " months"
	}
	if i.Km > 0 {
		distance = r.Meter(float64(i.Km), measure.Km, 0)
	}
	if i.Hours > 0 {
		hours = r.Meter(float64(i.Hours), measure.H, 0)
	}
	return cmp.Or(joined(" or ", months, distance, hours), "without limit")
}

// perNames of what a leak is related to.
var perNames = map[string]string{ledger.Per1000Km: "1000 km", ledger.Per100H: "100 h", ledger.PerMonth: "month"}

// Leak of a unit, with what it rests on.
func (r Reader) Leak(l ledger.LeakRate, zone *time.Location) string {
	digits, entries := 2, "entries"
	if l.Rate < 0.095 {
		digits = 3
	}
	if l.Events == 1 {
		entries = "entry"
	}
	return fmt.Sprintf("%s ± %s/%s: %s in %d %s since %s", Figure(measure.FromMetric(l.Rate, r.Volume), digits), r.Litres(l.Sigma, digits), perNames[l.Per],
		r.Litres(float64(l.Litres), 1), l.Events, entries, r.Date(measure.DateOf(l.Since, zone)))
}

// Disagreement of book and test: what was found, and what comes next, a sentence each.
func (r Reader) Disagreement(t *ledger.TestMark, line *ledger.Line, explained []ledger.Explanation, zone *time.Location) (text string, next []string) {
	day := r.Date(measure.DateOf(line.Entry.At, zone))
	text = "The test of " + day + " cannot be used as it was read."
	if test := line.Test; test != nil && test.Trusted {
		off := 0.0
		if test.Book != nil {
			off = float64(max(test.Measured-*test.Book, *test.Book-test.Measured))
		}
		text = fmt.Sprintf("The book and the test of %s disagree by %s.", day, r.Kelvin(off, 0))
	}
	if t.Waits {
		next = append(next, "It reads colder than the book: the book counts until a second, zeroed test shows the same.")
	}
	if t.Confirmed {
		return text, next
	}
	if i := slices.IndexFunc(explained, func(x ledger.Explanation) bool { return x.Close }); i >= 0 {
		with := "with another instrument"
		if explained[i].Distinguish == ledger.OtherScale {
			with = "on the other glycol’s scale"
		}
		return text, append(next, "Two explanations are about as likely. A second reading, "+with+", distinguishes them.")
	}
	return text, append(next, "Test a second time first: then the account can be balanced.")
}

// Cold of a site: what it is planned for, and what that rests on.
func (r Reader) Cold(k *climate.Climate) string {
	coldest := "Coldest night planned for " + r.Celsius(k.Coldest(), 0)
	if k.Years == 0 || k.ReturnLevel == nil {
		return coldest + ", from twelve monthly values: there is no record of nights."
	}
	return fmt.Sprintf("%s, from %d years of nights: the curve of single dates lowered by %s, no further than the %d-winter minimum, %s.",
		coldest, k.Years, r.Kelvin(float64(k.Shift), 1), k.ReturnPeriod, r.Celsius(*k.ReturnLevel, 0))
}

// Forecast for the nights ahead at a site, made at a time; nil for none.
func (r Reader) Forecast(k *climate.Climate, made *time.Time, today measure.Date, zone *time.Location) string {
	n, least, coldest := 0, measure.Date{}, measure.Celsius(0)
	for ahead := range climate.AheadNights {
		day := today.AddDays(ahead)
		if t, ok := k.Forecast(day); ok {
			if n == 0 || t < coldest {
				least, coldest = day, t
			}
			n++
		}
	}
	if n == 0 || made == nil {
		return "No forecast for the nights ahead: the curve counts."
	}
	return fmt.Sprintf("Of the next %d nights the coldest is forecast for %s, %s; forecast of %s.", n, r.Weekday(least), r.Celsius(coldest, 0), r.Date(measure.DateOf(*made, zone)))
}
