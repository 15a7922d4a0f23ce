// Package words holds sentences that people read: cautions, reasons of clocks, remedies. The
// API, the Bench and the command line share them.
package words

// Cautions that hold for work on a unit of a kind (car, truck, motorcycle, boat, aircraft;
// empty for any) with a drive (combustion, hybrid, electric; empty when it is not known), the
// most urgent first. Common practice; aircraft: 14 CFR 43.9, from memory.
func Cautions(kind, drive string) []string {
	all := []string{"Never open a hot system: pressurised coolant and steam burn. Do not breathe the steam."}
	switch {
	case drive == "hybrid" || drive == "electric":
		all = append(all, "High voltage: isolate, lock out and check for zero before any circuit is opened. Trained people only.")
	case kind == "" || kind == "car" && drive == "":
		all = append(all, "Hybrid or electric drive: isolate and lock out the high voltage before any circuit is opened. Trained people only.")
	}
	all = append(all, "Coolant is poisonous, EG above all, and tastes sweet: keep it from children and animals, rinse every spill, never siphon by mouth. Gloves and eye protection.")
	if drive != "electric" {
		all = append(all, "Never run an engine indoors, even with the door open.")
	}
	if kind != "boat" && kind != "aircraft" {
		all = append(all, "Moving belts; electric fans may start with the engine off. On stands, never on a jack alone.")
	} else {
		all = append(all, "Moving belts and propellers: keep clear while an engine turns.")
	}
	all = append(all, "Used coolant goes to recycling by local rules, never to a drain.")
	switch kind {
	case "boat":
		all = append(all, "Nothing over the side or into the bilge: discharge rules apply.")
	case "aircraft":
		all = append(all, "Aircraft: approved maintenance data and a licensed signatory decide. These books only prepare and record.")
	case "":
		all = append(all, "Boats: nothing over the side or into the bilge. Aircraft: approved maintenance data and a licensed signatory decide.")
	}
	return append(all, "The maker's manual overrides every default here.")
}
