package ledger

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"math"
	"slices"
	"time"

	"github.com/fxamacker/cbor/v2"

	"diligentledger/core/coolant"
	"diligentledger/core/measure"
	"diligentledger/core/usage"
)

// stored is what is kept of an account between two entries: all but its lines,
// so that the clocks of a fleet need not fold it anew. It is packed by place: a change of the fields raises
// [Rules].
type stored struct {
	_ struct{} `cbor:",toarray"`

	Balance     Balance
	Charge      coolant.Charge
	Known       bool
	Base        coolant.Base
	Product     *coolant.Product
	Factory     bool
	Mixed       bool
	Blended     []coolant.Product
	Parts       []Part
	Given       Inhibitors
	Filter      *FilterMark
	WaterIn     bool
	LastTest    *TestMark
	Counted     *TestMark
	Earlier     *TestMark
	Colder      []ColderTest
	Single      *TestMark
	LevelCause  LevelCause
	Bound       *measure.Celsius
	Distrusted  *TestMark
	Discrepancy *TestMark
	Filled      measure.Litre
	Changes     int
	Defects     []OpenDefect
	Pending     []PendingCheck
	Chemistry   []Chemistry
	Held        *standing
	LaidUp      *standing
	Rests       []usage.Rest
	Air         *Turnover
	AirSeen     string
	AirBy       Kind
	Low         *LowLevel
	Grounds     []ground
	Corrected   *time.Time
	Repaired    *time.Time
	OpenedAt    time.Time
	Strength    float64
	StartsAt    float64
	Started     bool
	SecondAt    float64
	SecondSince bool
	Leak        *LeakRate
	Zeroed      map[string]time.Time
	BuiltAt     *time.Time
	HoseSince   map[string]time.Time
	PartSince   map[string]time.Time
	InspectedAt *time.Time
	RawWater    *RawWaterMark
	MovedAt     time.Time
	LevelAt     time.Time
	RefilledAt  *time.Time
	Diagnosis   *storedDiagnosis
	Next        continuation
	Findings    []Finding
	// What there is much of: what does not fill a block of the older rows.
	Lists longLists
	// OlderSum is the CRC-32 of the older rows as they are packed; 0 without any.
	OlderSum uint32
}

// longLists of an account, in rows.
type longLists struct {
	_ struct{} `cbor:",toarray"`

	Readings    readings
	Second      readings
	Strengths   strengths
	LevelChecks packedTimes
}

// olderBlock of rows (judgement): each list is packed apart, and so is not written with each entry,
// up to a multiple of it.
const olderBlock = 64

// split the lists at the last full block of each.
func (l longLists) split() (older, rest longLists) {
	older.Readings, rest.Readings = splitBlocks(l.Readings)
	older.Second, rest.Second = splitBlocks(l.Second)
	older.Strengths, rest.Strengths = splitBlocks(l.Strengths)
	older.LevelChecks, rest.LevelChecks = splitBlocks(l.LevelChecks)
	return older, rest
}

func splitBlocks[L ~[]T, T any](rows L) (older, rest L) {
	n := len(rows) / olderBlock * olderBlock
	return rows[:n:n], rows[n:]
}

func (l longLists) empty() bool {
	return len(l.Readings)+len(l.Second)+len(l.Strengths)+len(l.LevelChecks) == 0
}

// with the rest after them.
func (l longLists) with(rest longLists) longLists {
	// Without room to spare: what is appended to one copy of an account must not be seen by another.
	return longLists{Readings: slices.Clip(slices.Concat(l.Readings, rest.Readings)), Second: slices.Clip(slices.Concat(l.Second, rest.Second)), Strengths: slices.Clip(slices.Concat(l.Strengths, rest.Strengths)),
		LevelChecks: slices.Clip(slices.Concat(l.LevelChecks, rest.LevelChecks))}
}

// Packed is an account as it is stored without its lines: Body is another after each entry, Older
// rows of the long lists are another after each 64th or when one of them changes. Older is empty
// for a short account.
type Packed struct{ Body, Older []byte }

// storedDiagnosis is what is kept of a [Diagnosis]; the balancing entry is packed
// as in the books.
type storedDiagnosis struct {
	_ struct{} `cbor:",toarray"`

	Book      *measure.Celsius
	Likeliest *Explanation
	Kind      Kind
	Balance   []byte
}

func packDiagnosis(d *Diagnosis) (*storedDiagnosis, error) {
	if d == nil {
		return nil, nil
	}
	s := &storedDiagnosis{Book: d.Book}
	if d.Likeliest == nil {
		return s, nil
	}
	x := *d.Likeliest
	s.Likeliest = &x
	if x.Balance == nil {
		return s, nil
	}
	var err error
	s.Kind = KindOf(x.Balance)
	s.Balance, err = json.Marshal(x.Balance)
	x.Balance = nil
	return s, err
}

func (s *storedDiagnosis) unpack() (d *Diagnosis, err error) {
	if s == nil {
		return nil, nil
	}
	d = &Diagnosis{Book: s.Book, Likeliest: s.Likeliest}
	if d.Likeliest != nil && s.Kind != "" {
		d.Likeliest.Balance, err = ParseBody(s.Kind, s.Balance)
	}
	return d, err
}

// standing is an entry in force, with its words.
type standing struct {
	_ struct{} `cbor:",toarray"`

	ID    string
	At    time.Time
	By    string
	Words string
}

// Long lists are packed as one string of words of 64 bits, a fixed number to a
// row: to take one figure at a time would take most of the time.
type (
	readings    []MeterPoint
	strengths   []Strength
	packedTimes []time.Time
)

const readingWords, strengthWords, appearanceWords = 5, 3, 1

func (r readings) MarshalBinary() ([]byte, error) {
	words := make([]uint64, 0, readingWords*len(r))
	for _, p := range r {
		words = append(words, uint64(p.At.UnixMicro()), math.Float64bits(p.Value), math.Float64bits(p.Raw), uint64(p.Meter), pick[uint64](p.Outlier, 1, 0))
	}
	return binary.Append(nil, binary.BigEndian, words)
}

func (r *readings) UnmarshalBinary(b []byte) (err error) {
	*r, err = rows(b, readingWords, func(w []byte) MeterPoint {
		return MeterPoint{At: when(w), Value: figure(w[8:]), Raw: figure(w[16:]), Meter: int(binary.BigEndian.Uint64(w[24:])), Outlier: binary.BigEndian.Uint64(w[32:]) != 0}
	})
	return err
}

func (s strengths) MarshalBinary() ([]byte, error) {
	words := make([]uint64, 0, strengthWords*len(s))
	for _, p := range s {
		words = append(words, uint64(p.At.UnixMicro()), math.Float64bits(p.Mass), math.Float64bits(p.Sigma))
	}
	return binary.Append(nil, binary.BigEndian, words)
}

func (s *strengths) UnmarshalBinary(b []byte) (err error) {
	*s, err = rows(b, strengthWords, func(w []byte) Strength { return Strength{when(w), figure(w[8:]), figure(w[16:])} })
	return err
}

func (l packedTimes) MarshalBinary() ([]byte, error) {
	words := make([]uint64, 0, appearanceWords*len(l))
	for _, t := range l {
		words = append(words, uint64(t.UnixMicro()))
	}
	return binary.Append(nil, binary.BigEndian, words)
}

func (l *packedTimes) UnmarshalBinary(b []byte) (err error) {
	*l, err = rows(b, appearanceWords, when)
	return err
}

func rows[T any](b []byte, words int, row func([]byte) T) ([]T, error) {
	size := 8 * words
	if len(b)%size != 0 {
		return nil, fmt.Errorf("%d bytes are no rows of %d", len(b), size)
	}
	all := make([]T, len(b)/size)
	for i := range all {
		all[i] = row(b[i*size : (i+1)*size])
	}
	return all, nil
}

func when(w []byte) time.Time { return time.UnixMicro(int64(binary.BigEndian.Uint64(w))).UTC() }
func figure(w []byte) float64 { return math.Float64frombits(binary.BigEndian.Uint64(w)) }

// packing as CBOR (RFC 8949): the clocks of a fleet spend most of their time on
// unpacking, and it takes a third of what JSON does.
var packing = func() cbor.EncMode {
	o := cbor.CoreDetEncOptions()
	o.Time = cbor.TimeRFC3339NanoUTC
	m, err := o.EncMode()
	if err != nil {
		panic(err) // the options do not fit one another
	}
	return m
}()

// Store packs the account without its lines.
func (a *Account) Store() (p Packed, err error) {
	p.Older = []byte{}
	s := stored{Balance: a.Balance, Charge: a.Charge, Known: a.Known, Base: a.Base, Product: a.Product, Factory: a.Factory, Mixed: a.Mixed,
		Blended: a.Blended, Parts: a.Parts, Given: a.Given, Filter: a.Filter, WaterIn: a.WaterIn, LastTest: a.LastTest, Counted: a.Counted, Earlier: a.EarlierTest, Colder: a.Colder, Single: a.Single, LevelCause: a.LevelUnknown, Bound: a.Bound,
		Distrusted: a.Distrusted, Discrepancy: a.Discrepancy, Filled: a.Filled,
		Changes: a.Changes, Rests: a.Rests, Defects: a.Defects, Pending: a.Pending, Chemistry: a.Chemistry, Air: a.Air, AirSeen: a.AirSeen, AirBy: a.AirBy, Low: a.Low,
		Grounds: a.grounds, Corrected: a.CorrectedAt, Repaired: a.RepairedAt, OpenedAt: a.OpenedAt(),
		Strength: a.strength, StartsAt: a.startsAt, Started: a.started, SecondAt: a.Second.startsAt, SecondSince: a.Second.started, Leak: a.Leak(), Zeroed: a.Zeroed, BuiltAt: a.BuiltAt, HoseSince: a.HoseSince, PartSince: a.PartSince, InspectedAt: a.InspectedAt, RawWater: a.RawWater, MovedAt: a.movedAt, LevelAt: a.LevelAt, RefilledAt: a.RefilledAt,
		Findings: a.Findings, Next: a.continuation()}
	older, rest := longLists{Readings: a.Readings, Second: a.Second.Readings, Strengths: a.Strengths, LevelChecks: a.LevelChecks}.split()
	if s.Lists = rest; !older.empty() {
		if p.Older, err = packing.Marshal(older); err != nil {
			return p, err
		}
		s.OlderSum = crc32.ChecksumIEEE(p.Older)
	}
	if h := a.Held; h != nil {
		s.Held = &standing{ID: h.ID, At: h.At, By: h.RecordedBy, Words: h.Body.(Hold).Why}
	}
	if l := a.LaidUp; l != nil {
		s.LaidUp = &standing{ID: l.ID, At: l.At, By: l.RecordedBy, Words: l.Body.(LayUp).Note}
	}
	if s.Diagnosis, err = packDiagnosis(a.Diagnosis()); err != nil {
		return p, fmt.Errorf("why book and test of %s disagree: %w", a.Unit.Code, err)
	}
	p.Body, err = packing.Marshal(s)
	return p, err
}

// Restore unpacks what [Account.Store] made of an account of u: all that its
// clocks depend on, and why its last test disagrees. It has no lines;
// [Account.Continue] adds an entry to it.
func Restore(u Unit, p Packed) (*Account, error) {
	var s stored
	err := cbor.Unmarshal(p.Body, &s)
	var older longLists
	if err == nil && len(p.Older) > 0 {
		err = cbor.Unmarshal(p.Older, &older)
	}
	if err == nil && crc32.ChecksumIEEE(p.Older) != s.OlderSum {
		err = errors.New("the older rows are not its own")
	}
	lists := older.with(s.Lists)
	var why *Diagnosis
	if err == nil {
		why, err = s.Diagnosis.unpack()
	}
	if err != nil {
		return nil, fmt.Errorf("stored account of %s: %w", u.Code, err)
	}
	a := &Account{Unit: u, Balance: s.Balance, Charge: s.Charge, Known: s.Known, Base: s.Base, Product: s.Product, Factory: s.Factory, Mixed: s.Mixed,
		Blended: s.Blended, Parts: s.Parts, Given: s.Given, Filter: s.Filter, WaterIn: s.WaterIn, LastTest: s.LastTest, Counted: s.Counted, EarlierTest: s.Earlier, Colder: s.Colder, Single: s.Single, LevelUnknown: s.LevelCause, Bound: s.Bound,
		Distrusted: s.Distrusted, Discrepancy: s.Discrepancy, Filled: s.Filled,
		Changes: s.Changes, Rests: s.Rests, Findings: s.Findings, Defects: s.Defects, Pending: s.Pending, Chemistry: s.Chemistry, Air: s.Air, AirSeen: s.AirSeen, AirBy: s.AirBy, Low: s.Low,
		grounds: s.Grounds, CorrectedAt: s.Corrected, RepairedAt: s.Repaired,
		MeterLog: MeterLog{Readings: lists.Readings, startsAt: s.StartsAt, started: s.Started}, Second: MeterLog{Readings: lists.Second, startsAt: s.SecondAt, started: s.SecondSince},
		Strengths: lists.Strengths, LevelChecks: lists.LevelChecks, strength: s.Strength, openedAt: s.OpenedAt, leak: s.Leak, diagnosis: why, Zeroed: s.Zeroed, BuiltAt: s.BuiltAt, HoseSince: s.HoseSince, PartSince: s.PartSince, InspectedAt: s.InspectedAt, RawWater: s.RawWater, movedAt: s.MovedAt, LevelAt: s.LevelAt, RefilledAt: s.RefilledAt, renewal: -1}
	s.Next.restore(a)
	if h := s.Held; h != nil {
		a.Held = &Entry{ID: h.ID, At: h.At, RecordedBy: h.By, Body: Hold{Why: h.Words}}
	}
	if l := s.LaidUp; l != nil {
		a.LaidUp = &Entry{ID: l.ID, At: l.At, RecordedBy: l.By, Body: LayUp{Note: l.Words}}
	}
	return a, nil
}

// OpenedAt is when the first thing happened that was not struck; the zero time for
// an empty account.
func (a *Account) OpenedAt() time.Time {
	if !a.openedAt.IsZero() {
		return a.openedAt
	}
	for i := range a.Lines {
		if l := &a.Lines[i]; l.Struck == nil && l.Entry.Kind() != KindStrike {
			return l.Entry.At
		}
	}
	return time.Time{}
}
