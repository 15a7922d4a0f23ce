// Package intake reads an entry as a device or a program sent it, says why it cannot be written, and
// what it would do to the account. It knows no database and no HTTP, so that a device without a
// signal decides by the same rules as the server (package walk).
//
// An entry is sent as one JSON object: its head ([Head]) and, under the name of its kind
// ([ledger.FieldName]), its content. A number in the content may be text as a person typed it, such as
// "2 qt 1 pt" or "-34 F"; a product and an additive are sent by their code.
package intake

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"diligentledger/core/coolant"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/words"
)

// Head of an entry: what belongs to entries of all kinds.
type Head struct {
	ID   string      `json:"id"`
	Kind ledger.Kind `json:"kind"`
	At   time.Time   `json:"at"`
	// Confirmed: the author has confirmed what was asked about.
	Confirmed bool `json:"confirmed,omitempty"`
	// Strikes is the entry that it takes the place of.
	Strikes *Strikes `json:"strikes,omitempty"`
	// Attachments by their SHA-256, hexadecimal.
	Attachments []string `json:"attachments,omitempty"`
	// Round that it was recorded on, by id, and the name of the device; empty for none.
	Round  string `json:"round,omitempty"`
	Device string `json:"device,omitempty"`
	// Numbers is how its author types numbers, as it stood when they did; empty: those that may be meant two ways are
	// asked about.
	Numbers measure.NumberFormat `json:"numbers,omitempty"`
}

// Strikes an entry, with an entry of its own.
type Strikes struct {
	ID    string `json:"id"`
	Entry string `json:"entry"`
	Why   string `json:"why"`
}

// headFields are those of an entry that are no content.
var headFields = []string{"id", "kind", "at", "confirmed", "strikes", "attachments", "round", "device", "numbers"}

// Sent is an entry as it was sent: its head, and its content by name.
type Sent struct {
	Head
	content map[string]json.RawMessage
}

// HowRead is how what was typed in an entry was read.
type HowRead struct {
	// Sentences about what was not read as it stands, such as a freeze point without its minus.
	Sentences []string
	// Numbers that were typed, in the unit they were read in, in the order of the fields; Settled are those of them
	// that could
	// be meant two ways.
	Numbers, Settled []measure.Reading
}

// Said on a form: every number as it was read.
func (h HowRead) Said() []string {
	return append(slices.Clone(h.Sentences), words.ReadAs(h.Numbers)...)
}

// Doubtful is what is said where the figures are seen anyway.
func (h HowRead) Doubtful() []string {
	return append(slices.Clone(h.Sentences), words.ReadAs(h.Settled)...)
}

// said takes away a number of which a sentence says how it was read.
func (h *HowRead) said(r measure.Reading) {
	for _, all := range []*[]measure.Reading{&h.Numbers, &h.Settled} {
		if i := slices.Index(*all, r); i >= 0 {
			*all = slices.Delete(*all, i, i+1)
		}
	}
}

func (h *HowRead) number(text string, r measure.Reading) {
	h.Numbers = append(h.Numbers, r)
	if measure.TwoWays(text) {
		h.Settled = append(h.Settled, r)
	}
}

// RoundStep is the step of a job in the envelope of an entry that was recorded on a round; the job is the
// round's id.
const RoundStep = "round"

// Register is what the books keep a copy of when an entry names it.
type Register interface {
	// Product and Additive of a code; an error when there is none.
	Product(code string) (coolant.Product, error)
	Additive(code string) (coolant.Additive, error)
}

// Parse an entry; a [refusal.Error] when it cannot be read.
func Parse(text []byte) (s Sent, err error) {
	if err = json.Unmarshal(text, &s.Head); err == nil {
		err = json.Unmarshal(text, &s.content)
	}
	if err != nil {
		return s, refusal.New("", "an entry that cannot be read: "+err.Error(), "an entry by the contract")
	}
	for _, name := range headFields {
		delete(s.content, name)
	}
	return s, nil
}

// isV7 reports whether an id is a UUID of version 7 (RFC 9562), in its canonical form.
func isV7(id string) bool { return len(id) == 36 && id[14] == '7' }

// Entries that were sent, for the account of a unit of that code: a strike first, when the entry takes
// the place of another. read says how what was typed was read. A [refusal.Error]
// when something is not accepted.
func (s Sent) Entries(unit string, r Register) (entries []ledger.Entry, read HowRead, err error) {
	if x := s.Strikes; x != nil {
		if !isV7(x.ID) || x.ID == s.ID {
			return nil, read, refusal.New("/strikes/id", x.ID, "a UUID of version 7 of its own")
		}
		entries = append(entries, ledger.Entry{ID: x.ID, Unit: unit, At: s.At, Body: ledger.Strike{Entry: x.Entry, Why: x.Why}})
	}
	if !isV7(s.ID) {
		return nil, read, refusal.New("/id", s.ID, "a UUID of version 7")
	}
	if s.Numbers != measure.EitherMark && !s.Numbers.Known() {
		return nil, read, refusal.New("/numbers", string(s.Numbers), "point, comma")
	}
	body, read, err := s.body(r)
	if err != nil {
		return nil, read, err
	}
	entry := ledger.Entry{ID: s.ID, Unit: unit, At: s.At, Body: body}
	entry.Envelope.Attachments = s.Attachments
	entries = append(entries, entry)
	for i := range entries {
		entries[i].Confirmed = s.Confirmed
		entries[i].Envelope.Device = s.Device
		if s.Round != "" {
			entries[i].Envelope.Job, entries[i].Envelope.Step = s.Round, RoundStep
		}
	}
	return entries, read, nil
}

// body is the content named by the kind; any other is refused. The code of a product or an
// additive in it becomes what the register says of it now, for the books to keep.
func (s Sent) body(r Register) (body ledger.Body, read HowRead, err error) {
	name := ledger.FieldName(s.Kind)
	var strange []*refusal.Field
	for _, other := range slices.Sorted(maps.Keys(s.content)) {
		if other != name {
			strange = append(strange, &refusal.Field{Pointer: "/" + other, Got: other, Accepted: fmt.Sprintf("nothing here in a %s entry", s.Kind)})
		}
	}
	if len(strange) > 0 {
		return nil, read, &refusal.Error{Fields: strange}
	}
	if s.content[name] == nil {
		return nil, read, refusal.New("/"+name, "nothing", fmt.Sprintf("the content of a %s entry", s.Kind))
	}
	var fields map[string]any
	if err := json.Unmarshal(s.content[name], &fields); err != nil {
		return nil, read, refusal.New("/"+name, string(s.content[name]), fmt.Sprintf("the content of a %s entry", s.Kind))
	}
	if wrong := readTyped(fields, "/"+name, s.Numbers, &read); len(wrong) > 0 {
		return nil, read, &refusal.Error{Fields: wrong}
	}
	if s.Kind == ledger.KindFreezeTest {
		var sent map[string]any
		if err := json.Unmarshal(s.content[name], &sent); err != nil {
			return nil, read, err
		}
		read.Sentences = readMinus(sent, fields, &read)
	}
	if code, ok := fields["product"].(string); ok {
		p, err := r.Product(code)
		if err != nil {
			return nil, read, refusal.New("/"+name+"/product", code, "the code of a product in the register")
		}
		fields["product"] = p
	}
	if code, ok := fields["additive"].(string); ok {
		a, err := r.Additive(code)
		if err != nil {
			return nil, read, refusal.New("/"+name+"/additive", code, "the code of an additive in the register")
		}
		fields["additive"] = a
	}
	text, err := json.Marshal(fields)
	if err != nil {
		return nil, read, err
	}
	body, err = ledger.ParseBody(s.Kind, text)
	return body, read, err
}
