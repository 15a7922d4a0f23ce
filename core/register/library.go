package register

// Library is starting types, one or two for each kind of unit, for a register that has none yet. Their values are
// common practice, not those of any maker, and each is marked so: a level by such a capacity is never
// sound, and what is entered for the unit or confirmed for the type takes its place.
//
// Cap ratings: cars 13–20 psi, motorcycles 18–21 psi, boat diesels 13–14 psi; thermostats open at
// 83–88 °C (common practice). Capacities: the middle of what such units hold (judgement).
var Library = []Facts{
	{"name": "Small car, radiator cap", "kind": "car", "capacity": "6 L", "system": "radiator_cap", "recovery_bottle": "yes", "cap": "108 kPa", "cap_stages": "1",
		"thermostat": "88 °C", "fan": "98 °C", "meter": "km", "drive": "combustion", "heater_core": "yes", "base": "EG", "mix": "50 %", "fill": "gravity,vacuum", "bleed": "self"},
	{"name": "Car or van, expansion tank", "kind": "car", "capacity": "8 L", "system": "expansion_tank", "cap": "138 kPa", "cap_stages": "1",
		"thermostat": "88 °C", "fan": "98 °C", "meter": "km", "drive": "combustion", "heater_core": "yes", "base": "EG", "mix": "50 %", "fill": "gravity,vacuum", "bleed": "vent_screw,self"},
	{"name": "Heavy truck", "kind": "truck", "capacity": "35 L", "system": "expansion_tank", "cap": "100 kPa", "cap_stages": "1",
		"thermostat": "83 °C", "meter": "km", "drive": "combustion", "heater_core": "yes", "wet_liners": "yes", "base": "EG", "mix": "50 %", "fill": "gravity,pressure", "bleed": "vent_screw"},
	{"name": "Liquid-cooled motorcycle", "kind": "motorcycle", "capacity": "1.8 L", "system": "radiator_cap", "recovery_bottle": "yes", "cap": "127 kPa", "cap_stages": "1",
		"thermostat": "83 °C", "meter": "km", "drive": "combustion", "metal": "aluminium", "silicate_free": "yes", "base": "EG", "mix": "50 %", "fill": "gravity", "bleed": "lean,rev"},
	{"name": "Inboard diesel with heat exchanger", "kind": "boat", "capacity": "12 L", "system": "header_tank", "raw_water": "yes", "cap": "93 kPa", "cap_stages": "1",
		"thermostat": "83 °C", "meter": "h", "drive": "combustion", "base": "EG", "mix": "50 %", "fill": "gravity", "bleed": "vent_screw"},
	{"name": "Liquid-cooled aircraft engine", "kind": "aircraft", "capacity": "3 L", "system": "expansion_tank", "recovery_bottle": "yes", "cap": "90 kPa", "cap_stages": "1",
		"meter": "h", "drive": "combustion", "metal": "aluminium", "base": "EG", "mix": "50 %", "fill": "gravity", "bleed": "self"},
}
