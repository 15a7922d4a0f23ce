package clock

import (
	"slices"

	"diligentledger/core/ledger"
)

// CircuitStatus is the status of one circuit of a unit.
type CircuitStatus struct {
	Circuit ledger.Circuit
	UnitStatus
}

// Combine the statuses of a unit's circuits into that of the unit: all clocks, each with its
// circuit, the worst one governing. So a held circuit holds the unit, and one that is not known
// never makes it sound. A unit without a circuit is unknown.
func Combine(circuits []CircuitStatus) UnitStatus {
	var all []Clock
	for _, s := range circuits {
		for _, c := range s.Clocks {
			c.Circuit = s.Circuit
			all = append(all, c)
		}
	}
	if len(all) == 0 {
		return unevaluated("it has no circuit")
	}
	slices.SortStableFunc(all, ByUrgency)
	return UnitStatus{Verdict: all[0].Verdict, Governing: all[0], Clocks: all}
}
