package coolant

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/measure"
	"diligentledger/internal/pinnedtest"
)

// What the rules of the mix answer on grids and to drawn questions.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	bases := []Base{EG, PG, NoWater, ""}
	for _, b := range bases {
		for i := -1; i <= 21; i++ {
			x := float64(i) / 20
			f, e1 := FreezePoint(b, x)
			d, e2 := Density(b, x)
			m, e3 := MassFraction(b, x)
			v, e4 := VolumeFraction(b, x)
			boil, e5 := BoilOver(b, x, measure.Kilopascal(10*i), float64(200*i))
			a.Add(fmt.Sprintf("%s %.2f", b, x), f, e1, d, e2, m, e3, v, e4, boil, e5)
			cold := measure.Celsius(5 - 4*i)
			mass, e6 := MassFor(b, cold)
			rich, ok := RichMassFor(b, cold)
			a.Add(fmt.Sprintf("mass for %s %v", b, cold), mass, e6, rich, ok)
		}
		e, f, err := Eutectic(b)
		a.Add("eutectic "+string(b), e, f, err)
		for _, kind := range []ScaleKind{ScaleFreeze, "percent", "brix", "density", ""} {
			lines, err := ScaleLines(kind, b)
			a.Add(fmt.Sprintf("scale %s %s", kind, b), lines, err)
		}
	}
	for i := -3; i < 40; i++ {
		h, p := float64(250*i), measure.Kilopascal(15*i)
		ambient, e1 := AmbientPressure(h)
		sat, e2 := SaturationTemperature(p)
		a.Add(fmt.Sprint("altitude, pressure ", i), ambient, e1, sat, e2, CleanerBottles(measure.Litre(i)), ConductivityAt25(float64(i), measure.Celsius(3*i)), ReplacedFraction(float64(i)/30, i%6))
	}
	for _, tech := range append(Technologies, Universal, "", "other") {
		fresh, ok := NitriteFresh(tech)
		a.Add("technology "+string(tech), ContainsNitrite(tech), fresh, ok)
		for _, k := range AdditiveKinds {
			a.Add(fmt.Sprint("additive ", tech, " ", k), AcceptsAdditive(tech, k))
		}
	}
	rng := rand.New(rand.NewPCG(31, 1))
	between := func(lo, hi float64) float64 { return lo + (hi-lo)*rng.Float64() }
	some := func(lo, hi float64) *float64 {
		if rng.IntN(3) == 0 {
			return nil
		}
		return pt(between(lo, hi))
	}
	yes := func() bool { return rng.IntN(2) == 0 }
	drawn := func() Product {
		p := Product{Code: fmt.Sprint("P", rng.IntN(4)), Base: bases[rng.IntN(3)], Technology: string(append(Technologies, Universal, "")[rng.IntN(len(Technologies)+2)]),
			Form: []Form{Concentrate, Premix}[rng.IntN(2)], Glycol: between(0.2, 1), Stated: yes(), SCA: yes(), LowConductivity: yes()}
		for _, s := range Standards {
			if rng.IntN(3) == 0 {
				p.Meets = append(p.Meets, s)
			}
		}
		if yes() {
			p.Named = append(p.Named, Technologies[rng.IntN(len(Technologies))])
		}
		if p.Base == NoWater {
			p.Glycol = 1
		}
		return p
	}
	for n := range 600 {
		inside, add := drawn(), drawn()
		needs := Needs{SilicateFree: yes(), PremixOnly: yes(), WetLiners: yes(), Aircraft: rng.IntN(4) == 0, Metal: []Metal{"", Iron, Aluminium}[rng.IntN(3)],
			Required: append(Technologies, "", "")[rng.IntN(len(Technologies)+2)], SCA: yes(), OverStrong: yes(), Electric: rng.IntN(4) == 0}
		if yes() {
			needs.Listed = []string{"P1", "P2"}
		}
		a.Add(fmt.Sprint("compatible ", n), TopUp(inside, add, needs), Fill(add, needs), SameChemistry(inside, add), Liners(add, yes(), yes()))
	}
	for n := range 400 {
		present, e1 := Pour([]Base{EG, PG}[rng.IntN(2)], measure.Litre(between(0, 12)), between(0, 0.9))
		capacity := measure.Litre(between(1, 12))
		task := CorrectionTask{Present: present, Capacity: capacity, Drainable: capacity * measure.Litre(between(0, 1)), Target: between(0.2, 0.7), Base: []Base{EG, PG}[rng.IntN(2)],
			Additives: [][]float64{{0, ConcentrateGlycol}, {0, 0.5, 0.95}, {0.5}, {ConcentrateGlycol}}[rng.IntN(4)]}
		c, e2 := Correct(task)
		a.Add(fmt.Sprint("correct ", n), e1, c, e2)
		old := System{Charge: present, Capacity: capacity, AgeDays: between(0, 2000)}
		fresh, _ := Pour(present.Base, 1, 0.5)
		after, e3 := DrainAndFill(old, capacity*measure.Litre(between(0.1, 1.1)), fresh, 1+rng.IntN(4))
		flushed, e4 := Flush(old, capacity*measure.Litre(between(0.1, 1)), 1+rng.IntN(4))
		a.Add(fmt.Sprint("drain and fill ", n), after, e3, flushed, e4)
		litres, ok := DilutionFor(measure.Litre(between(1, 20)), between(0, 1), between(0, 1), between(0, 1))
		a.Add(fmt.Sprint("dilution ", n), litres, ok, present.Volume(), present.Remove(measure.Litre(between(0, 5))), present.WithMassFraction(between(0, 1)))
	}
	for n := range 600 {
		m := Refractometer{Kind: []ScaleKind{ScaleFreeze, "percent", "brix", "index"}[rng.IntN(4)], Scale: bases[rng.IntN(3)], Inside: bases[rng.IntN(4)], Value: between(-45, 60), Compensated: yes(),
			Zero: some(-3, 3), ZeroDays: some(0, 400)}
		if yes() {
			m.Sample = pt(measure.Celsius(between(-10, 60)))
		}
		r, e1 := m.Read()
		h := Hydrometer{Relative: between(0.98, 1.15), Sample: measure.Celsius(between(-10, 60)), Inside: bases[rng.IntN(4)]}
		if yes() {
			h.Density, h.Glycol = between(1.05, 1.16), between(0.4, 1)
		}
		r2, e2 := h.Read()
		a.Add(fmt.Sprint("instrument ", n), r, e1, r2, e2)
	}
	// Figures at which something is refused.
	for n := range 1500 {
		m := Refractometer{Kind: []ScaleKind{ScaleFreeze, "percent", "brix"}[n%3], Scale: bases[rng.IntN(2)], Inside: bases[rng.IntN(4)], Value: between(-60, 110), Zero: some(-5, 5), ZeroDays: some(0, 400)}
		h := Hydrometer{Relative: between(0.9, 1.2), Sample: measure.Celsius(between(-10, 60)), Inside: EG}
		w := between(-1, 30)
		inside := measure.Litre(between(0, 12))
		present, err := Pour(EG, inside, between(0, 1))
		task := CorrectionTask{Present: present, Capacity: inside + measure.Litre(between(-1, 4)), Drainable: measure.Litre(between(0, 6)), Target: between(0.1, 0.9), Base: EG, Additives: []float64{0, ConcentrateGlycol}}
		for _, v := range []any{&m, &h, &task} {
			pinnedtest.Perturb(rng, v)
		}
		r, e1 := m.Read()
		r2, e2 := h.Read()
		c, e3 := Correct(task)
		waterless, e4 := ReadWaterless(w, pt(measure.Celsius(between(-60, 10))))
		a.Add(fmt.Sprint("figure ", n), r, e1, r2, e2, c, e3, err, waterless, e4)
	}
	for n := range 600 {
		band := func(lo, hi float64) *Band {
			if rng.IntN(3) == 0 {
				return nil
			}
			v := between(lo, hi)
			if yes() {
				return ExactBand(v)
			}
			return &Band{v, v * 1.3}
		}
		s := Sample{Technology: append(Technologies, "")[rng.IntN(len(Technologies)+1)], WetLiners: yes(), Metal: []Metal{"", Iron, Aluminium}[rng.IntN(3)], PH: band(5, 13), Reserve: some(0, 15),
			Fresh: []float64{0, 11, 5}[rng.IntN(3)], Nitrite: band(0, 5000), Molybdate: band(0, 2000), Stray: some(-1, 1), StrayOff: some(-1, 1), StrayCranking: some(-1, 1), StrayLoads: some(-1, 1),
			Appearance: append(Appearances, "")[rng.IntN(len(Appearances)+1)], Conductivity: some(0, 6000), Electric: yes()}
		if rng.IntN(3) == 0 {
			s.Over = []Figures{{"nitrite_low": 700, "ph_low": 7}}
		}
		grade, properties := Evaluate(s)
		a.Add(fmt.Sprint("sample ", n), grade, properties, s.NitriteMost(), s.NitriteTarget())
		c := CapTest{Rated: measure.Kilopascal([]float64{0, 90, 108, 140}[rng.IntN(4)]), Opens: yes(), Stuck: rng.IntN(4) == 0, Unseated: rng.IntN(4) == 0, BadSeal: rng.IntN(4) == 0, New: yes()}
		if yes() {
			c.Opened = pt(measure.Kilopascal(between(40, 180)))
		}
		if yes() {
			c.Vacuum = pt(measure.Kilopascal(between(0, 20)))
		}
		verdicts, effective := CheckCap(c)
		a.Add(fmt.Sprint("cap ", n), verdicts, effective)
		w := MixingWater{some(0, 400), some(0, 200), some(0, 200), some(0, 800)}
		a.Add(fmt.Sprint("water ", n), w.Fit(), w.Tests())
		add := Additive{Kind: AdditiveKinds[rng.IntN(len(AdditiveKinds))], Nitrite: between(0, 100), Molybdate: between(0, 50), Release: Releases[rng.IntN(len(Releases))]}
		a.Add(fmt.Sprint("dose ", n), DoseFor(add, measure.Kilogram(between(1, 40)), between(0, 1500), between(500, 3000)), NitriteRise(between(0, 100), measure.Kilogram(between(1, 40))))
		points := make([]DatedValue, rng.IntN(6))
		for i := range points {
			points[i] = DatedValue{Day: float64(100*i) + between(0, 50), Value: between(200, 2000)}
		}
		days, falls := DaysToLimit(points, between(200, 900))
		basket, e1 := Cheapest(measure.Litre(between(0, 60)), []Container{{1, between(8, 11)}, {5, between(35, 50)}, {20, between(120, 170)}})
		strip, e2 := ReadStrip(measure.Celsius(between(-40, -5)), measure.Celsius(between(-50, -5)), yes(), yes())
		discs, e3 := ReadDiscs([]measure.Celsius{-5, -12, -21, -32, -40}, rng.IntN(7)-1, bases[rng.IntN(4)])
		waterless, e4 := ReadWaterless(between(0, 10), nil)
		a.Add(fmt.Sprint("others ", n), days, falls, basket, e1, strip, e2, discs, e3, waterless, e4)
		typed, ok := TypedFreezePoint(measure.Reading{Value: between(-60, 60), Unit: []measure.Unit{measure.DegC, measure.DegF}[rng.IntN(2)]})
		a.Add(fmt.Sprint("typed ", n), typed, ok)
	}
	a.Check(t, "pinned.txt")
}
