package ledger

import (
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// StopCause is why a unit must not run, as a code.
type StopCause string

// The causes, the most urgent first.
const (
	StopHold    StopCause = "hold"        // a person's hold
	StopAir     StopCause = "air_trapped" // less went in than came out
	StopCoolant StopCause = "coolant"     // oily or gelled coolant
	StopDefect  StopCause = "defect"      // a defect that stops the unit; on an aircraft any that is to be repaired
	StopFinding StopCause = "finding"     // a bad finding on an aircraft
	StopReturn  StopCause = "return"      // work on an aircraft that is not released
	StopLevel   StopCause = "level"       // below the lower mark, empty, or too much missing by the book
)

// Stop is one thing for which a unit must not run.
//
// All but [StopLevel] end with a release, or with the closing of the defect, by
// a person who may (package access). A level that was too low ends with what shows
// that it no longer is; on an aircraft it is a finding and wants the release too.
type Stop struct {
	Cause StopCause
	About Subject
	Entry string // the entry that caused it; empty for a level by the book
	At    time.Time
	// Ready to be released: what a release waits for is in the books.
	Ready bool
}

// PointBook is the point of a stop that the book alone shows: the level.
const PointBook = "book"

// Subject is what a stop or a reason is about: a point of the unit and the state that it was
// found in, both codes; or text as a person wrote it.
type Subject struct {
	Point string // such as cap, upper_hose; a property of the coolant; empty for text
	State string // codes, a comma between them; empty where the point says all
	Text  string
}

func (s Subject) String() string {
	switch {
	case s.Point == "":
		return s.Text
	case s.State == "":
		return s.Point
	}
	return s.Point + ": " + s.State
}

// ground that stops a unit until it is released: a finding, the coolant's
// state, or work that is not released.
type ground struct {
	_ struct{} `cbor:",toarray"`

	Cause StopCause
	Point string // what was found or worked on
	State string
	Entry string
	At    time.Time
	Ready bool // a later look shows that it is right; work is ready at once
}

// LowLevel is a level that was seen below the lower mark.
type LowLevel struct {
	_ struct{} `cbor:",toarray"`

	Mark  string // "below" or "empty"; "millimetres" when it was measured
	Entry string
	At    time.Time
}

// Shares of the charge that may be missing by the book (common practice: the band
// between the cold marks is about a twentieth of the charge; with a sixth gone the
// pump and the heater core draw air).
const (
	LowShare  = 0.05 // from here on it is to be topped up
	HoldShare = 0.15 // from here on it must not run
)

// MissingLitres litres by the book, 0 when nothing is known of the charge.
func (a *Account) MissingLitres() measure.Litre {
	if !a.Known {
		return 0
	}
	return a.Filled - a.Charge.Volume()
}

// Stops are all things for which the unit must not run, the most urgent cause
// first. It is empty for a unit that nothing in its books stops; whether a night
// is too cold for it is for the forecast to say.
func (a *Account) Stops() []Stop {
	var all []Stop
	if h := a.Held; h != nil {
		all = append(all, Stop{Cause: StopHold, About: Subject{Text: h.Body.(Hold).Why}, Entry: h.ID, At: h.At, Ready: true})
	}
	if t := a.Air; t != nil {
		all = append(all, Stop{Cause: StopAir, Entry: t.Entry, At: t.At, Ready: a.AirSeen != ""})
	}
	for _, g := range a.grounds {
		if g.Cause == StopCoolant {
			all = append(all, g.stop())
		}
	}
	for _, d := range a.Defects {
		if d.Severity == "stop" || a.Unit.Aircraft && d.Severity == "repair" {
			all = append(all, Stop{Cause: StopDefect, About: Subject{Text: d.What}, Entry: d.ID, At: d.At})
		}
	}
	for _, cause := range []StopCause{StopFinding, StopReturn} {
		for _, g := range a.grounds {
			if g.Cause == cause {
				all = append(all, g.stop())
			}
		}
	}
	switch low := a.Low; {
	case low != nil:
		all = append(all, Stop{Cause: StopLevel, About: Subject{Point: "level", State: low.Mark}, Entry: low.Entry, At: low.At})
	case a.Known && a.MissingLitres() >= HoldShare*a.Filled:
		all = append(all, Stop{Cause: StopLevel, About: Subject{Point: PointBook}, At: a.LevelAt})
	}
	return all
}

func (g ground) stop() Stop {
	about := Subject{Point: g.Point}
	if g.Cause != StopReturn {
		about.State = g.State
	}
	return Stop{Cause: g.Cause, About: about, Entry: g.Entry, At: g.At, Ready: g.Ready}
}

// ground the unit. The slice is shared with snapshots and is never changed in place.
func (a *Account) ground(g ground) {
	kept := slices.DeleteFunc(slices.Clone(a.grounds), func(o ground) bool { return o.Cause == g.Cause && o.Point == g.Point })
	a.grounds = append(kept, g)
}

// makeReady marks the grounds of a cause and a point: a later inspection found it right.
func (a *Account) makeReady(cause StopCause, point string) {
	if !slices.ContainsFunc(a.grounds, func(g ground) bool { return g.Cause == cause && g.Point == point && !g.Ready }) {
		return
	}
	a.grounds = slices.Clone(a.grounds)
	for i := range a.grounds {
		if g := &a.grounds[i]; g.Cause == cause && g.Point == point {
			g.Ready = true
		}
	}
}

// worked on an aircraft: it remains until a person with the right returns it to service.
func (a *Account) worked(line *Line, on string) {
	if a.Unit.Aircraft {
		a.ground(ground{Cause: StopReturn, Point: on, Entry: line.Entry.ID, At: line.Entry.At, Ready: true})
	}
}

// judged a point of an aircraft: what is bad grounds it.
func (a *Account) judged(f Finding) {
	if !a.Unit.Aircraft {
		return
	}
	switch f.Grade {
	case coolant.GradeBad:
		a.ground(ground{Cause: StopFinding, Point: f.Point, State: f.State, Entry: f.Entry, At: f.At})
	case coolant.GradeGood, coolant.GradeSoft:
		a.makeReady(StopFinding, f.Point)
	}
}

// coolantSeen: oily or gelled coolant stops every kind of unit, since oil or fuel
// is in it or two coolants did not get along.
func (a *Account) coolantSeen(line *Line, look coolant.Appearance) {
	switch look {
	case coolant.AppearanceOily, coolant.AppearanceGelled:
		a.ground(ground{Cause: StopCoolant, Point: "coolant", State: string(look), Entry: line.Entry.ID, At: line.Entry.At})
	case coolant.AppearanceClear, coolant.AppearanceFaded:
		a.makeReady(StopCoolant, "coolant")
	}
}

// release ends what is ready for it. What is not stays, and is noted.
func (a *Account) release(line *Line) {
	stood := a.Held != nil || a.Air != nil || len(a.grounds) > 0
	if !stood {
		line.note(NoteNotHeld)
		return
	}
	a.Held = nil
	if a.AirSeen != "" {
		a.Air, a.AirSeen = nil, ""
	}
	a.grounds = slices.DeleteFunc(slices.Clone(a.grounds), func(g ground) bool { return g.Ready })
	if a.Air != nil || len(a.grounds) > 0 {
		line.note(NoteNotReady)
	}
}

// Unready are the stops that a release cannot end yet; nil when it may be written.
func (a *Account) Unready() []Stop {
	var all []Stop
	for _, s := range a.Stops() {
		if !s.Ready && (s.Cause == StopAir || s.Cause == StopCoolant || s.Cause == StopFinding) {
			all = append(all, s)
		}
	}
	return all
}

// standing reports whether anything is to be repaired: a stop that a person or a
// finding put there, a defect or a bad finding.
func (a *Account) standing() bool {
	if a.Held != nil || a.Air != nil || len(a.grounds) > 0 {
		return true
	}
	if slices.ContainsFunc(a.Defects, func(d OpenDefect) bool { return d.Severity != "watch" }) {
		return true
	}
	return slices.ContainsFunc(a.Findings, func(f Finding) bool { return f.Grade == coolant.GradeBad })
}
