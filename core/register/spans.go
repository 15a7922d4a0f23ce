package register

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"

	"diligentledger/core/measure"
	"diligentledger/core/refusal"
)

// Span of days, the last one included: "2026-12-24 to 2027-01-02 closed for the holidays", or each year
// "1 Nov to 31 Mar each year ploughing".
type Span struct {
	From, To measure.Date
	// Yearly: the days and months count, in any year; To may come before From, over the turn of the year.
	Yearly bool
	Note   string
	// Bay that it is about, as its kind and number: "car 1"; empty where the fact is not about bays.
	Bay string
}

// Holds reports whether a day lies in the span.
func (s Span) Holds(day measure.Date) bool {
	if !s.Yearly {
		return !day.Before(s.From) && !day.After(s.To)
	}
	from, to, at := monthDay(s.From), monthDay(s.To), monthDay(day)
	if from <= to {
		return from <= at && at <= to
	}
	return at >= from || at <= to
}

func monthDay(d measure.Date) int { return int(d.Month())*100 + d.Day() }

// String is the canonical form.
func (s Span) String() string {
	text := s.From.String() + " to " + s.To.String()
	if s.From.Equal(s.To) {
		text = s.From.String()
	}
	if s.Yearly {
		text = s.From.Format("2 Jan") + " to " + s.To.Format("2 Jan") + " each year"
	}
	if s.Bay != "" {
		text = s.Bay + ": " + text
	}
	if s.Note != "" {
		text += " " + s.Note
	}
	return text
}

// Spans of a fact in its canonical form; lines that cannot be read are left out, since none was accepted.
func (f Facts) Spans(of Record, code string) []Span {
	field, ok := FieldOf(of, code)
	if !ok {
		return nil
	}
	var all []Span
	for line := range strings.Lines(f[code]) {
		if s, accepted := field.span(strings.TrimSpace(line), Metric(leapDay)); accepted == "" {
			all = append(all, s)
		}
	}
	return all
}

// leapDay is the day by which days of a year without one are read: 29 February is a day of it.
var leapDay = measure.NewDate(2024, 7, 1)

const (
	spanExample = "days on each line, such as 2026-12-24 to 2027-01-02 holidays, or 1 Nov to 31 Mar each year ploughing"
	bayExample  = "a bay and days on each line, such as car 1: 2026-12-07 to 2026-12-11 lift repaired"
	mostSpans   = 40
)

func (f Field) spans(typed string, as Reading, refuse func(string) (string, *refusal.Field)) (string, *refusal.Field) {
	var lines []string
	for line := range strings.FieldsFuncSeq(typed, func(r rune) bool { return r == '\n' || r == ';' }) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		if strings.ContainsFunc(line, unicode.IsControl) {
			return refuse(spanExample)
		}
		s, accepted := f.span(line, as)
		if accepted != "" {
			return refuse(accepted + "; not read: " + cut(line))
		}
		if lines = append(lines, s.String()); len(lines) > mostSpans {
			return refuse(fmt.Sprintf("at most %d lines", mostSpans))
		}
	}
	return strings.Join(lines, "\n"), nil
}

// span of a line, or what is accepted.
func (f Field) span(line string, as Reading) (s Span, accepted string) {
	example := spanExample
	if f.Of == "bay" {
		example = bayExample
		bay, rest, ok := strings.Cut(line, ":")
		if s.Bay = bayName(bay); !ok || s.Bay == "" {
			return s, bayExample
		}
		line = strings.TrimSpace(rest)
	}
	words := strings.Fields(line)
	from, n, ok := leadingDate(words, as)
	if !ok {
		return s, example
	}
	s.From, s.To = from, from
	words = words[n:]
	dated := hasYear(strings.Join(strings.Fields(line)[:n], " "))
	if len(words) > 0 && (words[0] == "to" || words[0] == "until" || words[0] == "–" || words[0] == "-") {
		to, n, ok := leadingDate(words[1:], as)
		if !ok {
			return s, example
		}
		s.To, words = to, words[1+n:]
	}
	if rest := strings.ToLower(strings.Join(words, " ")); strings.HasPrefix(rest, "each year") || strings.HasPrefix(rest, "every year") {
		s.Yearly, words = true, words[2:]
	}
	s.Note = strings.Join(words, " ")
	switch {
	case s.Yearly:
		return s, ""
	case !dated && s.To.Before(s.From):
		s.To = s.To.AddDate(1, 0, 0) // "20 Dec to 3 Jan"
	}
	if s.To.Before(s.From) || s.To.Sub(s.From) > 5*366 {
		return s, "a last day not before the first, at most five years after it"
	}
	return s, ""
}

// hasYear: a date was written with its year.
func hasYear(text string) bool {
	for word := range strings.FieldsFuncSeq(text, func(r rune) bool { return !unicode.IsDigit(r) }) {
		if len(word) == 4 {
			return true
		}
	}
	return false
}

// leadingDate of the first words that are one: the most of three that can be read.
func leadingDate(words []string, as Reading) (d measure.Date, n int, ok bool) {
	for n = min(3, len(words)); n > 0; n-- {
		text := strings.Join(words[:n], " ")
		if n == 3 && !hasYear(words[2]) {
			continue
		}
		if d, err := measure.ReadDate(text, as.Today, as.Order); err == nil {
			return d, n, true
		}
	}
	return d, 0, false
}

// BayKinds of a site by the fact that counts them.
var BayKinds = []struct{ Fact, Kind string }{{"bays_car", "car"}, {"bays_heavy", "heavy"}, {"bays_motorcycle", "motorcycle"}, {"bays_dock", "dock"}, {"bays_hangar", "hangar"}}

// bayName in its canonical form, "car 1"; empty for none.
func bayName(text string) string {
	words := strings.Fields(strings.ToLower(text))
	if len(words) != 2 {
		return ""
	}
	n, err := strconv.Atoi(words[1])
	if err != nil || n < 1 || n > 200 {
		return ""
	}
	for _, k := range BayKinds {
		if k.Kind == words[0] {
			return fmt.Sprintf("%s %d", k.Kind, n)
		}
	}
	return ""
}

// Way to another site.
type Way struct {
	Site  string
	Hours float64
}

const (
	wayExample = "a site and the hours of the way on each line, such as Harbour yard 0.5 h"
	mostWay    = 24 // h
)

func (f Field) ways(typed string, refuse func(string) (string, *refusal.Field)) (string, *refusal.Field) {
	var lines []string
	for line := range strings.FieldsFuncSeq(typed, func(r rune) bool { return r == '\n' || r == ';' }) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		w, ok := wayOf(line)
		if !ok || strings.ContainsFunc(line, unicode.IsControl) {
			return refuse(wayExample + "; not read: " + cut(line))
		}
		if lines = append(lines, w.Site+" "+measure.Digits(w.Hours)+" h"); len(lines) > mostSpans {
			return refuse(fmt.Sprintf("at most %d lines", mostSpans))
		}
	}
	return strings.Join(lines, "\n"), nil
}

// wayOf a line that ends with hours or minutes.
func wayOf(line string) (w Way, ok bool) {
	words := strings.Fields(strings.TrimSuffix(strings.TrimSpace(line), "."))
	for at := max(1, len(words)-2); at < len(words); at++ {
		text := strings.ToLower(strings.Join(words[at:], ""))
		per := 1.0
		switch {
		case strings.HasSuffix(text, "min"):
			text, per = strings.TrimSuffix(text, "min"), 1.0/60
		case strings.HasSuffix(text, "h"):
			text = strings.TrimSuffix(text, "h")
		default:
			continue
		}
		v, err := strconv.ParseFloat(strings.Replace(text, ",", ".", 1), 64)
		if err == nil && v >= 0 && v*per <= mostWay {
			return Way{strings.TrimRight(strings.Join(words[:at], " "), ":,"), v * per}, true
		}
	}
	return w, false
}

// Ways of a site to others.
func (f Facts) Ways() (all []Way) {
	for line := range strings.Lines(f["ways"]) {
		if w, ok := wayOf(line); ok {
			all = append(all, w)
		}
	}
	return all
}
