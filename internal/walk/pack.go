// Package walk is what a technician's device takes along on a round, and what it computes there without a
// signal: what a unit is owed and asked, and what an entry would do. The server computes with the same
// functions; package cmd/core makes them a WebAssembly program for the browser.
//
// A [Shared] part is the same for all units of a walk; a [Pack] is one unit with the accounts of its
// circuits and their entries. Both are JSON. [Version] names their form and the rules: a device whose
// program has another version asks for the walk again, and keeps what it has recorded.
package walk

import (
	"encoding/json"
	"fmt"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/intake"
	"diligentledger/internal/words"
)

// form of the JSON of this package; raised with each change of it.
const form = 1

// Version of the form and of the rules of the core.
func Version() string { return fmt.Sprintf("%d.%v.%v", form, ledger.Rules, clock.Rules) }

// Shared is what the units of a walk share.
type Shared struct {
	Version string `json:"version"`
	// Actor who walks, and Reader: how they read figures ([words.Reader.Text]).
	Actor  access.Actor `json:"actor"`
	Reader string       `json:"reader"`
	// Plans, Colds and Zones by the keys that the packs name.
	Plans map[string]serviceplan.Plan `json:"plans"`
	Colds map[string]*climate.Climate `json:"colds"`
	Zones map[string][]byte           `json:"zones"` // TZif
	// What the register holds of products, additives and instruments.
	Products    []coolant.Product  `json:"products"`
	Additives   []coolant.Additive `json:"additives"`
	Instruments intake.Instruments `json:"instruments"`
	// PackedAt is when the walk was packed, and ForecastUntil when the first of its sites' forecasts is too
	// old: from then on the curve alone counts, as it does on the server; nil without a forecast.
	PackedAt      time.Time  `json:"packedAt"`
	ForecastUntil *time.Time `json:"forecastUntil,omitempty"`
	// Zeroed is when each instrument was last zeroed on purified water, within the last month.
	Zeroed map[string]time.Time `json:"zeroed"`

	zones map[string]*time.Location
}

// Pack is one unit of a walk.
type Pack struct {
	Code  string `json:"code"`
	Name  string `json:"name"`
	Kind  string `json:"kind"`
	Site  string `json:"site"`
	Drive string `json:"drive,omitempty"`
	Zone  string `json:"zone"` // key of [Shared.Zones]
	Cold  string `json:"cold"` // key of [Shared.Colds]
	// Winters, ColdOffset and Heated as in words.Unit.
	Winters    string         `json:"winters,omitempty"`
	ColdOffset measure.Kelvin `json:"coldOffset,omitempty"`
	Heated     bool           `json:"heated,omitempty"`
	LeftOn     *measure.Date  `json:"leftOn,omitempty"`
	// CapStages of the pressure cap by the register, 1 or 2; 0 when it is not known.
	CapStages int       `json:"capStages,omitempty"`
	Circuits  []Circuit `json:"circuits"`
}

// Circuit of a unit with its account.
type Circuit struct {
	Address string         `json:"address"`
	Unit    ledger.Unit    `json:"unit"`
	Plan    string         `json:"plan"` // key of [Shared.Plans]
	Entries []Entry        `json:"entries"`
	Account *ledger.Packed `json:"account,omitempty"` // as stored; nil when it is to be folded
	// Failure says why its entries cannot be evaluated; empty when they can.
	Failure string `json:"failure,omitempty"`
	// ID of the circuit in the books: it stays when the unit is renamed.
	ID int64 `json:"id"`
}

// Entry as it is in the books.
type Entry struct {
	ID         string          `json:"i"`
	At         time.Time       `json:"t"`
	RecordedAt time.Time       `json:"r"`
	By         string          `json:"b"`
	ByID       int64           `json:"p,omitempty"`
	Kind       ledger.Kind     `json:"k"`
	Body       json.RawMessage `json:"c"`
	// Unusable is why the figures of a test do not count.
	Unusable ledger.Note `json:"u,omitempty"`
}

// EntryOf the books for a pack.
func EntryOf(e ledger.Entry) (Entry, error) {
	body, err := json.Marshal(e.Body)
	if torn, ok := e.Body.(ledger.UnreadableBody); ok {
		return Entry{}, fmt.Errorf("entry %s of kind %s cannot be read", e.ID, torn.Of)
	}
	return Entry{ID: e.ID, At: e.At, RecordedAt: e.RecordedAt, By: e.RecordedBy, ByID: e.RecordedByID, Kind: e.Kind(), Body: body, Unusable: e.Envelope.Unusable}, err
}

func (e Entry) entry(unit string) (ledger.Entry, error) {
	body, err := ledger.ParseBody(e.Kind, e.Body)
	return ledger.Entry{ID: e.ID, Unit: unit, At: e.At, RecordedAt: e.RecordedAt, RecordedBy: e.By, RecordedByID: e.ByID, Body: body, Envelope: ledger.Envelope{Unusable: e.Unusable}}, err
}

// Product of that code.
func (s *Shared) Product(code string) (coolant.Product, error) {
	for _, p := range s.Products {
		if p.Code == code {
			return p, nil
		}
	}
	return coolant.Product{}, fmt.Errorf("no product %s", code)
}

// Additive of that code.
func (s *Shared) Additive(code string) (coolant.Additive, error) {
	for _, a := range s.Additives {
		if a.Code == code {
			return a, nil
		}
	}
	return coolant.Additive{}, fmt.Errorf("no additive %s", code)
}

// Read a shared part; an error when it is of another version than this program.
func Read(text []byte) (*Shared, error) {
	var s Shared
	if err := json.Unmarshal(text, &s); err != nil {
		return nil, fmt.Errorf("what a walk shares: %w", err)
	}
	if s.Version != Version() {
		return nil, fmt.Errorf("the walk is of version %s and this program of %s: load the walk again", s.Version, Version())
	}
	return &s, nil
}

// zone of that key; UTC for one that is not there.
func (s *Shared) zone(key string) *time.Location {
	if z := s.zones[key]; z != nil {
		return z
	}
	z, err := time.LoadLocationFromTZData(key, s.Zones[key])
	if err != nil {
		z = time.UTC
	}
	if s.zones == nil {
		s.zones = map[string]*time.Location{}
	}
	s.zones[key] = z
	return z
}

func (s *Shared) reader() words.Reader { return words.ReaderOf(s.Reader) }

// ReadPack of a unit.
func ReadPack(text []byte) (p Pack, err error) {
	if err = json.Unmarshal(text, &p); err != nil {
		return p, fmt.Errorf("a unit of a walk: %w", err)
	}
	if len(p.Circuits) == 0 {
		return p, fmt.Errorf("unit %s of a walk has no circuit", p.Code)
	}
	return p, nil
}
