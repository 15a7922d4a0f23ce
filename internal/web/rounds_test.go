package web_test

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/internal/store"
)

// sentLine is an entry as a device sends it.
func sentLine(t *testing.T, unit string, e m) m {
	t.Helper()
	text, err := json.Marshal(e)
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256(text)
	return m{"id": e["id"], "unit": unit, "entry": string(text), "sha256": hex.EncodeToString(sum[:])}
}

func batch(t *testing.T, role access.Role, lines ...m) api.EntryBatchAnswer {
	t.Helper()
	res, text := ask(t, "POST", "/api/v1/entries", m{"entries": lines}, as(role)...)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	var out api.EntryBatchAnswer
	if err := json.Unmarshal(text, &out); err != nil {
		t.Fatal(err)
	}
	return out
}

// A batch answers entry by entry: one that is refused leaves the others as they are, one that is sent again is stored
// once, and in another order, too.
func TestEntriesOfADevice(t *testing.T) {
	at := noon.Add(-3 * time.Hour)
	good := entry("level_check", at, m{"temper": "cold", "mark": "max"})
	note := entry("note", at.Add(time.Minute), m{"text": "seen on the round"})
	changed := sentLine(t, "CA-22", entry("note", at, m{"text": "as it was"}))
	changed["entry"] = strings.Replace(changed["entry"].(string), "as it was", "as it is", 1)
	other := sentLine(t, "CA-22", entry("note", at, m{"text": "of another id"}))
	other["id"] = uuid.Must(uuid.NewV7()).String()
	broken := sentLine(t, "CA-22", entry("note", at, m{"text": "x"}))
	broken["entry"] = `{"id":`
	sum := sha256.Sum256([]byte(`{"id":`))
	broken["sha256"] = hex.EncodeToString(sum[:])
	lines := []m{
		sentLine(t, "CA-22", note),
		sentLine(t, "CA-22", entry("freeze_test", at, m{"instrument": "refractometer", "scale": "EG", "value": m{"value": "cold", "unit": "degC"}})),
		changed, other, broken,
		sentLine(t, "CA-99", entry("note", at, m{"text": "no such unit"})),
		sentLine(t, "CA-22", entry("note", at, m{"text": "turned \u202e round"})),
		sentLine(t, "CA-22", entry("note", at, m{"text": "too much", "more": 1})),
		sentLine(t, "AV-03", entry("release", at, m{"what": "seen"})),
		sentLine(t, "CA-22", good),
	}
	want := []api.EntryOutcomeState{"written", "refused", "refused", "refused", "refused", "refused", "refused", "refused", "refused", "written"}
	says := []string{"", "cold", "changed on the way", "the id in the entry", "ends after", "CA-99", "U+202E", "more", "signatory", ""}
	first := batch(t, access.Technician, lines...)
	for i, r := range first.Results {
		if r.State != want[i] || r.State == "refused" && (r.Problem == nil || !strings.Contains(fmt.Sprint(*r.Problem.Detail), says[i])) {
			said, _ := json.Marshal(r.Problem)
			t.Errorf("line %d: %s %s, want %s with %q", i, r.State, said, want[i], says[i])
		}
	}
	slices.Reverse(lines)
	slices.Reverse(want)
	for i, r := range batch(t, access.Technician, lines...).Results {
		again := want[i]
		if again == "written" {
			again = "already"
		}
		if r.State != again {
			t.Errorf("sent again, line %d: %s, want %s", i, r.State, again)
		}
	}
	found := 0
	for _, l := range get[api.Account](t, "/api/v1/units/CA-22?lines=20").Lines {
		if id := l.Id.String(); id == good["id"] || id == note["id"] {
			found++
		}
	}
	if found != 2 {
		t.Errorf("%d lines in the books of two that were sent twice", found)
	}
}

// A unit that has another number since the walk was loaded is found by the id of its account.
func TestEntriesOfARenamedUnit(t *testing.T) {
	walk := get[api.Walk](t, "/api/v1/walk?tag=ca-26")
	if len(walk.Units) != 1 || len(walk.Units[0].Accounts) != 1 {
		t.Fatalf("%+v", walk.Units)
	}
	owner, err := store.Open(instance.OwnerDSN(), now)
	if err != nil {
		t.Fatal(err)
	}
	rename := func(from, to string) {
		t.Helper()
		if err := owner.Rename(t.Context(), store.Actor{Name: "E. Marrow"}, from, to); err != nil {
			t.Fatal(err)
		}
	}
	rename("CA-26", "CA-926")
	defer rename("CA-926", "CA-26")
	line := sentLine(t, "CA-26", entry("note", noon.Add(-time.Hour), m{"text": "found by its account"}))
	if r := batch(t, access.Technician, line).Results[0]; r.State != "refused" {
		t.Errorf("without the account: %+v", r)
	}
	line["account"] = walk.Units[0].Accounts[0].Id
	if r := batch(t, access.Technician, line).Results[0]; r.State != "written" || r.Unit == nil || *r.Unit != "CA-926" {
		t.Errorf("%+v", r)
	}
}

// What a device gets is what the contract says of it, of each unit of each site.
func TestWalkInTheContract(t *testing.T) {
	contract, err := openapi3.NewLoader().LoadFromData(api.Document)
	if err != nil {
		t.Fatal(err)
	}
	schema := contract.Components.Schemas["WalkView"].Value
	choice := get[api.WalkChoice](t, "/api/v1/walk-rows")
	sites := map[string]int{}
	for _, r := range choice.Rows {
		sites[r.Site] += r.Units
	}
	if len(sites) != 4 || len(choice.Instruments) < 8 {
		t.Fatalf("%v, %d instruments", sites, len(choice.Instruments))
	}
	refused := 0
	for _, i := range choice.Instruments {
		if i.Refused != nil {
			refused++
		}
	}
	if refused != 1 {
		t.Errorf("%d instruments are refused, want the expired strips", refused)
	}
	for site, n := range sites {
		walk := get[api.Walk](t, "/api/v1/walk?site="+strings.ReplaceAll(site, " ", "%20"))
		if len(walk.Units) != n {
			t.Errorf("%s: %d units of %d", site, len(walk.Units), n)
		}
		place := ""
		for _, u := range walk.Units {
			var view any
			if err := json.Unmarshal(u.View, &view); err != nil {
				t.Fatal(err)
			}
			if err := schema.VisitJSON(view); err != nil {
				t.Errorf("%s: %v", u.Unit.Code, err)
			}
			if u.Place < place && u.Place != "" { // without a place it comes last
				t.Errorf("%s at %s comes after %s", u.Unit.Code, u.Place, place)
			}
			place = u.Place
		}
	}
	if res, text := ask(t, "GET", "/api/v1/walk?tag=ZZ-99", nil); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "ZZ-99") {
		t.Errorf("%d %s", res.StatusCode, text)
	}
}

// A round is reported by its device; an earlier report changes nothing, another person nothing at all; what
// was found arrives with the entries.
func TestRounds(t *testing.T) {
	id := uuid.Must(uuid.NewV7()).String()
	report := func(role access.Role, revision int, closed bool, states ...string) int {
		t.Helper()
		stops := []m{}
		for i, s := range states {
			stop := m{"unit": []string{"HB-05", "HB-06"}[i], "state": s}
			if s == "skipped" {
				stop["why"] = "not here"
			}
			stops = append(stops, stop)
		}
		body := m{"title": "Harbour yard, row Z", "device": "phone", "startedAt": noon.Add(-time.Hour), "revision": revision, "stops": stops}
		if closed {
			body["closedAt"] = noon
		}
		res, _ := ask(t, "PUT", "/api/v1/rounds/"+id, body, as(role)...)
		return res.StatusCode
	}
	if s := report(access.Technician, 1, false, "waiting", "waiting"); s != http.StatusNoContent {
		t.Fatalf("%d", s)
	}
	low := entry("level_check", noon.Add(-30*time.Minute), m{"temper": "cold", "mark": "empty"})
	low["round"] = id
	if r := batch(t, access.Technician, sentLine(t, "HB-05", low)).Results[0]; r.State != "written" {
		t.Fatalf("%+v", r)
	}
	if s := report(access.Technician, 3, false, "done", "skipped"); s != http.StatusNoContent {
		t.Fatalf("%d", s)
	}
	if s := report(access.Technician, 2, true, "waiting", "waiting"); s != http.StatusNoContent {
		t.Errorf("an earlier report: %d", s)
	}
	if s := report(access.Coordinator, 9, true, "waiting", "waiting"); s != http.StatusNotFound {
		t.Errorf("another person's round: %d", s)
	}
	var seen *api.RoundSummary
	for _, r := range get[api.Morning](t, "/api/v1/morning").Rounds {
		if r.Id.String() == id {
			seen = &r
		}
	}
	if seen == nil || seen.Done != 1 || seen.Skipped != 1 || seen.Held != 1 || seen.ClosedAt != nil || seen.Found == nil || len(*seen.Found) != 1 || !strings.Contains((*seen.Found)[0], "HB-05 hold") {
		t.Errorf("%+v", seen)
	}
	found := get[api.RoundReport](t, "/api/v1/rounds/"+id)
	if s := found.Stops; len(s) != 2 || s[0].State != "done" || len(s[0].Recorded) != 1 || !strings.Contains(s[0].Recorded[0], "empty") || *s[1].Why != "not here" || *s[0].Verdict != "hold" {
		t.Errorf("%+v", s)
	}
	if res, _ := ask(t, "GET", "/api/v1/rounds/"+uuid.Must(uuid.NewV7()).String(), nil); res.StatusCode != http.StatusNotFound {
		t.Errorf("%d", res.StatusCode)
	}
	release := entry("level_check", noon.Add(-10*time.Minute), m{"temper": "cold", "mark": "max"})
	_ = batch(t, access.Technician, sentLine(t, "HB-05", release))
}

func photo(t *testing.T, side int) []byte {
	t.Helper()
	i := image.NewGray(image.Rect(0, 0, side, side))
	i.Set(1, 1, color.White)
	var out bytes.Buffer
	if err := jpeg.Encode(&out, i, nil); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// An account says that a photo which a line names was not received, until it is.
func TestPhotoNotReceived(t *testing.T) {
	content := photo(t, 43)
	sum := sha256.Sum256(content)
	hash := hex.EncodeToString(sum[:])
	e := entry("note", noon.Add(-time.Hour), m{"text": "see the photo of the clamp"})
	e["attachments"] = []string{hash}
	if res, text := ask(t, "POST", "/api/v1/units/CA-07/entries", e, as(access.Technician)...); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	said := func() string {
		t.Helper()
		for _, l := range get[api.Account](t, "/api/v1/units/CA-07").Lines {
			if l.Id.String() == e["id"] && l.PhotosMissing != nil {
				return *l.PhotosMissing
			}
		}
		return ""
	}
	if got := said(); got != "Photo of note not received: it may still be on the device of T. Quayle." {
		t.Errorf("%q", got)
	}
	if res, text := ask(t, "PUT", "/api/v1/attachments/"+hash, string(content), append(as(access.Technician), "Content-Type", "image/jpeg")...); res.StatusCode != http.StatusNoContent {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if got := said(); got != "" {
		t.Errorf("it was received: %q", got)
	}
}

// Photos are kept by their hash; what says where it was taken, is no JPEG, or is not what its hash says, is
// refused.
func TestPhotos(t *testing.T) {
	put := func(content []byte, hash string) (int, string) {
		t.Helper()
		res, text := ask(t, "PUT", "/api/v1/attachments/"+hash, string(content), append(as(access.Technician), "Content-Type", "image/jpeg")...)
		return res.StatusCode, string(text)
	}
	of := func(content []byte) string {
		sum := sha256.Sum256(content)
		return hex.EncodeToString(sum[:])
	}
	good := photo(t, 40)
	for range 2 { // sent again, it is the same
		if s, text := put(good, of(good)); s != http.StatusNoContent {
			t.Fatalf("%d %s", s, text)
		}
	}
	res, got := ask(t, "GET", "/api/v1/attachments/"+of(good), nil)
	if res.StatusCode != http.StatusOK || !bytes.Equal(got, good) || res.Header.Get("Content-Type") != "image/jpeg" {
		t.Errorf("%d, %d bytes, %s", res.StatusCode, len(got), res.Header.Get("Content-Type"))
	}
	exif := slices.Concat(good[:2], []byte{0xff, 0xe1, 0, 8}, []byte("Exif\x00\x00"), good[2:])
	comment := slices.Concat(good[:2], []byte{0xff, 0xfe, 0, 6}, []byte("here"), good[2:])
	var drawn bytes.Buffer
	if err := png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 9, 9))); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		content []byte
		hash    string
		status  int
		says    string
	}{
		"place":    {exif, of(exif), 422, "camera"},
		"comment":  {comment, of(comment), 422, "camera"},
		"png":      {drawn.Bytes(), of(drawn.Bytes()), 422, "JPEG"},
		"hash":     {good, of(exif), 422, "SHA-256"},
		"large":    {bytes.Repeat([]byte{0xff}, 700<<10), of(nil), 413, "600 kB"},
		"too wide": {photo(t, 2500), of(photo(t, 2500)), 422, "2400"},
	} {
		if s, text := put(c.content, c.hash); s != c.status || !strings.Contains(text, c.says) {
			t.Errorf("%s: %d %.200s", name, s, text)
		}
	}
	if res, _ := ask(t, "GET", "/api/v1/attachments/"+of(exif), nil); res.StatusCode != http.StatusNotFound {
		t.Errorf("a photo that was refused: %d", res.StatusCode)
	}
}

// A label's code says the address of its unit to another program's reader; the sheets are PDF.
func TestTags(t *testing.T) {
	tags := get[[]api.Tag](t, "/api/v1/tags?unit=CA-14&unit=HB-02")
	if len(tags) != 2 || len(tags[0].Lines) != 3 || !strings.HasPrefix(tags[0].Lines[1], "renewed ") {
		t.Fatalf("%+v", tags)
	}
	for _, tag := range tags {
		const scale = 4
		picture := image.NewGray(image.Rect(0, 0, scale*len(tag.Modules), scale*len(tag.Modules)))
		for y, row := range tag.Modules {
			for x, dark := range row {
				for d := range scale * scale {
					picture.SetGray(scale*x+d%scale, scale*y+d/scale, color.Gray{Y: map[rune]uint8{'1': 0, '0': 255}[dark]})
				}
			}
		}
		bitmap, err := gozxing.NewBinaryBitmapFromImage(picture)
		if err != nil {
			t.Fatal(err)
		}
		read, err := qrcode.NewQRCodeReader().Decode(bitmap, nil)
		if err != nil || read.GetText() != tag.Address || !strings.HasSuffix(tag.Address, "/units/"+tag.Unit.Code) {
			t.Errorf("%s: %v, %v", tag.Address, read, err)
		}
	}
	for layout, pages := range map[string]int{"a4": 2, "single": 27} {
		res, text := ask(t, "GET", "/api/v1/tags/sheet?site=Harbour%20yard&layout="+layout, nil)
		if n := bytes.Count(text, []byte("/Type /Page\n")); res.StatusCode != http.StatusOK || !bytes.HasPrefix(text, []byte("%PDF-")) || n != pages {
			t.Errorf("%s: %d, %d pages of %d, %.60s", layout, res.StatusCode, n, pages, text)
		}
	}
	if res, text := ask(t, "GET", "/api/v1/tags?unit=ZZ-1", nil); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "ZZ-1") {
		t.Errorf("%d %s", res.StatusCode, text)
	}
}

// A test counts only if its instrument can have made it, whichever way it comes: it is recorded, not used, and
// says why.
func TestInstrumentsThatCannotHave(t *testing.T) {
	at := noon.Add(-time.Hour)
	discs := []float64{-7, -15, -23}
	for _, c := range []struct {
		name, unit, kind string
		body             m
		why              api.Note
	}{
		{"PG of an EG instrument", "TK-14", "freeze_test", m{"value": reading(-33, "degC"), "instrument": "refractometer", "scale": "PG", "tool": "R-3"}, api.NoteInstrumentScale},
		{"another chart than its own", "TK-14", "freeze_test", m{"value": reading(3, "discs"), "instrument": "discs", "chart": discs, "tool": "D-1"}, api.NoteInstrumentChart},
		{"a refractometer that is a hydrometer", "TK-14", "freeze_test", m{"value": reading(-33, "degC"), "instrument": "refractometer", "scale": "EG", "tool": "H-1"}, api.NoteInstrumentKind},
		{"strips past their day", "TK-14", "chemistry_test", m{"method": "strip", "ph": 8, "phTo": 8.5, "tool": "strips, old tube"}, api.NoteStripRefused},
		{"zero on a scale it has not", "TK-14", "zero_check", m{"tool": "R-3", "zero": reading(0, "brix")}, api.NoteInstrumentScale},
		{"what it can", "TK-14", "note", m{"text": "nothing to judge"}, ""},
	} {
		before := get[api.Account](t, "/api/v1/units/"+c.unit)
		res, text := ask(t, "POST", "/api/v1/units/"+c.unit+"/entries/preview", entry(c.kind, at, c.body))
		if res.StatusCode != http.StatusOK || c.why != "" && !strings.Contains(string(text), string(c.why)) {
			t.Errorf("%s: preview %d %.300s", c.name, res.StatusCode, text)
		}
		form, round := entry(c.kind, at, c.body), entry(c.kind, at.Add(time.Second), c.body)
		answered[api.Receipt](t, "POST", "/api/v1/units/"+c.unit+"/entries", form, http.StatusCreated)
		// Sent again it is the same entry, whatever the register says by then.
		answered[api.Receipt](t, "POST", "/api/v1/units/"+c.unit+"/entries", form, http.StatusCreated)
		if r := batch(t, access.Technician, sentLine(t, c.unit, round)).Results[0]; r.State != "written" {
			t.Errorf("%s: by a round %+v", c.name, r)
		}
		after := get[api.Account](t, "/api/v1/units/"+c.unit+"?lines=60")
		for _, id := range []any{form["id"], round["id"]} {
			i := slices.IndexFunc(after.Lines, func(l api.Line) bool { return l.Id.String() == id })
			if i < 0 || c.why != "" && !slices.ContainsFunc(after.Lines[i].Notes, func(n api.LineNote) bool { return n.Code == c.why }) {
				t.Errorf("%s: line %d of %v", c.name, i, after.Lines)
			}
		}
		if was, is := before.Balance.Freeze, after.Balance.Freeze; was == nil || is == nil || *was != *is {
			t.Errorf("%s: protected to %v before and %v after", c.name, was, is)
		}
		for _, id := range []any{form["id"], round["id"]} {
			ask(t, "POST", "/api/v1/units/"+c.unit+"/entries", entry("strike", noon.Add(-time.Minute), m{"entry": id, "why": "a test of the tests"}))
		}
	}
}

// Lines of one act, such as the strikes of an undo, are written all or none, over the circuits of a unit; sent again they are there
// already. An act over two units is refused.
func TestAct(t *testing.T) {
	at := noon.Add(-2 * time.Hour)
	own, further, others := entry("note", at, m{"text": "of the engine"}), entry("note", at, m{"text": "of the battery"}), entry("note", at, m{"text": "by the coordinator"})
	for _, r := range batch(t, access.Technician, sentLine(t, "CA-62", own), sentLine(t, "CA-62 battery", further)).Results {
		if r.State != "written" {
			t.Fatalf("%+v", r)
		}
	}
	if r := batch(t, access.Coordinator, sentLine(t, "CA-62 battery", others)).Results[0]; r.State != "written" {
		t.Fatalf("%+v", r)
	}
	act := func(unit string, struck m, id string) m {
		line := sentLine(t, unit, entry("strike", noon.Add(-time.Hour), m{"entry": struck["id"], "why": "undone on the round"}))
		line["act"] = id
		return line
	}
	struck := func() int {
		ids := map[any]bool{}
		for _, unit := range []string{"CA-62", "CA-62%20battery"} {
			for _, l := range get[api.Account](t, "/api/v1/units/"+unit+"?lines=20").Lines {
				if id := l.Id.String(); l.Struck != nil && (id == own["id"] || id == further["id"] || id == others["id"]) {
					ids[id] = true
				}
			}
		}
		return len(ids)
	}
	// The second is not the technician's to strike: the first is not struck either, in any order.
	for _, turn := range []bool{false, true} {
		id := uuid.Must(uuid.NewV7()).String()
		lines := []m{act("CA-62", own, id), act("CA-62 battery", others, id)}
		if turn {
			slices.Reverse(lines)
		}
		for i, r := range batch(t, access.Technician, lines...).Results {
			if r.State != "refused" || r.Problem == nil {
				t.Errorf("line %d: %+v", i, r)
			}
		}
		if n := struck(); n != 0 {
			t.Fatalf("%d lines are struck of an act that was refused", n)
		}
	}
	id := uuid.Must(uuid.NewV7()).String()
	lines := []m{act("CA-62", own, id), act("CA-62 battery", further, id)}
	for _, want := range []api.EntryOutcomeState{"written", "already"} {
		for i, r := range batch(t, access.Technician, lines...).Results {
			if r.State != want {
				t.Errorf("line %d: %+v, want %s", i, r, want)
			}
		}
		if n := struck(); n != 2 {
			t.Errorf("%d lines are struck", n)
		}
	}
	// Two lines with one id and no act are each by themselves.
	first := entry("note", at, m{"text": "sent first"})
	second := m{}
	maps.Copy(second, first)
	second["note"] = m{"text": "with the same id"}
	same := batch(t, access.Technician, sentLine(t, "CA-62", first), sentLine(t, "CA-62", second)).Results
	if same[0].State != "written" || same[1].State != "refused" {
		t.Errorf("one id twice: %s, %s", same[0].State, same[1].State)
	}
	two := uuid.Must(uuid.NewV7()).String()
	for _, r := range batch(t, access.Coordinator, act("CA-62", own, two), act("CA-22", own, two)).Results {
		if r.State != "refused" || !strings.Contains(fmt.Sprint(*r.Problem.Detail), "one unit") {
			t.Errorf("of two units: %+v", r)
		}
	}
}
