package core

import (
	"flag"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"diligentledger/core/clock"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
)

var update = flag.Bool("update", false, "write docs/limits.md")

const limitsDocument = "../docs/limits.md"

// docs/limits.md is what the core holds, row by row. `go test ./core -run Limits -update` writes it.
func TestLimitsDocument(t *testing.T) {
	var b strings.Builder
	b.WriteString(`# Limits

Every figure that the mix and its chemistry are judged by, as the core holds it. This page is written by
` + "`go test ./core -run Limits -update`" + ` and a test holds it against the code. All figures were recalled from memory: *published*
ones come from the standard named, *common practice* has no source to cite, *judgement* is ours, conservative, where the trade
has no figure: the last table says of each what would take its place, and each verdict that rests on one says so at "why?".

A limit of the first table is replaced by the figure of the same key that the unit's maker states, else the product
(` + "`unit.figures`, `product.figures`" + `, JSON by key). The rule behind each use is in the package named above its table.
`)
	seen := map[string]bool{}
	table := func(title string, all []coolant.Limit) {
		fmt.Fprintf(&b, "\n## %s\n\n| key | value | of | standing | source or why | use |\n| --- | ---: | --- | --- | --- | --- |\n", title)
		for _, l := range all {
			if seen[l.Key] || l.Key == "" || l.Of == "" || l.Use == "" || l.Standing == coolant.Published && l.Source == "" || (l.Standing == coolant.Judgement) != (l.Instead != "") {
				t.Errorf("limit %+v has no key of its own, or misses what it is of, its use or its source", l)
			}
			seen[l.Key] = true
			fmt.Fprintf(&b, "| `%s` | %s %s | %s | %s | %s | %s |\n", l.Key, strconv.FormatFloat(l.Value, 'f', -1, 64), l.Unit, l.Of, l.Standing, l.Source, l.Use)
		}
	}
	table("The mix and its chemistry (core/coolant)", coolant.Limits())
	table("The fold (core/ledger)", ledger.Limits())
	table("The clocks (core/clock)", clock.Limits())
	b.WriteString("\n## Judgement\n\n| key | value | of | why | what would take its place |\n| --- | ---: | --- | --- | --- |\n")
	for _, l := range slices.Concat(coolant.Limits(), ledger.Limits(), clock.Limits()) {
		if l.Standing == coolant.Judgement {
			fmt.Fprintf(&b, "| `%s` | %s %s | %s | %s | %s |\n", l.Key, strconv.FormatFloat(l.Value, 'f', -1, 64), l.Unit, l.Of, l.Source, l.Instead)
		}
	}
	for _, p := range job.Parameters {
		if p.Judged() {
			fmt.Fprintf(&b, "| `%s` | %s %s | method of a job (docs/jobs.md) | %s | the maker's manual: set it for the type or the unit |\n", p.Code, strconv.FormatFloat(p.Value, 'f', -1, 64), p.Unit, p.Source)
		}
	}
	if *update {
		if err := os.WriteFile(limitsDocument, []byte(b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	text, err := os.ReadFile(limitsDocument)
	if err != nil || string(text) != b.String() {
		t.Errorf("docs/limits.md is not what the core holds (%v): go test ./core -run Limits -update", err)
	}
}
