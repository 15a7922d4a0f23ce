package ledger

import (
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// The instruments of a freeze test.
const (
	Refractometer = "refractometer"
	Hydrometer    = "hydrometer"
	DiscTester    = "discs"
	TestStrip     = "strip"
)

// Instruments in the order they are offered.
var Instruments = []string{Refractometer, Hydrometer, DiscTester, TestStrip}

// FreezeTest is what an instrument showed. The unit of the value names which
// scale it was: °C or °F of a freeze line or a strip's band, per cent, °Bx,
// relative density, floating discs.
type FreezeTest struct {
	Value      measure.Reading `json:"value"`
	Instrument string          `json:"instrument"`
	Scale      coolant.Base    `json:"scale,omitempty"` // of a refractometer's line
	// Sample is the temperature of the sample, when it was taken.
	Sample *measure.Reading `json:"sample,omitempty"`
	// Tool is which instrument it was, such as "R-2".
	Tool string `json:"tool,omitempty"`
	// Zero is what it read on purified water just before, in the unit of Value.
	Zero *float64 `json:"zero,omitempty"`
	// Chart of a disc tester: what one, two, ... floating discs protect to, °C.
	Chart []measure.Celsius `json:"chart,omitempty"`
	// Cold end of a strip's band, °C; Value is the warm end.
	Cold    *measure.Celsius `json:"cold,omitempty"`
	Expired bool             `json:"expired,omitempty"`
	Late    bool             `json:"late,omitempty"`
	// Warmed: the engine ran warm after the last pour, until the thermostat opened, so that the sample is mixed.
	Warmed bool `json:"warmed,omitempty"`
}

// ChemistryTest of a sample. Pointers are nil for what was not tested.
type ChemistryTest struct {
	PH         *float64           `json:"ph,omitempty"`
	Reserve    *float64           `json:"reserve,omitempty"`   // mL of 0.1 N acid
	Nitrite    *float64           `json:"nitrite,omitempty"`   // ppm
	Molybdate  *float64           `json:"molybdate,omitempty"` // ppm
	Stray      *float64           `json:"stray,omitempty"`     // V between coolant and battery ground
	Appearance coolant.Appearance `json:"look,omitempty"`
	Tool       string             `json:"tool,omitempty"`
	// Upper ends of a strip's steps; the figures above are the lower ends.
	PHTo        *float64 `json:"phTo,omitempty"`
	NitriteTo   *float64 `json:"nitriteTo,omitempty"`
	MolybdateTo *float64 `json:"molybdateTo,omitempty"`
	// What nitrite and molybdate are stated as; NO₂ and MoO₄ when empty.
	NitriteAs   coolant.Basis `json:"nitriteAs,omitempty"`
	MolybdateAs coolant.Basis `json:"molybdateAs,omitempty"`
	// Stray voltage by what was on.
	StrayOff      *float64 `json:"strayOff,omitempty"`
	StrayCranking *float64 `json:"strayCranking,omitempty"`
	StrayLoads    *float64 `json:"strayLoads,omitempty"`
	Method        string   `json:"method,omitempty"` // of TestMethods
	// Conductivity in µS/cm, read on a sample of the temperature ConductivityAt.
	Conductivity   *float64         `json:"conductivity,omitempty"`
	ConductivityAt *measure.Reading `json:"conductivityAt,omitempty"`
	// Of a laboratory, ppm: what organic acids and glycol break down to, salts, and worn metals.
	Glycolate *float64 `json:"glycolate,omitempty"`
	Chloride  *float64 `json:"chloride,omitempty"`
	Sulphate  *float64 `json:"sulphate,omitempty"`
	IronPPM   *float64 `json:"iron,omitempty"`
	Copper    *float64 `json:"copper,omitempty"`
	Lead      *float64 `json:"lead,omitempty"`
	Aluminium *float64 `json:"aluminium,omitempty"`
	// A strip past its date, or read after its time.
	Expired bool `json:"expired,omitempty"`
	Late    bool `json:"late,omitempty"`
}

// Methods of a chemistry test.
const (
	ByStrip      = "strip"
	ByMeter      = "meter"
	ByLaboratory = "laboratory"
)

// TestMethods in the order they are offered.
var TestMethods = []string{ByStrip, ByMeter, ByLaboratory}

// tested is every figure of the test, by its field.
func (b ChemistryTest) tested() []*float64 {
	all := []*float64{b.PH, b.Reserve, b.Nitrite, b.Molybdate, b.Stray, b.StrayOff, b.StrayCranking, b.StrayLoads, b.Conductivity}
	for _, f := range b.laboratory() {
		all = append(all, f.value)
	}
	return all
}

// labFigure is a figure of a laboratory alone, ppm.
type labFigure struct {
	name  string
	value *float64
}

func (b ChemistryTest) laboratory() []labFigure {
	return []labFigure{{"glycolate", b.Glycolate}, {"chloride", b.Chloride}, {"sulphate", b.Sulphate}, {"iron", b.IronPPM}, {"copper", b.Copper}, {"lead", b.Lead}, {"aluminium", b.Aluminium}}
}

// LabFigures are the figures of a laboratory that nothing is judged by, by name, in order; those
// that were not tested are left out.
func (b ChemistryTest) LabFigures(f func(name string, ppm float64)) {
	for _, l := range b.laboratory() {
		if l.value != nil {
			f(l.name, *l.value)
		}
	}
}

// CapTest of the pressure cap.
type CapTest struct {
	Opened *measure.Reading `json:"opened,omitempty"` // pressure at which it opened
	Holds  *bool            `json:"holds,omitempty"`  // holds just below that
	Vacuum string           `json:"vacuum,omitempty"` // of VacuumValves
	Seal   string           `json:"seal,omitempty"`   // of Seals
	// Seated on its neck; for a two-stage cap Stage is how far it is turned.
	Seated *bool  `json:"seated,omitempty"`
	Stage  string `json:"stage,omitempty"` // of CapStages
	// Renewed: a new cap was fitted, and this was found on it.
	Renewed bool   `json:"renewed,omitempty"`
	Note    string `json:"note,omitempty"`
}

// What may be found on a cap.
var (
	VacuumValves = []string{"opens", "stuck"}
	Seals        = []string{"good", "dried", "cracked", "hardened"}
	CapStages    = []string{"home", "first_stage"}
)

// PressureTest of the whole system, cold.
type PressureTest struct {
	Pressure measure.Reading `json:"pressure"`
	Minutes  float64         `json:"minutes"`
	Drop     measure.Reading `json:"drop"`
	Note     string          `json:"note,omitempty"`
}

// LevelCheck against the cold marks, or in millimetres over the upper one.
type LevelCheck struct {
	Temper string           `json:"temper"`         // Cold or Hot
	Mark   string           `json:"mark,omitempty"` // of Marks
	Over   *measure.Reading `json:"over,omitempty"` // mm over the upper mark, negative below it
	// Place where the level was seen, of LevelPlaces; empty for the tank that has the cold marks.
	Place string `json:"place,omitempty"`
	Note  string `json:"note,omitempty"`
}

// Places of a level. A recovery bottle is full as well when its valve sticks and the header is low:
// its level proves nothing that is good.
const (
	PlaceHeader = "header"
	PlaceBottle = "bottle"
)

// LevelPlaces in the order they are offered.
var LevelPlaces = []string{PlaceHeader, PlaceBottle}

// Marks of a level, from above.
var Marks = []string{"above", "max", "between", "min", "below", "empty"}

// ZeroCheck is what an instrument read on purified water.
type ZeroCheck struct {
	Tool string          `json:"tool"`
	Zero measure.Reading `json:"zero"` // in the unit of the instrument's scale
}

// Meter is an odometer or hour meter as it stood.
type Meter struct {
	Meter measure.Reading `json:"meter"`
	// Confirmed: it was read twice, though it does not fit the readings around it.
	Confirmed bool `json:"sure,omitempty"`
}

// MeterChange is one meter taken out and another put in.
type MeterChange struct {
	Old *measure.Reading `json:"old,omitempty"` // the old one's last reading; nil when it was lost
	New measure.Reading  `json:"new"`           // where the new one begins
}

// ToolOf is which instrument an entry names; empty for none.
func ToolOf(b Body) string {
	switch b := b.(type) {
	case FreezeTest:
		return b.Tool
	case ChemistryTest:
		return b.Tool
	case ZeroCheck:
		return b.Tool
	}
	return ""
}
