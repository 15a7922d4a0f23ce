package words

import (
	"fmt"
	"math"
	"strings"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// join the parts that are not empty.
func join(by string, parts ...string) string {
	var kept []string
	for _, p := range parts {
		if p != "" {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, by)
}

// when a condition holds, the text.
func when(ok bool, text string) string {
	if ok {
		return text
	}
	return ""
}

// named by the label, else by the code of the register.
func named(name, code string) string {
	if name == "" {
		return code
	}
	return name
}

func optional(before string, r *measure.Reading) string {
	if r == nil {
		return ""
	}
	return before + Reading(*r)
}

// Entry is what a line of the ledger says after its kind; readings stay as they were read.
func Entry(b ledger.Body) string {
	switch b := b.(type) {
	case ledger.Opening:
		return opening(b)
	case ledger.Renewal:
		return renewal(b)
	case ledger.TopUp:
		what := "purified water"
		if b.Product != nil {
			what = named(b.Product.Name, b.Product.Code)
		}
		return join(": ", Reading(b.Volume)+" "+what+when(b.Bled, ", bled again"), b.Note)
	case ledger.Loss:
		return join(": ", join(", ", Reading(b.Volume), when(b.Cause != "", Name(b.Cause))), b.Note)
	case ledger.FreezeTest:
		return freezeTest(b)
	case ledger.ChemistryTest:
		return chemistryTest(b)
	case ledger.Dose:
		return join(": ", Reading(b.Volume)+" "+named(b.Additive.Name, b.Additive.Code), b.Note)
	case ledger.ExtenderDose:
		return join(": ", Reading(b.Volume)+" "+named(b.Additive.Name, b.Additive.Code), b.Note)
	case ledger.AdditiveFilter:
		return join(": ", join(", ", named(b.Additive.Name, b.Additive.Code), optional("at ", b.Meter)), b.Note)
	case ledger.CapTest:
		return capTest(b)
	case ledger.HoseCheck:
		found := make([]string, len(b.Hoses))
		for i, h := range b.Hoses {
			found[i] = join(", ", Name(h.Hose)+" "+Name(h.State), when(h.Clamp != "" && h.Clamp != "good", "clamp "+Name(h.Clamp)))
		}
		return join(" – ", strings.Join(found, "; "), b.Note)
	case ledger.PressureTest:
		return join(": ", fmt.Sprintf("%s for %s%smin, fell %s", Reading(b.Pressure), Figure(b.Minutes, 0), nbsp, Reading(b.Drop)), b.Note)
	case ledger.LevelCheck:
		at := Name(b.Mark)
		if b.Over != nil {
			at = Reading(*b.Over) + " from the upper mark"
		}
		return join(": ", join(", ", b.Temper, when(b.Place != "", Name("level_"+b.Place)), at), b.Note)
	case ledger.Inspection:
		found := make([]string, len(b.Points))
		for i, p := range b.Points {
			found[i] = Name(p.Point) + " " + Name(p.State)
			if p.Blocked != nil {
				found[i] = fmt.Sprintf("%s %s%s%% blocked", Name(p.Point), Figure(*p.Blocked, 0), nbsp)
			}
		}
		return join(" – ", strings.Join(found, "; "), b.Note)
	case ledger.Defect:
		return b.What + " (" + Name(b.Severity) + ")"
	case ledger.DefectClosed:
		return b.How
	case ledger.Meter:
		return join(", ", Reading(b.Meter), when(b.Confirmed, "read twice"))
	case ledger.MeterChange:
		return join(", ", optional("old one ", b.Old), "new one from "+Reading(b.New))
	case ledger.ZeroCheck:
		return b.Tool + " reads " + Reading(b.Zero) + " on purified water"
	case ledger.LayUp:
		return join(": ", join(" ", when(b.RawWater != "", "raw-water side"), rawWater(b.RawWater, nil)), b.Note)
	case ledger.RawWater:
		return join(": ", rawWater(b.State, b.Freeze), b.Note)
	case ledger.CombustionTest:
		return join(": ", "combustion gas: "+Name(b.Gas), b.Note)
	case ledger.Return:
		return b.Note
	case ledger.Hold:
		return b.Why
	case ledger.Release:
		return join(" – ", b.What, when(b.Certificate != "", join(", ", "certificate "+b.Certificate, b.CertificateKind)), when(b.Data != "", "data "+b.Data), optional("total time ", b.TotalTime))
	case ledger.NoteBody:
		return b.Text
	case ledger.Strike:
		return b.Why
	case ledger.UnreadableBody:
		return "cannot be read: " + b.Why.Error()
	}
	return ""
}

func opening(b ledger.Opening) string {
	if b.History == ledger.UnknownHistory {
		return join(", ", "history unknown", optional("meter ", b.Meter))
	}
	product := "an unnamed coolant"
	if b.Product != nil {
		product = named(b.Product.Name, b.Product.Code)
	}
	return join(", ", join(" ", "came with", optional("", b.Volume), share(b.Share), product), optional("at ", b.Meter))
}

func share(s *float64) string {
	if s == nil {
		return ""
	}
	return Figure(*s, 0) + nbsp + "%"
}

func renewal(b ledger.Renewal) string {
	drained := make([]string, len(b.Drained))
	for i, d := range b.Drained {
		drained[i] = Reading(d.Volume) + " by the " + Name(d.Point)
	}
	torque := make([]string, len(b.Torque))
	for i, t := range b.Torque {
		torque[i] = t.Part + " " + Reading(t.Value)
	}
	with := b.FlushWith
	if with == "" {
		with = "water"
	}
	left := ""
	if b.Residual != nil {
		left = Reading(*b.Residual) + " left inside"
	}
	return join(": ", join(", ",
		when(len(drained) > 0, strings.Join(drained, " and ")+" out"),
		when(b.Emptied, "emptied completely"),
		when(len(b.Opened) > 0, Names(strings.Join(b.Opened, ","))+" opened"),
		join(" ", Reading(b.Volume), share(b.Share), named(b.Product.Name, b.Product.Code), "in"),
		left,
		when(b.Flushes > 0, fmt.Sprintf("%d× flushed with %s", b.Flushes, Name(with))),
		when(b.Rinses > 0, fmt.Sprintf("%d× rinsed with water", b.Rinses)),
		when(b.Factory, "came with the unit"),
		optional("at ", b.Meter),
		when(b.Method != "", Name(b.Method)),
		when(b.Level == ledger.Hot, "level judged hot"),
		when(len(b.Parts) > 0, "new: "+strings.Join(b.Parts, ", ")),
		strings.Join(torque, ", "), batch(b.Batch, b.UseBefore),
	), b.Note)
}

func freezeTest(b ledger.FreezeTest) string {
	value := Reading(b.Value)
	switch {
	case b.Instrument == ledger.DiscTester:
		value = fmt.Sprintf("%s of %d discs float", Figure(b.Value.Value, 0), len(b.Chart))
	case b.Cold != nil:
		value += " to " + Metric.Celsius(*b.Cold, 0)
	case b.Scale == coolant.NoWater:
		value += " water"
	}
	zero := ""
	if b.Zero != nil && *b.Zero != 0 {
		zero = "zero " + Figure(*b.Zero, 1)
	}
	return join(", ",
		join(" ", when(b.Instrument != ledger.DiscTester, Name(b.Instrument)), b.Tool, value),
		when(b.Scale != "" && b.Scale != coolant.NoWater && b.Value.Unit != measure.Brix, string(b.Scale)+" scale"),
		optional("sample ", b.Sample), zero, when(b.Expired, "strip expired"), when(b.Late, "read too late"), when(b.Warmed, "mixed by a warm run"))
}

// batch of a product and the end of its shelf life.
func batch(number string, useBefore *measure.Date) string {
	text := when(number != "", "batch "+number)
	if useBefore != nil {
		text = join(", ", text, "use before "+Metric.Date(*useBefore))
	}
	return text
}

func chemistryTest(b ledger.ChemistryTest) string {
	step := func(name string, low, high *float64, digits int, unit string) string {
		if low == nil {
			return ""
		}
		text := name + Figure(*low, digits)
		if high != nil && *high != *low {
			text += " to " + Figure(*high, digits)
		}
		return text + unit
	}
	as := func(basis coolant.Basis, usual string) string {
		if basis == "" {
			return nbsp + "ppm " + usual
		}
		return nbsp + "ppm " + string(basis)
	}
	return join(", ",
		when(b.Method != "", Name(b.Method)),
		step("pH ", b.PH, b.PHTo, 1, ""),
		step("reserve ", b.Reserve, nil, 1, nbsp+"mL"),
		step("nitrite ", b.Nitrite, b.NitriteTo, 0, as(b.NitriteAs, "NO2")),
		step("molybdate ", b.Molybdate, b.MolybdateTo, 0, as(b.MolybdateAs, "MoO4")),
		step("stray voltage ", b.Stray, nil, 2, nbsp+"V"),
		step("stray voltage ", b.StrayOff, nil, 2, nbsp+"V, all off"),
		step("", b.StrayCranking, nil, 2, nbsp+"V cranking"),
		step("", b.StrayLoads, nil, 2, nbsp+"V with loads on"),
		step("conductivity ", b.Conductivity, nil, 0, nbsp+"µS/cm")+optional(" at ", b.ConductivityAt),
		laboratory(b),
		when(b.Appearance != "", "appearance "+Name(string(b.Appearance))),
		when(b.Expired, "strip expired"), when(b.Late, "read too late"))
}

// laboratory figures that nothing is judged by.
func laboratory(b ledger.ChemistryTest) string {
	var all []string
	b.LabFigures(func(name string, ppm float64) { all = append(all, name+" "+Figure(ppm, 0)+nbsp+"ppm") })
	return strings.Join(all, ", ")
}

func capTest(b ledger.CapTest) string {
	yesNo := func(v *bool, yes, no string) string {
		if v == nil {
			return ""
		}
		return pick(*v, yes, no)
	}
	return join(": ", join(", ",
		optional("opens at ", b.Opened), yesNo(b.Holds, "holds", "does not hold"),
		when(b.Vacuum != "", "vacuum valve "+Name(b.Vacuum)), when(b.Seal != "", "seal "+Name(b.Seal)),
		yesNo(b.Seated, "seated", "not seated"), when(b.Stage != "", Name(b.Stage)), when(b.Renewed, "new cap")), b.Note)
}

// Reconciliation of a test with the book.
func (r Reader) Reconciliation(t ledger.Reconciliation) string {
	if !t.Trusted {
		var doubts []string
		for _, f := range t.Flags {
			text, ok := flags[f]
			if !ok {
				text = Name(string(f))
			}
			doubts = append(doubts, text)
		}
		return join(": ", "not used", strings.Join(doubts, "; "))
	}
	switch {
	case t.Book == nil:
		return "nothing in the book to compare"
	case t.Agrees:
		return "book " + r.Celsius(*t.Book, 0) + ": agrees"
	}
	return fmt.Sprintf("measured %s, book %s: off by %s", r.Celsius(t.Measured, 0), r.Celsius(*t.Book, 0), r.Kelvin(math.Abs(float64(t.Measured-*t.Book)), 0))
}

// Explanation of a disagreement, as a sentence. from and to are the days it lies between.
func (r Reader) Explanation(x ledger.Explanation, from, to measure.Date) string {
	litres := r.Litres(float64(x.Litres), 1)
	between := ""
	if from != to {
		between = " (between " + r.Date(from) + " and " + r.Date(to) + ")"
	}
	switch x.Cause {
	case ledger.CauseWater:
		return "About " + litres + " of plain water was added and not recorded" + between + "."
	case ledger.CauseLeakRefill:
		return "About " + litres + " leaked and was made up with water" + between + "."
	case ledger.CauseConcentrate:
		return "About " + litres + " of concentrate was added and not recorded" + between + "."
	case ledger.CauseBoiledOff:
		return "About " + litres + " of water boiled or seeped off and left the glycol behind" + between + "."
	case ledger.CauseScale:
		scale, truth := "other", ""
		if x.Scale != "" {
			scale = string(x.Scale)
		}
		if x.True != nil {
			truth = ": the true value is about " + r.Celsius(*x.True, 0)
		}
		return "It was read on the " + scale + " scale" + truth + "."
	case ledger.CauseMixedWrong:
		return fmt.Sprintf("The renewal was mixed at %s%s%% (%s of concentrate), not as recorded.", Figure(x.Share, 0), nbsp, litres)
	case ledger.CauseFillVolume:
		return "The fill volume was wrong: " + litres + " went in, not what is recorded."
	case ledger.CauseStayed:
		return "About " + litres + " of flush water or old coolant stayed inside at the renewal."
	case ledger.CauseMisread:
		return "The test was misread, the prism was dirty, or the sample was not mixed."
	}
	return Name(string(x.Cause)) + "."
}

// Stop is what a thing that stops the unit is about, and what releases it.
func (r Reader) Stop(s ledger.Stop, air *ledger.Turnover) string {
	switch s.Cause {
	case ledger.StopAir:
		short := "less went in than came out"
		if air != nil {
			short = r.Litres(float64(air.Short), 1) + " " + short
		}
		return short + pick(s.Ready, "; the level was at the mark since: it may be released", ": check the level cold, four hours or more after the fill, or bleed again")
	case ledger.StopCoolant:
		return Names(s.About.State) + " coolant" + pick(s.Ready, "; clear since: it may be released", ": find the cause")
	case ledger.StopFinding:
		return Subject(s.About) + when(s.Ready, "; found good since: it may be released")
	case ledger.StopReturn:
		return Name(s.About.Point) + ": to be returned to service by a signatory"
	case ledger.StopLevel:
		if s.About.Point == ledger.PointBook {
			return "too much is missing by the book"
		}
		return "the level was " + Name(s.About.State) + ": top up and check the level cold"
	}
	return Subject(s.About)
}

// ReadAs says how numbers that were typed were read, each in its unit; nothing for none.
func ReadAs(numbers []measure.Reading) []string {
	if len(numbers) == 0 {
		return nil
	}
	all := make([]string, len(numbers))
	for i, r := range numbers {
		digits := 0
		if _, fraction, ok := strings.Cut(measure.Digits(r.Value), "."); ok {
			digits = len(fraction)
		}
		all[i] = strings.TrimSuffix(with(Figure(r.Value, digits), r.Unit), nbsp)
	}
	return []string{"Read as " + strings.Join(all, " · ") + "."}
}

// ReadAsMinus says that a freeze point was typed without its minus.
func ReadAsMinus(r measure.Reading) string {
	meant := r
	meant.Value = -r.Value
	water := "0 °C"
	if r.Unit == measure.DegF {
		water = "32 °F"
	}
	return fmt.Sprintf("%s is read as %s: no coolant freezes above %s.", r, strings.Replace(meant.String(), "-", "−", 1), water)
}
