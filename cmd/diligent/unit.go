package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"slices"
	"strings"

	"diligentledger/core/access"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
)

const unitUsage = `usage: diligent unit ADDRESS [--raw-water yes|no|unknown] [--winters SITE|none] [--colder KELVINS]
                     [--heated yes|no] [--second-meter km|h|none]

Changes facts of a unit by which its clocks are computed; of raw water those of the circuit at ADDRESS`

// unit changes facts of a unit.
func unit(ctx context.Context, args []string, out io.Writer) error {
	if len(args) < 2 || strings.HasPrefix(args[0], "-") {
		return errors.New(unitUsage)
	}
	flags := flag.NewFlagSet("diligent unit", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	who := flags.String("by", "diligent", "name of the person, for the audit")
	var f store.UnitFacts
	// choice of some words, each with what it is stored as.
	choice := func(name, usage string, set func(string), words map[string]string) {
		flags.Func(name, usage, func(text string) error {
			v, ok := words[text]
			if !ok {
				accepted := make([]string, 0, len(words))
				for w := range words {
					accepted = append(accepted, w)
				}
				slices.Sort(accepted)
				return fmt.Errorf("accepted: %v", accepted)
			}
			set(v)
			return nil
		})
	}
	choice("raw-water", "whether a boat has a raw-water side", func(v string) { f.RawWater = &v }, map[string]string{"yes": ledger.Yes, "no": ledger.No, "unknown": ""})
	choice("heated", "whether it is kept in heated storage; it is planned for the cold outside all the same", func(v string) { is := v == ledger.Yes; f.Heated = &is }, map[string]string{"yes": ledger.Yes, "no": ledger.No})
	choice("second-meter", "the other meter of the unit", func(v string) { u := measure.Unit(v); f.Second = &u }, map[string]string{"km": string(measure.Km), "h": string(measure.H), "none": ""})
	flags.Func("winters", "another site where the unit goes in winter, or none", func(text string) error {
		if text == "none" {
			text = ""
		}
		f.Winters = &text
		return nil
	})
	flags.Func("colder", "by how many kelvins its own place is colder than its site, 0 to 30", func(text string) error {
		r, err := measure.Parse(text, measure.Plain, measure.One)
		within := func(r measure.Reading) bool { return r.Value >= 0 && r.Value <= 30 }
		var asked *measure.ParseError
		if errors.As(err, &asked) {
			if one, ok := asked.Only(within); ok {
				r, err = one, nil
			}
		}
		if err != nil || !within(r) {
			return errors.New("accepted: 0 to 30")
		}
		offset := measure.Kelvin(-r.Value)
		f.ColdOffset = &offset
		return nil
	})
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	return withRegister(ctx, *data, func(s *store.Store) error {
		u, err := s.Unit(ctx, args[0])
		if err != nil {
			return err
		}
		if v := f.RawWater; v != nil && u.Kind != "boat" {
			return fmt.Errorf("--raw-water of a %s is not accepted; accepted: of a boat", u.Kind)
		}
		if v := f.Second; v != nil && *v != "" && v.Dimension() == u.Ledger.Meter {
			return fmt.Errorf("--second-meter %s is not accepted; accepted: the one that the unit does not have", *v)
		}
		if err := s.SetUnitFacts(ctx, store.Actor{Name: *who, Role: access.Coordinator, Address: "command line"}, args[0], f); err != nil {
			return err
		}
		if _, err := fleet.New(s, now).RefreshStatus(ctx); err != nil {
			return err
		}
		_, err = fmt.Fprintln(out, "done")
		return err
	})
}
