package register

import (
	"cmp"
	"maps"
	"slices"

	"diligentledger/core/measure"
)

// Change of a record, as it is kept.
type Change struct {
	ID int64
	// From is the day from which on it is in effect; nil for from the beginning.
	From *measure.Date
	// Was and Is are the facts that it changed, before and after; an empty text is not known.
	Was, Is Facts
	// Undone: it counts no more.
	Undone bool
}

// Difference of two sets of facts: what changed, before and after.
func Difference(before, after Facts) (was, is Facts) {
	was, is = Facts{}, Facts{}
	for code := range before.With(after) {
		if before[code] != after[code] {
			was[code], is[code] = before[code], after[code]
		}
	}
	for code, text := range before {
		if text != "" && after[code] == "" {
			was[code], is[code] = text, ""
		}
	}
	return was, is
}

// Conflict is a fact whose change would not come after an earlier change of the same fact in effect
// from a later day; empty code for none.
func Conflict(changes []Change, is Facts, from *measure.Date) (code string, of Change) {
	for _, code := range slices.Sorted(maps.Keys(is)) {
		for _, c := range slices.Backward(changes) {
			if _, touches := c.Is[code]; !touches || c.Undone || c.From == nil {
				continue
			}
			if from == nil || from.Before(*c.From) {
				return code, c
			}
		}
	}
	return "", Change{}
}

// Undoable reports whether a change may be undone: no later one that counts changed one of its
// facts again.
func Undoable(changes []Change, id int64) bool {
	found := false
	for _, c := range changes {
		switch {
		case c.ID == id:
			found = !c.Undone && len(c.Was) > 0
		case c.ID > id && !c.Undone:
			for code := range c.Is {
				for _, of := range changes {
					if _, touches := of.Is[code]; of.ID == id && touches {
						return false
					}
				}
			}
		}
	}
	return found
}

// Earlier facts: those that held until a day, where they differ from what held after it.
type Earlier struct {
	Until measure.Date `json:"until"`
	Facts Facts        `json:"facts"`
}

// Before gives which dated facts held earlier, the earliest first: an element for each day on which
// any of them changed, with what held before it. All facts of an element that it does not name are
// those of the next one, at last those that hold today.
func Before(r Record, changes []Change) []Earlier {
	changes = slices.Clone(changes)
	slices.SortFunc(changes, func(a, b Change) int { return cmp.Compare(a.ID, b.ID) })
	byDay := map[string]*Earlier{} // by the day as text
	for _, c := range changes {
		if c.Undone || c.From == nil {
			continue
		}
		for code, was := range c.Was {
			if field, ok := FieldOf(r, code); !ok || !field.Dated {
				continue
			}
			day := c.From.String()
			if byDay[day] == nil {
				byDay[day] = &Earlier{*c.From, Facts{}}
			}
			if _, there := byDay[day].Facts[code]; !there {
				byDay[day].Facts[code] = was // of several on a day the first one knows what held before it
			}
		}
	}
	all := make([]Earlier, 0, len(byDay))
	for _, e := range byDay {
		all = append(all, *e)
	}
	slices.SortFunc(all, func(a, b Earlier) int { return a.Until.Compare(b.Until) })
	return all
}

// At are the facts that held on a day, from those that hold now and what held earlier.
func At(now Facts, earlier []Earlier, day measure.Date) Facts {
	facts := now
	for _, e := range slices.Backward(earlier) {
		if !day.Before(e.Until) {
			break
		}
		facts = facts.With(e.Facts)
	}
	return facts
}
