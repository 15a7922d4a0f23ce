package ledger

import (
	"diligentledger/core/coolant"
	"diligentledger/core/measure"
)

// Opening begins an account: the charge the unit came with from its factory, or
// a history that it is not known.
type Opening struct {
	History string           `json:"history"` // Factory or UnknownHistory
	Volume  *measure.Reading `json:"volume,omitempty"`
	Product *coolant.Product `json:"product,omitempty"`
	// Share of concentrate by volume before mixing, in per cent; nil for premix.
	Share *float64         `json:"share,omitempty"`
	Meter *measure.Reading `json:"meter,omitempty"`
}

// The histories an account can open with.
const (
	Factory        = "factory" // the first interval of the plan runs
	UnknownHistory = "unknown"
)

// Renewal is a drain and a fill: of the whole charge, or of as much as came out.
type Renewal struct {
	Volume  measure.Reading `json:"volume"` // of the finished mixture that went in
	Product coolant.Product `json:"product"`
	// Share of concentrate by volume before mixing, in per cent; nil for premix.
	Share *float64 `json:"share,omitempty"`
	// Factory is a charge the unit came with: the first interval runs.
	Factory bool `json:"factory,omitempty"`
	// Meter as read at the renewal, if it was.
	Meter *measure.Reading `json:"meter,omitempty"`
	// Drained is what came out, by drain point.
	Drained []Drained `json:"drained,omitempty"`
	// Emptied says that the whole system was emptied without measuring what
	// came out; Opened names drain points that were opened without measuring. When
	// nothing at all says what came out, it counts as much as went in.
	Emptied bool     `json:"emptied,omitempty"`
	Opened  []string `json:"opened,omitempty"`
	// Flushes with purified water or cleaner between drain and fill.
	Flushes   int    `json:"flushes,omitempty"`
	FlushWith string `json:"flushWith,omitempty"`
	// Rinses with purified water after a cleaner, until it ran clear.
	Rinses int `json:"rinses,omitempty"`
	// Residual is what stayed inside, when that was recorded rather than drained.
	Residual *measure.Reading `json:"residual,omitempty"`
	Method   string           `json:"method,omitempty"`
	// Level at which it was judged full: Cold or Hot. A hot level reads high.
	Level  string   `json:"level,omitempty"`
	Parts  []string `json:"parts,omitempty"`
	Torque []Torque `json:"torque,omitempty"`
	// Batch of the product, as its container shows it, and the end of its shelf life.
	Batch     string        `json:"batch,omitempty"`
	UseBefore *measure.Date `json:"useBefore,omitempty"`
	Note      string        `json:"note,omitempty"`
}

// Drained is what came out of one drain point.
type Drained struct {
	Point  string          `json:"point"`
	Volume measure.Reading `json:"volume"`
}

// Torque at which something was closed.
type Torque struct {
	Part  string          `json:"part"`
	Value measure.Reading `json:"value"`
}

// What may be named in a renewal.
var (
	DrainPoints = []string{"petcock", "lower_hose", "block", "heater_core", "expansion_tank", "heat_exchanger", "other"}
	FlushWiths  = []string{"water", "cleaner", PrepFluid}
	Methods     = []string{"gravity", "vacuum", "pressure", "pump", "manual"}
	Temperings  = []string{Cold, Hot}
)

// PrepFluid takes the place of water in a flush before a waterless coolant: what stays of it
// is no water.
const PrepFluid = "prep_fluid"

// Cold and Hot systems; a hot level reads high.
const (
	Cold = "cold"
	Hot  = "hot"
)

// TopUp is coolant or water poured into a system in use.
type TopUp struct {
	Volume measure.Reading `json:"volume"`
	With   coolant.Form    `json:"with"`
	// Product is nil for water only.
	Product *coolant.Product `json:"product,omitempty"`
	// Bled again with it, until no more bubbles came.
	Bled bool `json:"bled,omitempty"`
	// Inferred: it balances the books; the pour was not observed.
	Inferred bool `json:"inferred,omitempty"`
	// Batch of the product, as its container shows it, and the end of its shelf life.
	Batch     string        `json:"batch,omitempty"`
	UseBefore *measure.Date `json:"useBefore,omitempty"`
	Note      string        `json:"note,omitempty"`
}

// Loss is coolant that left: a leak, a spill, a drained sample.
type Loss struct {
	Volume measure.Reading `json:"volume"`
	Cause  string          `json:"cause,omitempty"` // of Causes; a leak when empty
	Note   string          `json:"note,omitempty"`
}

// Causes of a loss. Only a leak counts towards a leak's rate.
var Causes = []string{"leak", "spill", "drained", "sample"}

// PouredProduct is the product that an entry poured in, nil for none.
func PouredProduct(b Body) *coolant.Product {
	switch b := b.(type) {
	case Opening:
		return b.Product
	case Renewal:
		return &b.Product
	case TopUp:
		return b.Product
	}
	return nil
}

func deref(r *measure.Reading) measure.Reading {
	if r == nil {
		return measure.Reading{}
	}
	return *r
}
