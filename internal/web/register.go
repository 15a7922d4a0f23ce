package web

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/api"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/core/register"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/fleet"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// recordKey by which a record is asked for: the number of a unit, the id of any other.
func recordKey(of register.Record, id int64, name string) string {
	if of == register.Unit {
		return name
	}
	return fmt.Sprint(id)
}

// ListRecords of the register.
func (h handlers) ListRecords(ctx context.Context, r api.ListRecordsRequestObject) (api.ListRecordsResponseObject, error) {
	of := register.Record(r.Of)
	wanted := store.RecordFilter{Text: strings.TrimSpace(text(r.Params.Text)), Limit: 100}
	if v := r.Params.Left; v != nil {
		wanted.Left = *v
	}
	if v := r.Params.Limit; v != nil {
		wanted.Limit = *v
	}
	if v := r.Params.Offset; v != nil {
		wanted.Offset = *v
	}
	found, total, err := h.fleet.Records(ctx, of, wanted)
	if err != nil {
		return nil, err
	}
	reading := reader(ctx)
	return api.ListRecords200JSONResponse{Total: total, Rows: each(found, func(row store.RecordRow) api.RecordRow {
		out := api.RecordRow{Key: recordKey(of, row.ID, row.Name), Name: row.Name, Facts: map[string]string{}}
		for code, value := range row.Facts {
			if f, ok := register.FieldOf(of, code); ok {
				out.Facts[code] = reading.Fact(f, value)
			}
		}
		if row.Left != "" {
			out.Left = &row.Left
		}
		if of == register.Type {
			out.Units = &row.Units
		}
		return out
	})}, nil
}

// recordChange is what the body of a request asks for.
func (h handlers) recordChange(ctx context.Context, of register.Record, key, revision string, b api.RecordInput) (fleet.RecordChange, error) {
	today, _, err := h.today(ctx)
	c := fleet.RecordChange{Of: of, Key: key, Revision: revision, Typed: b.Facts, Numbers: value(b.Numbers), Reading: reader(ctx).RegisterReading(today)}
	if b.Confirmed != nil {
		c.Confirmed = *b.Confirmed
	}
	if b.From != nil {
		day := measure.DateOf(b.From.Time, time.UTC)
		c.From = &day
	}
	return c, err
}

// AddRecord to the register.
func (h handlers) AddRecord(ctx context.Context, r api.AddRecordRequestObject) (api.AddRecordResponseObject, error) {
	c, err := h.recordChange(ctx, register.Record(r.Of), "", "", *r.Body)
	if err != nil {
		return nil, err
	}
	names, err := h.fleet.AddRecord(ctx, by(ctx), c)
	return api.AddRecord201JSONResponse{Keys: names}, err
}

// GetRecordForm is a record that is not there yet, of a kind or like another.
func (h handlers) GetRecordForm(ctx context.Context, r api.GetRecordFormRequestObject) (api.GetRecordFormResponseObject, error) {
	of := register.Record(r.Of)
	blank := store.Record{Of: of, Facts: register.Facts{}}
	if like := value(r.Params.Like); like != "" {
		other, err := h.fleet.Record(ctx, of, like)
		if err != nil {
			return nil, err
		}
		for code, text := range other.Facts {
			if slices.Contains(other.Typed, code) || slices.Contains(ofOneAlone, code) {
				continue
			}
			blank.Facts[code] = text
		}
		blank.Facts["type"] = other.Facts["type"]
	}
	if kind := text(r.Params.Kind); kind != "" {
		blank.Facts["kind"] = kind
	}
	blank.Facts = blank.Facts.Known()
	out, err := h.record(ctx, blank)
	return api.GetRecordForm200JSONResponse(out), err
}

// ofOneAlone are facts that no other record has.
var ofOneAlone = []string{"code", "registration", "serial", "tag", "place", "keeper"}

// GetRecord of the register.
func (h handlers) GetRecord(ctx context.Context, r api.GetRecordRequestObject) (api.GetRecordResponseObject, error) {
	found, err := h.fleet.Record(ctx, register.Record(r.Of), r.Key)
	if err != nil {
		return nil, err
	}
	out, err := h.record(ctx, found)
	return api.GetRecord200JSONResponse(out), err
}

// ChangeRecord of the register.
func (h handlers) ChangeRecord(ctx context.Context, r api.ChangeRecordRequestObject) (api.ChangeRecordResponseObject, error) {
	c, err := h.recordChange(ctx, register.Record(r.Of), r.Key, r.Params.IfMatch, *r.Body)
	if err != nil {
		return nil, err
	}
	after, err := h.fleet.SaveRecord(ctx, by(ctx), c)
	if err != nil {
		return nil, err
	}
	out, err := h.record(ctx, after)
	return api.ChangeRecord200JSONResponse(out), err
}

// PreviewRecord gives what a change would do.
func (h handlers) PreviewRecord(ctx context.Context, r api.PreviewRecordRequestObject) (api.PreviewRecordResponseObject, error) {
	c, err := h.recordChange(ctx, register.Record(r.Of), r.Key, "", *r.Body)
	if err != nil {
		return nil, err
	}
	changed, err := h.fleet.PreviewRecord(ctx, c)
	if err != nil {
		return nil, err
	}
	return api.PreviewRecord200JSONResponse(planEffect(reader(ctx), changed, c.Reading.Today)), nil
}

// UndoRecordChange of a record.
func (h handlers) UndoRecordChange(ctx context.Context, r api.UndoRecordChangeRequestObject) (api.UndoRecordChangeResponseObject, error) {
	after, err := h.fleet.UndoRecordChange(ctx, by(ctx), register.Record(r.Of), r.Key, r.Params.IfMatch, r.Body.Change)
	if err != nil {
		return nil, err
	}
	out, err := h.record(ctx, after)
	return api.UndoRecordChange200JSONResponse(out), err
}

// LeaveFleet of a unit.
func (h handlers) LeaveFleet(ctx context.Context, r api.LeaveFleetRequestObject) (api.LeaveFleetResponseObject, error) {
	after, err := h.fleet.LeaveFleet(ctx, by(ctx), r.Code, r.Params.IfMatch, measure.DateOf(r.Body.Day.Time, time.UTC), string(r.Body.How))
	if err != nil {
		return nil, err
	}
	out, err := h.record(ctx, after)
	return api.LeaveFleet200JSONResponse(out), err
}

// ReturnToFleet of a unit.
func (h handlers) ReturnToFleet(ctx context.Context, r api.ReturnToFleetRequestObject) (api.ReturnToFleetResponseObject, error) {
	after, err := h.fleet.ReturnToFleet(ctx, by(ctx), r.Code, r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	out, err := h.record(ctx, after)
	return api.ReturnToFleet200JSONResponse(out), err
}

// AddCircuit to a unit.
func (h handlers) AddCircuit(ctx context.Context, r api.AddCircuitRequestObject) (api.AddCircuitResponseObject, error) {
	today, _, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	address, err := h.fleet.AddCircuit(ctx, by(ctx), r.Code, ledger.Circuit(r.Body.Circuit), r.Body.Capacity, reader(ctx).RegisterReading(today))
	return api.AddCircuit201JSONResponse{Address: address}, err
}

// ChangeCircuit at an address.
func (h handlers) ChangeCircuit(ctx context.Context, r api.ChangeCircuitRequestObject) (api.ChangeCircuitResponseObject, error) {
	address, err := h.fleet.ChangeCircuit(ctx, by(ctx), r.Code, (*ledger.Circuit)(r.Body.Name), r.Body.Ended)
	return api.ChangeCircuit200JSONResponse{Address: address}, err
}

// record as its reader sees and edits it.
func (h handlers) record(ctx context.Context, r store.Record) (api.RegisterRecord, error) {
	reading := reader(ctx)
	out := api.RegisterRecord{Of: api.RecordKind(r.Of), Name: r.Name, Kind: r.Facts["kind"], Revision: r.Revision(), Groups: []api.FactGroup{}, History: []api.RecordHistory{}, Circuits: []string{}, Further: r.Circuit != 0, EndedCircuits: []string{}, Notes: []string{}}
	if r.ID != 0 {
		out.Key = recordKey(r.Of, r.ID, r.Name)
	}
	if r.LeftOn != nil {
		left := reading.Left(r.LeftHow, *r.LeftOn)
		out.Left = &left
	}
	if r.Of == register.Type {
		out.Units = &r.Units
	}
	if r.Of == register.Unit && r.ID != 0 {
		var err error
		if out.Circuits, err = h.circuits(ctx, r.Name); err != nil {
			return out, err
		}
		if ended, err := h.fleet.EndedCircuits(ctx, r.Facts["code"]); err != nil {
			return out, err
		} else if len(ended) > 0 {
			out.EndedCircuits = ended
		}
	}
	if r.Of == register.Instrument && r.ID != 0 {
		zeroed, err := h.fleet.ZeroHistory(ctx, r.Name)
		if err != nil {
			return out, err
		}
		_, zone, err := h.today(ctx)
		if err != nil {
			return out, err
		}
		out.Notes = reading.ZeroHistory(zeroed, zone)
	}
	names, err := h.referenceNames(ctx, r.Of)
	if err != nil {
		return out, err
	}
	for _, f := range register.Fields(r.Of, r.Facts["kind"]) {
		if r.Circuit != 0 && !store.CircuitFact(f.Code) {
			continue
		}
		label := words.GroupName(f.Group)
		if n := len(out.Groups); n == 0 || out.Groups[n-1].Label != label {
			out.Groups = append(out.Groups, api.FactGroup{Label: label})
		}
		g := &out.Groups[len(out.Groups)-1]
		g.Facts = append(g.Facts, factOf(reading, r, f, names))
	}
	for _, c := range slices.Backward(r.Changes) {
		out.History = append(out.History, history(reading, r, c))
	}
	return out, nil
}

// circuits are the addresses of a unit with several.
func (h handlers) circuits(ctx context.Context, code string) ([]string, error) {
	u, err := h.fleet.Open(ctx, code, "")
	if err != nil {
		return nil, err
	}
	all := []string{}
	if len(u.Others) > 0 {
		for _, c := range u.Circuits() {
			all = append(all, c.Address())
		}
	}
	return all, nil
}

// referenceNames are what a record may name, by what that is.
func (h handlers) referenceNames(ctx context.Context, of register.Record) (map[string][]string, error) {
	names := map[string][]string{}
	for _, f := range register.Fields(of, "") {
		if _, read := names[f.Of]; f.Form != register.Reference || f.Of == "zone" || read {
			continue
		}
		if f.Of == "plan" {
			plans, err := h.fleet.ServicePlans(ctx)
			if err != nil {
				return nil, err
			}
			names[f.Of] = each(plans, func(p store.ServicePlan) string { return p.Name })
			continue
		}
		rows, _, err := h.fleet.Records(ctx, register.Record(f.Of), store.RecordFilter{})
		if err != nil {
			return nil, err
		}
		names[f.Of] = []string{}
		for _, row := range rows {
			name := row.Name
			if f.Of == string(register.Type) {
				name = row.Facts["kind"] + "\n" + name // of that kind alone
			}
			names[f.Of] = append(names[f.Of], name)
		}
	}
	return names, nil
}

func factOf(reading words.Reader, r store.Record, f register.Field, names map[string][]string) api.RegisterFact {
	label, hint, blocks := words.Field(r.Of, f.Code)
	fact := api.RegisterFact{Code: f.Code, Label: label, Form: api.RegisterFactForm(f.Form), Value: f.AsTyped(r.Facts[f.Code]), Source: api.RegisterFactSourceOwn, Required: f.Required, Dated: f.Dated, Fixed: f.Fixed && r.ID != 0}
	if hint != "" {
		fact.Hint = &hint
	}
	typed := slices.Contains(r.Typed, f.Code)
	switch {
	case fact.Value == "":
		fact.Source, fact.Shown = api.RegisterFactSourceUnknown, words.Without(r.Of, f.Code)
		if blocks != "" {
			fact.Blocks = &blocks
		}
	case typed:
		fact.Source, fact.Shown, fact.Value = api.RegisterFactSourceType, reading.Fact(f, r.Facts[f.Code]), ""
	default:
		fact.Shown = reading.Fact(f, r.Facts[f.Code])
	}
	if f.Form == register.Quantity || f.Form == register.List || f.Form == register.Named {
		if unit := reading.RegisterReading(measure.Date{}).Usual(f.Dimension, f.Unit).Symbol(); unit != "" {
			fact.Unit = &unit
		}
	}
	choices := each(f.Choices, func(code string) api.FactChoice {
		return api.FactChoice{Code: code, Label: words.ChoiceName(code)}
	})
	if f.Form == register.YesNo {
		choices = []api.FactChoice{{Code: "yes", Label: "yes"}, {Code: "no", Label: "no"}}
	}
	if f.Form == register.Reference {
		for _, name := range names[f.Of] {
			if kind, of, ok := strings.Cut(name, "\n"); ok {
				if kind != r.Facts["kind"] {
					continue
				}
				name = of
			}
			choices = append(choices, api.FactChoice{Code: name, Label: name})
		}
	}
	if len(choices) > 0 || f.Form == register.Reference && f.Of != "zone" {
		fact.Choices = &choices
	}
	return fact
}

func history(reading words.Reader, r store.Record, c store.RecordChange) api.RecordHistory {
	h := api.RecordHistory{Id: c.ID, At: c.At, Who: c.Who, Text: reading.RecordDone(c.What, c.Cause, c.From, c.Undone), Lines: []string{}, Undone: c.Undone}
	h.Undoable = c.What != "added" && c.Cause == "" && register.Undoable(r.PlainChanges(), c.ID)
	if c.What == "changed" {
		h.Lines = append(h.Lines, reading.Difference(r.Of, c.Was, c.Is)...)
	}
	if how, day := c.Is["left_how"], c.Is["left_on"]; how != "" {
		if d, err := measure.ParseDate(day); err == nil {
			h.Lines = append(h.Lines, reading.Left(how, d))
		}
	}
	return h
}

// GetStartingRegister gives types and plans to start from.
func (h handlers) GetStartingRegister(ctx context.Context, _ api.GetStartingRegisterRequestObject) (api.GetStartingRegisterResponseObject, error) {
	s, err := h.fleet.Starting(ctx)
	if err != nil {
		return nil, err
	}
	reading := reader(ctx)
	return api.GetStartingRegister200JSONResponse{
		Types: each(s.Types, func(facts register.Facts) api.StartingRecord {
			return api.StartingRecord{Name: facts["name"], There: s.TypesThere[facts["name"]], Text: strings.Join(reading.Difference(register.Type, nil, withoutNames(facts)), "; ")}
		}),
		Plans: each(s.Plans, func(p serviceplan.Plan) api.StartingRecord {
			return api.StartingRecord{Name: p.Name, There: s.PlansThere[p.Name], Text: reading.PlanRules(p)}
		}),
	}, nil
}

func withoutNames(facts register.Facts) register.Facts {
	return facts.With(register.Facts{"name": "", "kind": ""})
}

// TakeStartingRegister adds some of them.
func (h handlers) TakeStartingRegister(ctx context.Context, r api.TakeStartingRegisterRequestObject) (api.TakeStartingRegisterResponseObject, error) {
	s, err := h.fleet.Starting(ctx)
	if err != nil {
		return nil, err
	}
	for i, name := range r.Body.Types {
		if !slices.ContainsFunc(s.Types, func(f register.Facts) bool { return f["name"] == name }) {
			return nil, refusal.New(fmt.Sprintf("/types/%d", i), fmt.Sprintf("%q", name), "the name of a starting type")
		}
	}
	for i, name := range r.Body.Plans {
		if !slices.ContainsFunc(s.Plans, func(p serviceplan.Plan) bool { return p.Name == name }) {
			return nil, refusal.New(fmt.Sprintf("/plans/%d", i), fmt.Sprintf("%q", name), "the name of a starting plan")
		}
	}
	added, err := h.fleet.TakeStarting(ctx, by(ctx), r.Body.Types, r.Body.Plans)
	if added == nil {
		added = []string{}
	}
	return api.TakeStartingRegister200JSONResponse{Keys: added}, err
}
