package demo

import (
	"fmt"
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

// registered gives each unit its type, its place in the order of the walk and its registration.
func registered(f *store.LoadedFleet, today measure.Date) {
	f.Types, f.Instruments = types, instruments(today)
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
		if u.Kind != "boat" {
			u.Facts["registration"] = fmt.Sprintf("SK %s%03d", strings.ToUpper(u.Kind[:1]), 100+numbers[u.Kind]*7)
		}
	}
}
