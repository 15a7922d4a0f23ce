package fleet_test

import (
	"fmt"
	"strings"
	"testing"

	"diligentledger/internal/fleet"
)

// Every unit whose verdict changed is named once, in lines that the audit holds, up to a number of lines.
func TestRuleLines(t *testing.T) {
	differ := make([]string, 100)
	for i := range differ {
		differ[i] = fmt.Sprintf("CA-%03d sound → watch", i)
	}
	lines := fleet.RuleLines("11.3", "12.4", differ, 400)
	if lines[0] != "rules 12.4, before 11.3: 100 of 400 units have another verdict" || strings.Join(lines[1:], ", ") != strings.Join(differ, ", ") {
		t.Errorf("%q", lines)
	}
	for _, line := range lines {
		if len(line) > fleet.RuleLine {
			t.Errorf("%d bytes: %q", len(line), line)
		}
	}
	if lines := fleet.RuleLines("", "12.4", nil, 3); len(lines) != 1 || !strings.Contains(lines[0], "before an earlier version: 0 of 3") {
		t.Errorf("%q", lines)
	}
	many := make([]string, 3000)
	for i := range many {
		many[i] = differ[i%100]
	}
	if lines := fleet.RuleLines("11.3", "12.4", many, 3000); len(lines) != fleet.MostRuleLines+1 || !strings.HasPrefix(lines[fleet.MostRuleLines], "and ") {
		t.Errorf("%d lines, the last %q", len(lines), lines[len(lines)-1])
	}
}

// A start by other rules lists once which units read differently since; a start by the same rules lists nothing.
func TestRefreshByRules(t *testing.T) {
	if _, err := open.RefreshByRules(t.Context()); err != nil {
		t.Fatal(err)
	}
	lines := auditLines(t, "rules_changed")
	if changed, err := open.RefreshByRules(t.Context()); err != nil || changed != 0 || auditLines(t, "rules_changed") != lines {
		t.Errorf("by the same rules %d read differently, %v", changed, err)
	}
	var code string
	var verdict int
	if err := owner.DB().QueryRowContext(t.Context(), `SELECT u.code, t.verdict FROM unit_status t JOIN unit u ON u.id = t.unit_id ORDER BY u.code LIMIT 1`).Scan(&code, &verdict); err != nil {
		t.Fatal(err)
	}
	// As an earlier version left it: another verdict, by a basis that does not hold.
	for _, statement := range []string{
		`UPDATE unit_status t JOIN unit u ON u.id = t.unit_id SET t.verdict = (t.verdict + 1) % 6, t.basis = REPEAT(CHAR(7), LENGTH(t.basis)) WHERE u.code = '` + code + `'`,
		`UPDATE installation SET value = '1.1' WHERE name = 'rules'`,
	} {
		if _, err := owner.DB().ExecContext(t.Context(), statement); err != nil {
			t.Fatal(err)
		}
	}
	changed, err := open.RefreshByRules(t.Context())
	if err != nil || changed != 1 || auditLines(t, "rules_changed") != lines+2 {
		t.Errorf("%d read differently, %d lines, %v", changed, auditLines(t, "rules_changed")-lines, err)
	}
	var detail string
	if err := owner.DB().QueryRowContext(t.Context(), `SELECT detail FROM audit WHERE what = 'rules_changed' ORDER BY id DESC LIMIT 1`).Scan(&detail); err != nil || !strings.HasPrefix(detail, code+" ") || !strings.Contains(detail, " → ") {
		t.Errorf("%q, %v", detail, err)
	}
	if changed, err := open.RefreshByRules(t.Context()); err != nil || changed != 0 {
		t.Errorf("listed again: %d, %v", changed, err)
	}
}
