package round

import (
	"slices"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
)

// Option of what is found at a point: the fields of the entry that records it, and how it is judged.
type Option struct {
	State string        `json:"state,omitempty"` // of ledger.HoseStates or ledger.PointStates
	Clamp string        `json:"clamp,omitempty"` // of ledger.Clamps
	Grade coolant.Grade `json:"grade"`
}

// Point of a cooling system that is looked at.
type Point struct {
	Code string `json:"code"` // of ledger.Hoses or ledger.Points, or CapPoint
	// Kind of the entry that records what is found.
	Kind    ledger.Kind `json:"kind"`
	Options []Option    `json:"options"`
	// Hot: it may be looked at while the engine is hot.
	Hot bool `json:"hot"`
}

// CapPoint is the pressure cap among the points; it has questions of its own in place of options.
const CapPoint = "cap"

// points of each kind of unit, in the order in which the coolant runs; "" for a kind that is not
// known. A kind has what its drawing shows: a boat with heat exchanger, raw-water side and hot-water loop
// has no radiator (common practice).
var points = map[string][]string{
	"car":        {"upper", "lower", "heater_feed", "heater_return", "bypass", "recovery", CapPoint, "thermostat", "pump", "weep_hole", "fins", "recovery_tank", "drain_plug", "block_heater", "ground"},
	"motorcycle": {"upper", "lower", "bypass", "recovery", CapPoint, "thermostat", "pump", "weep_hole", "fins", "recovery_tank", "drain_plug", "ground"},
	"boat": {"upper", "lower", "heater_feed", "heater_return", "bypass", "recovery", CapPoint, "thermostat", "pump", "weep_hole", ledger.PartExchanger, "recovery_tank", "drain_plug",
		ledger.PartImpeller, ledger.PartAntiSiphon, ledger.PartAnodes, "block_heater", "ground"},
	"aircraft": {"upper", "lower", "bypass", "recovery", CapPoint, "thermostat", "pump", "weep_hole", "fins", "recovery_tank", "drain_plug", "ground"},
}

// Points of a kind of unit; of one that is not known those of a car.
func Points(kind string) (all []Point) {
	codes, ok := points[kind]
	if kind == "truck" || !ok {
		codes = points["car"]
	}
	for _, code := range codes {
		p := Point{Code: code, Hot: HotPoint(code)}
		switch {
		case code == CapPoint:
			p.Kind = ledger.KindCapTest
		case slices.Contains(ledger.Hoses, code):
			p.Kind, p.Options = ledger.KindHoseCheck, hoseOptions()
		default:
			p.Kind = ledger.KindInspection
			for _, state := range ledger.PointStates {
				p.Options = append(p.Options, Option{State: state, Grade: ledger.GradeOfPoint(state)})
			}
		}
		all = append(all, p)
	}
	return all
}

// hoseOptions are the states of a hose with a good clamp, then a good hose with the other clamps.
func hoseOptions() (all []Option) {
	add := func(state, clamp string) {
		_, grade := ledger.GradeOfHose(state, clamp)
		all = append(all, Option{State: state, Clamp: clamp, Grade: grade})
	}
	for _, state := range ledger.HoseStates {
		add(state, "good")
	}
	for _, clamp := range ledger.Clamps {
		if clamp != "good" {
			add("good", clamp)
		}
	}
	return all
}
