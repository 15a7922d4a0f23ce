package importer

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
)

// Options are the answers to what a file leaves open.
type Options struct {
	// Order of dates of numbers that the file does not settle; empty to ask.
	Order measure.DayOrder `json:"order,omitempty"`
	// Month is the day that a month without one means: first, middle or last. Empty to ask.
	Month string `json:"month,omitempty"`
	// Emptied: a renewal without a word of what came out was one of the whole system. Empty to ask.
	Emptied string `json:"emptied,omitempty"`
	// Doubtful: what is unusual is meant.
	Doubtful bool `json:"doubtful,omitempty"`
	// Today: a meter reading without a day is of the day of the import. Empty to ask.
	Today string `json:"today,omitempty"`
	// Tested: a freeze point without a day was measured on the day of the renewal, or no to leave it out. Empty to ask.
	Tested string `json:"tested,omitempty"`
	// Found by a check that gives a date and no finding: good, or no to leave it out. Empty to ask.
	Found string `json:"found,omitempty"`
	// Kind, Site, and by kind the Plans and Types of units that the file gives none.
	Kind  string            `json:"kind,omitempty"`
	Site  string            `json:"site,omitempty"`
	Plans map[string]string `json:"plans,omitempty"`
	Types map[string]string `json:"types,omitempty"`
	// Product that was filled where neither the file nor the unit says which; by its code. Mix of a
	// concentrate, per cent.
	Product string  `json:"product,omitempty"`
	Mix     float64 `json:"mix,omitempty"`
	// Products that a text of the file means, by their code; empty for none.
	Products map[string]string `json:"products,omitempty"`
}

// KnownUnit of the register.
type KnownUnit struct {
	Facts register.Facts
	Typed []string
	Left  bool
}

// Known is the register as a file is read against it.
type Known struct {
	Units    map[string]KnownUnit // by number
	Types    map[string]register.Facts
	Sites    []string
	Plans    []string
	Products []coolant.Product
	Reading  register.Reading // of the person who imports
	Zones    map[string]*time.Location
	Zone     *time.Location
}

// Problem of a cell, or of a row when Column is empty.
type Problem struct {
	Row      int    `json:"row"`
	Column   string `json:"column"`
	Value    string `json:"value"`
	Accepted string `json:"accepted"`
	// Doubtful: it is taken once [Options.Doubtful] says that it is meant.
	Doubtful bool `json:"doubtful,omitempty"`
	// Asked: an answer takes it away.
	Asked bool `json:"asked,omitempty"`
}

func (p Problem) String() string {
	return fmt.Sprintf("row %d, %s: %q; accepted: %s", p.Row, p.Column, p.Value, p.Accepted)
}

// Question about a file, as a code; see [Options].
type Question struct {
	Code string `json:"code"` // order, month, emptied, today, tested, found, product, products, mix, kind, site, plan, type
	// About is the text or the kind it is about; Rows how many rows wait for the answer.
	About string `json:"about,omitempty"`
	Rows  int    `json:"rows"`
}

// PlannedEntry of a row.
type PlannedEntry struct {
	At     time.Time
	Body   ledger.Body
	Row    int
	Column string
	// Says is what distinguishes it from others of its kind and time.
	Says string
	// Undated meter reading: of the day of the import, unless it is known already.
	Undated bool
}

// Claim of a spreadsheet: when the next renewal is due.
type Claim struct {
	On    *measure.Date
	Meter *measure.Reading
}

// UnitPlan is what a file brings to one unit.
type UnitPlan struct {
	Code string
	New  bool
	// Back: it left the fleet, and the file brings it back.
	Back bool
	// Change of its facts; After are those that hold then.
	Change, After register.Facts
	Entries       []PlannedEntry
	Claim         *Claim
	Rows          []int
}

// Plan of a file.
type Plan struct {
	Units     []UnitPlan // in the order of the file
	Problems  []Problem  // by row
	Questions []Question
	Rows      int
}

// Bad rows, by their number: those that a problem leaves out.
func (p *Plan) Bad() map[int][]Problem {
	bad := map[int][]Problem{}
	for _, one := range p.Problems {
		bad[one.Row] = append(bad[one.Row], one)
	}
	return bad
}

// reader of one file.
type reader struct {
	table   Table
	columns []Target
	units   []measure.Unit
	options Options
	known   Known
	// marks before decimals, of each column and of the whole file.
	marks []marks
	file  marks
	// dayFirst and monthFirst: some date of the file can be read so alone.
	dayFirst, monthFirst bool
	asked                map[Question]map[int]bool
}

// marks before decimals that were seen in cells that leave no doubt.
type marks struct{ comma, point bool }

func (m marks) and(n marks) marks { return marks{m.comma || n.comma, m.point || n.point} }

// Read a table whose columns are meant for some targets.
func Read(t Table, columns []Target, o Options, known Known) *Plan {
	r := &reader{table: t, columns: columns, options: o, known: known, asked: map[Question]map[int]bool{}}
	r.units, r.marks = make([]measure.Unit, len(columns)), make([]marks, len(columns))
	for i, head := range t.Heads {
		if i < len(columns) {
			r.units[i] = unitOf(head)
		}
	}
	r.notation()
	p := &Plan{Rows: len(t.Rows)}
	at := map[string]int{}
	wide := slices.ContainsFunc(columns, func(c Target) bool { return c != "" && c != "code" && !slices.Contains(Events, c) })
	first := map[string]int{}
	for i, row := range t.Rows {
		number := t.Numbers[i]
		one := r.row(row, number)
		if one.unit != nil && len(one.problems) == 0 {
			if was, there := first[one.unit.Code]; there && wide && !slices.Contains(columns, Event) {
				one.fail("code", one.unit.Code, fmt.Sprintf("each unit once in a list of units; row %d has it as well", was))
			}
		}
		if len(one.problems) > 0 {
			p.Problems = append(p.Problems, one.problems...)
			continue
		}
		if one.unit == nil {
			continue
		}
		first[one.unit.Code] = number
		j, there := at[one.unit.Code]
		if !there {
			at[one.unit.Code] = len(p.Units)
			p.Units = append(p.Units, *one.unit)
			continue
		}
		u := &p.Units[j]
		u.Entries, u.Rows = append(u.Entries, one.unit.Entries...), append(u.Rows, number)
		if one.unit.Claim != nil {
			u.Claim = one.unit.Claim
		}
	}
	for q, rows := range r.asked {
		q.Rows = len(rows)
		p.Questions = append(p.Questions, q)
	}
	slices.SortFunc(p.Questions, func(a, b Question) int {
		return cmp.Or(strings.Compare(a.Code, b.Code), strings.Compare(a.About, b.About))
	})
	return p
}

var (
	commaDecimal = regexp.MustCompile(`^[+\-−]?\d{1,3}(\.\d{3})*,\d{1,2}(\D|$)`)
	pointDecimal = regexp.MustCompile(`^[+\-−]?\d{1,3}(,\d{3})*\.\d{1,2}(\D|$)`)
	numbersDate  = regexp.MustCompile(`^(\d{1,2})([/-])(\d{1,2})[/-](\d{2}|\d{4})$`)
)

// dateTargets and numberTargets are how cells are looked at for the notation of the file.
var dateTargets = []Target{Date, RenewedOn, MeterOn, TestedOn, CapOn, HosesOn, DueOn}

// notation of decimals and dates, by all cells of the file that leave no doubt.
func (r *reader) notation() {
	for _, row := range r.table.Rows {
		for i, cell := range row {
			if i >= len(r.columns) || r.columns[i] == "" || cell == "" {
				continue
			}
			if slices.Contains(dateTargets, r.columns[i]) {
				if m := numbersDate.FindStringSubmatch(cell); m != nil {
					a, _ := strconv.Atoi(m[1])
					b, _ := strconv.Atoi(m[3])
					r.dayFirst = r.dayFirst || a > 12 && b <= 12
					r.monthFirst = r.monthFirst || b > 12 && a <= 12
				}
				continue
			}
			seen := marks{comma: commaDecimal.MatchString(cell), point: pointDecimal.MatchString(cell)}
			r.marks[i], r.file = r.marks[i].and(seen), r.file.and(seen)
		}
	}
}

// numbers is the format of a column: as its own cells show it that leave no doubt, else those of the whole file, else
// as who
// brought the file types. A column that shows both is asked about.
func (r *reader) numbers(column int) measure.NumberFormat {
	for _, of := range []marks{r.marks[column], r.file} {
		switch {
		case of.comma && of.point:
			return measure.EitherMark
		case of.comma:
			return measure.CommaDecimals
		case of.point:
			return measure.PointDecimals
		}
	}
	return r.known.Reading.Numbers
}

// rowReader of one row.
type rowReader struct {
	*reader
	cells    map[Target]string
	column   map[Target]int
	number   int
	problems []Problem
	asks     int // of them, those that an answer takes away
	unit     *UnitPlan
}

// refused: something is wrong with the row that no answer takes away. What is asked is asked at once.
func (r *rowReader) refused() bool { return len(r.problems) > r.asks }

func (r *rowReader) head(t Target) string {
	if i, ok := r.column[t]; ok {
		return r.table.Heads[i]
	}
	return string(t)
}

func (r *rowReader) fail(t Target, value, accepted string) {
	r.problems = append(r.problems, Problem{Row: r.number, Column: r.head(t), Value: value, Accepted: accepted})
}

// ask a question that the row waits for; it is left out until there is an answer.
func (r *rowReader) ask(t Target, code, about, value, accepted string) {
	q := Question{Code: code, About: about}
	if r.asked[q] == nil {
		r.asked[q] = map[int]bool{}
	}
	r.asked[q][r.number] = true
	r.fail(t, value, accepted)
	r.problems[len(r.problems)-1].Asked = true
	r.asks++
}

func (r *reader) row(row []string, number int) *rowReader {
	one := &rowReader{reader: r, cells: map[Target]string{}, column: map[Target]int{}, number: number}
	for i, t := range r.columns {
		if _, twice := one.column[t]; t == "" || i >= len(row) || twice {
			continue
		}
		cell := row[i]
		one.column[t] = i
		if strings.HasPrefix(cell, "=") || strings.HasPrefix(cell, "@") {
			one.fail(t, cell, "a value, and no formula")
			continue
		}
		if c := plain(cell); c == "" || c == "na" || c == "unknown" || c == "notknown" || c == "none" && t != "code" {
			continue
		}
		one.cells[t] = cell
	}
	code := one.cells["code"]
	if code == "" {
		if len(one.cells) > 0 {
			one.fail("code", "", "the number of the unit")
		}
		return one
	}
	one.read(code)
	return one
}

// read a row that names a unit.
func (r *rowReader) read(code string) {
	r.unit = &UnitPlan{Code: strings.Join(strings.Fields(code), " "), Rows: []int{r.number}}
	known, there := r.known.Units[r.unit.Code]
	if !there {
		// The number as the register writes it, whatever its case.
		for other, k := range r.known.Units {
			if strings.EqualFold(other, r.unit.Code) {
				r.unit.Code, known, there = other, k, true
			}
		}
	}
	r.unit.New, r.unit.Back = !there, known.Left
	r.facts(known)
	if r.refused() || r.unit.After == nil {
		return
	}
	r.entries()
	r.claim()
}

// facts of the row's unit.
func (r *rowReader) facts(known KnownUnit) {
	typed := map[string]string{"code": r.unit.Code}
	for t, cell := range r.cells {
		if slices.Contains(Events, t) || t == "code" {
			continue
		}
		typed[string(t)] = cell
	}
	if len(typed) == 1 && !r.unit.New {
		r.unit.After = known.Facts // a line of a history
		return
	}
	kind := known.Facts["kind"]
	if text, ok := typed["kind"]; ok {
		if k := kindOf(text); k != "" {
			typed["kind"], kind = k, cmp.Or(kind, k)
		} else {
			r.fail("kind", text, strings.Join(register.Kinds, ", "))
			return
		}
	}
	if r.unit.New {
		if kind = r.missing(typed, kind); kind == "" {
			return
		}
	} else if k, given := typed["kind"]; given && k != known.Facts["kind"] {
		r.fail("kind", k, known.Facts["kind"]+", as the register has it")
		return
	}
	r.named(typed)
	as := r.known.Reading
	read := register.Facts{}
	for _, code := range slices.Sorted(maps.Keys(typed)) {
		text := typed[code]
		field, ok := register.FieldOf(register.Unit, code)
		if !ok {
			continue
		}
		if field.Kinds != nil && !slices.Contains(field.Kinds, kind) {
			continue // a column that only some kinds have
		}
		reading := as
		if i, ok := r.column[Target(code)]; ok {
			reading.Numbers = r.numbers(i)
			if u := r.units[i]; field.Form == register.Quantity && u.Dimension() == field.Dimension {
				reading.Usual = func(measure.Dimension, measure.Unit) measure.Unit { return u }
			}
		}
		canonical, wrong := field.Read(text, reading)
		if wrong != nil {
			r.fail(Target(code), typed[code], wrong.Accepted)
			continue
		}
		read[code] = canonical
	}
	r.combine(known, read)
}

// combine what was read with what is known, and hold it against the rules of the register.
func (r *rowReader) combine(known KnownUnit, read register.Facts) {
	now := known.Facts.With(nil)
	for _, code := range known.Typed {
		delete(now, code)
	}
	after := now.With(read)
	name := after["type"]
	typeFacts, ok := r.known.Types[name]
	if name != "" && !ok {
		r.fail("type", name, "a type of the register")
		return
	}
	for code, text := range typeFacts {
		if f, ok := register.FieldOf(register.Unit, code); ok && f.Typed && after[code] == "" && text != "" {
			after[code] = text
		}
	}
	_, change := register.Difference(known.Facts, after)
	for code := range change {
		if read[code] == "" {
			delete(change, code) // the type's
		}
	}
	r.unit.Change, r.unit.After = change, after
	for _, wrong := range register.Check(register.Unit, after) {
		code := strings.TrimPrefix(wrong.Pointer, "/facts/")
		_, changed := change[code]
		switch {
		case wrong.Question && (r.options.Doubtful || !changed):
		case wrong.Question:
			r.problems = append(r.problems, Problem{Row: r.number, Column: r.head(Target(code)), Value: wrong.Got, Accepted: wrong.Accepted, Doubtful: true})
		case (code == "plan" || code == "site") && r.asks > 0 && after[code] == "":
			// asked above
		case code == "capacity" && r.cells["capacity"] != "":
			// refused as it was typed
		case code == "capacity":
			r.ask("capacity", "type", after["kind"], "", "the capacity, or a type of "+after["kind"]+" that has one")
		default:
			got := wrong.Got
			if plain, err := strconv.Unquote(got); err == nil {
				got = plain
			}
			r.fail(Target(code), got, wrong.Accepted)
		}
	}
}

// missing facts of a new unit, by the answers of the options; it gives the kind, empty when it is
// not known.
func (r *rowReader) missing(typed map[string]string, kind string) string {
	if kind == "" {
		kind = r.options.Kind
		typed["kind"] = kind
	}
	if kind == "" {
		r.ask("kind", "kind", "", "", strings.Join(register.Kinds, ", "))
		return ""
	}
	if typed["site"] == "" {
		typed["site"] = r.options.Site
	}
	if typed["site"] == "" {
		r.ask("site", "site", "", "", "a site of the register")
	}
	if typed["plan"] == "" {
		typed["plan"] = r.options.Plans[kind]
	}
	if typed["plan"] == "" {
		r.ask("plan", "plan", kind, "", "a service plan of the register")
	}
	if typed["type"] == "" {
		typed["type"] = r.options.Types[kind]
	}
	if typed["type"] == "" && typed["meter"] == "" {
		typed["meter"] = r.meterKind(kind)
	}
	return kind
}

// meterKind of a unit of which nothing else says it: by the unit or the word of the heading over its
// reading; empty when that says nothing either.
func (r *rowReader) meterKind(kind string) string {
	for _, t := range []Target{MeterRead, RenewedMeter, DueMeter} {
		i, ok := r.column[t]
		if !ok || r.cells[t] == "" {
			continue
		}
		head := plain(r.table.Heads[i])
		switch {
		case r.units[i].Dimension() == measure.Distance:
			return "km"
		case kind == "boat" || kind == "aircraft":
			return "h" // whatever the column of a mixed list is called
		case strings.Contains(head, "odo"), strings.Contains(head, "mileage"):
			return "km"
		case r.units[i].Dimension() == measure.EngineTime, strings.Contains(head, "hour"):
			return "h"
		}
	}
	return ""
}

// named records as the register writes them, whatever their case.
func (r *rowReader) named(typed map[string]string) {
	for _, code := range []string{"site", "winters", "plan", "type"} {
		names := map[string][]string{"site": r.known.Sites, "winters": r.known.Sites, "plan": r.known.Plans, "type": slices.Sorted(maps.Keys(r.known.Types))}[code]
		text := typed[code]
		if text == "" {
			continue
		}
		i := slices.IndexFunc(names, func(name string) bool { return plain(name) == plain(text) })
		if i < 0 {
			accepted := "one of the register: " + strings.Join(names, ", ")
			if len(names) == 0 {
				accepted = "nothing: the register has none yet"
			}
			r.fail(Target(code), text, accepted)
			continue
		}
		typed[code] = names[i]
	}
	if text := typed["product"]; text != "" {
		if p, ok := r.product("product", text); ok {
			typed["product"] = p.Code
		} else {
			delete(typed, "product")
		}
	}
}

// product that a text means: its code or name, or what was answered.
func (r *rowReader) product(t Target, text string) (p coolant.Product, ok bool) {
	code, answered := r.options.Products[text]
	if answered && code == "" {
		return p, false
	}
	if !answered {
		code = text
	}
	i := slices.IndexFunc(r.known.Products, func(p coolant.Product) bool { return plain(p.Code) == plain(code) || plain(p.Name) == plain(code) })
	if i < 0 {
		r.ask(t, "products", text, text, "a product of the register")
		return p, false
	}
	return r.known.Products[i], true
}

// day of a cell. A day of numbers that can be read either way waits for an answer.
func (r *rowReader) day(t Target) (day measure.Date, ok bool) {
	cell := r.cells[t]
	if cell == "" {
		return day, false
	}
	today := r.known.Reading.Today
	if serial, err := strconv.ParseFloat(cell, 64); err == nil {
		if at, ok := r.table.Day(serial); ok {
			return r.past(t, measure.DateOf(at, time.UTC))
		}
		r.fail(t, cell, "a date, such as "+today.Format("2 Jan 2006"))
		return day, false
	}
	cell, _, _ = strings.Cut(strings.Replace(cell, "T00:00:00", " ", 1), " 00:00")
	order := r.options.Order
	if order == "" {
		order = measure.YearFirst
		if r.dayFirst != r.monthFirst {
			order = measure.DayFirst
			if r.monthFirst {
				order = measure.MonthFirst
			}
		}
	}
	if m := numbersDate.FindStringSubmatch(cell); m != nil {
		// A number beyond the months settles it, whatever the rest of the file does.
		first, _ := strconv.Atoi(m[1])
		second, _ := strconv.Atoi(m[3])
		switch {
		case first > 12:
			order = measure.DayFirst
		case second > 12:
			order = measure.MonthFirst
		}
	}
	day, err := measure.ReadDate(monthSlashes(cell, order), today, order)
	if err != nil {
		refused, _ := err.(*measure.DateError)
		if refused != nil && len(refused.Suggestions) > 0 {
			r.ask(t, "order", "", cell, strings.Join(refused.Suggestions, " or ")+": say which order the file has")
			return day, false
		}
		if refused != nil && !refused.Month.IsZero() {
			if day, ok := r.dayOfMonth(refused.Month, t != DueOn); ok {
				return r.past(t, day)
			}
			r.ask(t, "month", "", cell, "a day of the month too: say which day a month without one means")
			return day, false
		}
		if refused != nil && refused.Limit != "" {
			r.fail(t, cell, refused.Limit)
			return day, false
		}
		r.fail(t, cell, "a date, such as "+today.Format("2 Jan 2006"))
		return day, false
	}
	return r.past(t, day)
}

// dayOfMonth that was answered for a month without a day; of the month under way none that is to come, where the day
// must be past.
func (r *rowReader) dayOfMonth(first measure.Date, past bool) (measure.Date, bool) {
	last := first.AddMonths(1).AddDays(-1)
	day, ok := map[string]measure.Date{"first": first, "middle": first.AddDays(14), "last": last}[r.options.Month]
	if today := r.known.Reading.Today; past && ok && day.After(today) && !first.After(today) {
		day = today
	}
	return day, ok
}

// monthSlashes: [measure.ReadDate] takes 3-11-2025 as day and month; where the month comes first the dash is
// written as a slash.
func monthSlashes(cell string, order measure.DayOrder) string {
	if order == measure.MonthFirst && numbersDate.MatchString(cell) {
		return strings.ReplaceAll(cell, "-", "/")
	}
	return cell
}

// past day; the next due day alone may be one to come.
func (r *rowReader) past(t Target, day measure.Date) (measure.Date, bool) {
	if t != DueOn && day.After(r.known.Reading.Today) {
		r.fail(t, r.cells[t], "today or an earlier day")
		return day, false
	}
	return day, true
}

// reading of a cell, of one of some dimensions; the unit of the heading, else usual, for a bare number.
func (r *rowReader) reading(t Target, usual measure.Unit, of ...measure.Dimension) (*measure.Reading, bool) {
	cell := r.cells[t]
	if cell == "" {
		return nil, false
	}
	if u := r.units[r.column[t]]; slices.Contains(of, u.Dimension()) {
		usual = u
	}
	accepted := ""
	for _, d := range of {
		unit := usual
		if unit.Dimension() != d {
			unit = measure.Units(d)[0]
		}
		got, err := r.numbers(r.column[t]).Parse(cell, d, unit)
		if err == nil {
			return &got, true
		}
		if refused, ok := err.(*measure.ParseError); ok && accepted == "" {
			accepted = refused.Accepted()
		}
	}
	r.fail(t, cell, accepted)
	return nil, false
}

// Refused turns what the checks of an entry refuse into problems of its row.
func Refused(e PlannedEntry, fields []*refusal.Field, doubtful bool) (problems []Problem) {
	for _, f := range fields {
		if f.Question && doubtful {
			continue
		}
		problems = append(problems, Problem{Row: e.Row, Column: e.Column, Value: plainMarks(f.Got), Accepted: plainMarks(f.Accepted), Doubtful: f.Question})
	}
	return problems
}

// plainMarks writes the times of a refusal as days: a file is read on paper, too.
func plainMarks(text string) string {
	day := func(t time.Time) string { return t.Format("2 Jan 2006") }
	return refusal.Worded(text, day, day)
}
