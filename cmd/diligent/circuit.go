package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

const circuitUsage = `usage: diligent circuit add UNIT CIRCUIT --capacity LITRES [--base EG|PG|waterless] [--plan NAME] [--cap KPA]
       diligent circuit rename ADDRESS CIRCUIT
       diligent circuit end ADDRESS

Gives a unit a further cooling circuit, renames one, or ends one; its books stay.
ADDRESS is the unit's code, of a unit with several a space and the circuit: "HB-02 port".
CIRCUIT: engine, port, starboard, inverter, battery, charge-air, rear-heater`

// circuit changes the circuits of a unit.
func circuit(ctx context.Context, args []string, out io.Writer) error {
	if len(args) < 2 || args[0] != "end" && len(args) < 3 {
		return errors.New(circuitUsage)
	}
	what, of, name := args[0], args[1], ""
	rest := args[2:]
	if what != "end" {
		name, rest = args[2], args[3:]
	}
	flags := flag.NewFlagSet("diligent circuit", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	who := flags.String("by", "diligent", "name of the person, for the audit")
	capacity := flags.Float64("capacity", 0, "capacity of a new circuit, L")
	base := flags.String("base", "", "glycol inside a new circuit: EG, PG or waterless; not known without it")
	plan := flags.String("plan", "", "service plan of a new circuit; that of the unit without it")
	limit := flags.Float64("cap", 0, "rated opening pressure of a new circuit's cap, kPa over ambient; not known without it")
	if err := flags.Parse(rest); err != nil {
		return err
	}
	by := store.Actor{Name: *who, Role: access.Coordinator, Address: "command line"}
	var change func(s *store.Store) error
	switch what {
	case "add":
		if !(*capacity > 0 && *capacity <= 10_000) {
			return fmt.Errorf("--capacity %v is not accepted; accepted: more than 0, at most 10,000 L", *capacity)
		}
		if b := coolant.Base(*base); b != "" && b != coolant.EG && b != coolant.PG && b != coolant.NoWater {
			return fmt.Errorf("--base %q is not accepted; accepted: EG, PG, waterless", *base)
		}
		if !(*limit >= 0 && *limit <= 350) {
			return fmt.Errorf("--cap %v is not accepted; accepted: 0 to 350 kPa", *limit)
		}
		change = func(s *store.Store) error {
			return s.AddCircuit(ctx, by, of, store.LoadedUnit{Circuit: ledger.Circuit(name), Capacity: measure.Litre(*capacity), Base: coolant.Base(*base), Plan: *plan, Cap: measure.Kilopascal(*limit)})
		}
	case "rename":
		change = func(s *store.Store) error { return s.RenameCircuit(ctx, by, of, ledger.Circuit(name)) }
	case "end":
		change = func(s *store.Store) error {
			zone, err := s.Zone(ctx)
			if err != nil {
				return err
			}
			return s.EndCircuit(ctx, by, of, measure.DateOf(now(), zone))
		}
	default:
		return errors.New(circuitUsage)
	}
	return withRegister(ctx, *data, func(s *store.Store) error {
		if err := change(s); err != nil {
			return err
		}
		if _, err := fleet.New(s, now).RefreshStatus(ctx); err != nil {
			return err
		}
		_, err := fmt.Fprintln(out, "done")
		return err
	})
}
