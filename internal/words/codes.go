//go:generate go run ./gen

package words

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
)

// Names of the codes of the contract's enums. The screens get them as a file that is generated
// from here ([TypeScript]).
var (
	// KindNames are the headings of the entry kinds.
	KindNames = map[ledger.Kind]string{
		ledger.KindOpening: "Opening", ledger.KindRenewal: "Renewal", ledger.KindTopUp: "Top-up", ledger.KindLoss: "Loss",
		ledger.KindFreezeTest: "Freeze test", ledger.KindChemistry: "Chemistry", ledger.KindDose: "Dose of SCA", ledger.KindExtender: "Extender",
		ledger.KindFilter: "Additive filter", ledger.KindCapTest: "Cap", ledger.KindHoseCheck: "Hoses", ledger.KindPressureTest: "Pressure test",
		ledger.KindLevelCheck: "Level", ledger.KindInspection: "Inspection", ledger.KindDefect: "Defect", ledger.KindDefectClosed: "Defect closed",
		ledger.KindMeter: "Meter", ledger.KindMeterChange: "Meter changed", ledger.KindZeroCheck: "Zero check", ledger.KindLayUp: "Laid up",
		ledger.KindReturn: "Back in use", ledger.KindHold: "Hold", ledger.KindRawWater: "Raw-water side", ledger.KindCombustion: "Combustion gas", ledger.KindRelease: "Release", ledger.KindNote: "Note", ledger.KindStrike: "Strike",
	}
	WorkNames = map[clock.Work]string{
		clock.RenewWork: "renewal", clock.CorrectWork: "correct the mix", clock.TestWork: "freeze test", clock.LevelWork: "level, cold",
		clock.CapWork: "cap", clock.HoseWork: "hoses", clock.RepairWork: "find the cause, repair", clock.DoseWork: "dose SCA or extender",
		clock.FilterWork: "change the additive filter", clock.SampleWork: "chemistry test", clock.ServiceWork: "inspect or renew parts", clock.RawWork: "drain the raw-water side",
	}
	RoleNames = map[access.Role]string{
		access.Coordinator: "coordinator", access.Technician: "technician", access.Signatory: "signatory", access.Reader: "reader",
	}
	// ClockNames are the headings of the clocks.
	ClockNames = map[clock.Kind]string{
		clock.Holds: "Hold", clock.Age: "Age", clock.Use: "Use", clock.Freeze: "Freeze", clock.Level: "Level", clock.Findings: "Findings",
		clock.FollowUp: "Follow-up", clock.TestDue: "Test", clock.CapDue: "Cap", clock.HosesDue: "Hoses", clock.Chemistry: "Chemistry",
		clock.ZeroDue: "Zero", clock.HoseAge: "Hose age", clock.Strength: "Strength", clock.Product: "Product", clock.Extender: "Extender",
		clock.FilterDue: "Additive filter", clock.Evaluation: "Not evaluated",
		clock.Impeller: "Impeller", clock.Anodes: "Anodes", clock.Exchanger: "Exchanger", clock.AntiSiphon: "Anti-siphon valve",
		clock.BlockHeater: "Block heater", clock.Inspect: "Regular inspection", clock.RawWater: "Raw water",
	}
	// StopNames are what stops a unit, in a word.
	StopNames = map[ledger.StopCause]string{
		ledger.StopHold: "held", ledger.StopAir: "air", ledger.StopCoolant: "coolant", ledger.StopDefect: "defect", ledger.StopFinding: "finding",
		ledger.StopReturn: "unreleased", ledger.StopLevel: "level",
	}
	// SeverityNames of defects.
	SeverityNames = map[string]string{"stop": "must not run", "repair": "repair", "watch": "watch"}
	// ClockLetters mark the clocks in a drawing, each by one letter of its name.
	ClockLetters = map[clock.Kind]string{
		clock.Holds: "!", clock.Age: "A", clock.Use: "U", clock.Freeze: "F", clock.Level: "L", clock.Findings: "I",
		clock.FollowUp: "O", clock.TestDue: "T", clock.CapDue: "C", clock.HosesDue: "H", clock.Chemistry: "Y",
		clock.ZeroDue: "Z", clock.HoseAge: "G", clock.Strength: "S", clock.Product: "P", clock.Extender: "X",
		clock.FilterDue: "D", clock.Evaluation: "?",
		clock.Impeller: "M", clock.Anodes: "N", clock.Exchanger: "E", clock.AntiSiphon: "V", clock.BlockHeater: "B", clock.Inspect: "R", clock.RawWater: "W",
	}
	VerdictNames = map[clock.Verdict]string{
		clock.Hold: "hold", clock.Overdue: "overdue", clock.Due: "due", clock.Watch: "watch", clock.Unknown: "unknown", clock.Sound: "sound",
	}
)

// TypeScript is the source of ui/src/words/names.gen.ts: each name under its code, held by the
// TypeScript compiler against the enums of the contract, so that a missing one fails the build.
func TypeScript() string {
	var b strings.Builder
	b.WriteString("// Generated from internal/words by `go generate ./internal/words`; not to be edited.\n\n")
	b.WriteString("import type { Clock, EntryKind, Schemas, Verdict } from \"../api/client\";\n")
	record(&b, "kindNames", "EntryKind", KindNames, ledger.Kinds...)
	record(&b, "workNames", `Schemas["Work"]`, WorkNames)
	record(&b, "roleNames", `Schemas["Role"]`, RoleNames, access.Roles...)
	record(&b, "clockNames", `Clock["kind"]`, ClockNames)
	record(&b, "clockLetters", `Clock["kind"]`, ClockLetters)
	record(&b, "verdictWords", "Verdict", VerdictNames, clock.Verdicts...)
	record(&b, "stopNames", `Schemas["Stop"]["cause"]`, StopNames)
	record(&b, "severityNames", `Schemas["OpenDefect"]["severity"]`, SeverityNames)
	record(&b, "placeNames", "string", placeNames)
	record(&b, "auditNames", "string", audited)
	b.WriteString("\n/** Codes whose own text does not read as words. */")
	record(&b, "codeNames", "string", names)
	return b.String()
}

// record of names in the order given, or by code.
func record[Code ~string](b *strings.Builder, name, code string, of map[Code]string, order ...Code) {
	fmt.Fprintf(b, "\nexport const %s: Record<%s, string> = {\n", name, code)
	if order == nil {
		order = slices.Sorted(maps.Keys(of))
	}
	for _, key := range order {
		fmt.Fprintf(b, "  %s: %q,\n", key, of[key])
	}
	b.WriteString("};\n")
}
