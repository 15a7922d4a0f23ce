package words

import (
	"strings"

	"diligentledger/core/ledger"
)

// PhotoMissing says that a photo which an entry names has not been received, and where it may be.
func PhotoMissing(k ledger.Kind, by string) string {
	text := "Photo of " + strings.ToLower(KindNames[k]) + " not received"
	if by == "" {
		return text + "."
	}
	return text + ": it may still be on the device of " + by + "."
}
