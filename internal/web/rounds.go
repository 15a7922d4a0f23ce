package web

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // to read what a photo says of itself
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"

	"diligentledger/api"
	"diligentledger/core/ledger"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/intake"
	"diligentledger/internal/label"
	"diligentledger/internal/store"
	"diligentledger/internal/walk"
	"diligentledger/internal/words"
)

// ListWalkRows that can be walked, and the instruments that there are.
func (h handlers) ListWalkRows(ctx context.Context, _ api.ListWalkRowsRequestObject) (api.ListWalkRowsResponseObject, error) {
	rows, err := h.fleet.WalkRows(ctx)
	if err != nil {
		return nil, err
	}
	tools, zeroed, err := h.fleet.WalkInstruments(ctx)
	if err != nil {
		return nil, err
	}
	today, zone, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	out := api.ListWalkRows200JSONResponse{Probe: h.probe, Instruments: []api.WalkInstrument{}}
	out.Rows = each(rows, func(r fleet.WalkRow) api.WalkRow { return api.WalkRow{Site: r.Site, Row: r.Row, Units: r.Units} })
	for _, i := range tools {
		if !i.Withdrawn {
			out.Instruments = append(out.Instruments, walkInstrument(reader(ctx), i, zeroed, today, zone))
		}
	}
	return out, nil
}

func walkInstrument(r words.Reader, i intake.Instrument, zeroed map[string]time.Time, today measure.Date, zone *time.Location) api.WalkInstrument {
	out := api.WalkInstrument{Name: i.Name}
	optional := func(s string) *string {
		if s == "" {
			return nil
		}
		return &s
	}
	out.Kind, out.Scale, out.Site = optional(i.Kind), optional(i.Scale), optional(i.Site)
	if len(i.Chart) > 0 {
		chart := each(i.Chart, func(t measure.Celsius) float64 { return float64(t) })
		out.Chart = &chart
	}
	var at *time.Time
	if t, ok := zeroed[i.Name]; ok {
		at = &t
	}
	out.Text = r.RoundInstrument(i.Kind, i.Scale, at, i.Expires, zone)
	if i.ZeroDue(at, today, zone) {
		due := true
		out.Zero = &due
	}
	if i.Kind == intake.KindStrips && i.Expires != nil && i.Expires.Before(today) {
		refused := "these strips were good until " + r.Date(*i.Expires)
		out.Refused = &refused
	}
	return out
}

// GetWalk for a device.
func (h handlers) GetWalk(ctx context.Context, r api.GetWalkRequestObject) (api.GetWalkResponseObject, error) {
	p := r.Params
	wanted := fleet.WalkFilter{Site: text(p.Site), Row: text(p.Row), Rowed: p.Row != nil, Tag: text(p.Tag)}
	w, err := h.fleet.Walk(ctx, writer(ctx), reader(ctx), wanted)
	if err != nil {
		return nil, err
	}
	shared, err := json.Marshal(w.Shared)
	if err != nil {
		return nil, err
	}
	out := api.GetWalk200JSONResponse{Title: wanted.Title(), Version: walk.Version(), Now: w.Now, Today: date(w.Today), Shared: string(shared), Units: []api.WalkUnit{}}
	for _, u := range w.Units {
		pack, err1 := json.Marshal(u.Pack)
		view, err2 := json.Marshal(u.View)
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		one := api.WalkUnit{Unit: unitName(u.UnitName), Place: u.Place, Pack: string(pack), View: view}
		if u.Tag != "" {
			one.Tag = &u.Tag
		}
		if u.Registration != "" {
			one.Registration = &u.Registration
		}
		for _, c := range u.Pack.Circuits {
			one.Accounts = append(one.Accounts, api.WalkAccount{Code: c.Address, Id: c.ID})
		}
		out.Units = append(out.Units, one)
	}
	return out, nil
}

// WriteEntries of a device, each by itself, those of one act together.
func (h handlers) WriteEntries(ctx context.Context, r api.WriteEntriesRequestObject) (api.WriteEntriesResponseObject, error) {
	out := api.WriteEntries200JSONResponse{Results: make([]api.EntryOutcome, len(r.Body.Entries))}
	acts := map[string][]int{} // places of the entries, by act
	var order []string
	for i, e := range r.Body.Entries {
		act := strconv.Itoa(i) // without one it is by itself, even beside a line with the same id
		if e.Act != nil {
			act = "act " + e.Act.String()
		}
		if acts[act] == nil {
			order = append(order, act)
		}
		acts[act] = append(acts[act], i)
	}
	for _, act := range order {
		h.writeAct(ctx, r.Body.Entries, acts[act], out.Results)
	}
	out.Now = h.fleet.Now()
	return out, nil
}

// writeAct writes the entries at some places of a batch together, and says what became of each.
func (h handlers) writeAct(ctx context.Context, all []api.EntryBatchItem, places []int, results []api.EntryOutcome) {
	var lines []fleet.BatchEntry
	var written []fleet.Written
	var failed error
	for _, i := range places {
		e := all[i]
		results[i] = api.EntryOutcome{Id: e.Id, State: api.EntryOutcomeStateWritten}
		line, err := h.sent(sentLine{id: e.Id.String(), unit: e.Unit, account: orElse(e.Account, 0),
			text: e.Entry, sum: e.Sha256})
		if failed == nil {
			failed = err
		}
		lines = append(lines, line)
	}
	switch {
	case failed != nil:
	case len(lines) == 1:
		receipt, already, err := h.fleet.WriteBatchEntry(ctx, writer(ctx), lines[0])
		written, failed = []fleet.Written{{Receipt: receipt, Already: already}}, err
	default:
		written, failed = h.fleet.WriteBatchGroup(ctx, writer(ctx), lines)
	}
	for n, i := range places {
		if failed != nil {
			results[i].State, results[i].Problem = h.becameOf(ctx, failed)
			continue
		}
		results[i].Unit = &written[n].Code
		if written[n].Already {
			results[i].State = api.EntryOutcomeStateAlready
		}
	}
}

// sentLine is an entry of a batch.
type sentLine struct {
	id, unit  string
	account   int64
	text, sum string
}

// sent is a line as the books take it.
func (h handlers) sent(l sentLine) (line fleet.BatchEntry, err error) {
	if sum := sha256.Sum256([]byte(l.text)); hex.EncodeToString(sum[:]) != l.sum {
		return line, fieldProblem("/sha256", l.sum, "the SHA-256 of the entry: it was changed on the way, or on the device")
	}
	value, err := oneJSON([]byte(l.text))
	if err != nil {
		return line, err
	}
	var faults []api.FieldProblem
	read, _ := readTexts(value, "", &faults)
	if len(faults) > 0 {
		return line, newProblem(http.StatusUnprocessableEntity, "Not accepted", sentence(faults), faults...)
	}
	text, err := json.Marshal(read)
	if err != nil {
		return line, err
	}
	var plain any
	if err := json.Unmarshal(text, &plain); err != nil {
		return line, err
	}
	if err := h.entrySchema.VisitJSON(plain, openapi3.MultiErrors(), openapi3.VisitAsRequest(), openapi3.EnableFormatValidation()); err != nil {
		return line, invalid(err)
	}
	sent, err := intake.Parse(text)
	if err != nil {
		return line, err
	}
	if sent.ID != l.id {
		return line, fieldProblem("/id", l.id, sent.ID+", the id in the entry")
	}
	return fleet.BatchEntry{Unit: l.unit, Circuit: l.account, ID: sent.ID,
		Entries: func(o *store.Opened) ([]ledger.Entry, error) {
			entries, _, err := sent.Entries(o.Code, o)
			return entries, err
		}}, nil
}

// becameOf an entry that was not written: refused with its reason, or to be sent again as it is.
func (h handlers) becameOf(ctx context.Context, err error) (api.EntryOutcomeState, *api.Problem) {
	p := problemOf(err)
	if p == nil {
		h.log.Error("an entry of a batch failed", "error", err)
		p = newProblem(http.StatusInternalServerError, "Failed", "something failed on the server; nothing was stored, send it again")
	}
	said := fit(worded(ctx, p.Problem, h.people.Store.Zone), smallAnswer)
	if p.Status >= http.StatusInternalServerError || p.Status == http.StatusTooManyRequests {
		return api.EntryOutcomeStateLater, &said
	}
	return api.EntryOutcomeStateRefused, &said
}

// ListRounds under way and of the last day.
func (h handlers) ListRounds(ctx context.Context, _ api.ListRoundsRequestObject) (api.ListRoundsResponseObject, error) {
	out, err := h.rounds(ctx)
	return api.ListRounds200JSONResponse(out), err
}

func (h handlers) rounds(ctx context.Context) ([]api.RoundSummary, error) {
	all, err := h.fleet.RoundsNow(ctx)
	if err != nil {
		return nil, err
	}
	_, zone, err := h.today(ctx)
	out := each(all, func(r fleet.RoundSummary) api.RoundSummary { return roundSummary(reader(ctx), r) })
	inZone(&out, zone)
	return out, err
}

func roundSummary(r words.Reader, s fleet.RoundSummary) api.RoundSummary {
	out := api.RoundSummary{Id: id(s.ID), Title: s.Title, Who: s.Who, StartedAt: s.StartedAt, ClosedAt: s.ClosedAt, UpdatedAt: s.UpdatedAt, Done: s.Done, Skipped: s.Skipped, Waiting: s.Waiting, Held: s.Held,
		Text: words.RoundProgress(s.Done, s.Skipped, s.Waiting, s.Held, s.ClosedAt != nil)}
	found := []string{}
	for _, stop := range s.Stops {
		if status := stop.Status; len(stop.Entries) > 0 && status != nil && words.WorthReporting(status.Verdict) {
			found = append(found, r.Found(stop.Unit, status.Governing, r.ColdPlace(status.Site, status.Winters, status.Offset)))
		}
	}
	out.Found = &found
	return out
}

// GetRound with what was found on it.
func (h handlers) GetRound(ctx context.Context, q api.GetRoundRequestObject) (api.GetRoundResponseObject, error) {
	s, err := h.fleet.RoundOf(ctx, q.Id.String())
	if err != nil {
		return nil, err
	}
	_, zone, err := h.today(ctx)
	if err != nil {
		return nil, err
	}
	r := reader(ctx)
	out := api.GetRound200JSONResponse{Round: roundSummary(r, s)}
	for _, stop := range s.Stops {
		one := api.RoundReportStop{Unit: stop.Unit, Name: stop.Name, State: api.RoundStopState(stop.State), At: stop.At, Recorded: each(stop.Entries, func(e ledger.Entry) string {
			return words.KindNames[e.Kind()] + ": " + words.Entry(e.Body)
		})}
		if stop.Why != "" {
			one.Why = &stop.Why
		}
		if status := stop.Status; status != nil {
			verdict := api.Verdict(status.Verdict)
			reason := r.Reason(status.Governing, r.ColdPlace(status.Site, status.Winters, status.Offset))
			one.Verdict, one.Reason, one.Left = &verdict, &reason, status.Governing.Remaining
		}
		out.Stops = append(out.Stops, one)
	}
	if out.Stops == nil {
		out.Stops = []api.RoundReportStop{}
	}
	inZone(&out, zone)
	return out, nil
}

// ReportRound of a device.
func (h handlers) ReportRound(ctx context.Context, q api.ReportRoundRequestObject) (api.ReportRoundResponseObject, error) {
	who, b := writer(ctx), q.Body
	if q.Id.Version() != 7 {
		return nil, fieldProblem("/id", q.Id.String(), "a UUID of version 7")
	}
	r := store.Round{ID: q.Id.String(), Person: who.ID, Who: who.Name, Title: b.Title, Device: b.Device, StartedAt: b.StartedAt, ClosedAt: b.ClosedAt, Revision: b.Revision}
	for _, s := range b.Stops {
		r.Stops = append(r.Stops, store.RoundStop{Unit: s.Unit, State: store.StopState(s.State), Why: text(s.Why), At: s.At})
	}
	if err := h.fleet.SaveRound(ctx, r); err != nil {
		return nil, err
	}
	return api.ReportRound204Response{}, nil
}

// mostPhoto is how many bytes a photo may have.
const mostPhoto = 600 << 10

// mostPixels of a side of a photo: a device shrinks it first.
const mostPixels = 2400

// AddAttachment is a photo of an entry.
func (h handlers) AddAttachment(ctx context.Context, r api.AddAttachmentRequestObject) (api.AddAttachmentResponseObject, error) {
	content, err := io.ReadAll(r.Body)
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return nil, newProblem(http.StatusRequestEntityTooLarge, "Too large", fmt.Sprintf("the photo is larger than the %d kB accepted; nothing was stored", mostPhoto>>10))
	}
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(content)
	if hex.EncodeToString(sum[:]) != r.Sha256 {
		return nil, fieldProblem("/sha256", r.Sha256, "the SHA-256 of the photo, "+hex.EncodeToString(sum[:]))
	}
	config, format, err := image.DecodeConfig(bytes.NewReader(content))
	switch {
	case err != nil || format != "jpeg":
		return nil, fieldProblem("/photo", "this file", "a photo as JPEG")
	case config.Width > mostPixels || config.Height > mostPixels:
		return nil, fieldProblem("/photo", fmt.Sprintf("a photo of %d × %d pixels", config.Width, config.Height), fmt.Sprintf("at most %d to a side", mostPixels))
	case hasCameraData(content):
		return nil, fieldProblem("/photo", "a photo with data of the camera, such as its place,", "a photo without them")
	}
	if err := h.fleet.AddAttachment(ctx, by(ctx), store.Attachment{SHA256: sum, Media: "image/jpeg", Content: content}); err != nil {
		return nil, err
	}
	return api.AddAttachment204Response{}, nil
}

// hasCameraData reports whether a JPEG has a segment of an application (APP1 to APP13: Exif, XMP, IPTC) or a
// comment before its image (ITU-T T.81, B.1.1.3): the place that a photo was taken at would be in one.
func hasCameraData(jpeg []byte) bool {
	for at := 2; at+4 <= len(jpeg) && jpeg[at] == 0xff; {
		marker := jpeg[at+1]
		switch {
		case marker == 0xda: // the image begins
			return false
		case marker >= 0xe1 && marker <= 0xed && marker != 0xe2, marker == 0xfe: // 0xe2 holds a colour profile
			return true
		}
		at += 2 + int(jpeg[at+2])<<8 + int(jpeg[at+3])
	}
	return false
}

// GetAttachment by its hash.
func (h handlers) GetAttachment(ctx context.Context, r api.GetAttachmentRequestObject) (api.GetAttachmentResponseObject, error) {
	sum, err := hex.DecodeString(r.Sha256)
	if err != nil {
		return nil, err
	}
	a, err := h.fleet.Attachment(ctx, [sha256.Size]byte(sum))
	if err != nil {
		return nil, err
	}
	return api.GetAttachment200ImagejpegResponse{Body: bytes.NewReader(a.Content), ContentLength: int64(len(a.Content))}, nil
}

// mostTags of one sheet.
const mostTags = 500

func (h handlers) tags(ctx context.Context, codes *[]string, site *string) ([]fleet.EvaluatedUnit, error) {
	wanted := orElse(codes, nil)
	if site != nil {
		parked, err := h.fleet.Parked(ctx, *site)
		if err != nil {
			return nil, err
		}
		wanted = append(wanted, parked...)
	}
	if len(wanted) > mostTags {
		return nil, fieldProblem("/site", fmt.Sprintf("%d units", len(wanted)), fmt.Sprintf("at most %d labels at once", mostTags))
	}
	units, err := h.fleet.Units(ctx, wanted)
	if err != nil {
		return nil, err
	}
	for _, code := range orElse(codes, nil) {
		found := false
		for _, u := range units {
			found = found || u.Unit.Code == code
		}
		if !found {
			return nil, fieldProblem("/unit", code, "the code of a unit in the register")
		}
	}
	return units, nil
}

// addressOf the account of a unit as a browser opens it.
func (h handlers) addressOf(code string) string {
	return strings.TrimRight(h.address, "/") + "/units/" + url.PathEscape(code)
}

// ListTags of units.
func (h handlers) ListTags(ctx context.Context, r api.ListTagsRequestObject) (api.ListTagsResponseObject, error) {
	units, err := h.tags(ctx, r.Params.Unit, r.Params.Site)
	if err != nil {
		return nil, err
	}
	out := api.ListTags200JSONResponse{}
	for _, u := range units {
		modules, err := label.Modules(h.addressOf(u.Unit.Code))
		if err != nil {
			return nil, err
		}
		out = append(out, api.Tag{Unit: unitName(u.Unit.UnitName), Address: h.addressOf(u.Unit.Code), Modules: modules, Lines: reader(ctx).Tag(u.Account, u.Whole, u.Unit.Zone)})
	}
	return out, nil
}

// GetTagSheet of units.
func (h handlers) GetTagSheet(ctx context.Context, r api.GetTagSheetRequestObject) (api.GetTagSheetResponseObject, error) {
	units, err := h.tags(ctx, r.Params.Unit, r.Params.Site)
	if err != nil {
		return nil, err
	}
	labels := each(units, func(u fleet.EvaluatedUnit) label.Label {
		return label.Label{Code: u.Unit.Code, Name: u.Unit.Name, Address: h.addressOf(u.Unit.Code), Lines: reader(ctx).Tag(u.Account, u.Whole, u.Unit.Zone)}
	})
	var out bytes.Buffer
	if err := label.PDF(&out, labels, label.Layouts[cmp.Or(text(r.Params.Layout), "a4")]); err != nil {
		return nil, err
	}
	disposition := `inline; filename="labels.pdf"`
	return api.GetTagSheet200ApplicationpdfResponse{Body: &out, ContentLength: int64(out.Len()), Headers: api.GetTagSheet200ResponseHeaders{ContentDisposition: &disposition}}, nil
}
