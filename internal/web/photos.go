package web

import (
	"context"
	"slices"
	"strings"

	"diligentledger/api"
	"diligentledger/core/ledger"
	"diligentledger/internal/words"
)

// photosMissing says of each line which photos that it names have not been received. A chemistry test names the report of a laboratory,
// which is kept elsewhere.
func (h handlers) photosMissing(ctx context.Context, lines []api.Line) error {
	var hashes []string
	for _, l := range lines {
		if l.Attachments != nil && ledger.Kind(l.Kind) != ledger.KindChemistry {
			hashes = append(hashes, *l.Attachments...)
		}
	}
	if len(hashes) == 0 {
		return nil
	}
	missing, err := h.fleet.MissingAttachments(ctx, hashes)
	if err != nil {
		return err
	}
	for i, l := range lines {
		if l.Attachments != nil && ledger.Kind(l.Kind) != ledger.KindChemistry &&
			slices.ContainsFunc(*l.Attachments, func(hash string) bool { return missing[strings.ToLower(hash)] }) {
			by := ""
			if l.RecordedBy != nil {
				by = *l.RecordedBy
			}
			text := words.PhotoMissing(ledger.Kind(l.Kind), by)
			lines[i].PhotosMissing = &text
		}
	}
	return nil
}
