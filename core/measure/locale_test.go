package measure

import (
	"errors"
	"math"
	"testing"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
	"golang.org/x/text/number"
)

// locales by the mark that they put before decimals; source: the Unicode Common Locale Data Repository, as
// golang.org/x/text has it.
// Indian grouping (12,34,567) is not read and is refused, which the test allows; other digits than 0 to 9 are not among
// them.
var locales = map[NumberFormat][]language.Tag{
	PointDecimals: {language.English, language.BritishEnglish, language.MustParse("de-CH"), language.MustParse("es-MX"), language.MustParse("en-IN"), language.Japanese},
	CommaDecimals: {language.German, language.French, language.Spanish, language.Danish, language.Swedish, language.MustParse("nb"), language.Finnish, language.Italian, language.Dutch,
		language.Polish, language.MustParse("de-AT"), language.MustParse("fr-CA"), language.MustParse("pt-BR")},
}

// A number as a locale writes it is read as that number by the locale's format, and without a format never as another
// one: it is
// read, or both readings are named and it is one of them.
func FuzzLocales(f *testing.F) {
	for _, v := range []float64{12.5, 12500, 12.345, 1234.5, 48000, 999.999, 0.125, 1, 1234567, 100.001, -12.5, -48000} {
		for digits := range uint8(4) {
			f.Add(v, digits)
		}
	}
	f.Fuzz(func(t *testing.T, v float64, digits uint8) {
		if !(math.Abs(v) < 1e9) {
			return
		}
		scale := math.Pow10(int(digits % 5))
		v = math.Round(v*scale) / scale
		same := func(r Reading) bool { return math.Abs(r.Value-v) <= 1e-9*math.Max(1, math.Abs(v)) }
		for format, tags := range locales {
			for _, tag := range tags {
				for _, fixed := range []int{0, int(digits % 5)} {
					text := message.NewPrinter(tag).Sprint(number.Decimal(v, number.MinFractionDigits(fixed), number.MaxFractionDigits(int(digits%5))))
					var refused *ParseError
					got, err := format.Parse(text, Distance, Km)
					indian := tag == language.MustParse("en-IN") && math.Abs(v) >= 1e5
					if (err != nil || !same(got)) && !(indian && errors.As(err, &refused)) {
						t.Fatalf("%v in %s is %q: read by its format as %+v, %v", v, tag, text, got, err)
					}
					got, err = Parse(text, Distance, Km)
					if err == nil && !same(got) {
						t.Fatalf("%v in %s is %q: read as %+v and nothing asked", v, tag, text, got)
					}
					if err != nil && !indian && (!errors.As(err, &refused) || len(refused.Readings) != 2 || !same(refused.Readings[0]) && !same(refused.Readings[1])) {
						t.Fatalf("%v in %s is %q: %v", v, tag, text, err)
					}
				}
			}
		}
	})
}
