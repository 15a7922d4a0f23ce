package fleet_test

import (
	"cmp"
	"errors"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/store"
)

// The entries of all accounts, by any filter and page by page, are those that the accounts hold.
func TestWrittenEntries(t *testing.T) {
	units, err := app.Units(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	held, err := app.EntriesOf(t.Context(), units)
	if err != nil {
		t.Fatal(err)
	}
	zone, err := open.Zone(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	type of struct {
		ledger.Entry
		unit   store.Unit
		struck bool
	}
	var all []of
	var circuits []store.Unit
	for _, u := range units {
		circuits = append(circuits, u.Circuits()...)
	}
	// A circuit that has ended keeps its entries, and is none of the units' circuits.
	if m, err := open.Account(t.Context(), "HB-07 starboard"); err == nil {
		circuits = append(circuits, m.Unit)
		held[m.Unit.Address()] = m.Account.Entries()
	}
	for _, u := range circuits {
		struck := map[string]bool{}
		for _, e := range held[u.Address()] {
			if s, ok := e.Body.(ledger.Strike); ok {
				struck[s.Entry] = true
			}
		}
		for _, e := range held[u.Address()] {
			all = append(all, of{e, u, struck[e.ID]})
		}
	}
	slices.SortFunc(all, func(a, b of) int { return cmp.Or(b.RecordedAt.Compare(a.RecordedAt), strings.Compare(b.ID, a.ID)) })
	if len(all) < 500 {
		t.Fatalf("%d entries", len(all))
	}
	rng := rand.New(rand.NewPCG(5, 6))
	pick := func() of { return all[rng.IntN(len(all))] }
	matched, struck := 0, 0
	for range 60 {
		var f store.WrittenFilter
		var from, to *measure.Date
		if rng.IntN(3) == 0 {
			day := measure.DateOf(pick().RecordedAt, zone)
			end := day.AddDays(rng.IntN(400))
			from, to = &day, &end
		}
		if rng.IntN(3) == 0 {
			f.Unit = pick().Unit
		}
		if rng.IntN(3) == 0 {
			f.Kind = pick().Kind()
		}
		if rng.IntN(3) == 0 {
			f.Site = pick().unit.Site
		}
		if rng.IntN(3) == 0 {
			f.Writer = strings.ToUpper(pick().RecordedBy[1:])
		}
		if rng.IntN(3) == 0 {
			is := rng.IntN(2) == 0
			f.Struck = &is
		}
		var want []string
		for _, e := range all {
			day := measure.DateOf(e.RecordedAt, zone)
			if (from == nil || !day.Before(*from)) && (to == nil || !day.After(*to)) && (f.Unit == "" || e.Unit == f.Unit || e.unit.Code == f.Unit) && (f.Kind == "" || e.Kind() == f.Kind) &&
				(f.Site == "" || e.unit.Site == f.Site) && (f.Writer == "" || strings.Contains(strings.ToUpper(e.RecordedBy), f.Writer)) && (f.Struck == nil || e.struck == *f.Struck) {
				want = append(want, e.ID)
			}
		}
		var got []string
		for f.Limit = 37 + rng.IntN(400); ; {
			page, err := open.Written(t.Context(), f, from, to)
			if err != nil {
				t.Fatal(err)
			}
			for _, w := range page {
				got = append(got, w.ID)
				if w.Struck != nil {
					struck++
					if s, ok := w.Struck.Body.(ledger.Strike); !ok || s.Entry != w.ID || w.Struck.RecordedBy == "" {
						t.Errorf("%s is struck by %+v", w.ID, w.Struck)
					}
				}
			}
			if len(page) < f.Limit {
				break
			}
			f.Before = page[len(page)-1].ID
		}
		if !slices.Equal(got, want) {
			t.Errorf("%+v from %v to %v: %d entries, want %d", f, from, to, len(got), len(want))
		}
		matched += len(got)
	}
	if matched < 500 || struck == 0 {
		t.Errorf("%d entries matched, %d of them struck", matched, struck)
	}
}

// Days the wrong way round are refused, and not answered with an empty list.
func TestWrittenBetween(t *testing.T) {
	from := measure.DateOf(noon, time.UTC)
	to := from.AddDays(-1)
	var refused *refusal.Error
	if found, err := open.Written(t.Context(), store.WrittenFilter{Limit: 5}, &from, &to); !errors.As(err, &refused) || refused.Fields[0].Pointer != "/to" {
		t.Errorf("%d entries, %v", len(found), err)
	}
	if lines, err := open.Audit(t.Context(), store.AuditFilter{Limit: 5}, &from, &to); !errors.As(err, &refused) {
		t.Errorf("%d lines of the audit, %v", len(lines), err)
	}
	if _, err := open.Written(t.Context(), store.WrittenFilter{Limit: 5}, &to, &from); err != nil {
		t.Error(err)
	}
}
