package words

import (
	"fmt"
	"strings"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
)

// JobNames of the kinds of job.
var JobNames = map[job.Kind]string{job.DrainFill: "Drain-and-fill", job.TwiceFill: "Second drain-and-fill", job.FullFlush: "Full flush", job.Correction: "Correction of the mix",
	job.BleedOnly: "Bleed only", job.PartChange: "Part change with refill", job.BoatLoop: "Boat circuit renewal", job.Aircraft: "Aircraft scheduled task"}

// FillNames and BleedNames of the methods.
var (
	FillNames  = map[string]string{job.Gravity: "gravity, spill-free funnel", job.Vacuum: "vacuum fill", job.Pressure: "pressure fill", job.Hose: "upper hose, emptied block", job.Header: "boat header tank"}
	BleedNames = map[string]string{job.Self: "warm run with the funnel or tank open", job.VentScrew: "manual bleed, vent screw", job.Pump: "electric-pump bleed", job.Lean: "lean and blip", job.Rev: "short revs",
		job.Overnight: "overnight, from the bottle"}
	PartNames = map[string]string{"cap": "pressure cap", "hose": "hose", "pump": "water pump", "thermostat": "thermostat"}
)

// PhaseNames of a job.
var PhaseNames = map[job.Phase]string{job.PhasePrepare: "to prepare", job.PhaseCooling: "cooling", job.PhaseCleaner: "running with cleaner", job.PhaseDrain: "draining", job.PhaseFlush: "flushing",
	job.PhaseFill: "filling", job.PhaseBleed: "bleeding", job.PhaseCheck: "checks", job.PhaseRetest: "retest", job.PhaseRelease: "awaits release", job.PhaseDone: "released", job.PhaseEnded: "cancelled"}

// GateNames of a job.
var GateNames = map[job.Gate]string{job.GateCold: "engine cold", job.GateDrained: "drained volume known", job.GateWasher: "new washer fitted", job.GateTorque: "plug torqued", job.GateBalance: "volume in = volume out",
	job.GateLeaks: "no leak at an opened joint", job.GateCap: "cap sound and turned home", job.GateLevel: "level at the mark", job.GateRetest: "retest within tolerance", job.GateRelease: "released"}

// StepStatusNames of a step.
var StepStatusNames = map[job.Status]string{job.Done: "done", job.Overrun: "overridden", job.Current: "next", job.Failed: "not passed", job.Later: "later"}

// GateStatusNames of a gate.
var GateStatusNames = map[job.Status]string{job.Done: "passed", job.Overrun: "overridden", job.Current: "open", job.Failed: "not passed"}

// PocketNames of the drain points, and of what never drains.
var PocketNames = map[string]string{job.PointPetcock: "radiator petcock", job.PointLowerHose: "lower hose", job.PointBlock: "block drain", job.PointHeater: "heater core", job.PointTank: "expansion tank",
	job.PointExchanger: "heat exchanger", job.PointOther: "other drain point", job.PointStays: "never drains", "cap": "pressure cap", "hose": "hose", "pump": "water pump", "thermostat": "thermostat housing", "bottle": "recovery bottle"}

// jobCautions by code.
var jobCautions = map[string]string{
	"hot_system":    "Never open a hot system: pressurised coolant and steam burn.",
	"poison":        "Coolant is poisonous and tastes sweet: keep it from children and animals, never siphon by mouth.",
	"gloves":        "Gloves and eye protection.",
	"outdoors":      "Never run an engine indoors, even with the door open.",
	"moving_parts":  "Keep clear of belts; electric fans may start with the engine off.",
	"bilge":         "Nothing into the bilge or over the side: discharge rules apply.",
	"aircraft":      "Approved maintenance data and a licensed signatory decide. This sheet only prepares and records; it is not approved data.",
	"jack":          "Support a lifted vehicle, never on a jack alone. Chock the wheels.",
	"high_voltage":  "High voltage: isolate, lock out and check for zero before any circuit is opened. Trained people only.",
	"premix_only":   "This system takes premix only: no water goes in, not for flushing either.",
	"waterless":     "Waterless coolant: no water goes in; prep fluid takes its place.",
	"other_product": "Another product is inside. Only a full flush makes room for this one.",
	"waste":         "Used coolant goes to recycling by local rules, never to a drain.",
	"manual":        "The maker's manual overrides every default here.",
	"pressure":      "Ease the pressure in. Heater cores and radiators burst above their limit.",
	"steam":         "Steam escapes at the vent: open it a little, with a cloth, and keep the face away.",
	"climbing":      "Stop the engine at once if the gauge climbs.",
	"rinse":         "Rinse every spill: it is taken for a leak later, and animals drink it.",
}

// jobStep is what the sheet says at a step: its title, and what to do. %s is the point.
type jobStep struct {
	title string
	do    []string
}

var jobSteps = map[string]jobStep{
	"prepare":                 {"Prepare tools, parts and coolant", []string{"Lay out what is listed for this job. Note the batch of the product."}},
	"cold":                    {"Engine cold?", []string{"Gauge at the bottom; upper hose cold and soft. The hours since it ran only plan the day."}},
	"place":                   {"Place and secure the vehicle", []string{"Level or slightly nose-up, wheels chocked, supported if lifted.", "Battery negative off where it has a remote start. Outdoors if it will be run here."}},
	"place_motorcycle":        {"Place and secure the motorcycle", []string{"Upright and level on its stand.", "Some bleed on the side stand; three-wheelers with the wheels raised."}},
	"place_boat":              {"Secure the boat", []string{"Seacock closed, engine stopped and tagged.", "Drip tray under the engine; bilge pump off."}},
	"place_aircraft":          {"Secure the aircraft", []string{"Approved maintenance data at hand. Ignition off, propeller clear, area marked."}},
	"isolate":                 {"Isolate the high voltage", []string{"Isolate, lock out, check for zero. Enter who holds the lock."}},
	"meter":                   {"Read the meter", nil},
	"level_before":            {"Note the level before anything is opened", []string{"A level that was low explains a drain that gives less."}},
	"cap_off":                 {"Cap off and inspected", []string{"It drains faster with the cap off, and the recovery bottle empties.", "Seal, seat, spring and vacuum valve; opening pressure if a tester is at hand."}},
	"covers_off":              {"Take off the covers", nil},
	"drain":                   {"Drain: %s", []string{"Into a clean measured pan, a hose on the nipple. Open and close plastic petcocks by hand.", "Measure what came out and enter it, 0 if nothing came."}},
	"drain_check":             {"Less came than %s holds: why?", []string{"Probe the spigot with a wire; open the heater valve; check the level that was there before.", "Enter what came after that, 0 if nothing."}},
	"tank":                    {"Empty and clean the recovery bottle", []string{"Look for sludge."}},
	"washer":                  {"New washer: %s", []string{"Inspect plug and O-ring. A sealing washer is new every time."}},
	"torque":                  {"Close: %s", []string{"To torque; petcocks and hoses by hand."}},
	"cleaner_in":              {"Pour in the cleaner and close the cap", []string{"The vehicle may be driven until the days are over."}},
	"cleaner_drive":           {"Drive with the cleaner inside", []string{"Heater full hot on each drive."}},
	"back_flush":              {"Back-flush with water and air", []string{"Against the direction of flow, pressure eased in, until it runs clear."}},
	"thermostat_out":          {"Take the thermostat out", []string{"The flush water then circulates cold."}},
	"thermostat_in":           {"Fit the thermostat", []string{"New gasket. The vent (jiggle pin or 3 mm hole) goes uppermost."}},
	"flush_fill":              {"Fill with purified water", []string{"Never tap water. Close the drains by hand."}},
	"flush_fill_prep":         {"Fill with prep fluid", []string{"It takes the place of water. Close the drains by hand."}},
	"flush_fill_premix":       {"Fill with premix to flush", []string{"No water into this system. Close the drains by hand."}},
	"flush_run":               {"Run warm until the thermostat opens", []string{"Heater full hot."}},
	"flush_run_cold":          {"Run to circulate", []string{"Heater full hot; the thermostat is out."}},
	"flush_drain":             {"Drain the flush", []string{"Measure all of it. Repeat until it runs clear."}},
	"curing":                  {"Let the sealant cure", []string{"By its label; or fill at once and inspect it warm, where the maker says so."}},
	"way":                     {"The target cannot be reached from here: choose the way", []string{"Too much stayed inside for the room that is left."}},
	"pour_concentrate":        {"Pour in the concentrate first, all of it", []string{"Funnel sealed on the neck. Slowly, expansion tank to the base of its neck."}},
	"pour_premix":             {"Pour in the premix", []string{"Funnel sealed on the neck. Slowly; expansion tank to the base of its neck, radiator to the top of its neck. Add no water."}},
	"pour_water":              {"Then purified water", []string{"Slowly, to the mark. Less may go in than worked out: enter what went in."}},
	"pour_concentrate_header": {"Pour in the concentrate first, all of it", []string{"At the header tank's cap."}},
	"pour_premix_header":      {"Pour in the premix", []string{"At the header tank's cap, brim-full; bottle between its marks. Add no water."}},
	"squeeze":                 {"Squeeze the upper, then the lower hose", []string{"Until no more bubbles come."}},
	"vacuum_pull":             {"Pull the vacuum into the green", []string{"Adapter sealed on the neck. Hoses collapse: that is right."}},
	"vacuum_hold":             {"Hold the vacuum", []string{"If it falls there is a leak: find it before filling."}},
	"vacuum_fill":             {"Fill by suction", []string{"Mix in a clean container first; keep the suction hose below the surface."}},
	"pressure_fill":           {"Fill under pressure", []string{"Mix in a clean container first; vent open until a solid stream runs."}},
	"hose_fill":               {"Fill the emptied block through the upper hose", []string{"Mix in a clean container first. Vent open until a solid stream runs, then close it."}},
	"exchanger":               {"Inspect heat exchanger and anodes", []string{"Anodes are replaced at half their size. Spigots clear?"}},
	"loop_fill":               {"Refill the hot-water circuit", []string{"With the target mix, vent open until a solid stream runs."}},
	"run":                     {"Run warm to mix", []string{"Heater full hot, until the thermostat opens."}},
	"cap_fit":                 {"Fit the new cap", []string{"Rating as the register has it."}},
	"part_off":                {"Take off: %s", []string{"Note what was found."}},
	"hose_fit":                {"Fit the hose", []string{"The clamp sits between the nipple's ridges, never on one."}},
	"part_fit":                {"Fit: %s", []string{"New gasket or sealant as the maker says."}},
	"bleed_vent":              {"Bleed at the vent screw, cold", []string{"Nose raised. Fill until a solid stream runs from the vent, then close it."}},
	"bleed_vent_warm":         {"Bleed at the vent screw, warm", []string{"Engine off. Open the vent a little until no more bubbles come."}},
	"bleed_pump":              {"Bleed with the electric pump", []string{"Charger on, lights off, ignition on, heater to maximum, fan lowest; accelerator down. The pump runs by itself: keep the tank topped up."}},
	"bleed_pump_motorcycle":   {"Bleed with the electric pump", []string{"Ignition on, throttle past half and hold. Repeat until no bubbles come."}},
	"bleed_lean":              {"Lean and blip", []string{"Rock side to side, run, top up, warm, a few twists of the throttle."}},
	"bleed_rev":               {"Short revs", []string{"A few short revs, top up, repeat until no bubbles come."}},
	"bleed_warm":              {"Run warm", []string{"Air conditioning off, heater full hot, fan low. Idle, then the engine speed below in spells.", "Feel both radiator hoses: hot and alike."}},
	"bleed_heater":            {"Heater: hot air at idle", []string{"Cold at idle means air in the heater core."}},
	"bleed_fan":               {"Fan cuts in, no more bubbles", []string{"Top up as it takes it."}},
	"bleed_night":             {"After the night: header and bottle", []string{"The cooling system draws from the bottle overnight. A full bottle proves nothing: look at the header.", "First sail only after this level check."}},
	"rebleed":                 {"Bleed again: air is inside", []string{"Less went in than came out. Do not release it. Bleed, top up, enter what went in."}},
	"balance":                 {"Volume in = volume out", nil},
	"leaks":                   {"No leak at any opened joint", []string{"Warm, cap on. Pressure test where a tester is at hand, never above the cap's rating."}},
	"cap_home":                {"Cap turned home", []string{"To its last stop: the first stage leaks so slowly that it is not seen."}},
	"level_after":             {"Level at the mark", []string{"Hot it reads high and drops on cooling."}},
	"retest":                  {"Retest the freeze point, mixed", []string{"A drop on the zeroed refractometer, on the scale of the product."}},
	"retest_waterless":        {"Test for water", []string{"By refractometer."}},
	"test":                    {"Test the freeze point", []string{"This is the figure that the correction is worked out from."}},
	"correct_out":             {"Correction: drain", []string{"So much makes room for the correction."}},
	"correct_rich":            {"Correction: pour in the product", nil},
	"correct_lean":            {"Correction: pour in purified water", nil},
	"waste":                   {"Used coolant into the waste drum", []string{"Every spill rinsed."}},
	"label":                   {"Label the unit", []string{"Product, strength, date, next due."}},
	"release":                 {"Release", []string{"By a coordinator or a signatory."}},
	"release_aircraft":        {"Return to service", []string{"By a licensed signatory. Prepared data: the signatory decides by approved maintenance data."}},
}

// jobFields are the labels of fields.
var jobFields = map[string]string{"ready": "All at hand", "batch": "Batch of the product", "gauge": "Temperature gauge", "hose": "Upper hose", "hours": "Hours since it ran", "done": "Done", "by": "Who holds the lock",
	"meter": "Meter", "unread": "Meter cannot be read", "read_twice": "It does not fit", "mark": "Level", "seal": "Seal of the cap", "vacuum": "Vacuum valve", "opened": "Opened at", "litres": "Volume", "look": "Appearance", "cause": "Why",
	"sludge": "Sludge", "washer": "Washer", "plug": "Plug and O-ring", "closed": "Closed", "torque": "Torque", "bottles": "Bottles of cleaner", "stage": "Cap", "pressure": "Pressure", "clear": "Ran clear", "thermostat": "Thermostat",
	"found": "Found", "fitted": "Sealed with", "vent": "Thermostat's vent", "cured": "Cured", "way": "Way", "stream": "Stream", "bubbles": "Bubbles", "depth": "Vacuum", "drop": "Pressure fell by", "exchanger": "Heat exchanger",
	"anodes": "Anodes", "hoses": "Radiator hoses", "air": "Air from the heater", "fan": "Fan", "header": "Header tank", "minutes": "Minutes held", "temper": "Engine", "cap": "Cap fitted", "freeze": "Freeze point", "instrument": "Instrument",
	"scale": "Scale", "tool": "Which one", "water": "Water", "rinsed": "Spills rinsed", "label": "Label", "note": "Note", "clamp": "Clamp"}

var jobChoices = map[string]string{"yes": "yes", "no": "no", "bottom": "at the bottom", "above": "above the bottom", "cold_soft": "cold and soft", "warm": "warm", "hard": "hard: pressure inside", "not_readable": "cannot be read", "read_twice": "read twice, it shows this",
	"not_tested": "not tested", "opens": "opens", "stuck": "stuck", "plugged_cleared": "spigot was plugged, cleared", "valve_opened": "heater valve was shut, opened", "not_full": "the system was not full", "stays": "not found: more stays inside",
	"none": "none", "found": "found", "new": "new", "old": "the old one", "no_washer": "no washer in this plug", "worn": "worn", "by_hand": "by hand", "torque": "to torque", "home": "turned home", "first_stage": "first stage only", "not_seated": "not seated",
	"opened": "opened", "not_opened": "did not open", "normal": "normal", "climbing": "climbing", "gasket_new": "new gasket", "gasket_old": "the old gasket", "sealant": "sealant", "uppermost": "uppermost", "not_uppermost": "not uppermost",
	"fill_at_once": "filled at once", "best": "the best that can be had", "pass": "a second pass", "solid": "solid", "bubbles": "with bubbles", "still": "still coming", "hot_alike": "both hot and alike", "lower_cold": "upper hot, lower cold",
	"both_cold": "both cold", "hot": "hot", "cold": "cold", "cut_in": "cut in", "not_cut_in": "did not cut in", "no_fan": "no electric fan", "brim": "brim-full", "low": "low", "dry": "dry", "weeping": "weeping", "same": "the same",
	"fitted": "fitted", "none_used": "no label used", "between_ridges": "between the ridges", "on_ridge": "on a ridge", "colourless": "clear water", "max": "at the upper mark", "between": "between the marks", "min": "at the lower mark",
	"below": "below the lower mark", "empty": "empty", "refractometer": "refractometer", "strip": "test strip", "EG": "EG", "PG": "PG"}

// jobWhy says why a step is not passed, or what to heed.
var jobWhy = map[string]string{
	"gauge_up": "The gauge is above the bottom: wait.", "hose_warm": "The upper hose is warm: wait.", "hose_hard": "There is pressure in the upper hose: wait, do not open.", "cooled_short": "It ran less long ago than planned; the evidence decides.",
	"meter_off": "It does not fit the readings so far: read it again. If it shows this all the same, say that it was read twice.", "meter_missing": "Enter the meter, or that it cannot be read.", "cap_bad": "The cap is not sound: fit a new one.", "cap_untested": "A new cap on an aircraft is tested: vacuum valve and opening pressure.", "thermostat_bad": "The thermostat was found bad: fit a new one.", "look_stops": "Oily or gelled coolant: the unit must not run until the cause is found.",
	"look_rusty": "Rusty: a full flush is worth it.", "look_sediment": "Sediment: a full flush is worth it.", "drain_short": "Less came out than this point holds.", "drain_more": "More came out than this point holds: correct it if it was mistyped.", "more_inside": "More stays inside than planned; the pour is worked out from that.",
	"sludge": "Sludge in the bottle: clean it.", "washer_old": "A sealing washer is new every time.", "plug_worn": "Fit a new plug or O-ring.", "torque_missing": "Enter the torque.", "torque_off": "The torque is off what the register gives.",
	"torque_unknown": "No torque is in the register for this unit: the maker's manual decides.", "cap_first_stage": "Turned to the first stage only: turn it home.", "cap_not_seated": "The cap is not seated.", "bottles_few": "Fewer bottles than this system takes.",
	"back_flush_over": "The pressure was above what a heater core or radiator is built for: inspect them.", "climbing": "Stop the engine at once. Let it cool, find out why, then bleed again.", "thermostat_shut": "The thermostat did not open: run longer; if it stays shut, replace it.",
	"bubbles": "Air still comes: go on.", "clamp_ridge": "The clamp belongs between the ridges: move it.", "gasket_old": "Fit a new gasket.", "vent_low": "The vent goes uppermost, else air is trapped.", "inspect_warm": "Inspect the sealed joint warm.", "vacuum_weak": "The vacuum is not in the green.",
	"vacuum_falls": "The vacuum falls: find the leak before filling.", "not_as_planned": "Not what was worked out: the next figures follow from what went in.", "pressure_over": "The pressure was above the cap's rating: inspect hoses and core.",
	"found_bad": "Found bad: it is recorded, and due now.", "lower_cold": "The lower hose is cold: thermostat shut or not yet open.", "both_cold": "Both hoses are cold: thermostat shut.", "air_in_heater": "Air in the heater core: bleed on.",
	"fan_missing": "The fan did not cut in: stop before it overheats; check fan and sensor.", "header_low": "The header is low: top it up there. A full bottle proves nothing.", "bottle_low": "The bottle is low: top it up between its marks.",
	"out_unknown": "What came out was not measured: whether air is inside is not known.", "air_trapped": "Less went in than came out: air is trapped inside. Do not release it.", "more_in": "More went in than came out: more had been missing before.",
	"weeping": "A joint weeps: close it, and inspect again.", "pressure_fell": "The pressure fell: find the leak.", "level_low": "Below the mark: top up, bleed, look again.", "level_hot": "Hot and below the upper mark: it drops on cooling. Top up.",
	"level_drops": "Hot: it drops on cooling. The level check tomorrow, cold, is owed.", "water_in": "More water than a waterless coolant takes.", "wrong_scale": "Read on the scale of the other glycol: read it again.", "before_fill": "Tested before the last pour: test again.",
	"not_mixed": "Coolant was poured in since it last ran warm: run it, then test.", "need_missed": "It protects less than this site needs.", "too_weak": "Weaker than the target: the correction is worked out.", "too_strong": "Too strong: the correction is worked out.",
	"no_target": "There is no target to hold it against.", "waste_differs": "Not what came out by the figures of this sheet.", "incomplete": "A figure is missing.", "waits": "Recorded; it counts once the steps before it are done.",
}

var jobFacts = map[string]string{"cooling": "cooling, planned", "draining": "draining", "night": "the night", "cleaner": "days of driving", "cap_rating": "cap rating", "cover": "cover", "expected": "should give", "meter_fits": "by the readings so far", "new_share": "new coolant after both passes", "came": "came out", "still_inside": "still inside", "blow_limit": "blowing out: at most", "common": "common value of such units, not this one's own",
	"washers": "washers", "torque": "torque", "bottles": "bottles of cleaner", "cleaner_days": "days of driving", "most_pressure": "at most", "room": "room", "thermostat": "thermostat opens", "run": "run", "curing": "curing", "pour": "pour",
	"mix_product": "product in the container", "mix_water": "purified water in the container", "draw": "the system takes", "green": "green band, below the air outside", "hold": "hold", "most_drop": "may fall by", "squeeze": "squeezes of each hose", "warm": "until warm", "rpm": "engine speed, rpm",
	"accelerator": "accelerator down", "pump": "pump runs", "throttle": "throttle held", "lean_run": "run", "heat": "hot air for", "fan": "fan cuts in", "overnight": "night", "short": "still missing", "test_pressure": "test pressure", "test_minutes": "held for",
	"target": "target", "within": "tolerance", "need": "this site needs", "most_water": "water, at most", "drain": "drain", "used": "out by this sheet", "top_up_share": "top up with"}

// JobWay is a way to the target.
func (r Reader) JobWay(code, point string) string {
	switch code {
	case "way_drain":
		return "drain besides: " + PocketNames[point]
	case "way_pass":
		return "a second pass"
	}
	return "the best that can be had"
}

// JobStep is the title of a step and what to do at it.
func JobStep(s job.Step) (title string, do []string) {
	text, ok := jobSteps[s.Code]
	if !ok {
		return s.Code, nil
	}
	title = text.title
	if strings.Contains(title, "%s") {
		title = fmt.Sprintf(title, pocketName(s.Point))
	}
	if s.N > 1 && s.N < 10 && s.Code != "rebleed" {
		title = fmt.Sprintf("%s (%s time)", title, []string{"", "", "2nd", "3rd", "4th", "5th", "6th", "7th", "8th", "9th"}[s.N])
	}
	return title, text.do
}

func pocketName(point string) string {
	if n := PocketNames[point]; n != "" {
		return n
	}
	return point
}

// JobField is the label of a field of a step.
func JobField(s job.Step, f job.Field) string {
	switch {
	case f.Point != "":
		return pocketName(f.Point)
	case s.Code == "hose_fit" && f.Code == "hose":
		return "Hose"
	case s.Code == "waste" && f.Code == "litres":
		return "Into the drum"
	case f.Code == "litres" && s.Code == "drain_check":
		return "Came after that"
	case f.Code == "litres" && (strings.HasPrefix(s.Code, "drain") || s.Code == "flush_drain" || s.Code == "tank" || s.Code == "correct_out"):
		return "Came out"
	case f.Code == "litres":
		return "Went in"
	}
	if label := jobFields[f.Code]; label != "" {
		return label
	}
	return f.Code
}

// JobChoice is a choice of a field.
func JobChoice(code string) string {
	if point, ok := strings.CutPrefix(code, "drain:"); ok {
		return "drain besides: " + pocketName(point)
	}
	if text := jobChoices[code]; text != "" {
		return text
	}
	return Name(code)
}

// JobWhy of a step; JobCaution, JobGate of their codes.
func JobWhy(code string) string { return orCode(jobWhy, code) }

// JobCaution by its code.
func JobCaution(code string) string { return orCode(jobCautions, code) }

func orCode(m map[string]string, code string) string {
	if text := m[code]; text != "" {
		return text
	}
	return code
}

// JobFact is a fact of a step: what it is, and its figure in the reader's units.
func (r Reader) JobFact(f job.Fact) (label, figure string) {
	if code, ok := strings.CutPrefix(f.Code, "way_"); ok {
		return r.JobWay("way_"+code, f.Point), "protects to " + r.Celsius(measure.Celsius(f.Low), 0)
	}
	label = orCode(jobFacts, f.Code)
	if f.Text != "" {
		return label, f.Text
	}
	switch f.Code {
	case "common":
		return "", label
	case "top_up_share":
		switch {
		case f.Low >= 99.5:
			return label, "the product, undiluted"
		case f.Low <= 0.5:
			return label, "purified water"
		}
		return label, fmt.Sprintf("%.0f %% product, %.0f %% purified water", f.Low, 100-f.Low)
	}
	low, high := r.JobFigure(f.Low, f.Unit), r.JobFigure(f.High, f.Unit)
	if low == high {
		return label, low
	}
	number, unit, found := strings.Cut(low, " ")
	if _, other, ok := strings.Cut(high, " "); found && ok && unit == other {
		return label, number + " to " + high
	}
	return label, low + " to " + high
}

// JobFigure in the reader's units.
func (r Reader) JobFigure(v float64, u measure.Unit) string {
	switch u {
	case job.Minutes, job.Seconds, job.Days, measure.H:
		return measure.Digits(round1(v)) + " " + string(u)
	case job.Kelvins:
		return "± " + r.Kelvin(v, 0)
	case measure.One:
		return measure.Digits(round1(v))
	case measure.L:
		return r.Litres(v, 2)
	case measure.DegC:
		return r.Celsius(measure.Celsius(v), 0)
	case measure.KPa:
		return r.Kilopascals(v)
	case measure.NewtonMetre:
		return r.JobTorque(v)
	case measure.Percent:
		return fmt.Sprintf("%.0f %%", v)
	}
	return measure.Digits(round1(v)) + " " + u.Symbol()
}

func round1(v float64) float64 { return float64(int64(v*10+0.5)) / 10 }

// JobTorque in all three units of the trade: a wrench has one of them.
func (r Reader) JobTorque(nm float64) string {
	foot, inch := measure.FromMetric(nm, measure.FootPound), measure.FromMetric(nm, measure.InchPound)
	return fmt.Sprintf("%.1f N·m = %.1f lbf·ft = %.0f lbf·in", nm, foot, inch)
}

// JobValue as it was recorded.
func (r Reader) JobValue(v job.Value) string {
	switch {
	case v.Reading != nil:
		return strings.TrimSpace(v.Reading.String())
	case v.Choice != "":
		return JobChoice(v.Choice)
	}
	return v.Text
}

// JobPlan says what to pour and why, a sentence each.
func (r Reader) JobPlan(s job.Setup, p job.Plan) (all []string) {
	if p.Mixed {
		return []string{"EG and PG are mixed inside: no table says what the mixture protects to. Flush again before filling."}
	}
	if s.Product.Base == coolant.NoWater {
		text := fmt.Sprintf("Pour %s of %s.", r.Litres(float64(p.Rich), 2), s.Product.Name)
		if !p.Reaches {
			text += " Too much water stayed inside for a waterless coolant: flush with prep fluid again."
		}
		return []string{text}
	}
	pour := fmt.Sprintf("Pour %s of %s", r.Litres(float64(p.Rich), 2), s.Product.Name)
	if p.Out > 0.01 {
		pour = fmt.Sprintf("Drain %s, then pour %s of %s", r.Litres(float64(p.Out), 2), r.Litres(float64(p.Rich), 2), s.Product.Name)
	}
	if p.Lean > 0.005 {
		pour += fmt.Sprintf(" first, then %s of purified water", r.Litres(float64(p.Lean), 2))
	}
	all = append(all, fmt.Sprintf("%s: %.0f %% of glycol, protects to %s.", pour, 100*p.Reached, r.Celsius(p.Freeze, 0)))
	if p.Unknown {
		all = append(all, "What stayed inside is not known and was counted as water: the retest decides.")
	}
	if p.Careless > 0 && p.Wanted-p.Careless > 0.015 {
		all = append(all, fmt.Sprintf("The target mix on top of what stayed would come to %.0f %% only, %s.", 100*p.Careless, r.Celsius(p.CarelessFreeze, 0)))
	}
	if !p.Reaches {
		all = append(all, fmt.Sprintf("The target of %.0f %% is not reached: too much stayed inside for the room.", 100*p.Wanted))
	}
	return all
}

// JobBalance of what came out and went in.
func (r Reader) JobBalance(b job.Balance) string {
	if b.Unknown {
		return "What came out was not measured."
	}
	out := "Out " + r.Litres(float64(b.Out), 2)
	if b.Missing > 0.005 {
		out += " and " + r.Litres(float64(b.Missing), 2) + " had been missing"
	}
	text := fmt.Sprintf("%s, in %s", out, r.Litres(float64(b.In), 2))
	switch {
	case !b.Holds:
		return text + ": " + r.Litres(float64(b.Short), 2) + " short. Air is trapped inside."
	case b.Short > 0.005:
		return text + ": " + r.Litres(float64(b.Short), 2) + " short, within the " + r.Litres(float64(b.Allowed), 2) + " that such a system tolerates and measuring leaves open."
	}
	return text + ": as much in as out."
}

// JobHold is why a unit is on hold while it is worked on.
func JobHold(s job.Setup) string {
	return strings.ToLower(JobNames[s.Kind][:1]) + JobNames[s.Kind][1:] + " under way: not to be started until released"
}

// JobPause is why a paused job is not to be touched.
func JobPause(why string, empty, flush bool) string {
	switch {
	case flush:
		return why + ". Flush water inside, do not start; it freezes at 0 °C."
	case empty:
		return why + ". System empty, do not start."
	}
	return why
}

// JobInside says why the engine must not be started between drain and fill; empty when it may.
func JobInside(empty, flush bool) string {
	switch {
	case flush:
		return "Flush water inside: it freezes at 0 °C and protects nothing."
	case empty:
		return "System not filled: do not start the engine."
	}
	return ""
}

// JobUnposted is the note of a cancelled job whose entries the ledger does not take.
func JobUnposted(why error) string {
	return "Job cancelled; what was done until then is on its sheet alone, since the ledger does not take its entries: " + why.Error()
}

// JobNote of a gate that was taken on, for the ledger.
func JobNote(s job.Step) string {
	if s.Override == nil {
		title, _ := JobStep(s)
		return title
	}
	return fmt.Sprintf("Job: gate \"%s\" overridden by %s (%s): %s", GateNames[s.Gate], s.Override.By, s.Override.Role, s.Override.Why)
}

// JobMissed is what an exercise did not find.
func JobMissed(code string, steps func(key string) string) string {
	name, key, _ := strings.Cut(code, ":")
	switch name {
	case "plugged":
		return "A drain spigot was plugged and was not cleared: coolant stayed behind it."
	case "air":
		return "Air is still trapped inside."
	case "strength":
		return "What is really inside is off the target."
	case "cap":
		return "The cap was not sound and was fitted again."
	case "overridden":
		return "Overridden: " + steps(key) + "."
	case "open":
		return "Not done: " + steps(key) + "."
	case "volume":
		return "More was entered than came out: " + steps(key) + "."
	}
	return code
}

// JobTimer as what is left of it, or that it is over.
func JobTimer(left time.Duration) string {
	if left <= 0 {
		return "time is over"
	}
	left = left.Round(time.Second)
	h, m, s := int(left.Hours()), int(left.Minutes())%60, int(left.Seconds())%60
	switch {
	case h >= 48:
		return fmt.Sprintf("%d days %d h left", h/24, h%24)
	case h > 0:
		return fmt.Sprintf("%d h %02d min left", h, m)
	}
	return fmt.Sprintf("%d:%02d left", m, s)
}

// JobRoles that may release or override.
func JobRoles(aircraft bool) string {
	var all []string
	for _, role := range access.Permitted(access.Releases, aircraft) {
		all = append(all, string(role))
	}
	return strings.Join(all, " or ")
}

// ParameterNames of the methods.
var ParameterNames = map[string]string{"cooling": "cooling before the work", "draining": "draining of a point", "warm_from": "run warm, from", "warm_to": "run warm, to", "rpm_from": "engine speed, from (rpm)", "rpm_to": "engine speed, to (rpm)", "thermostat_from": "thermostat opens, from",
	"thermostat_to": "thermostat opens, to", "fan": "fan cuts in", "heat_at_idle": "hot air at idle for", "squeeze_from": "squeezes of each hose, from", "squeeze_to": "squeezes of each hose, to", "flushes_least": "flushes, at least", "flushes_most": "flushes, at most",
	"flush_cold_run": "run with the thermostat out", "cleaner_days": "driving with cleaner", "back_flush": "back-flush and blow-out, at most", "vacuum_from": "vacuum, green band from", "vacuum_to": "vacuum, green band to", "vacuum_hold": "hold the vacuum",
	"vacuum_drop": "vacuum may fall by", "accelerator": "accelerator down (pump bleed)", "pump_from": "pump runs, from", "pump_to": "pump runs, to", "throttle": "throttle held (motorcycle pump bleed)", "lean_run": "run between leaning", "overnight": "night at the header tank",
	"curing": "curing of sealant", "torque_within": "torque within", "drain_short": "a drain is asked about when short by", "retest_within": "retest within", "pressure_from": "pressure test held, from", "pressure_to": "pressure test held, to"}

// NotKnown: what is owed could not be read.
const NotKnown = "not_known"

// JobOwed is a check that is still owed after a release.
func JobOwed(what string) string {
	switch what {
	case NotKnown:
		return "what is owed is not known"
	case ledger.CheckLevel:
		return "level check, cold"
	case ledger.CheckRetest:
		return "freeze test, mixed"
	}
	return Name(what)
}

// JobWaits is what a job of the list waits for.
func JobWaits(phase, next string, empty bool, is job.Phase, owed []string) string {
	switch {
	case is == job.PhaseDone && len(owed) > 0:
		return "Follow-up: " + strings.Join(owed, ", ")
	case is == job.PhaseDone:
		return "Released; no check is owed"
	case is == job.PhaseEnded:
		return "Cancelled"
	case empty && next != "":
		return "System not filled, do not start. Next: " + next
	case next != "":
		return "Next: " + next
	}
	return phase
}

// JobPoint is a drain point with what it gives.
func JobPoint(r Reader, p job.Point) string {
	text := pocketName(p.Code)
	if p.Name != "" {
		text = p.Name
	}
	text += ", " + r.Litres(float64(p.Litres), 1)
	if p.Common {
		text += " (common value)"
	}
	return text
}

// ParameterUnit of a parameter of the methods, as its figure is typed.
func ParameterUnit(u measure.Unit) string {
	switch u {
	case job.Minutes, job.Seconds, job.Days, job.Kelvins:
		return string(u)
	}
	return u.Symbol()
}

// ParameterSet says by whom a parameter was set.
func ParameterSet(who, why, at string, ofUnit, common bool) string {
	whose := "for its type"
	if ofUnit {
		whose = "for this unit"
	}
	what := "Set "
	if common {
		what = "Back to the common value "
	}
	return what + whose + " by " + who + ", " + at + ": " + why
}

// JobReleased is the release of a job as its record has it (14 CFR 43.9 asks for description, date, name, signature, certificate
// number and kind; from memory).
func JobReleased(b ledger.Release, at, by string) []string {
	all := []string{"Work: " + b.What, "Date: " + at, "Name: " + by}
	if b.Certificate != "" || b.CertificateKind != "" {
		all = append(all, "Certificate: "+b.Certificate+", "+b.CertificateKind)
	}
	if b.Data != "" {
		all = append(all, "Approved maintenance data: "+b.Data)
	}
	if b.TotalTime != nil {
		all = append(all, "Total time: "+b.TotalTime.String())
	}
	return append(all, "Signature: ______________________________")
}
