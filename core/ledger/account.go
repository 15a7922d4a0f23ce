package ledger

import (
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// Note is something about a line that its reader should know, as a code.
type Note string

// The notes.
const (
	NoteImpliedLoss   Note = "implied_loss"       // the top-up shows that something was lost before
	NoteMoreThanBook  Note = "more_than_book"     // more was lost than the book held
	NoteNotFilled     Note = "not_filled"         // poured into a system whose charge is not recorded
	NoteMixedBase     Note = "mixed_base"         // EG and PG together: no table applies
	NoteMixedTech     Note = "mixed_technology"   // another inhibitor technology was poured in
	NotePremixThinned Note = "premix_thinned"     // water poured onto a premix
	NoteWrongScale    Note = "wrong_scale"        // read on the scale of the other glycol
	NoteBaseUnknown   Note = "base_unknown"       // which scale would be right is not known
	NoteBeyondTable   Note = "beyond_table"       // stronger or colder than any table row
	NoteVolumeAssumed Note = "volume_assumed"     // first known strength; the system is taken as full
	NoteMeterOutlier  Note = "meter_outlier"      // cannot be true together with the other readings; not used
	NoteColder        Note = "colder_waits"       // colder than the book: does not count until a second zeroed test or an entry explains it
	NoteNotMixed      Note = "not_mixed"          // tested less than four hours after coolant was poured in, and without a run
	NoteOutUnknown    Note = "out_unknown"        // not said what came out: as much as went in
	NoteMarksUnknown  Note = "marks_unknown"      // millimetres are not judged without the distance of the tank's marks
	NoteNotReady      Note = "not_ready"          // released while something still stops it
	NoteSettling      Note = "settling"           // topped up within ten days of a fill: no leak
	NoteTooStrong     Note = "too_strong"         // beyond the strong end of the scale: dilute and test again
	NoteDensityPG     Note = "density_on_pg"      // hydrometer or discs on PG: says nothing
	NoteInferred      Note = "inferred"           // balances the books; not observed
	NoteOtherMeter    Note = "other_meter_kind"   // hours on a unit that counts distance, or the reverse
	NoteDistrusted    Note = "reading_refused"    // the instrument's reading cannot be used; its flags say why
	NotePartial       Note = "partial_drain"      // too little was replaced to count as a renewal
	NoteAirTrapped    Note = "air_trapped"        // less went in than came out
	NoteLevelLow      Note = "level_below_book"   // the level shows less than the book holds
	NoteLevelHigh     Note = "level_above_book"   // the level shows more than the book holds
	NoteLevelHot      Note = "level_hot"          // a hot level reads high and proves nothing
	NoteNoTank        Note = "tank_unknown"       // millimetres mean no litres without the tank's area
	NoteStrikesNone   Note = "strikes_nothing"    // the struck entry is not in these books (yet)
	NoteClosesNone    Note = "closes_nothing"     // no such defect is open
	NoteNotHeld       Note = "was_not_held"       // released without a hold
	NoteLeaks         Note = "does_not_hold"      // the pressure fell by more than a sound system's would
	NoteOffRating     Note = "off_rating"         // the cap opens off its rating
	NoteGlycolKept    Note = "water_left_inside"  // flush water stayed inside and thinned the fill
	NoteForeign       Note = "foreign_product"    // a foreign product is too much of the charge
	NoteOverDosed     Note = "over_dosed"         // more nitrite than stays dissolved
	NoteExtendedTwice Note = "extended_twice"     // an extender is given once in the life of a charge
	NoteWaterIn       Note = "water_in"           // water in a waterless coolant: what it protects to is not known
	NoteWaterless     Note = "scale_on_waterless" // a glycol scale says nothing of a waterless coolant
	NoteImplausible   Note = "implausible"        // a number or a time beyond anything that can be meant: not used
	NoteEmptyBook     Note = "book_empty"         // the book holds nothing that could have been tested
	NoteBottle        Note = "bottle_only"        // a full recovery bottle proves nothing: the header is to be seen as well
	NoteStrip         Note = "strip_refused"      // the strip was past its date or read too late: not used

	// By the register the instrument cannot have made the test: not used.
	NoteInstrumentKind   Note = "instrument_kind"   // it is of another kind
	NoteInstrumentScale  Note = "instrument_scale"  // it has no such scale
	NoteInstrumentChart  Note = "instrument_chart"  // its discs have another chart
	NoteInstrumentSample Note = "instrument_sample" // the sample was beyond its range
)

// Balance is what the books say after a line. Nil pointers are unknown.
type Balance struct {
	_ struct{} `cbor:",toarray"`

	Litres    *measure.Litre
	Glycol    *float64         // volume fraction, 0 to 1
	Freeze    *measure.Celsius // freeze point by book
	Low, High *measure.Celsius // the band of two standard uncertainties around it
	RenewedAt *time.Time       // of the last qualifying renewal
	MeanAge   *time.Duration   // volume-weighted, at the time of the line
	Used      *float64         // km or h since the last renewal, by the last meter reading
}

// Reconciliation is a test held against the book.
type Reconciliation struct {
	Measured  measure.Celsius
	Low, High measure.Celsius  // what the instrument leaves open
	Book      *measure.Celsius // nil when the book knew nothing
	Tolerance measure.Kelvin   // two standard uncertainties of the difference
	Agrees    bool             // within the tolerance
	Trusted   bool             // false when the reading says nothing about this coolant
	// Shown is what the instrument showed when that is not what is inside.
	Shown *measure.Celsius
	Flags []coolant.Flag
}

// Line is an entry with what it did to the account.
type Line struct {
	Entry   Entry
	After   Balance
	Test    *Reconciliation // of a freeze test
	Turn    *Turnover       // of a renewal
	Implied measure.Litre   // lost, or found beyond the book, see the notes
	Grade   coolant.Grade   // of what was tested or seen; empty for other kinds
	Notes   []Note
	// Struck is the entry that voids this one.
	Struck *Entry

	before  *Account // as it stood before a test that does not agree
	begins  bool     // the use since the renewal counts from here
	forgets bool     // no renewal is known from here on
}

// Finding is the last state of a point that was inspected or tested.
type Finding struct {
	_ struct{} `cbor:",toarray"`

	Point string // such as "cap", "upper hose", "weep_hole"
	State string
	Grade coolant.Grade
	At    time.Time
	Entry string
}

// OpenDefect is a defect no one has closed.
type OpenDefect struct {
	_ struct{} `cbor:",toarray"`

	Defect
	ID string
	At time.Time
}

// PendingCheck is a check that is owed since a moment.
type PendingCheck struct {
	_ struct{} `cbor:",toarray"`

	What  string // OwedLevel or OwedRetest
	Since time.Time
}

// What may be owed after coolant was poured in.
const (
	CheckLevel  = "level_cold"    // the level, cold, on the next day
	CheckRetest = "freeze_retest" // the freeze point, once it is mixed

	// After a lay-up, in the order in which they are done.
	CheckReturnLevel = "return_level"
	CheckReturnCap   = "return_cap"
	CheckReturnHoses = "return_hoses"
	CheckReturnTest  = "return_test"
)

// ReturnChecks are owed when a unit comes back into use (common practice: seals dry and hoses harden while it stands).
var ReturnChecks = []string{CheckReturnLevel, CheckReturnCap, CheckReturnHoses, CheckReturnTest}

// Chemistry is a sample as it was judged.
type Chemistry struct {
	_ struct{} `cbor:",toarray"`

	At         time.Time
	Sample     coolant.Sample
	Grade      coolant.Grade
	Properties []coolant.PropertyGrade
}

// TestMark is when a test was made and what it read.
type TestMark struct {
	_ struct{} `cbor:",toarray"`

	Entry    string
	At       time.Time
	Measured measure.Celsius
	Agreed   bool
	Note     Note // why it was not trusted
	// Instrument, which one, and its last zero check, if any was written.
	Instrument, Tool string
	ZeroAt           *time.Time
	// Confirmed: a second test showed the same.
	Confirmed bool
	// Waits: it read colder than the book and does not count yet.
	Waits bool
	// Cold end of a bracket that agreed with the book, of discs, a strip or a hydrometer without the product's density:
	// the book within
	// it is confirmed, and a book beyond it no further than to here. Nil for every other test.
	Cold *measure.Celsius
}

// ColderTest is a test that read colder than the book. The warmer of the two
// counts until an independent second test, or an entry, explains it.
type ColderTest struct {
	_ struct{} `cbor:",toarray"`

	At          time.Time
	Mass, Sigma float64 // mass fraction of glycol, and its standard uncertainty
	// Instrument and which one; Tool is empty when that was not said.
	Instrument, Tool string
}

// LevelCause is why a level is not known, as a code.
type LevelCause string

// The causes.
const (
	LevelNeverSeen LevelCause = "never_seen" // nothing was filled, and no cold level was seen
	LevelNotJudged LevelCause = "not_judged" // the last cold level could not be judged
)

// Strength of the coolant at a moment, as filled or as measured.
type Strength struct {
	At          time.Time
	Mass, Sigma float64 // mass fraction of glycol, and its standard uncertainty
}

// Account is a unit's entries folded.
type Account struct {
	Unit    Unit
	Lines   []Line // in the order in which things happened
	Balance Balance
	Charge  coolant.Charge
	Known   bool         // Charge means something
	Base    coolant.Base // inside: of the charge, else of the register
	Product *coolant.Product
	Factory bool // the running charge is the one the unit came with
	Mixed   bool // EG and PG together
	Blended []coolant.Product
	// Parts of the charge by coolant; their shares add up to 1 while any glycol is inside.
	Parts []Part
	// Given to this charge: additives.
	Given Inhibitors
	// Filter is the additive filter that is fitted; nil for none.
	Filter *FilterMark
	// WaterIn: water got into a waterless coolant, and no test has shown since that it is
	// little.
	WaterIn bool
	// MeterLog of the unit's meter; Second of its other meter.
	MeterLog
	Second   MeterLog
	LastTest *TestMark // last test of this charge that could be trusted
	// Counted is the last of them that counts: not one that reads colder and waits.
	Counted *TestMark
	// EarlierTest is the last test that could be trusted of the charges before.
	EarlierTest *TestMark
	// Colder are tests that read colder than the book and wait for an independent one.
	Colder []ColderTest
	// Single is the one test, not zeroed on purified water, by which alone it is known what is inside; nil once it was
	// confirmed, or the charge was filled.
	Single *TestMark
	// LevelUnknown is why the level is not known though the strength is; empty when it is.
	LevelUnknown LevelCause
	// Bound is the warmest that the last test leaves open when it is not known
	// which glycol is inside; nil otherwise.
	Bound *measure.Celsius
	// Distrusted is the last test when it could not be trusted.
	Distrusted *TestMark
	// Filled is the volume of the last fill, or the capacity when no one wrote one.
	Filled measure.Litre
	// Changes since the last trusted test or fill that no one measured.
	Changes   int
	Findings  []Finding
	Defects   []OpenDefect
	Pending   []PendingCheck
	Chemistry []Chemistry
	Held      *Entry // the hold, until it is released
	LaidUp    *Entry // the lay-up, until the unit returns
	// Rests are the lay-ups that have ended, in the order of time.
	Rests []usage.Rest
	Air   *Turnover // a fill that took less than came out, until it is released
	// AirSeen is the entry that shows the air gone: a later cold level at the upper
	// mark, or a bleeding with the volume that then went in. Empty until then.
	AirSeen string
	// AirBy is what shows it: the kind of that entry.
	AirBy Kind
	// Low is the level that was seen below the lower mark, until one is seen above.
	Low *LowLevel
	// CorrectedAt is when the mix was last corrected; RepairedAt when the last thing
	// to be repaired was put right. Nil for never.
	CorrectedAt, RepairedAt *time.Time
	// LevelAt is when the litres by book were last moved or seen cold; what leaks
	// goes on leaking from then.
	LevelAt time.Time
	// Discrepancy is the test that did not agree, until the books are balanced, or two
	// later ones do.
	Discrepancy *TestMark
	// Strengths known of this charge: what was filled, and each trusted test since.
	Strengths []Strength
	// Zeroed gives when each named instrument was last zeroed in these books.
	Zeroed map[string]time.Time
	// BuiltAt is since when its parts are in use, nil when it is not known; HoseSince
	// since when the hoses are that were renewed later. The map is never changed.
	BuiltAt   *time.Time
	HoseSince map[string]time.Time
	// PartSince is since when other points are new, by the inspection that renewed them. The map
	// is never changed.
	PartSince map[string]time.Time
	// InspectedAt is when points were last inspected; nil when never.
	InspectedAt *time.Time
	// RawWater is the state of a boat's raw-water side; nil when it was never recorded.
	RawWater *RawWaterMark
	// RefilledAt is when coolant was last renewed, in whole or in part; nil when
	// never. LevelChecks are the cold ones since.
	RefilledAt  *time.Time
	LevelChecks []time.Time

	// Failure is why the books cannot be evaluated; empty for an account that was folded.
	Failure string

	levelSeen      bool    // a cold level of an unknown charge was seen between its marks
	strength       float64 // standard uncertainty of the mass fraction by book
	volume         float64 // standard uncertainty of the litres by book
	meanFilledAt   time.Time
	full           measure.Litre // the most the book may hold
	leaks          []leaked
	leaksCountFrom time.Time // since when losses count as a leak
	levelHeldAt    time.Time // when the level was last seen to have held
	repaired       bool      // something was repaired since the last loss
	zeros          []zeroed
	grounds        []ground
	renewal        int     // index of the line of the last renewal, -1 for none
	figures        figures // of the charge, computed once per change
	strikes        map[string]*Entry
	usesFrom       time.Time // the use since the renewal counts from here; zero when no renewal is known
	lastAt         time.Time // of the last entry, in order
	lastID         string
	earlier        int         // lines before Lines
	openedAt       time.Time   // of an account that was stored
	restored       bool        // leak and diagnosis are as stored
	leak           *LeakRate   // of a restored account, or kept
	leakKept       bool        // leak is as it was before the unit's meters came to the account
	diagnosis      *Diagnosis  // of a restored account
	movedAt        time.Time   // of the last change of the charge
	ahead          *factsAhead // nil once the facts of today hold
	// capEffective is the pressure to rely on by the last cap test.
	capEffective *measure.Kilopascal
}

// zeroed is the last zero check of an instrument in these books.
type zeroed struct {
	Tool string
	At   time.Time
	Zero measure.Reading
}

// figures follow from the charge and its uncertainty.
type figures struct {
	done      bool
	known     bool // the freeze point is known
	litres    measure.Litre
	glycol    float64
	freeze    measure.Celsius
	low, high measure.Celsius
}
