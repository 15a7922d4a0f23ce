package coolant

import (
	"math"

	"diligentledger/core/measure"
)

// System is a cooling system with what is in it.
type System struct {
	Charge   Charge
	Capacity measure.Litre
	// AgeDays is the volume-weighted age of the charge.
	AgeDays float64
}

// Drain takes v litres of the mixture out.
func (s System) Drain(v measure.Litre) System {
	s.Charge = s.Charge.Remove(v)
	return s
}

// Pour adds a charge of age zero; mass is conserved and the age is weighted by
// volume. It returns a [MixedBaseError] for glycols of different bases.
func (s System) Pour(c Charge) (System, error) {
	after, err := s.Charge.Add(c)
	if err != nil {
		return s, err
	}
	if total := s.Charge.Volume() + c.Volume(); total > 0 {
		s.AgeDays *= float64(s.Charge.Volume() / total)
	}
	s.Charge = after
	return s, nil
}

// FillUp pours as much of a mixture, of any amount, as brings the system to its
// capacity, and gives how much that was.
func (s System) FillUp(with Charge) (System, measure.Litre, error) {
	litre := with.times(1 / float64(with.Volume()))
	v := fillVolume(s.Charge, litre, s.Capacity)
	after, err := s.Pour(litre.times(float64(v)))
	return after, v, err
}

// fillVolume is how much of litre, one litre of a mixture, brings c to
// capacity. Mixing shrinks, so it is a little more than the room; found by
// Newton's method, as volume grows almost in step with what is poured.
func fillVolume(c, litre Charge, capacity measure.Litre) measure.Litre {
	v := capacity - c.Volume()
	if v <= 0 {
		return 0
	}
	for range 8 {
		sum := Charge{Base: c.Base, Glycol: c.Glycol + litre.Glycol*measure.Kilogram(v), Water: c.Water + litre.Water*measure.Kilogram(v)}
		if sum.Base == "" {
			sum.Base = litre.Base
		}
		short := capacity - sum.Volume()
		v += short
		if math.Abs(float64(short)) < 1e-8 {
			break
		}
	}
	return v
}

// DrainAndFill drains v litres and fills up with a mixture, passes times over,
// and returns the system after each. A [measure.RangeError] when v is not
// between 0 and the capacity or there are not 1 to 20 passes.
func DrainAndFill(s System, v measure.Litre, with Charge, passes int) ([]System, error) {
	if !(v > 0 && v <= s.Capacity) {
		return nil, &measure.RangeError{What: "drained litres", Value: float64(v), Accepted: "more than 0, up to the capacity"}
	}
	if passes < 1 || passes > 20 {
		return nil, &measure.RangeError{What: "passes", Value: float64(passes), Accepted: "1 to 20"}
	}
	var after []System
	for range passes {
		// The drain reaches all but a residual, however full the system is.
		s = s.Drain(max(0, v-(s.Capacity-s.Charge.Volume())))
		next, _, err := s.FillUp(with)
		if err != nil {
			return nil, err
		}
		s = next
		after = append(after, s)
	}
	return after, nil
}

// ReplacedFraction of the charge after n passes that each replace the fraction
// r: 1 − (1 − r)ⁿ.
func ReplacedFraction(r float64, n int) float64 { return 1 - math.Pow(1-r, float64(n)) }

// Flush is n rounds of draining v litres and filling up with purified water,
// and one more drain: what is left is what the drain does not reach, nearly
// water.
func Flush(s System, v measure.Litre, n int) (System, error) {
	water, err := PourWater(1)
	if err != nil {
		return s, err
	}
	rounds, err := DrainAndFill(s, v, water, n)
	if err != nil {
		return s, err
	}
	return rounds[len(rounds)-1].Drain(v), nil
}
