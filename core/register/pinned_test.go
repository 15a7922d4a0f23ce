package register

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"diligentledger/core/measure"
	"diligentledger/internal/pinnedtest"
)

// The starting library, every field with its bounds, and how drawn facts are read.
func TestPinned(t *testing.T) {
	var a pinnedtest.Answers
	for _, r := range Records {
		for _, kind := range append(Kinds, "") {
			for _, f := range Fields(r, kind) {
				a.Add(fmt.Sprint(r, " ", kind, " ", f.Code), f)
			}
		}
	}
	as := Metric(measure.NewDate(2026, 11, 24))
	values := []string{"", "yes", "no", "8 L", "8", "-1", "0", "5.8 US qt", "108 kPa", "1.1 bar", "0.012", "40 mm", "car", "aluminium", "2026-11-24", "24.11.2026", "mon-fri 8-17", "petcock 4 L\nblock 1.5 L", "CA-01", "PG", "EG", "OAT",
		"-20 C", "12 months", "4", "99999", "km", "h", "radiator 4", "2026-12-24 to 2027-01-01", "mon 4 h", "Yard 2 car 1 truck", "Town 20 min", "x\ty", "a, b", "50 %", "1.5"}
	for _, r := range Records {
		for _, kind := range append(Kinds, "") {
			for _, f := range Fields(r, kind) {
				for _, v := range values {
					facts, wrong := ReadAll(r, kind, map[string]string{f.Code: v}, as)
					a.Add(fmt.Sprintf("%s %s %s %q", r, kind, f.Code, v), facts, wrong)
				}
			}
		}
	}
	for _, text := range []string{"CA-60 to CA-71, CA-80", "CA-1 to CA-3", "1 to 9", "A to B", "", "CA-1, CA-1", "CA-09 to CA-11", "CA-3 to CA-1", "CA-1 to CA-9999"} {
		all, err := Numbers(text)
		a.Add(fmt.Sprintf("numbers %q", text), all, err, Plain(text))
	}
	for i, facts := range Library {
		a.Add(fmt.Sprint("library ", i), facts, Check(Type, facts))
	}
	rng := rand.New(rand.NewPCG(3, 3))
	for n := range 400 {
		day := func() *measure.Date {
			if rng.IntN(4) == 0 {
				return nil
			}
			d := measure.NewDate(2026, 1, 1).AddDays(rng.IntN(6) * 30)
			return &d
		}
		var changes []Change
		now := Facts{"capacity": "8 L", "cap": "100 kPa"}
		for i := range rng.IntN(6) {
			was := Facts{"capacity": now["capacity"]}
			is := Facts{"capacity": fmt.Sprint(4+rng.IntN(5), " L")}
			now["capacity"] = is["capacity"]
			changes = append(changes, Change{ID: int64(i + 1), From: day(), Was: was, Is: is, Undone: rng.IntN(4) == 0})
		}
		code, of := Conflict(changes, Facts{"capacity": "9 L"}, day())
		earlier := Before(Unit, changes)
		a.Add(fmt.Sprint("changes ", n), code, of, earlier, Undoable(changes, int64(1+rng.IntN(5))), At(now, earlier, measure.NewDate(2026, 1, 1).AddDays(rng.IntN(200))))
	}
	a.Check(t, "pinned.txt")
}
