package measure

import (
	"fmt"
	"strconv"
	"strings"
)

// ParseError says that a text is not a quantity of the wanted kind.
type ParseError struct {
	Text string
	Want Dimension
}

func (e *ParseError) Error() string {
	return fmt.Sprintf("%q is not a %s; accepted: %s", e.Text, e.Want, examples[e.Want])
}

var examples = map[Dimension]string{
	Temperature: "a number with °C or °F, such as -37 or -34 F",
	Volume:      "a number with L, mL, qt or gal, such as 8.2, 2.2 qt or 1.5 imp gal",
	Distance:    "a number with km or mi, such as 48000 or 30000 mi",
	EngineTime:  "a number of hours, such as 250 or 250 h",
	Pressure:    "a number with kPa, psi or bar, such as 108 or 15 psi",
	Altitude:    "a number with m or ft, such as 350 or 5000 ft",
	Share:       "a per cent, such as 50 or 50 %",
	Voltage:     "a number of volts, such as 0.12",
	Plain:       "a number, such as 8.5",
}

// spellings of the units, lower case without spaces, degree signs or full
// stops. A bare quart or gallon is settled by the asker, see [Parse].
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
}

// longest text in bytes that can be a quantity.
const longest = 60

var quarts = map[string]bool{"qt": true, "qts": true, "quart": true, "quarts": true}
var gallons = map[string]bool{"gal": true, "gals": true, "gallon": true, "gallons": true}

// Parse reads what a person typed: a number with a point or a comma, a hyphen or
// a true minus, and a unit of dimension d or none, which means usual. A bare
// quart or gallon is imperial when usual is, otherwise US. It returns a
// [ParseError] for anything else; infinities and NaN are no numbers.
func Parse(text string, d Dimension, usual Unit) (Reading, error) {
	refuse := &ParseError{Text: text, Want: d}
	if len(text) > longest {
		return Reading{}, refuse
	}
	plain := strings.ToLower(strings.NewReplacer("\u2212", "-", "\u00a0", " ", "°", "").Replace(strings.TrimSpace(text)))
	end := len(plain)
	for i, r := range plain {
		if !(r >= '0' && r <= '9' || r == '.' || r == ',' || (r == '-' || r == '+') && i == 0) {
			end = i
			break
		}
	}
	digits := strings.Replace(plain[:end], ",", ".", 1)
	if strings.ContainsRune(digits, ',') || !strings.ContainsAny(digits, "0123456789") {
		return Reading{}, refuse
	}
	value, err := strconv.ParseFloat(digits, 64)
	if err != nil {
		return Reading{}, refuse
	}
	unit := strings.NewReplacer(" ", "", ".", "").Replace(plain[end:])
	if unit == "" {
		return Reading{Value: value, Unit: usual}, nil
	}
	if d == Volume && (quarts[unit] || gallons[unit]) {
		imperial := usual == ImpQt || usual == ImpGal
		switch {
		case quarts[unit] && imperial:
			return Reading{value, ImpQt}, nil
		case quarts[unit]:
			return Reading{value, USQt}, nil
		case imperial:
			return Reading{value, ImpGal}, nil
		}
		return Reading{value, USGal}, nil
	}
	u, ok := spellings[d][unit]
	if !ok {
		return Reading{}, refuse
	}
	return Reading{Value: value, Unit: u}, nil
}

// Accepted tells what would be read as the wanted kind.
func (e *ParseError) Accepted() string { return examples[e.Want] }
