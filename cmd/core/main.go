//go:build js && wasm

// Command core is the core with its words as WebAssembly, for a device that has no signal: what
// an entry does to a stored account, and what refuses it, is computed there by the same rules.
package main

import (
	"encoding/json"
	"syscall/js"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/words"
)

// preview asks what an entry would do to an account.
type preview struct {
	Unit    ledger.Unit      `json:"unit"`
	Plan    serviceplan.Plan `json:"plan"`
	Site    string           `json:"site"`
	Account ledger.Packed    `json:"account"` // base64
	ID      string           `json:"id"`
	At      time.Time        `json:"at"`
	Now     time.Time        `json:"now"`
	By      string           `json:"by"`
	Kind    ledger.Kind      `json:"kind"`
	Body    json.RawMessage  `json:"body"`
}

// answer to a preview.
type answer struct {
	// Failed says why there is no answer; empty when there is one.
	Failed string `json:"failed,omitempty"`
	// Later: it takes the server, which has the account's entries.
	Later   bool             `json:"later,omitempty"`
	Refused []*refusal.Field `json:"refused,omitempty"`
	Text    string           `json:"text,omitempty"`
	Notes   []string         `json:"notes,omitempty"`
	Verdict clock.Verdict    `json:"verdict,omitempty"`
	Reason  string           `json:"reason,omitempty"`
	Account *ledger.Packed   `json:"account,omitempty"` // after the entry
}

func (p preview) answer() (a answer) {
	account, err := ledger.Restore(p.Unit, p.Account)
	if err != nil {
		return answer{Failed: err.Error()}
	}
	body, err := ledger.ParseBody(p.Kind, p.Body)
	if err != nil {
		return answer{Failed: err.Error()}
	}
	e := ledger.Entry{ID: p.ID, Unit: p.Unit.Code, At: p.At, RecordedAt: p.Now, RecordedBy: p.By, Body: body}
	history, ok := ledger.Continued(account, e)
	if !ok {
		return answer{Later: true}
	}
	if a.Refused = ledger.CheckIn(history, e, p.Now); len(a.Refused) > 0 {
		return a
	}
	after := history.After(e)
	// Without the site's cold its freeze clock is unknown, and says so.
	status := clock.Evaluate(after, p.Plan, clock.Conditions{Zone: time.UTC}, measure.DateOf(p.Now, time.UTC))
	a.Text, a.Verdict, a.Reason = words.Entry(body), status.Verdict, words.Metric.Reason(status.Governing, p.Site)
	for _, n := range after.Lines[0].Notes {
		text, _ := words.Note(n)
		a.Notes = append(a.Notes, text)
	}
	packed, err := after.Store()
	if err != nil {
		return answer{Failed: err.Error()}
	}
	a.Account = &packed
	return a
}

func main() {
	js.Global().Set("diligentPreview", js.FuncOf(func(_ js.Value, args []js.Value) any {
		var p preview
		var a answer
		if err := json.Unmarshal([]byte(args[0].String()), &p); err != nil {
			a.Failed = err.Error()
		} else {
			a = p.answer()
		}
		text, err := json.Marshal(a)
		if err != nil {
			return `{"failed":"the answer cannot be written"}`
		}
		return string(text)
	}))
	select {}
}
