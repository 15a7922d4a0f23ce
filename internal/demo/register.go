package demo

import (
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/store"
)

// types of the fleet, of makes that there are none of.
var types = []register.Facts{
	{"name": "Norrow Lykt 1.0 and 1.2", "kind": "car", "make": "Norrow", "model": "Lykt", "engine": "petrol, three cylinders, aluminium", "system": "radiator_cap", "recovery_bottle": "yes", "cap_stages": "1",
		"thermostat": "87 °C", "fan": "97 °C", "heater_core": "yes", "product": "NORD-OAT-50", "mix": "50 %", "drains": "radiator petcock 4.1 L\nlower hose 0.6 L", "plug": "plastic petcock, turn by hand",
		"torque": "2 N·m", "washers": "O-ring 12 × 2 mm", "fill": "gravity,vacuum", "bleed": "self", "covers": "undertray, 6 screws", "clips": "2 of the undertray", "manual": "Norrow Lykt, section 19"},
	{"name": "Halder HT heavy truck", "kind": "truck", "make": "Halder", "model": "HT", "engine": "diesel, six cylinders, wet liners", "system": "expansion_tank", "cap_stages": "1", "thermostat": "83 °C", "heater_core": "yes",
		"mix": "50 %", "drains": "radiator drain 17 L\nblock drain right 9 L", "plug": "hexagon 17 mm", "torque": "40 N·m", "washers": "copper 18 mm", "fill": "gravity,pressure", "bleed": "vent_screw", "manual": "Halder HT workshop book, group 26"},
	{"name": "Ternvik D inboard", "kind": "boat", "make": "Ternvik", "model": "D", "engine": "diesel with heat exchanger", "system": "header_tank", "cap_stages": "1", "thermostat": "82 °C", "mix": "50 %",
		"drains": "block 8 L\nexchanger 1.5 L", "plug": "hexagon 14 mm", "torque": "25 N·m", "washers": "copper 14 mm", "fill": "gravity", "bleed": "vent_screw", "manual": "Ternvik D owner’s book, cooling"},
}

// instruments of the fleet; strips expire in months, counted from the day that the books are loaded on.
func instruments(today measure.Date) []register.Facts {
	return []register.Facts{
		{"name": "R-1", "kind": "refractometer", "scale": "EG_PG", "serial": "4471", "site": depot},
		{"name": "R-2", "kind": "refractometer", "scale": "EG_PG", "serial": "4472", "site": harbour},
		{"name": "R-3", "kind": "refractometer", "scale": "EG", "serial": "3018", "site": strip},
		{"name": "R-4", "kind": "refractometer", "scale": "EG_PG", "serial": "4475", "site": hill},
		{"name": "D-1", "kind": "disc_tester", "chart": "-8 °C; -15 °C; -23 °C; -30 °C; -36 °C; -44 °C", "site": depot},
		{"name": "H-1", "kind": "hydrometer", "site": depot},
		{"name": "E-1", "kind": "digital_refractometer", "scale": "EG_PG", "site": harbour},
		{"name": "strips", "kind": "strips", "expires": today.AddDate(0, 8, 0).String(), "site": depot},
		{"name": "strips, old tube", "kind": "strips", "expires": today.AddDate(0, -2, 0).String(), "site": hill},
	}
}

// technicians of the fleet; two of them sign in. One is on holiday in the second week from the day that the books are loaded on.
func technicians(today measure.Date) []register.Facts {
	monday := store.Monday(today)
	holiday := register.Span{From: monday.AddDays(7), To: monday.AddDays(11), Note: "holiday"}
	return []register.Facts{
		{"name": "T. Quayle", "account": "quayle@skerrow.example", "site": depot, "skills": "car,truck,motorcycle,high_voltage", "hours": "7.5 h", "overtime": "1 h"},
		{"name": "P. Vane", "site": depot, "skills": "car,motorcycle", "days": "mon,tue,wed,thu", "hours": "7.5 h", "absent": holiday.String()},
		{"name": "I. Sund", "account": "sund@skerrow.example", "site": harbour, "skills": "boat,car", "hours": "7.5 h", "overtime": "1 h"},
		{"name": "M. Orr", "site": strip, "skills": "aircraft,car", "days": "mon,tue,wed", "hours": "7.5 h"},
		{"name": "L. Brekke", "site": hill, "skills": "car,truck,high_voltage", "hours": "7.5 h", "overtime": "1.5 h"},
	}
}

// workshops are the sites with their bays, days, hours and the ways between them.
func workshops(today measure.Date) []store.LoadedSite {
	monday := store.Monday(today)
	repair := register.Span{Bay: "car 2", From: monday.AddDays(8), To: monday.AddDays(9), Note: "lift repaired"}
	facts := map[string]register.Facts{
		depot:   {"bays_car": "2", "bays_heavy": "2", "bays_motorcycle": "1", "bays_closed": repair.String(), "hours": "9 h", "ways": "Harbour yard 0.5 h\nAirstrip 0.75 h\nHill garage 1 h"},
		harbour: {"bays_dock": "2", "bays_car": "1", "hours": "8.5 h", "ways": "Airstrip 0.75 h"},
		strip:   {"bays_hangar": "1", "bays_car": "1", "hours": "8 h"},
		hill:    {"bays_car": "1", "bays_heavy": "1", "hours": "9 h"},
	}
	all := slices.Clone(sites)
	for i := range all {
		all[i].Facts = facts[all[i].Name].With(register.Facts{"days": "mon,tue,wed,thu,fri", "closed": "24 Dec to 1 Jan each year holidays"})
	}
	return all
}

// absent units: a boat at sea, a car on loan.
func absent(code string, today measure.Date) string {
	monday := store.Monday(today)
	switch code {
	case "HB-03":
		return register.Span{From: monday.AddDays(4), To: monday.AddDays(13), Note: "at sea"}.String()
	case "CA-21":
		return register.Span{From: today, To: monday.AddDays(9), Note: "on loan to the hospital"}.String()
	}
	return ""
}

// registered gives each unit its type, its place in the order of the walk and its registration.
func registered(f *store.LoadedFleet, today measure.Date) {
	f.Types, f.Instruments, f.Technicians = types, instruments(today), technicians(today)
	f.Sites = workshops(today)
	places, numbers := map[string]int{}, map[string]int{}
	for i := range f.Units {
		u := &f.Units[i]
		switch {
		case strings.Contains(u.Name, "petrol 1.0"), strings.Contains(u.Name, "petrol 1.2"):
			u.Type = types[0]["name"]
		case u.Kind == "truck":
			u.Type = types[1]["name"]
		case u.Kind == "boat":
			u.Type = types[2]["name"]
		}
		places[u.Site]++
		numbers[u.Kind]++
		at := places[u.Site] - 1
		u.Facts = register.Facts{"place": fmt.Sprintf("%c-%02d", 'A'+at/10, 1+at%10)}
		if away := absent(u.Code, today); away != "" {
			u.Facts["away"] = away
		}
		if u.Kind != "boat" {
			u.Facts["registration"] = fmt.Sprintf("SK %s%03d", strings.ToUpper(u.Kind[:1]), 100+numbers[u.Kind]*7)
		}
	}
}
