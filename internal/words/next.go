package words

import (
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
)

// records are the entries that answer clocks, as one asks for them.
var records = map[ledger.Kind]string{ledger.KindFreezeTest: "record freeze test", ledger.KindTopUp: "record top-up", ledger.KindCapTest: "record cap test",
	ledger.KindHoseCheck: "record hose check", ledger.KindZeroCheck: "record zero check", ledger.KindLevelCheck: "record level", ledger.KindMeter: "record meter",
	ledger.KindRenewal: "record renewal"}

// NextStep is what is to be done about a clock, and the kind of entry that it ends with; empty for
// none.
func NextStep(c clock.Clock) (text string, kind ledger.Kind) {
	kind = clock.Answered(c)
	if text = records[kind]; text == "" {
		return "open account", ""
	}
	return text, kind
}
