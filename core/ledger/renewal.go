package ledger

import (
	"math"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Turnover is what a renewal moved. Volume in must equal volume out: less means
// that air is trapped, and the engine can overheat.
type Turnover struct {
	_ struct{} `cbor:",toarray"`

	At       time.Time
	Entry    string        // the renewal
	Out      measure.Litre // drained; nought when it was not measured
	In       measure.Litre
	Residual measure.Litre // stayed inside, old coolant and flush water
	Share    float64       // of the charge that is new, 0 to 1
	Counts   bool          // as a renewal
	// Short is how much less went in than came out and had been missing before;
	// negative when more went in. Allowed is what a hot level and the error of
	// measuring account for.
	Short, Allowed measure.Litre
}

// expansion of a half-and-half mixture from 20 °C to about 85 °C, as a share of
// its volume (density tables of makers of coolant, recalled from memory: 1.07
// against 1.03 kg/L).
const expansion = 0.04

// foreignGlycol is the share of all glycol below which the remains of the other
// base are no mixture (common practice).
const foreignGlycol = 0.02

// open begins the account.
func (a *Account) open(line *Line, b Opening) {
	if b.Meter != nil {
		a.meter(line, *b.Meter)
	}
	if b.History != Factory {
		a.forget()
		line.forgets, a.usesFrom = true, time.Time{}
		return
	}
	at := line.Entry.At
	a.Factory, a.Balance.RenewedAt, a.meanFilledAt = true, &line.Entry.At, at
	a.BuiltAt, a.Given = &line.Entry.At, Inhibitors{}
	a.renewal, line.begins, a.usesFrom = len(a.Lines)-1, true, at
	a.leaks, a.leaksCountFrom, a.levelHeldAt = nil, at, at
	if b.Product == nil {
		return
	}
	v := float64(a.Unit.Capacity)
	if b.Volume != nil {
		if metric, err := b.Volume.Metric(measure.Volume); err == nil {
			v = metric
		}
	}
	fresh, err := filling(*b.Product, measure.Litre(v), b.Share)
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	a.fillWith(fresh, *b.Product, measure.Litre(v))
	if b.Volume == nil && a.Unit.CapacityCommon {
		a.volume = a.Unit.capacitySigma()
	}
	a.begins(at)
}

// forget what is known of the charge. What stops the unit, what was found,
// and the parts' age are none of the charge and stay.
func (a *Account) forget() {
	*a = Account{Unit: a.Unit, Lines: a.Lines, MeterLog: a.MeterLog, Second: a.Second, Base: a.Unit.Base, Filled: a.Unit.Capacity, full: a.Unit.Capacity,
		Filter: a.Filter, Findings: a.Findings, Defects: a.Defects, Held: a.Held, Air: a.Air, AirSeen: a.AirSeen, AirBy: a.AirBy, Low: a.Low, LaidUp: a.LaidUp, Rests: a.Rests,
		BuiltAt: a.BuiltAt, HoseSince: a.HoseSince, PartSince: a.PartSince, InspectedAt: a.InspectedAt, RawWater: a.RawWater, Zeroed: a.Zeroed, RepairedAt: a.RepairedAt, CorrectedAt: a.CorrectedAt,
		EarlierTest: earlier(a.LastTest, a.EarlierTest),
		grounds:     a.grounds, zeros: a.zeros, strikes: a.strikes, renewal: -1,
		lastAt: a.lastAt, lastID: a.lastID, earlier: a.earlier, openedAt: a.openedAt, ahead: a.ahead}
}

// earlier is the later of two tests of charges before.
func earlier(last, before *TestMark) *TestMark {
	if last != nil {
		return last
	}
	return before
}

func filling(p coolant.Product, v measure.Litre, share *float64) (coolant.Charge, error) {
	if share != nil && p.Form == coolant.Concentrate {
		return coolant.Mix(p, v, *share/100)
	}
	return coolant.PourProduct(p, v)
}

// fillWith makes fresh the whole charge.
func (a *Account) fillWith(fresh coolant.Charge, p coolant.Product, v measure.Litre) {
	a.Charge, a.Base, a.Product = fresh, fresh.Base, &p
	a.Known, a.Mixed, a.Blended = true, false, nil
	a.Filled, a.full = v, max(a.Unit.Capacity, v)
	a.strength, a.volume = sigmaFill(p, fresh), sigmaPoured(v)
	a.Parts, a.WaterIn = []Part{{Product: p, Share: 1}}, p.Base == coolant.NoWater && fresh.Water > 0
	a.changed()
	a.EarlierTest = earlier(a.LastTest, a.EarlierTest)
	a.Changes, a.LastTest, a.Counted, a.Distrusted, a.Discrepancy, a.Colder, a.Bound, a.Single = 0, nil, nil, nil, nil, nil, nil, nil
	a.LevelUnknown, a.levelSeen = "", true
}

// sigmaFill is the standard uncertainty of a fill of p, mass fraction: of the mixing, and of
// what the label leaves open.
func sigmaFill(p coolant.Product, fill coolant.Charge) float64 {
	if p.Form == coolant.Premix {
		return sigmaPremix
	}
	glycol, label := p.Strength()
	if !(glycol > 0) {
		return sigmaMixed
	}
	return math.Hypot(sigmaMixed, label*fill.MassFraction()/glycol)
}

func (a *Account) renew(line *Line, b Renewal) {
	v, err := b.Volume.Metric(measure.Volume)
	if err != nil {
		return
	}
	in := measure.Litre(v)
	fresh, err := filling(b.Product, in, b.Share)
	if err != nil {
		line.note(NoteBeyondTable)
		return
	}
	if b.Meter != nil {
		a.meter(line, *b.Meter)
	}
	t := &Turnover{At: line.Entry.At, Entry: line.Entry.ID, In: in, Share: 1, Counts: true}
	line.Turn = t
	held, was := a.Unit.Capacity, measure.Litre(0)
	if a.Known {
		held, was = a.Charge.Volume(), min(a.Filled, max(a.Unit.Capacity, a.Charge.Volume()))
	}
	measured := a.turnOver(line, b, held)
	// What stayed inside left no more room than was filled: if more went in, so
	// much had gone before.
	if room := max(0, max(a.full, in)-in); t.Residual > room {
		if excess := t.Residual - room; float64(excess) > 2*sigmaPoured(in) {
			line.note(NoteImpliedLoss)
			line.Implied = excess
		}
		t.Residual = room
	}
	if t.Residual <= 0 {
		a.fillWith(fresh, b.Product, in)
		a.meanFilledAt = t.At
	} else {
		a.mixWith(line, fresh, b, held)
	}
	if t.Counts {
		a.Given = Inhibitors{}
		a.Findings = slices.DeleteFunc(slices.Clone(a.Findings), func(f Finding) bool { return f.Point == PointChemistry })
		a.Balance.RenewedAt, a.Factory = &line.Entry.At, b.Factory
		a.renewal, line.begins, a.usesFrom = len(a.Lines)-1, true, line.Entry.At
		a.leaks = nil
	} else {
		a.replaced(t.Share)
		line.note(NotePartial)
		a.CorrectedAt = &line.Entry.At
	}
	a.judgeProduct(line)
	a.leaksCountFrom, a.levelHeldAt = t.At, t.At
	if b.Factory && a.BuiltAt == nil {
		a.BuiltAt = &line.Entry.At
	}
	switch {
	case measured && t.Short > t.Allowed:
		line.note(NoteAirTrapped)
		air := *t
		a.Air, a.AirSeen = &air, ""
		// It holds what came out once the air is gone.
		was = max(was, t.In+t.Residual+t.Short)
	case measured && a.Air != nil:
		a.AirSeen, a.AirBy = line.Entry.ID, KindRenewal // as much went in as came out
	}
	// What was full before is full again only when as much is inside.
	a.Filled = max(a.Filled, min(was, max(a.Unit.Capacity, a.Filled)))
	a.worked(line, "renewal")
	a.begins(t.At)
	a.RefilledAt, a.LevelChecks = &line.Entry.At, nil
	a.requireCheck(CheckLevel, t.At)
	a.requireCheck(CheckRetest, t.At)
}

// emptiedDoubt is the standard uncertainty of what comes out of a system that is
// emptied whole without measuring, as a share of the charge (common practice: what
// never comes out of block and heater core).
const emptiedDoubt = 0.05

// turnOver works out what came out, what stayed, and whether as much went in. It
// reports whether what came out is known. When nothing says what came out it is
// taken as much as went in: a litre poured into eight renews an eighth.
func (a *Account) turnOver(line *Line, b Renewal, held measure.Litre) bool {
	t := line.Turn
	if len(b.Drained) == 0 && b.Residual == nil && !b.Emptied {
		line.note(NoteOutUnknown)
		// Capacities are rated to about a twentieth.
		if t.Residual = max(0, held-t.In); t.Residual < LowShare*a.Unit.Capacity {
			t.Residual = 0
		}
		return false
	}
	variance := 0.0
	for _, d := range b.Drained {
		if out, err := d.Volume.Metric(measure.Volume); err == nil {
			t.Out += measure.Litre(out)
			variance += math.Pow(sigmaPoured(measure.Litre(out)), 2)
		}
	}
	out := t.Out
	if out == 0 {
		variance = math.Pow(emptiedDoubt*float64(a.Unit.Capacity), 2)
		if out = held; b.Residual != nil {
			if r, err := b.Residual.Metric(measure.Volume); err == nil {
				out = max(0, held-measure.Litre(r))
			}
		}
	}
	measured := out > 0
	if measured {
		t.Residual = max(0, held-out)
		missing := measure.Litre(0)
		if a.Known {
			missing = max(0, a.Filled-held)
		}
		doubt := 0.0
		if missing > 0 {
			doubt = a.volume
		}
		t.Short = out + missing - t.In
		tolerated := measure.Litre(math.Inf(1)) // what came out was not measured: the doubt of that is all there is
		if t.Out > 0 {
			tolerated = AirTolerated(a.Unit.Kind, a.Unit.Capacity)
		}
		t.Allowed = allowedShort(variance, t.In, doubt, tolerated, b.Level == Hot, a.Unit.Capacity)
		// A drain to within measuring error of all there was leaves nothing.
		if t.Residual < measure.Litre(math.Sqrt(variance)) {
			t.Residual = 0
		}
	}
	if b.Emptied {
		t.Residual = 0
	}
	if b.Residual != nil {
		if r, err := b.Residual.Metric(measure.Volume); err == nil {
			t.Residual = min(measure.Litre(r), held)
		}
	}
	return measured
}

// airTolerated is the air that a system finds its own way out of, as a share of its capacity, by the kind of unit:
// it rises into the tank or the neck, and the level then still stands between the cold marks, which are about a
// twentieth of the charge apart (judgement: less than the band, with room for what the coolant shrinks when it
// cools; a motorcycle's few decilitres are not measured finer; an aircraft's system has no tank to spare). A
// maker's bleeding procedure with its figure takes its place.
var airTolerated = map[string]float64{"car": 0.03, "truck": 0.03, "boat": 0.03, "motorcycle": 0.05, "aircraft": 0.02}

// AirTolerated by a system of a kind of unit, L; the least of all kinds where the kind is not known.
func AirTolerated(kind string, capacity measure.Litre) measure.Litre {
	share, ok := airTolerated[kind]
	if !ok {
		share = airTolerated["aircraft"]
	}
	return measure.Litre(share) * capacity
}

// AllowedShort is by how much less may go into a system than came out of it: the smaller of the error of measuring
// and of the air that such a system tolerates. The error is two standard uncertainties of what came out and of
// what went in. What the book leaves open of what had been missing before (doubt, L, one standard uncertainty) and
// what a hot level reads high come on top.
func AllowedShort(kind string, out []measure.Litre, in measure.Litre, doubt float64, hot bool, capacity measure.Litre) measure.Litre {
	variance := 0.0
	for _, v := range out {
		variance += math.Pow(sigmaPoured(v), 2)
	}
	return allowedShort(variance, in, doubt, AirTolerated(kind, capacity), hot, capacity)
}

func allowedShort(variance float64, in measure.Litre, doubt float64, tolerated measure.Litre, hot bool, capacity measure.Litre) measure.Litre {
	measured := math.Min(float64(tolerated), 2*math.Hypot(math.Sqrt(variance), sigmaPoured(in)))
	allowed := measure.Litre(math.Hypot(measured, 2*doubt))
	if hot {
		allowed += measure.Litre(expansion * float64(capacity))
	}
	return allowed
}

// mixWith pours fresh onto what stayed inside, which each flush thinned.
func (a *Account) mixWith(line *Line, fresh coolant.Charge, b Renewal, held measure.Litre) {
	t := line.Turn
	r := t.Residual
	// Each flush fills the system with water and drains it to the residual again.
	left := math.Pow(math.Min(1, float64(r/max(a.full, r))), float64(b.Flushes+b.Rinses))
	old, doubt := a.Charge.Remove(held-r), a.strength
	if !a.Known {
		// Of an unknown charge anything from water to 60 % may have stayed.
		old, doubt = coolant.Charge{Base: fresh.Base, Glycol: 0.3, Water: 0.7}, 0.2
		old = scaleTo(old, r)
	}
	kept := scaleTo(old, measure.Litre(float64(old.Volume())*left))
	water, _ := coolant.PourWater(max(0, r-kept.Volume())) // not negative
	if b.FlushWith == PrepFluid {
		kept = coolant.Charge{Base: fresh.Base, Glycol: kept.Glycol + water.Water, Water: kept.Water}
		water = coolant.Charge{}
	} else if b.Flushes > 0 {
		line.note(NoteGlycolKept)
	}
	mixed := false
	if kept.Base != "" && kept.Base != fresh.Base && fresh.Base != coolant.NoWater {
		mixed = float64(kept.Glycol) > foreignGlycol*float64(kept.Glycol+fresh.Glycol)
		kept.Base = fresh.Base
	}
	rest := coolant.Charge{Base: fresh.Base, Glycol: kept.Glycol, Water: kept.Water + water.Water}
	total := coolant.Charge{Base: fresh.Base, Glycol: rest.Glycol + fresh.Glycol, Water: rest.Water + fresh.Water}
	volume := float64(total.Volume())
	oldShare := float64(kept.Volume()) / volume
	t.Share = 1 - oldShare
	t.Counts = t.Share >= a.Unit.replaced()

	// Uncertainty of the mixture: of what went in, of what stayed, and of how
	// much that was.
	p, q := float64(fresh.Volume())/volume, float64(r)/volume
	apart := math.Abs(fresh.MassFraction()-rest.MassFraction()) / volume
	strength := math.Hypot(math.Hypot(sigmaFill(b.Product, fresh)*p, doubt*left*q), apart*math.Hypot(a.volume, sigmaPoured(t.Out)))
	before, wasKnown, born, blended, wasMixed := a.Product, a.Known, a.meanFilledAt, a.Blended, a.Mixed
	single, level, seen := a.Single, a.LevelUnknown, a.levelSeen
	parts := a.Parts
	if !a.Known {
		parts = nil
	}
	a.fillWith(total, b.Product, measure.Litre(volume))
	if !t.Counts {
		// A part that was exchanged shows no level, and confirms nothing of what stayed.
		a.Single, a.LevelUnknown, a.levelSeen = single, level, seen
		if !wasKnown && !seen {
			a.LevelUnknown = LevelNeverSeen
		}
	}
	a.Parts = joined(parts, kept.Glycol, b.Product, fresh.Glycol)
	a.WaterIn = fresh.Base == coolant.NoWater && rest.Water > 0
	a.strength = strength
	a.Mixed = mixed || wasMixed && oldShare > foreignGlycol
	switch {
	case !born.IsZero():
		a.meanFilledAt = born.Add(time.Duration(float64(t.At.Sub(born)) * (1 - oldShare)))
	case oldShare <= foreignGlycol:
		a.meanFilledAt = t.At
	default:
		a.meanFilledAt = time.Time{} // part of it is of an age it is not known
	}
	if oldShare > foreignGlycol && wasKnown {
		a.Blended = blended
		if before != nil && !before.Is(b.Product) {
			a.blend(line, *before)
		}
	}
	if !t.Counts && before != nil {
		// The old product is still most of it.
		fresh := *a.Product
		a.Product = before
		if !fresh.Is(*before) {
			a.Blended = slices.DeleteFunc(slices.Clone(a.Blended), func(p coolant.Product) bool { return p.Is(*before) })
			a.blend(line, fresh)
		}
	}
}

func scaleTo(c coolant.Charge, v measure.Litre) coolant.Charge {
	have := c.Volume()
	if have <= 0 {
		return coolant.Charge{Base: c.Base}
	}
	f := measure.Kilogram(v / have)
	return coolant.Charge{Base: c.Base, Glycol: c.Glycol * f, Water: c.Water * f}
}
