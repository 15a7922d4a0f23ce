// Package walktest makes random walks for tests: units with their lives, and entries as a device sends
// them.
package walktest

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/climate"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/intake"
	"diligentledger/internal/walk"
	"diligentledger/internal/words"
)

// ID of version 7 for a number.
func ID(n int) string { return fmt.Sprintf("0198b2f4-6f00-7cc3-98c4-%012x", n) }

// Sent is an entry as a device sends it: a product and an additive by their code.
func Sent(id string, at time.Time, b ledger.Body, confirmed bool) ([]byte, error) {
	text, err := json.Marshal(b)
	if err != nil {
		return nil, err
	}
	var fields map[string]any
	if err := json.Unmarshal(text, &fields); err != nil {
		return nil, err
	}
	for _, name := range []string{"product", "additive"} {
		if p, ok := fields[name].(map[string]any); ok {
			fields[name] = p["code"]
		}
	}
	kind := ledger.KindOf(b)
	return json.Marshal(map[string]any{"id": id, "kind": kind, "at": at, "confirmed": confirmed, ledger.FieldName(kind): fields})
}

// Shared part of a random walk at a time.
func Shared(rng *rand.Rand, now time.Time) walk.Shared {
	role := access.Roles[rng.IntN(3)]
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		oslo = time.UTC
	}
	expires := measure.DateOf(now, time.UTC).AddDays(rng.IntN(60) - 30)
	cold := climate.MonthlyCurve{-18, -17, -12, -5, 1, 5, 8, 7, 3, -2, -9, -15}.Climate()
	forecast := now.Add(time.Duration(rng.IntN(48)-24) * time.Hour)
	if rng.IntN(2) == 0 {
		cold = cold.WithForecast(measure.DateOf(now, time.UTC).AddDays(-1), []measure.Celsius{-2, -30, 1, 2, 0, -4})
	}
	return walk.Shared{PackedAt: now.Add(-time.Duration(rng.IntN(80)) * time.Hour), ForecastUntil: &forecast, Version: walk.Version(), Actor: access.Actor{ID: 7, Name: ledgertest.People[rng.IntN(3)], Role: role}, Reader: words.Metric.Text(),
		Plans: map[string]serviceplan.Plan{"1": {Name: "P", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 36}, FreezeMargin: 5, TestMonths: 6, CapMonths: 12, HoseMonths: 12}},
		Colds: map[string]*climate.Climate{"Yard": cold}, Zones: map[string][]byte{"Europe/Oslo": walk.ZoneData(oslo)},
		Products: ledgertest.Products, Additives: ledgertest.Additives, Zeroed: map[string]time.Time{"R-1": now.AddDate(0, 0, -3)},
		Instruments: intake.Instruments{{Name: "R-1", Kind: intake.KindRefractometer, Scale: "EG"}, {Name: "D-1", Kind: intake.KindDiscs, Chart: []measure.Celsius{-8, -16, -24, -32}},
			{Name: "S-1", Kind: intake.KindStrips, Expires: &expires}}}
}

// Pack of a unit with a random life, and without its stored account now and then.
func Pack(rng *rand.Rand, u ledger.Unit, entries int) (walk.Pack, error) {
	p := walk.Pack{Code: u.Code, Name: "unit", Kind: u.Kind, Site: "Yard", Zone: "Europe/Oslo", Cold: "Yard"}
	u.Further, u.Circuit = false, ""
	life := ledgertest.History(rng, u, entries)
	c := walk.Circuit{Address: u.Code, Unit: u, Plan: "1", ID: 1}
	for _, e := range life {
		packed, err := walk.EntryOf(e)
		if err != nil {
			return p, err
		}
		c.Entries = append(c.Entries, packed)
	}
	if account := ledger.TryFold(u, life); account.Failure == "" && rng.IntN(4) > 0 {
		stored, err := account.Store()
		if err != nil {
			return p, err
		}
		c.Account = &stored
	}
	p.Circuits = []walk.Circuit{c}
	return p, nil
}
