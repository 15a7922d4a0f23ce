package main

import (
	"context"
	"flag"
	"fmt"
	"io"

	"diligentledger/core/climate"
	"diligentledger/core/ledger"
	"diligentledger/core/serviceplan"
	"diligentledger/core/usage"
	"diligentledger/internal/backtest"
	"diligentledger/internal/store"
)

// replay asks how right the forecasts would have been: of synthetic fleets, and
// of the books in a folder.
func replay(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent backtest", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	units := flags.Int("units", 300, "units in each synthetic fleet")
	days := flags.Int("days", 1500, "days that each of them lives")
	seed := flags.Uint64("seed", 0, "another one makes other fleets by the same rules")
	synthetic := flags.Bool("synthetic", false, "the synthetic fleets alone, without a database")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *units < 1 || *units > 10_000 || *days < 500 || *days > 20_000 {
		return fmt.Errorf("--units %d --days %d is not accepted; accepted: 1 to 10000 units, 500 to 20000 days", *units, *days)
	}
	var results []backtest.Result
	for i, rule := range backtest.Rules {
		results = append(results, backtest.Histories(rule.Name, rule.Make(*seed+uint64(i), *units, *days)))
	}
	results = append(results, backtest.FreezeDays("freeze night", backtest.Charges(*seed+100, *units, *days)))
	var resting []backtest.SeasonScore
	for i, rule := range backtest.SeasonRules {
		resting = append(resting, backtest.Seasons(rule.Name, rule.Make(*seed+200+uint64(i), *units)))
	}
	if *synthetic {
		backtest.Print(out, results)
		fmt.Fprintln(out)
		backtest.PrintSeasons(out, resting)
		return nil
	}
	return withBooks(ctx, *data, func(s *store.Store) error {
		fleet, err := s.Units(ctx)
		if err != nil {
			return err
		}
		entries, err := s.EntriesOf(ctx, fleet)
		if err != nil {
			return err
		}
		var accounts []ledger.Account
		var profiles []usage.Profile
		var plans []serviceplan.Plan
		var cold []*climate.Climate
		for _, whole := range fleet {
			for _, u := range whole.Circuits() {
				accounts = append(accounts, ledger.Fold(u.Ledger, entries[u.Address()]))
				profiles = append(profiles, usage.ProfileOf(u.Kind, u.Cold.Southern()))
				plans, cold = append(plans, u.Plan), append(cold, u.Cold)
			}
		}
		backtest.Print(out, append(results, backtest.Accounts("these books", accounts, profiles),
			backtest.FreezeDays("freeze, books", backtest.ChargesOf(accounts, plans, cold))))
		fmt.Fprintln(out)
		backtest.PrintSeasons(out, resting)
		f := backtest.Freeze(accounts)
		_, err = fmt.Fprintf(out, "\nfreeze point before each test: %d tests, %.1f%% within P10 to P90, %.2f K off (the last test taken to hold: %.2f K)\n",
			f.Tests, 100*f.Coverage(), f.Median(), f.NaiveMedian())
		return err
	})
}
