package fleet

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/store"
)

// GatewayReading is a meter reading as a gateway sends it.
type GatewayReading struct {
	ID   string // of the gateway's own, at most 80 characters
	Unit string // number of the unit
	At   time.Time
	// Value in Unit of measure: km, mi or h; nil for a drop-out.
	Value *float64
	In    measure.Unit
}

// ReadingOutcome is what came of a reading.
type ReadingOutcome string

// The outcomes.
const (
	ReadingRecorded ReadingOutcome = "recorded"
	ReadingKnown    ReadingOutcome = "known"    // sent before
	ReadingThinned  ReadingOutcome = "thinned"  // one of the last hours is in the books: no line is needed
	ReadingOutlier  ReadingOutcome = "outlier"  // it cannot be true together with the others: not recorded
	ReadingRefused  ReadingOutcome = "refused"  // it is no reading of a unit of the register
	ReadingDropped  ReadingOutcome = "drop_out" // it has no value
)

// GatewayResult of one reading, with the reason in words for a person.
type GatewayResult struct {
	ID      string
	Outcome ReadingOutcome
	Why     string
}

// readingEvery is how far apart recorded readings of one unit are (judgement: one a day is all that the use
// model can distinguish, and a line for each ignition would bury the rest).
const readingEvery = 20 * time.Hour

// gatewaySkew is how far a gateway's clock may be ahead.
const gatewaySkew = 10 * time.Minute

// TakeReadings of a gateway, each by itself: one that cannot be right takes none of the others along. The same
// id again is known, whatever else it says.
func (f *Fleet) TakeReadings(ctx context.Context, source Actor, readings []GatewayReading) ([]GatewayResult, error) {
	results := make([]GatewayResult, len(readings))
	for i, r := range readings {
		outcome, why, err := f.takeReading(ctx, source, r)
		if err != nil {
			return nil, err
		}
		results[i] = GatewayResult{r.ID, outcome, why}
	}
	return results, nil
}

func (f *Fleet) takeReading(ctx context.Context, source Actor, r GatewayReading) (ReadingOutcome, string, error) {
	if r.Value == nil || math.IsNaN(*r.Value) || math.IsInf(*r.Value, 0) {
		return ReadingDropped, "it has no value", nil
	}
	if r.At.After(f.now().Add(gatewaySkew)) {
		return ReadingRefused, "its time is to come", nil
	}
	id := readingID(source.Name, r)
	o, err := f.store.Open(ctx, strings.TrimSpace(r.Unit), id)
	if errors.Is(err, store.ErrNoUnit) {
		return ReadingRefused, fmt.Sprintf("%q is no unit of the register", r.Unit), nil
	}
	if err != nil {
		return "", "", err
	}
	d := r.In.Dimension()
	if !o.First() || d == "" || d != o.Ledger.Meter && d != o.Ledger.Second {
		return ReadingRefused, fmt.Sprintf("%s has no meter of %s", o.Address(), r.In), nil
	}
	account := o.Account
	if account == nil {
		entries, err := f.store.Entries(ctx, o.Unit)
		if err != nil {
			return "", "", err
		}
		folded := ledger.TryFold(o.Ledger, entries)
		account = &folded
	}
	there, err := f.store.EntryThere(ctx, id)
	if err != nil {
		return "", "", err
	}
	if there {
		return ReadingKnown, "", nil
	}
	for _, p := range account.MeterOf(d).Readings {
		if apart := r.At.Sub(p.At); apart < readingEvery && apart > -readingEvery && !p.Outlier {
			return ReadingThinned, "a reading of the same day is in the books", nil
		}
	}
	e := ledger.Entry{ID: id, Unit: o.Address(), At: r.At.UTC(), Body: ledger.Meter{Meter: measure.Reading{Value: *r.Value, Unit: r.In}}}
	_, err = f.WriteEntries(ctx, Actor{ID: source.ID, Name: source.Name, Token: source.Token, Role: access.Technician}, o, e)
	var refused *refusal.Error
	switch {
	case errors.As(err, &refused) && refused.Fields[0].Question:
		return ReadingOutlier, refusal.Worded(refused.Error(), plainDay, plainDay), nil
	case errors.As(err, &refused):
		return ReadingRefused, refusal.Worded(refused.Error(), plainDay, plainDay), nil
	case errors.Is(err, store.ErrEntryDiffers):
		return ReadingKnown, "", nil
	case err != nil:
		return "", "", err
	}
	return ReadingRecorded, "", nil
}

func plainDay(t time.Time) string { return t.Format("2 Jan 2006") }

// readingID is a UUID of version 7 of a source's own id; its time is that of the reading.
func readingID(source string, r GatewayReading) string {
	sum := sha256.Sum256([]byte("meter reading\n" + source + "\n" + r.ID))
	var id uuid.UUID
	copy(id[:], sum[:])
	var ms [8]byte
	// The time is no part of what makes it one: of the same id again with another time it is the same entry.
	binary.BigEndian.PutUint64(ms[:], binary.BigEndian.Uint64(sum[16:24])>>16)
	copy(id[:6], ms[2:])
	id[6] = id[6]&0x0f | 0x70
	id[8] = id[8]&0x3f | 0x80
	return id.String()
}

// Summary of the results of one batch, for the register.
func Summary(results []GatewayResult) string {
	counts := map[ReadingOutcome]int{}
	first := ""
	for _, r := range results {
		counts[r.Outcome]++
		if first == "" && (r.Outcome == ReadingOutlier || r.Outcome == ReadingRefused) {
			first = r.Why
		}
	}
	var parts []string
	for _, o := range []ReadingOutcome{ReadingRecorded, ReadingKnown, ReadingThinned, ReadingOutlier, ReadingRefused, ReadingDropped} {
		if counts[o] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[o], strings.ReplaceAll(string(o), "_", " ")))
		}
	}
	text := strings.Join(parts, ", ")
	if first != "" {
		text += ": " + first
	}
	return text
}

// Tokens of the register.
func (f *Fleet) Tokens(ctx context.Context) ([]store.Token, error) { return f.store.Tokens(ctx) }

// longestToken is how many days ahead a token may end (judgement: a forgotten one ends within two years).
const longestToken = 731

// AddToken and give it, once. A [refusal.Error] when its name or its end is not accepted.
func (f *Fleet) AddToken(ctx context.Context, by store.Actor, name string, role access.Role, scope store.Scope, ends measure.Date) (string, error) {
	name = strings.Join(strings.Fields(name), " ")
	today, err := f.Today(ctx)
	if err != nil {
		return "", err
	}
	if name == "" {
		return "", refusal.New("/name", "nothing", "a name, such as yard gateway")
	}
	if !slices.Contains(store.TokenRoles, role) {
		return "", refusal.New("/role", fmt.Sprintf("%q", role), "gateway, reader, technician or coordinator: a signatory is a person")
	}
	switch {
	case role == store.Gateway:
		scope = store.ScopeRecord
	case scope == "":
		scope = store.ScopeRead
	case !slices.Contains(store.Scopes, scope):
		return "", refusal.New("/scope", fmt.Sprintf("%q", string(scope)), "read, record or change")
	}
	if ends.Before(today) || ends.After(today.AddDays(longestToken)) {
		return "", refusal.New("/endsOn", ends.Format("2 Jan 2006"), "a day from today to "+today.AddDays(longestToken).Format("2 Jan 2006"))
	}
	secret, _, err := f.store.AddToken(ctx, by, name, role, scope, ends)
	if errors.Is(err, store.ErrTaken) {
		return "", refusal.New("/name", fmt.Sprintf("%q, the name of another token,", name), "a name of its own")
	}
	return secret, err
}

// RevokeToken for good.
func (f *Fleet) RevokeToken(ctx context.Context, by store.Actor, id int64) error {
	return f.store.RevokeToken(ctx, by, id)
}

// TokenResult is what came of the last readings that a token brought.
func (f *Fleet) TokenResult(ctx context.Context, id int64, results []GatewayResult) error {
	return f.store.TokenResult(ctx, id, Summary(results))
}

// MeterState is what a meter of a unit read last.
type MeterState struct {
	Code string
	In   measure.Unit
	Last float64
	At   time.Time
}

// Meters of the units of the fleet that have one with a reading, and are not laid up.
func (f *Fleet) Meters(ctx context.Context) ([]MeterState, error) {
	codes, err := f.StatusCodes(ctx, store.StatusFilter{Sort: store.ByCode})
	if err != nil {
		return nil, err
	}
	units, err := f.Units(ctx, codes)
	if err != nil {
		return nil, err
	}
	var all []MeterState
	for _, u := range units {
		a := u.Account
		if len(u.Circuits) > 0 {
			a = u.Circuits[0].Account
		}
		readings := a.Readings
		if n := len(readings); n > 0 && a.LaidUp == nil && u.Unit.Ledger.Meter != "" {
			all = append(all, MeterState{u.Unit.Code, measure.Units(u.Unit.Ledger.Meter)[0], readings[n-1].Raw, readings[n-1].At})
		}
	}
	return all, nil
}

// LoadedAt is when the fleet was loaded; the zero time for one that was not.
func (f *Fleet) LoadedAt(ctx context.Context) (time.Time, error) {
	lines, err := f.store.AuditLines(ctx, store.AuditFilter{What: "register_loaded", Limit: 1})
	if err != nil || len(lines) == 0 {
		return time.Time{}, err
	}
	return lines[0].At, nil
}
