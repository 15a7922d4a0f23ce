package fleet

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/internal/store"
)

// rulesFact names the row of the installation with the version of the rules that the fleet was evaluated by last.
const rulesFact = "rules"

// RulesVersion of the fold and the clocks.
func RulesVersion() string { return fmt.Sprintf("%d.%d", ledger.Rules, clock.Rules) }

// mostRuleLines of the audit about one change of the rules, and the bytes of each (judgement: some hundred units
// are read, thousands are not).
const (
	mostRuleLines = 20
	ruleLine      = 480
)

// RefreshByRules evaluates the fleet at the start of the program, as [Fleet.RefreshStatus] does. When the rules
// are others than at the last start it lists in the audit which units have another verdict since, and gives how
// many: the same entries then read differently, or the day has changed meanwhile.
func (f *Fleet) RefreshByRules(ctx context.Context) (changed int, err error) {
	last, err := f.store.Fact(ctx, rulesFact)
	if err != nil {
		return 0, err
	}
	is := RulesVersion()
	if last == is {
		_, err := f.RefreshStatus(ctx)
		return 0, err
	}
	before, err := f.store.KeptVerdicts(ctx)
	if err != nil {
		return 0, err
	}
	if _, err := f.RefreshStatus(ctx); err != nil {
		return 0, err
	}
	after, err := f.store.KeptVerdicts(ctx)
	if err != nil {
		return 0, err
	}
	var differ []string
	for _, code := range slices.Sorted(maps.Keys(before)) {
		if now, there := after[code]; there && now != before[code] {
			differ = append(differ, fmt.Sprintf("%s %s → %s", code, before[code], now))
		}
	}
	if len(before) > 0 {
		for _, line := range ruleLines(last, is, differ, len(before)) {
			if err := f.store.Audit(ctx, store.Audited{Who: "diligent", What: "rules_changed", Detail: line}); err != nil {
				return 0, err
			}
		}
	}
	// Last: a start that is ended before lists what is left of it at the next one.
	return len(differ), f.store.SetFact(ctx, rulesFact, is)
}

// ruleLines of the audit: how many units read differently, and which.
func ruleLines(was, is string, differ []string, of int) []string {
	if was == "" {
		was = "an earlier version"
	}
	lines := []string{fmt.Sprintf("rules %s, before %s: %d of %d units have another verdict", is, was, len(differ), of)}
	for len(differ) > 0 {
		if len(lines) == mostRuleLines {
			return append(lines, fmt.Sprintf("and %d more", len(differ)))
		}
		n, length := 0, 0
		for n < len(differ) && (n == 0 || length+len(differ[n])+2 <= ruleLine) {
			length += len(differ[n]) + 2
			n++
		}
		lines = append(lines, strings.Join(differ[:n], ", "))
		differ = differ[n:]
	}
	return lines
}
