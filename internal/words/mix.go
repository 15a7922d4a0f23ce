package words

import (
	"fmt"
	"math"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

var remedies = map[coolant.Remedy]string{
	coolant.RemedySCA:      "dose SCA",
	coolant.RemedyExtender: "add its extender",
	coolant.RemedyDilute:   "drain part and fill with the mix without additive",
	coolant.RemedyRenew:    "renew",
	coolant.RemedyFlush:    "find out what got in, flush and renew",
	coolant.RemedyGround:   "find the faulty ground",
	coolant.RemedyProduct:  "find out which product is inside",
	coolant.RemedyTest:     "test it",
	coolant.RemedyCause:    "find what got in",
}

// Remedy in words, without a capital; empty for none.
func Remedy(r coolant.Remedy) string { return remedies[r] }

var units = map[coolant.Property]string{coolant.PropReserve: " mL", coolant.PropNitrite: " ppm", coolant.PropMolybdate: " ppm",
	coolant.PropStray: " V", coolant.PropStrayOff: " V", coolant.PropStrayCranking: " V", coolant.PropStrayLoads: " V", coolant.PropConductivity: " µS/cm"}

// Value of a property as it was read, with its unit; the step of a strip as from and to.
func Value(p coolant.Property, low, high float64) string {
	digits := 0
	switch {
	case p == coolant.PropPH || p == coolant.PropReserve:
		digits = 1
	case units[p] == " V":
		digits = 2
	}
	text := strings.Replace(fmt.Sprintf("%.*f", digits, low), "-", "−", 1)
	if high > low {
		text += " to " + fmt.Sprintf("%.*f", digits, high)
	}
	return text + strings.Replace(units[p], " ", "\u00a0", 1)
}

// Property is what a test shows and what puts it right: "nitrite 250 ppm: too little; dose SCA".
func Property(g coolant.PropertyGrade) string {
	name := Name(string(g.Property))
	text := name + ": not tested"
	switch {
	case g.Property == coolant.PropAppearance && g.Grade != coolant.GradeUnknown:
		text = name + ": " + string(g.Grade)
	case g.Property != coolant.PropAppearance && (g.Grade != coolant.GradeUnknown || g.Remedy != ""):
		text = fmt.Sprintf("%s %s: %s", name, Value(g.Property, g.Value, g.High), side(g))
	}
	if words := Remedy(g.Remedy); words != "" && g.Grade != coolant.GradeUnknown {
		text += "; " + words
	}
	return text
}

func side(g coolant.PropertyGrade) string {
	switch {
	case g.Grade == coolant.GradeUnknown:
		return "does not show it alone"
	case g.Grade == coolant.GradeGood:
		return "good"
	case units[g.Property] == " V":
		return "stray current"
	case g.Property == coolant.PropPH && g.High > g.Bounds.WatchMax:
		return pick(g.Grade == coolant.GradeBad, "too high", "higher than wanted")
	case g.Property == coolant.PropPH:
		return pick(g.Grade == coolant.GradeBad, "too low", "lower than wanted")
	case g.High > g.Bounds.WatchMax:
		return pick(g.Grade == coolant.GradeBad, "too much", "more than wanted")
	}
	return pick(g.Grade == coolant.GradeBad, "too little", "less than wanted")
}

func pick[T any](ok bool, yes, no T) T {
	if ok {
		return yes
	}
	return no
}

// Proposal for the nitrite of a charge, as a sentence.
func Proposal(p ledger.Proposal) string {
	if p.Remedy == coolant.RemedyDilute {
		return fmt.Sprintf("Drain %.1f\u00a0L and fill with the mix without additive: nitrite from %.0f to about %.0f\u00a0ppm.", float64(p.Litres), p.Now, p.Target)
	}
	return fmt.Sprintf("%.2f\u00a0L of %s: nitrite from %.0f to about %.0f\u00a0ppm; never more than %.2f\u00a0L.", float64(p.Litres), p.Additive.Name, p.Now, p.Target, float64(p.Most))
}

// mixReason of a clock of the mix as a sentence, and the rule behind it; empty for any other
// clock.
func mixReason(c clock.Clock) (text string, rule []string) {
	n := c.Reason.Numbers
	switch c.Kind {
	case clock.Strength:
		return strength(c), strengthRule(n)
	case clock.Chemistry:
		return chemistry(c), []string{
			"Each property counts by its last test in this charge; what was not tested is left out. Limits by technology and metal: docs/limits.md.",
			"Wet liners: nitrite alone, or nitrite and molybdate together with at least 300 ppm of each (ASTM D6210, from memory).",
			"A trend is the line of least squares through three samples or more since the charge was filled or dosed.",
		}
	case clock.Product:
		return product(c), []string{
			"Foreign is what has another glycol or technology than the product inside and is not named compatible by its maker, as a share of all glycol: watch above 10 %, with the conventional interval; flush above 25 %.",
			"The unit's maker decides what may go in: silicate-free, premix only, required technology, wet liners by D6210, D4985 with SCA, or the maker's list.",
		}
	case clock.Extender:
		return extender(c), []string{"An extender is given once in the life of a charge, by months, km or hours since it was filled, whichever comes first."}
	case clock.Evaluation:
		return "not evaluated: " + c.Reason.About.Text + ".", []string{"Its books cannot be evaluated, so nothing of it is known. Strike the line that the error names, or report it; the other units are not affected."}
	case clock.FilterDue:
		return filter(c), []string{"The additive filter's own months, km or hours since it was fitted, whichever comes first."}
	}
	return "", nil
}

func percent(v float64) string { return fmt.Sprintf("%.0f\u00a0%%", v) }

func strength(c clock.Clock) string {
	n := c.Reason.Numbers
	now := percent(n["strength"])
	switch c.Reason.Code {
	case clock.StrengthBeyond:
		return "the last test was beyond the strong end of its scale: too strong. Drain part, fill with water or a weaker mix, test again."
	case clock.StrengthLow:
		if c.Verdict == clock.Watch {
			return fmt.Sprintf("%s of glycol by volume: below %s the inhibitors are thin and liners cavitate.", now, percent(n["watchLow"]))
		}
		return fmt.Sprintf("%s of glycol by volume: below %s the inhibitors are too thin. Make it stronger.", now, percent(n["dueLow"]))
	case clock.StrengthHigh:
		if c.Verdict == clock.Watch {
			return fmt.Sprintf("%s of glycol by volume: above %s cooling worsens.", now, percent(n["watchHigh"]))
		}
		return fmt.Sprintf("%s of glycol by volume, too strong: above %s cooling and protection fall off. Dilute it.", now, percent(n["dueHigh"]))
	case clock.StrengthSingle:
		return fmt.Sprintf("%s of glycol by volume by one test with %s alone, not zeroed: test again.", now, instrumentNamed(c.Reason.About))
	case clock.StrengthDilutes:
		return fmt.Sprintf("%s of glycol by volume, and %.1f\u00a0%% a year less: %s is reached then.", now, n["perYear"], percent(n["dueLow"]))
	}
	return fmt.Sprintf("%s of glycol by volume.", now)
}

func strengthRule(n map[string]float64) []string {
	if n == nil {
		return []string{"Beyond the strong end of a scale there is more glycol than protects best; by how much it does not show."}
	}
	return []string{fmt.Sprintf("By the book: watch below %s and above %s, due below %s and above %s, by volume.", percent(n["watchLow"]), percent(n["watchHigh"]), percent(n["dueLow"]), percent(n["dueHigh"]))}
}

func chemistry(c clock.Clock) string {
	n := c.Reason.Numbers
	switch c.Reason.Code {
	case clock.ChemFails:
		text := Name(c.Reason.About.Point)
		if value, ok := n["value"]; ok {
			text += " " + Value(coolant.Property(c.Reason.About.Point), value, n["high"])
		}
		text += ": " + Remedy(c.Reason.Remedy)
		if others := n["others"]; others > 0 {
			text += fmt.Sprintf("; and %.0f more", others)
		}
		return text + "."
	case clock.ChemRetest:
		when := days(n["days"]) + " ago"
		if n["days"] < 1 {
			when = "today"
		}
		return "dosed " + when + ": test the nitrite once it is mixed."
	case clock.ChemUntested:
		if _, known := n["months"]; !known {
			return "wet liners, and neither a test nor the product says what nitrite is inside: test it."
		}
		return fmt.Sprintf("nitrite was not tested since the charge was filled %s ago; it is wanted every %.0f months.", months(n["months"]), n["limit"])
	case clock.ChemReplaced:
		return fmt.Sprintf("%s of the charge was replaced since its nitrite was tested: test it again.", percent(n["share"]))
	case clock.ChemOld:
		return fmt.Sprintf("nitrite was tested %s ago; it is wanted every %.0f months.", months(n["months"]), n["limit"])
	case clock.ChemHolds:
		return fmt.Sprintf("nitrite was tested %s ago and is good.", months(n["months"]))
	}
	return fmt.Sprintf("%s runs to its limit; %s at the last test. Then: %s.", Name(c.Reason.About.Point), Value(coolant.Property(c.Reason.About.Point), n["value"], n["high"]), Remedy(c.Reason.Remedy))
}

func days(n float64) string {
	return fmt.Sprintf("%.0f\u00a0%s", n, pick(n == 1, "day", "days"))
}

func months(n float64) string {
	if n < 1 {
		return "less than a month"
	}
	n = math.Round(n)
	return fmt.Sprintf("%.0f\u00a0%s", n, pick(n == 1, "month", "months"))
}

func product(c clock.Clock) string {
	switch c.Reason.Code {
	case clock.ProductForeign:
		n := c.Reason.Numbers
		text := fmt.Sprintf("%s of the charge is a foreign product", percent(n["share"]))
		return text + pick(c.Verdict == clock.Watch, ": the conventional interval runs.", ": flush it.")
	case clock.ProductUnknown:
		return "not known to suit: " + c.Reason.About.Text
	}
	return "does not suit: " + c.Reason.About.Text
}

func extender(c clock.Clock) string {
	n := c.Reason.Numbers
	if c.Reason.Code == clock.ExtenderGiven {
		return fmt.Sprintf("given %s ago; once in the life of this charge.", days(n["days"]))
	}
	return fmt.Sprintf("due once, %.0f months, %.0f\u00a0h or %.0f\u00a0km after the fill.", n["limit"], n["hours"], n["km"])
}

func filter(c clock.Clock) string {
	if c.Reason.Code == clock.FilterUnknown {
		return c.Reason.About.Text + " is fitted; when it is due cannot be computed: read the meter when it is changed."
	}
	return fmt.Sprintf("%s was fitted %s ago.", c.Reason.About.Text, days(c.Reason.Numbers["days"]))
}
