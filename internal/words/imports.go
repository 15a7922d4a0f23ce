//go:build !js

package words

import (
	"fmt"
	"strings"

	"diligentledger/core/clock"
	"diligentledger/core/measure"
	"diligentledger/core/register"
	"diligentledger/internal/importer"
)

// targetNames are what columns of a spreadsheet may be meant for beside the facts of a unit.
var targetNames = map[importer.Target]string{
	importer.Date: "date of the row", importer.Event: "what was done", importer.RenewedOn: "last renewal on", importer.RenewedMeter: "meter at the renewal", importer.Volume: "volume poured in",
	importer.Filled: "product poured in", importer.FilledMix: "share of concentrate", importer.MeterRead: "meter reading", importer.MeterOn: "meter read on",
	importer.FreezePoint: "freeze point tested", importer.TestedOn: "freeze point tested on", importer.Tool: "instrument of the test", importer.CapOn: "cap checked on",
	importer.CapFound: "cap: what was found", importer.HosesOn: "hoses checked on", importer.HosesFound: "hoses: what was found", importer.Defect: "defect or finding",
	importer.Remark: "remark", importer.Writer: "done by", importer.DueOn: "next due on, as claimed", importer.DueMeter: "next due at, as claimed",
}

// Target of a column and the heading it is under.
func Target(t importer.Target) (label, group string) {
	if name, ok := targetNames[t]; ok {
		return name, "History"
	}
	f, _ := register.FieldOf(register.Unit, string(t))
	label, _, _ = Field(register.Unit, string(t))
	return label, GroupName(f.Group)
}

// ImportStateName in words.
func ImportStateName(state string) string {
	return map[string]string{"uploaded": "uploaded, not checked", "checking": "dry run under way", "checked": "checked: nothing is taken yet", "running": "under way", "done": "done",
		"cancelling": "cancelled: being reversed", "cancelled": "cancelled: nothing of it is left", "reversing": "being reversed", "reversed": "reversed", "failed": "failed"}[state]
}

// FileShape in words: what a file was taken for.
func FileShape(format, encoding, separator, sheet string, header, rows int) string {
	separators := map[string]string{";": "semicolons", ",": "commas", "\t": "tabs", "|": "bars"}
	what := "workbook, sheet " + sheet
	if format == "csv" {
		name, ok := separators[separator]
		if !ok {
			name = separator
		}
		what = fmt.Sprintf("text in %s, separated by %s", encoding, name)
	}
	return fmt.Sprintf("%s; headings in row %d; %s rows below them", what, header, Figure(float64(rows), 0))
}

// ImportQuestion about a file in words.
func ImportQuestion(q importer.Question) string {
	switch q.Code {
	case "order":
		return "Dates such as 03/04/2025 can be read either way. Which comes first?"
	case "month":
		return "Dates such as April 2025 have no day. Which day is meant?"
	case "emptied":
		return "Renewals without a word of what came out: was the whole system emptied?"
	case "today":
		return "Meter readings without a day: are they of today?"
	case "tested":
		return "Freeze points without a day: were they measured on the day of the renewal?"
	case "found":
		return "Checks of cap or hoses with a day and no finding: was everything good?"
	case "kind":
		return "Units without a kind: which are they?"
	case "site":
		return "Units without a site: where are they?"
	case "plan":
		return "Service plan of the " + q.About + plural(q.About) + " that name none:"
	case "type":
		return "Capacity of the " + q.About + plural(q.About) + " that give none: by which type?"
	case "product":
		return "Renewals without a product: what was filled?"
	case "products":
		return fmt.Sprintf("“%s” is no product of the register: which one is meant?", q.About)
	case "mix":
		return "Renewals with the concentrate " + q.About + " and no share: how much was mixed in?"
	}
	return Name(q.Code)
}

func plural(kind string) string {
	if kind == "aircraft" {
		return ""
	}
	return "s"
}

// Claim of a spreadsheet: the day, the meter, or both.
func (r Reader) Claim(on *measure.Date, meter string) string {
	day := ""
	if on != nil {
		day = r.Date(*on)
	}
	return joined(" or ", day, when(meter != "", "at "+meter))
}

// ClaimBooks is when the books want the renewal, and why that differs from what was claimed.
func (r Reader) ClaimBooks(renewal *clock.Clock, site string, claimed *measure.Date) (books, reason string) {
	if renewal == nil {
		return "no renewal by the service plan", "The service plan of this unit sets no interval that the books can count."
	}
	why := r.Reason(*renewal, site)
	if renewal.Due == nil {
		return Name(string(renewal.Verdict)), strings.ToUpper(why[:min(1, len(why))]) + why[min(1, len(why)):]
	}
	books = r.Date(*renewal.Due)
	reason = ClockNames[renewal.Kind] + ": " + why
	if claimed != nil {
		switch days := claimed.Sub(*renewal.Due); {
		case days > 0:
			reason = fmt.Sprintf("%s d earlier than claimed. %s", Figure(float64(days), 0), reason)
		case days < 0:
			reason = fmt.Sprintf("%s d later than claimed. %s", Figure(float64(-days), 0), reason)
		default:
			reason = "The same day. " + reason
		}
	}
	return books, reason
}
