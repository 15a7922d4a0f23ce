package fleet

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/internal/store"
)

// AddCircuit to a unit, with a capacity as it was typed, on the plan of the unit. Nothing else is known
// of it. It gives the address of the circuit; a [refusal.Error] when something is not accepted.
func (f *Fleet) AddCircuit(ctx context.Context, by store.Actor, code string, circuit ledger.Circuit, capacity string, reading register.Reading) (string, error) {
	unit, err := f.store.Record(ctx, register.Unit, code)
	if err != nil {
		return "", err
	}
	if unit.Circuit != 0 {
		return "", refusal.New("/circuit", "a circuit of "+unit.Name, "a circuit of a unit")
	}
	facts, wrong := register.ReadAll(register.Unit, unit.Facts["kind"], map[string]string{"capacity": capacity}, reading)
	litres, known := facts.Number(register.Unit, "capacity")
	switch {
	case len(wrong) > 0:
		return "", refusal.New("/capacity", wrong[0].Got, wrong[0].Accepted)
	case !known || litres <= 0:
		return "", refusal.New("/capacity", "nothing", "the capacity of the circuit")
	case !slices.Contains(ledger.Circuits, circuit):
		return "", refusal.New("/circuit", fmt.Sprintf("%q", string(circuit)), "one of "+circuitNames())
	}
	err = f.store.AddCircuit(ctx, by, unit.Facts["code"], store.LoadedUnit{Circuit: circuit, Capacity: measure.Litre(litres)})
	if errors.Is(err, store.ErrCircuitThere) {
		err = refusal.New("/circuit", fmt.Sprintf("%q, which the unit has or had,", string(circuit)), "another one; one that has ended is reopened")
	}
	if err != nil {
		return "", err
	}
	_, err = f.RefreshStatus(ctx)
	return unit.Facts["code"] + " " + string(circuit), err
}

func circuitNames() string {
	names := make([]string, len(ledger.Circuits))
	for i, c := range ledger.Circuits {
		names[i] = string(c)
	}
	return strings.Join(names, ", ")
}

// ChangeCircuit at an address: another name, or ended from today on or reopened, one of them; nil leaves
// that as it is. Its books stay. It gives its address then; a [refusal.Error] when something is not accepted.
func (f *Fleet) ChangeCircuit(ctx context.Context, by store.Actor, address string, name *ledger.Circuit, ended *bool) (string, error) {
	u, err := f.store.Unit(ctx, address)
	if err != nil {
		return "", err
	}
	if name != nil && ended != nil { // two transactions, of which one alone could be done
		return "", refusal.New("/ended", "together with another name", "one change at a time")
	}
	if name != nil {
		err := f.store.RenameCircuit(ctx, by, address, *name)
		switch {
		case errors.Is(err, store.ErrCircuitThere):
			return "", refusal.New("/name", fmt.Sprintf("%q, which the unit has or had,", string(*name)), "another one")
		case errors.Is(err, store.ErrNoCircuit):
			return "", refusal.New("/name", fmt.Sprintf("%q", string(*name)), "one of "+circuitNames())
		case err != nil:
			return "", err
		}
		if address = u.Code; len(u.Others) > 0 || !u.First() {
			address += " " + string(*name)
		}
	}
	if ended != nil {
		if *ended {
			err = f.store.EndCircuit(ctx, by, address, measure.DateOf(f.now(), u.Zone))
		} else {
			err = f.store.ReopenCircuit(ctx, by, address)
		}
		switch {
		case errors.Is(err, store.ErrFirstCircuit):
			return "", refusal.New("/ended", "the first circuit, which holds the meters,", "a further circuit; the unit itself is retired")
		case errors.Is(err, store.ErrCircuitStopped):
			return "", refusal.New("/ended", "a circuit in which something still stops the unit", "one in which nothing does: release it first")
		case errors.Is(err, store.ErrNoCircuit):
			return "", refusal.New("/ended", fmt.Sprint(*ended)+", which it is already", fmt.Sprint(!*ended))
		case err != nil:
			return "", err
		}
	}
	_, err = f.RefreshStatus(ctx)
	return address, err
}

// EndedCircuits of a unit by their addresses.
func (f *Fleet) EndedCircuits(ctx context.Context, code string) ([]string, error) {
	return f.store.EndedCircuits(ctx, code)
}
