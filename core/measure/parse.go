package measure

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
)

// ParseError says that a text is not a quantity of the wanted kind.
type ParseError struct {
	Text string
	Want Dimension
	// Suggestions are the two readings of a text that may be meant either way, such as
	// 30,000 or 12.500, each written so that it is read one way alone; empty for any other.
	Suggestions []string
	// Readings are the same two, thousands first; none where a text has several parts.
	Readings []Reading
}

// Only is the one of the two readings that is accepted; false when both or neither is.
func (e *ParseError) Only(accepted func(Reading) bool) (Reading, bool) {
	var found []Reading
	for _, r := range e.Readings {
		if accepted(r) {
			found = append(found, r)
		}
	}
	if len(found) != 1 {
		return Reading{}, false
	}
	return found[0], true
}

// NumberFormat is which mark a person writes before decimals; it settles a number that ends in one
// mark and exactly three digits. The other mark then groups thousands.
type NumberFormat string

// The formats. Without one, a number that can be meant either way is asked about.
const (
	EitherMark    NumberFormat = ""
	PointDecimals NumberFormat = "point" // 12,500.5
	CommaDecimals NumberFormat = "comma" // 12.500,5
)

// Known reports whether the format settles anything.
func (f NumberFormat) Known() bool { return f == PointDecimals || f == CommaDecimals }

// stored is the format of texts that the program wrote itself: a point before decimals. A comma
// before three digits is refused in them as an older version refused it.
const stored NumberFormat = "stored"

// possible values of a dimension in its metric unit: of a text that may be meant either way, the one
// reading that lies in them is meant. Judgement, far wider than anything recorded; a dimension that
// is not listed can have both.
var possible = map[Dimension][2]float64{
	Temperature: {-100, 400}, Share: {-100, 200}, Voltage: {-100, 100}, Sugar: {-100, 100}, Density: {0.5, 2}, Count: {0, 100},
}

func (e *ParseError) Error() string {
	return fmt.Sprintf("%q is not accepted as a %s; accepted: %s", e.Text, e.Want, e.Accepted())
}

// Accepted is what would be read as the wanted kind.
func (e *ParseError) Accepted() string {
	if len(e.Suggestions) > 0 {
		return strings.Join(e.Suggestions, " or ") + ": write which is meant"
	}
	return examples[e.Want]
}

var examples = map[Dimension]string{
	Temperature: "a number with °C or °F, such as -37 or -34 F",
	Volume:      "a number with L, mL, qt, pt or gal, such as 8.2, 2 1/2 qt or 1.5 imp gal",
	Distance:    "a number with km or mi, such as 48000, 48 000 or 30000 mi",
	EngineTime:  "a number of hours, such as 250 or 250 h",
	Pressure:    "a number with kPa, psi or bar, such as 108 or 15 psi",
	Altitude:    "a number with m or ft, such as 350 or 5000 ft",
	Share:       "a per cent, such as 50 or 50 %",
	Voltage:     "a number of volts, such as 0.12",
	Plain:       "a number, such as 8.5",
	Length:      "a number of millimetres, such as -12",
	Torque:      "a number with N·m, lbf·ft or lbf·in, such as 12 or 9 lbf ft",
	Sugar:       "a number of degrees Brix, such as 24.5",
	Density:     "a relative density, such as 1.070",
	Count:       "a whole number of discs, such as 3",
}

// spellings of the units, lower case without spaces, degree signs, dots or full
// stops. A bare quart, pint or gallon is settled by the asker, see [Parse].
var spellings = map[Dimension]map[string]Unit{
	Temperature: {"c": DegC, "celsius": DegC, "degc": DegC, "f": DegF, "fahrenheit": DegF, "degf": DegF},
	Volume: {"l": L, "litre": L, "litres": L, "liter": L, "liters": L, "ml": ML,
		"usqt": USQt, "usgal": USGal, "impqt": ImpQt, "impgal": ImpGal},
	Distance:   {"km": Km, "mi": Mi, "mile": Mi, "miles": Mi},
	EngineTime: {"h": H, "hr": H, "hrs": H, "hour": H, "hours": H},
	Pressure:   {"kpa": KPa, "psi": Psi, "bar": Bar},
	Altitude:   {"m": Metre, "metre": Metre, "metres": Metre, "meter": Metre, "meters": Metre, "ft": Foot, "feet": Foot},
	Share:      {"%": Percent, "percent": Percent},
	Voltage:    {"v": Volt, "volt": Volt, "volts": Volt},
	Plain:      {},
	Length:     {"mm": Millimetre},
	Torque:     {"nm": NewtonMetre, "lbfft": FootPound, "ftlb": FootPound, "ftlbs": FootPound, "lbfin": InchPound, "inlb": InchPound, "inlbs": InchPound},
	Sugar:      {"bx": Brix, "brix": Brix},
	Density:    {"sg": Relative, "reldensity": Relative},
	Count:      {"disc": Discs, "discs": Discs},
}

// longest text in bytes that can be a quantity.
const longest = 60

// fractions measures of volume, as a share of a gallon.
var fractions = map[string]float64{"gal": 1, "gals": 1, "gallon": 1, "gallons": 1,
	"qt": 0.25, "qts": 0.25, "quart": 0.25, "quarts": 0.25, "pt": 0.125, "pts": 0.125, "pint": 0.125, "pints": 0.125}

// plain spellings of signs and spaces: true minus and dashes, the spaces that group
// thousands, apostrophes, the degree sign.
var plainer = strings.NewReplacer("\u2212", "-", "\u2013", "-", "\u00a0", " ", "\u2009", " ", "\u202f", " ", "\u2007", " ", "\u2019", "'", "°", "", "·", "",
	"½", " 1/2", "¼", " 1/4", "¾", " 3/4", "⅓", " 1/3", "⅔", " 2/3", "⅛", " 1/8", "⅜", " 3/8", "⅝", " 5/8", "⅞", " 7/8")

var (
	// A number, then whatever is its unit. Spaces and apostrophes group thousands.
	quantity = regexp.MustCompile(`^([+-]?)\s*((?:\d{1,3}(?:[ ']\d{3})+|\d[\d.,]*|[.,]\d+)(?:[.,]\d+)?)()()\s*([^\d\s.,/+'-][^\d]*)?`)
	// A fraction, with a whole number before it or none.
	fraction = regexp.MustCompile(`^([+-]?)\s*(?:(\d+)\s+)?(\d+)/(\d+)\s*([^\d\s.,/+'-][^\d]*)?`)
	grouped  = regexp.MustCompile(`^\d{1,3}([.,])\d{3}([.,]\d{3})*$`)
	// unsure: one mark, and exactly three digits at the end.
	unsure = regexp.MustCompile(`^[1-9]\d{0,2}[.,]\d{3}$`)
)

// Parse reads what a person typed whose number format is not known, see [NumberFormat.Parse].
func Parse(text string, d Dimension, usual Unit) (Reading, error) {
	return EitherMark.Parse(text, d, usual)
}

// ReadStored reads what the program wrote: the canonical form of a fact, a parameter, a figure of the
// books. The mark before decimals is a point, also before three digits.
func ReadStored(text string, d Dimension, usual Unit) (Reading, error) {
	return stored.Parse(text, d, usual)
}

// Unambiguous is [Digits] with a zero added where it would end in a point and three digits: a field
// that holds it can be sent as it stands.
func Unambiguous(v float64) string {
	text := Digits(v)
	if unsure.MatchString(strings.TrimPrefix(text, "-")) {
		text += "0"
	}
	return text
}

// Parse reads what a person typed: a number and a unit of dimension d, or none,
// which means usual. It is the one parser of forms, Bench, import and command line.
//
// The number has a point or a comma before its decimals; spaces, thin spaces and
// apostrophes group thousands, and so do several commas or points. A single mark followed by
// exactly three digits (30,000 or 12.500) may be meant either way: the format settles it, or that
// only one of the two is possible in the dimension; else it is asked about and never guessed.
// Fractions (1/2, 1 1/2, ½) and a true minus, also with a space after it, are
// read. A bare quart, pint or gallon is imperial when usual is, otherwise US; volumes
// may be put together (2 qt 1 pt). It returns a [ParseError] for anything else;
// infinities and NaN are no numbers.
func (f NumberFormat) Parse(text string, d Dimension, usual Unit) (Reading, error) {
	refuse := &ParseError{Text: text, Want: d}
	if len(text) > longest {
		return Reading{}, refuse
	}
	rest := strings.ToLower(strings.TrimSpace(plainer.Replace(text)))
	var sum Reading
	bare := false // some part had no unit
	for n := 0; rest != "" || n == 0; n++ {
		one, used, err := f.parseOne(rest, d, usual, refuse)
		var either *ParseError
		if errors.As(err, &either) && len(either.Readings) > 0 {
			if n > 0 || strings.TrimSpace(rest[used:]) != "" {
				either.Readings = nil
			}
			if one, ok := either.Only(func(r Reading) bool { return isPossible(r, d) }); ok {
				return one, nil
			}
		}
		if err != nil {
			return Reading{}, err
		}
		taken := strings.TrimSpace(rest[:used])
		rest = strings.TrimSpace(rest[used:])
		bare = bare || strings.ContainsAny(taken[len(taken)-1:], "0123456789.,")
		if n == 0 {
			sum = one
			continue
		}
		// Only volumes are put together, from positive parts.
		more, err := one.Metric(Volume)
		if d != Volume || bare || err != nil || one.Value < 0 || sum.Value < 0 {
			return Reading{}, refuse
		}
		sum.Value += FromMetric(more, sum.Unit)
	}
	if math.IsInf(sum.Value, 0) || math.IsNaN(sum.Value) {
		return Reading{}, refuse
	}
	return sum, nil
}

// TwoWays reports whether a text ends in one mark and three digits: how it was read is to be said.
func TwoWays(text string) bool {
	m := quantity.FindStringSubmatch(strings.ToLower(strings.TrimSpace(plainer.Replace(text))))
	return m != nil && unsure.MatchString(m[2])
}

func isPossible(r Reading, d Dimension) bool {
	v, err := r.Metric(d)
	within, bounded := possible[d]
	whole := d != Count || v == math.Trunc(v)
	return err == nil && whole && (!bounded || v >= within[0] && v <= within[1])
}

// parseOne quantity at the beginning of a text, and how many bytes it took.
func (f NumberFormat) parseOne(text string, d Dimension, usual Unit, refuse *ParseError) (r Reading, used int, err error) {
	m := fraction.FindStringSubmatch(text)
	if m == nil {
		m = quantity.FindStringSubmatch(text)
	}
	if m == nil {
		return r, 0, refuse
	}
	whole, top, bottom := m[2], m[3], m[4]
	if whole != "" {
		if unsure.MatchString(whole) {
			at := strings.IndexAny(whole, ".,")
			thousands, decimals := whole[:at]+whole[at+1:], whole[:at]+"."+whole[at+1:]
			switch {
			case f == PointDecimals || f == CommaDecimals, f == stored && whole[at] == '.':
				comma := whole[at] == ','
				if whole = thousands; comma == (f == CommaDecimals) {
					whole = decimals
				}
			default:
				return r, len(m[0]), either(m[1], thousands, decimals, strings.TrimSpace(m[5]), d, usual, refuse)
			}
		}
		if r.Value, err = decimal(whole); err != nil {
			return r, 0, refuse
		}
	}
	if top != "" {
		share, err1 := strconv.ParseFloat(top, 64)
		of, err2 := strconv.ParseFloat(bottom, 64)
		if err1 != nil || err2 != nil || of == 0 {
			return r, 0, refuse
		}
		r.Value += share / of
	}
	if m[1] == "-" {
		r.Value = -r.Value
	}
	unit := strings.NewReplacer(" ", "", ".", "").Replace(m[5])
	if unit == "" {
		r.Unit = usual
		return r, len(m[0]), nil
	}
	if share, ok := fractions[unit]; ok && d == Volume {
		gallon, quart := USGal, USQt
		if usual == ImpQt || usual == ImpGal {
			gallon, quart = ImpGal, ImpQt
		}
		if r.Unit = quart; share == 1 {
			r.Unit = gallon
		} else {
			r.Value *= 4 * share
		}
		return r, len(m[0]), nil
	}
	u, ok := spellings[d][unit]
	if !ok {
		return r, 0, refuse
	}
	r.Unit = u
	return r, len(m[0]), nil
}

// either refuses a number that may be meant two ways, and names both.
func either(sign, thousands, decimals, unit string, d Dimension, usual Unit, refuse *ParseError) error {
	asked := &ParseError{Text: refuse.Text, Want: d}
	plain := strings.TrimRight(strings.TrimRight(decimals, "0"), ".")
	if unsure.MatchString(plain) {
		plain += "0"
	}
	for _, number := range []string{thousands, plain} {
		text := strings.TrimSpace(sign + number + " " + unit)
		r, err := stored.Parse(text, d, usual)
		if err != nil {
			return refuse
		}
		asked.Suggestions, asked.Readings = append(asked.Suggestions, text), append(asked.Readings, r)
	}
	return asked
}

// PriceText is a price without the signs and letters of its money: 1,250.00 of "€ 1,250.00" or "1,250.00 kr". It is
// read by
// [NumberFormat.Parse] as a [Plain] number.
func PriceText(text string) string {
	number := func(r rune) bool { return r >= '0' && r <= '9' || r == '-' || r == '\u2212' }
	return strings.TrimFunc(text, func(r rune) bool { return !number(r) })
}

// decimal reads digits with their separators.
func decimal(s string) (float64, error) {
	s = strings.NewReplacer(" ", "", "'", "").Replace(s)
	points, commas := strings.Count(s, "."), strings.Count(s, ",")
	switch {
	case points > 0 && commas > 0:
		// The last one separates the decimals; the other groups, by threes.
		last := strings.LastIndexAny(s, ".,")
		group := ","
		if s[last] == ',' {
			group = "."
		}
		if strings.Count(s, string(s[last])) != 1 || !grouped.MatchString(s[:last]) && strings.Contains(s[:last], group) {
			return 0, strconv.ErrSyntax
		}
		s = strings.ReplaceAll(s[:last], group, "") + "." + s[last+1:]
	case commas > 1 || points > 1:
		if !grouped.MatchString(s) {
			return 0, strconv.ErrSyntax
		}
		s = strings.NewReplacer(",", "", ".", "").Replace(s)
	case commas == 1:
		s = strings.Replace(s, ",", ".", 1)
	}
	return strconv.ParseFloat(s, 64)
}
