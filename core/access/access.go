// Package access says who may bring about which effect on an account.
//
// # Model
//
// What a person may write is decided by what the entry does to the account, the
// state before it against the state after it, and never by its kind: an opening,
// a strike or an entry dated back lifts a hold as surely as a release does. The
// rule is one table, [Permitted]: effect × kind of unit × role. docs/decisions/0016 holds
// it with its reasons.
//
// Law: no sequence of entries by a role that may not release turns a unit that is
// held into one that is not. A level that was too low is no hold in this sense: it
// ends with the entries that show the level right (docs/decisions/0017), on an
// aircraft with the release besides.
package access

import (
	"cmp"
	"diligentledger/core/refusal"
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/ledger"
)

// Role of a person.
type Role string

// The roles.
const (
	Coordinator Role = "coordinator" // owns the due list, the register and the people
	Technician  Role = "technician"  // writes what was done and found
	Signatory   Role = "signatory"   // inspector or licensed signatory: releases
	Reader      Role = "reader"      // reads, such as an auditor
)

// Roles in the order they are offered.
var Roles = []Role{Coordinator, Technician, Signatory, Reader}

// Effect on an account.
type Effect string

// The effects.
const (
	Records      Effect = "record"      // any entry at all
	LiftsHold    Effect = "lift a hold" // a thing for which the unit must not run is gone
	EndsStop     Effect = "end a defect that stops the unit"
	EndsDefect   Effect = "end a defect"        // of another severity
	Releases     Effect = "release"             // writes a release, whatever stands
	Renews       Effect = "renew"               // the interval begins anew with the renewal that is written
	Restarts     Effect = "restart an interval" // it begins anew, or the first interval runs, by anything else
	VoidsOwn     Effect = "strike one's own entry"
	VoidsOther   Effect = "strike another's entry"
	VoidsRelease Effect = "strike a release"
	VoidsAbsent  Effect = "strike an entry that is not in the books yet"
)

// Effects in the order of the table.
var Effects = []Effect{Records, LiftsHold, EndsStop, EndsDefect, Releases, Renews, Restarts, VoidsOwn, VoidsOther, VoidsRelease, VoidsAbsent}

var (
	writers   = []Role{Coordinator, Technician, Signatory}
	releasers = []Role{Coordinator, Signatory}
	signatory = []Role{Signatory}
)

// Permitted is the authority table: the roles that may bring about an effect. Who may
// release an aircraft is for the law to say: here it takes a licensed signatory (14
// CFR 43.3 and 43.7, recalled from memory; local rules overrule). The rest is
// common practice.
func Permitted(e Effect, aircraft bool) []Role {
	switch e {
	case Records, Renews, VoidsOwn:
		return writers
	case EndsDefect:
		if aircraft {
			return signatory
		}
		return writers
	case LiftsHold, EndsStop, Releases, VoidsRelease, Restarts:
		if aircraft {
			return signatory
		}
		return releasers
	case VoidsOther:
		return []Role{Coordinator}
	}
	return nil // no role may strike an entry that is not there
}

// Actor is who writes an entry.
type Actor struct {
	ID   int64 // of the person, 0 for a token or the program
	Name string
	Role Role
	// Token by which a program writes, by its id; 0 for a person.
	Token int64
}

// wrote reports whether the entry is w's: by the id of the token or of the person. An entry that has neither is of a version that
// knew people by their names alone; it is theirs who bears the name, unless that is one of tokens, which had no ids then.
func (w Actor) wrote(e ledger.Entry) bool {
	switch {
	case w.Token != 0 || e.Envelope.Token != 0:
		return w.Token == e.Envelope.Token
	case e.RecordedByID != 0:
		return w.ID == e.RecordedByID
	}
	return e.RecordedBy == w.Name && !IsTokenName(e.RecordedBy)
}

// TokenName is the name under which the entries of a token are.
func TokenName(token string) string { return tokenPrefix + token }

// IsTokenName reports whether a name is that of a token; no person may bear such a one.
func IsTokenName(name string) bool {
	return strings.HasPrefix(strings.ToLower(strings.TrimSpace(name)), tokenPrefix)
}

const tokenPrefix = "token "

// Check says whether w may write e into an account of u that holds written; nil,
// or what would be accepted.
func Check(w Actor, u ledger.Unit, written []ledger.Entry, e ledger.Entry) *refusal.Field {
	return CheckIn(w, ledger.HistoryOf(u, written), e)
}

// CheckIn is [Check] against a history.
func CheckIn(w Actor, h *ledger.History, e ledger.Entry) *refusal.Field {
	for _, effect := range effectsIn(w, h, e) {
		if may := Permitted(effect, h.Unit.Aircraft); !slices.Contains(may, w.Role) {
			return refused(w.Role, e, effect, h.Unit.Aircraft, may)
		}
	}
	return nil
}

func refused(r Role, e ledger.Entry, effect Effect, aircraft bool, may []Role) *refusal.Field {
	accepted := "the entry it strikes first, then the strike"
	if len(may) > 0 {
		names := make([]string, len(may))
		for i, m := range may {
			names[i] = string(m)
		}
		accepted = fmt.Sprintf("a %s, to %s%s", strings.Join(names, " or a "), effect, pick(aircraft, " of an aircraft", ""))
	}
	if effect == Records {
		accepted = "entries of a coordinator, a technician or a signatory; a reader reads"
	}
	got := fmt.Sprintf("%s by a %s", e.Kind(), cmp.Or(r, "guest"))
	if effect != Records && effect != Releases {
		got += ", which would " + string(effect)
	}
	return &refusal.Field{Pointer: "/kind", Got: got, Accepted: accepted}
}

// EffectsOf e on an account of u that holds written, in the order of the table.
func EffectsOf(w Actor, u ledger.Unit, written []ledger.Entry, e ledger.Entry) []Effect {
	return effectsIn(w, ledger.HistoryOf(u, written), e)
}

func effectsIn(w Actor, h *ledger.History, e ledger.Entry) []Effect {
	written := h.Entries()
	has := map[Effect]bool{Records: true}
	switch b := e.Body.(type) {
	case ledger.Release:
		has[Releases] = true
	case ledger.Strike:
		i := slices.IndexFunc(written, func(o ledger.Entry) bool { return o.ID == b.Entry })
		switch {
		case i < 0:
			has[VoidsAbsent] = true
		case written[i].Kind() == ledger.KindRelease:
			has[VoidsRelease] = true
			fallthrough
		default:
			has[pick(w.wrote(written[i]), VoidsOwn, VoidsOther)] = true
		}
	}
	before, after := h.Before(), h.After(e)
	if struck := slices.DeleteFunc(slices.Clone(written), func(o ledger.Entry) bool { return voids(o, e.ID) }); len(struck) < len(written) {
		// A strike that was there before it must not lift what the entry brings about.
		lifted := ledger.Fold(h.Unit, append(struck, e))
		before = &lifted
	}
	compare(before, after, e, has)
	var all []Effect
	for _, effect := range Effects {
		if has[effect] {
			all = append(all, effect)
		}
	}
	return all
}

func voids(e ledger.Entry, id string) bool {
	s, ok := e.Body.(ledger.Strike)
	return ok && s.Entry == id
}

// compare what stops the unit, which defects are open and which interval runs,
// before and after e.
func compare(before, after *ledger.Account, e ledger.Entry, has map[Effect]bool) {
	stands := after.Stops()
	for _, s := range before.Stops() {
		if slices.ContainsFunc(stands, func(o ledger.Stop) bool { return sameStop(s, o) }) {
			continue
		}
		switch {
		case s.Cause == ledger.StopDefect:
			has[EndsStop] = true
		case s.Cause == ledger.StopLevel && shows(e.Body):
		default:
			has[LiftsHold] = true
		}
	}
	for _, d := range before.Defects {
		if !slices.ContainsFunc(after.Defects, func(o ledger.OpenDefect) bool { return o.ID == d.ID }) {
			has[EndsDefect] = true
		}
	}
	was, is := before.Balance.RenewedAt, after.Balance.RenewedAt
	later := is != nil && (was == nil && before.Written() > 0 || was != nil && is.After(*was))
	first := after.Factory && !before.Factory && before.Written() > 0
	renewal, ok := e.Body.(ledger.Renewal)
	switch {
	case first, later && !(ok && !renewal.Factory && is.Equal(e.At)):
		has[Restarts] = true
	case later:
		has[Renews] = true
	}
	if _, opening := e.Body.(ledger.Opening); opening && before.Known {
		has[Restarts] = true // what is known of the charge is forgotten
	}
}

// sameStop: a hold, trapped air and a level are one each; any other is given by
// what it is about.
// CheckFacts says whether a role may change facts or rules by which an account is read otherwise: what stops the unit or is to be
// repaired, and is not in the books any more after it, must be what the role may end. nil, or what would be accepted. An account
// that cannot be evaluated after it shows nothing that stops the unit, and that counts as ended.
func CheckFacts(r Role, aircraft bool, before, after *ledger.Account) *refusal.Field {
	has := map[Effect]bool{}
	stands := after.Stops()
	for _, s := range before.Stops() {
		if !slices.ContainsFunc(stands, func(o ledger.Stop) bool { return sameStop(s, o) }) {
			has[pick(s.Cause == ledger.StopDefect, EndsStop, LiftsHold)] = true
		}
	}
	for _, d := range before.Defects {
		if !slices.ContainsFunc(after.Defects, func(o ledger.OpenDefect) bool { return o.ID == d.ID }) {
			has[EndsDefect] = true
		}
	}
	for _, effect := range Effects {
		if may := Permitted(effect, aircraft); has[effect] && !slices.Contains(may, r) {
			names := make([]string, len(may))
			for i, m := range may {
				names[i] = string(m)
			}
			return &refusal.Field{Got: fmt.Sprintf("a change by a %s, which would %s%s", cmp.Or(string(r), "program"), effect, pick(aircraft, " of an aircraft", "")),
				Accepted: fmt.Sprintf("an entry by a %s first, that ends it; then the change", strings.Join(names, " or a "))}
		}
	}
	return nil
}

func sameStop(a, b ledger.Stop) bool {
	if a.Cause != b.Cause {
		return false
	}
	switch a.Cause {
	case ledger.StopHold, ledger.StopAir, ledger.StopCoolant, ledger.StopLevel:
		return true
	case ledger.StopDefect:
		return a.Entry == b.Entry
	}
	return a.About.Point == b.About.Point
}

// shows reports whether an entry shows coolant where it was missing: poured, or
// seen. A pour that was not observed shows nothing, and neither does a strike.
func shows(b ledger.Body) bool {
	switch b := b.(type) {
	case ledger.LevelCheck, ledger.Renewal:
		return true
	case ledger.TopUp:
		return !b.Inferred
	}
	return false
}

func pick[T any](ok bool, yes, no T) T {
	if ok {
		return yes
	}
	return no
}
