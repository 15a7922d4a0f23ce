package words

import (
	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
)

// records are the entries that answer clocks, as one asks for them.
var records = map[ledger.Kind]string{ledger.KindFreezeTest: "record freeze test", ledger.KindTopUp: "record top-up", ledger.KindCapTest: "record cap test",
	ledger.KindHoseCheck: "record hose check", ledger.KindZeroCheck: "record zero check", ledger.KindLevelCheck: "record level", ledger.KindMeter: "record meter",
	ledger.KindRenewal: "record renewal", ledger.KindRawWater: "record raw water", ledger.KindInspection: "record inspection"}

// NextStep is what a person of a role does about a clock, and the kind of entry that it ends with;
// empty for none, as for a reader, who records nothing.
func NextStep(c clock.Clock, by access.Role) (text string, kind ledger.Kind) {
	kind = clock.Answered(c)
	if text = records[kind]; text == "" || by == access.Reader {
		return "open account", ""
	}
	return text, kind
}
