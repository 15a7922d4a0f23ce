package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/google/uuid"

	"diligentledger/api"
	"diligentledger/internal/testday"
	"diligentledger/internal/testfolder"
)

// point of the middle of an element on the screen.
type point struct{ X, Y float64 }

func (b *tab) middle(selector string) point {
	b.t.Helper()
	b.wait(selector)
	js[chromedp.Void](b, fmt.Sprintf(`document.querySelector(%q).scrollIntoView({ block: "center" })`, selector))
	return js[point](b, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return { X: r.x + Math.min(30, r.width / 2), Y: r.y + r.height / 2 } })()`, selector))
}

func (b *tab) mouse(kind input.DispatchMouseEventType, at point) {
	b.t.Helper()
	button, buttons := input.MouseButtonLeft, int64(1)
	if kind == "mouseMoved" {
		button = input.MouseButtonNone
	}
	if _, err := chromedp.Call(b.ctx, input.DispatchMouseEvent, input.DispatchMouseEventParams{Type: kind, X: at.X, Y: at.Y, Button: button, Buttons: buttons, ClickCount: 1}); err != nil {
		b.fail(err)
	}
}

// drag an element onto another with the mouse, in small moves as a hand makes them, and say what is announced over it.
func (b *tab) drag(from, to string) (said string) {
	b.t.Helper()
	target := b.middle(to)
	start := js[point](b, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return { X: r.x + r.width / 2, Y: r.y + r.height / 2 } })()`, from))
	if start.Y < 0 || start.Y > 1000 {
		b.t.Fatalf("%s and %s do not fit the window together", from, to)
	}
	b.mouse("mouseMoved", start)
	b.mouse("mousePressed", start)
	const moves = 12
	for n := range moves + 1 {
		share := float64(n) / moves
		b.mouse("mouseMoved", point{start.X + share*(target.X-start.X), start.Y + share*(target.Y-start.Y)})
	}
	// On a busy machine the board may still grow while it is carried: the hand follows the place.
	for range 20 {
		if js[bool](b, fmt.Sprintf(`Boolean(document.querySelector(%q).closest("td")?.classList.contains("is-over"))`, to)) {
			break
		}
		target = js[point](b, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return { X: r.x + Math.min(30, r.width / 2), Y: r.y + r.height / 2 } })()`, to))
		b.mouse("mouseMoved", point{target.X + 1, target.Y})
		b.mouse("mouseMoved", target)
		time.Sleep(untilPoll)
	}
	b.until(`document.querySelector('.carrying') && !document.querySelector('.carrying').innerText.endsWith('asking …') && document.querySelector('.board td.is-over')`)
	said = b.text(`.carrying`)
	b.mouse("mouseReleased", target)
	b.until(`!document.querySelector('.carrying')`)
	return said
}

// planOf the program as its API gives it.
func planOf(t *testing.T, p *program, from string, weeks int) (board api.PlanBoard) {
	t.Helper()
	status, text := p.send(t, p.session(t, coordinator), "GET", fmt.Sprintf("/api/v1/plan?from=%s&weeks=%d", from, weeks), nil)
	if status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
	if err := json.Unmarshal(text, &board); err != nil {
		t.Fatal(err)
	}
	return board
}

func jobOf(t *testing.T, board api.PlanBoard, unit string) api.PlanJob {
	t.Helper()
	i := slices.IndexFunc(board.Jobs, func(j api.PlanJob) bool { return j.Unit == unit })
	if i < 0 {
		t.Fatalf("%s is not on the work list", unit)
	}
	return board.Jobs[i]
}

// cell of a day in a bay, as the board numbers them.
func cell(t *testing.T, board api.PlanBoard, day, site, bay string) string {
	t.Helper()
	at := func(id int64) string {
		for _, s := range board.Sites {
			if s.Id == id {
				return s.Name
			}
		}
		return ""
	}
	d := slices.IndexFunc(board.Days, func(o api.PlanBoardDay) bool { return o.Day.String() == day })
	n := slices.IndexFunc(board.Bays, func(o api.PlanBay) bool { return o.Name == bay && at(o.Bay.Site) == site })
	if d < 0 || n < 0 {
		t.Fatalf("no cell of %s in %s at %s", day, bay, site)
	}
	return fmt.Sprintf(`[data-cell="%d/%d"]`, d, n)
}

// everyDay opens the inland depot on each day of the week and year, so that the test means the same on a Sunday and at Christmas.
func everyDay(t *testing.T, p *program) {
	t.Helper()
	s := p.session(t, coordinator)
	// put reports false for a database that was too busy: nothing was written then.
	put := func(path string, facts map[string]string) bool {
		status, text := p.send(t, s, "GET", path, nil)
		var record api.RegisterRecord
		if err := json.Unmarshal(text, &record); err != nil || status != http.StatusOK {
			t.Fatalf("%d %s", status, text)
		}
		body, _ := json.Marshal(map[string]any{"facts": facts})
		req, err := http.NewRequestWithContext(t.Context(), "PUT", p.address+path, strings.NewReader(string(body)))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		req.Header.Set("If-Match", record.Revision)
		req.Header.Set("Cookie", "session="+s)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatalf("%s: %v", path, err)
		}
		res.Body.Close()
		if res.StatusCode != http.StatusOK && res.StatusCode != http.StatusServiceUnavailable {
			t.Fatalf("%s: %d", path, res.StatusCode)
		}
		return res.StatusCode == http.StatusOK
	}
	change := func(path string, facts map[string]string) {
		for range 10 {
			if put(path, facts) {
				return
			}
		}
		t.Fatalf("%s: 503, ten times", path)
	}
	for id := 1; id <= 4; id++ {
		facts := map[string]string{"days": "mon,tue,wed,thu,fri,sat,sun", "closed": "", "bays_closed": "", "hours": "12 h"}
		if id == 1 { // its cold comes in a month, whatever the season
			cold := slices.Repeat([]string{"-8"}, 12)
			for ahead := 1; ahead <= 2; ahead++ {
				cold[(int(testday.Now().Month())-1+ahead)%12] = "-30"
			}
			facts["nights"], facts["cold"] = "none", strings.Join(cold, ";")
		}
		change(fmt.Sprintf("/api/v1/register/site/records/%d", id), facts)
	}
	for id := 1; id <= 5; id++ {
		change(fmt.Sprintf("/api/v1/register/technician/records/%d", id), map[string]string{"days": "", "absent": ""})
	}
}

// hardNightAhead weakens the coolant of a car until its hard night lies a week to three weeks ahead, and puts the correction on the work list: the
// night, as a day.
func hardNightAhead(t *testing.T, p *program, unit string) string {
	t.Helper()
	s := p.session(t, coordinator)
	today := testday.Now()
	for c := -34.0; c < -9; c += 0.5 { // a colder test than the one before would not be believed
		entry := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "kind": "freeze_test", "at": testday.Now().UTC().Format(time.RFC3339Nano),
			"confirmed": true, "freezeTest": map[string]any{"value": map[string]any{"value": c, "unit": "degC"}, "instrument": "refractometer", "scale": "EG"}}
		if status, text := p.send(t, s, "POST", "/api/v1/units/"+unit+"/entries", entry); status != http.StatusCreated && status != http.StatusOK {
			t.Fatalf("%d %s", status, text)
		}
		var account api.Account
		if err := json.Unmarshal([]byte(p.get(t, "/api/v1/units/"+unit)), &account); err != nil {
			t.Fatal(err)
		}
		g := account.Status.Clocks[0]
		if g.Kind != "freeze" || g.Window == nil || g.Window.P10.Sub(today).Hours() > 20*24 {
			continue
		}
		if status, text := p.send(t, s, "POST", "/api/v1/work-list", map[string]any{"units": []string{unit}, "from": today.Format(time.DateOnly)}); status != http.StatusOK {
			t.Fatalf("%d %s", status, text)
		}
		j := jobOf(t, planOf(t, p, today.Format(time.DateOnly), 2), unit)
		if j.Work != "correction" || j.Night == nil || j.Night.Sub(today) < 6*24*time.Hour {
			t.Fatalf("%+v", j)
		}
		return j.Night.String()
	}
	t.Fatalf("no protection gives %s a hard night ahead", unit)
	return ""
}

// A coordinator proposes, drags a job onto a bay that does not take it (refused with the reason) and onto a day after its night (warned
// with the night), undoes, agrees the week, and finds the job on its day under Job; a second browser sees each move.
func TestPlan(t *testing.T) {
	t.Parallel() // its program is its own
	p := mustBegin(t, testfolder.New(t))
	everyDay(t, p)
	night := hardNightAhead(t, p, "CA-20")
	b, other := newTabAt(t, p, coordinator), newTabAt(t, p, technician)
	b.view("/plan?weeks=2", `.board`, 1280, 1500, false)
	other.view("/plan?weeks=2", `.board`, 1280, 1500, false)
	today := testday.Now().Format(time.DateOnly)

	// Proposed: everything that runs out in these days, and no rule is broken.
	b.tap("propose …")
	b.choose(`.plan-form select`, "due")
	b.click(`.plan-form .solid`)
	b.until(`document.querySelector('.plan-made')`)
	if said := b.text(`.plan-made`); !strings.Contains(said, "jobs placed") {
		t.Errorf("made: %s", said)
	}
	b.keep("plan-proposed")
	board := planOf(t, p, today, 2)
	placed := 0
	for _, j := range board.Jobs {
		if j.State == api.PlanJobStatePlaced {
			placed++
		}
		if len(j.Breaks) > 0 {
			t.Errorf("%s breaks %v", j.Unit, j.Breaks)
		}
	}
	if placed < 15 {
		t.Errorf("%d jobs placed", placed)
	}
	if len(board.Nights) > 0 {
		t.Errorf("nights that nothing prevents: %+v", board.Nights)
	}
	other.until(fmt.Sprintf(`document.querySelectorAll('.board [data-job]').length >= %d`, placed-2))
	if other.text(`.plan-tools`) == "" || strings.Contains(other.text(`.plan-tools`), "propose") {
		t.Error("a technician may propose")
	}

	// Onto a bay of another kind: refused, with the reason, and it stays where it was.
	job := jobOf(t, board, "CA-20")
	if job.Place == nil || job.Night == nil || job.Night.String() != night || !job.Place.Day.Before(job.Night.Time) {
		t.Fatalf("CA-20 is placed at %+v, its night is %v", job.Place, night)
	}
	day := job.Place.Day.String()
	car := fmt.Sprintf(`[data-job="%d"]`, job.Id)
	said := b.drag(car, cell(t, board, day, "Inland depot", "heavy bay 1"))
	if !strings.Contains(said, "not possible") || !strings.Contains(said, "another kind of bay") {
		t.Errorf("over the heavy bay: %s", said)
	}
	b.until(`document.querySelector('[data-broken="refused"]')?.innerText.includes('another kind of bay')`)
	if now := jobOf(t, planOf(t, p, today, 2), "CA-20"); now.Place.Day.String() != day || now.Place.Bay != job.Place.Bay {
		t.Errorf("it moved to %+v", now.Place)
	}
	b.tap("leave it where it is")

	// Onto a day after its night, in the week of that night: warned with the night that catches it, placed when that is accepted.
	late := job.Night.AddDate(0, 0, 1).Format(time.DateOnly)
	b.view("/plan?weeks=4&from="+day, `.board.weeks`, 1280, 1500, false)
	b.choose(`.plan-tools select`, "2")
	seen := planOf(t, p, late, 2)
	if jobOf(t, seen, "CA-20").Place.Day.Before(seen.From.Time) {
		// Its day is not among those that are shown: placed by the form.
		b.view("/plan?weeks=2&from="+day, `.board `+car, 1280, 1500, false)
		js[chromedp.Void](b, `document.querySelector('`+car+`').click()`)
		b.wait(`.place-form input`)
		b.set(`.place-form input`, late)
		b.until(`document.querySelector('.place-form .solid').disabled`) // while the date is being read
		b.until(`!document.querySelector('.place-form .solid').disabled`)
		b.click(`.place-form .solid`)
	} else {
		b.view("/plan?weeks=2&from="+late, `.board `+car, 1280, 1500, false)
		if said = b.drag(car, cell(t, seen, late, "Inland depot", "car bay 2")); !strings.Contains(said, "would catch it") {
			t.Errorf("over the late day: %s", said)
		}
	}
	b.until(`document.querySelector('[data-broken="warned"]')?.innerText.includes('would catch it')`)
	if now := jobOf(t, planOf(t, p, late, 2), "CA-20"); now.Place.Day.String() != day {
		t.Errorf("it moved to %+v before it was accepted", now.Place)
	}
	b.keep("plan-warned")
	b.tap("place it all the same")
	b.until(`!document.querySelector('[data-broken]')`)
	b.view("/plan?weeks=2&from="+late, `.board `+car, 1280, 1500, false)
	b.until(`document.querySelector('` + car + `.caught')`)
	if now := jobOf(t, planOf(t, p, late, 2), "CA-20"); now.Place.Day.String() != late || !now.Caught || !strings.Contains(strings.Join(now.Warnings, " "), "would catch it") {
		t.Errorf("after it was accepted: %+v %v", now.Place, now.Warnings)
	}

	// Undone: back where it was, for the other browser as well.
	b.tap("undo")
	b.until(`!document.querySelector('` + car + `.caught')`)
	if now := jobOf(t, planOf(t, p, today, 2), "CA-20"); now.Place == nil || now.Place.Day.String() != day {
		t.Errorf("undone to %+v", now.Place)
	}
	other.until(fmt.Sprintf(`document.querySelector('%s %s')`, cell(t, board, day, "Inland depot", bayOfJob(board, job)), car))

	// To today by the keys alone; then the week is agreed, and nothing of it moves.
	b.view("/plan?weeks=2", `.board `+car, 1280, 1500, false)
	b.carry(t, planOf(t, p, today, 2), job, today)
	now := jobOf(t, planOf(t, p, today, 2), "CA-20")
	if now.Place.Day.String() != today {
		t.Fatalf("by the keys it went to %+v", now.Place)
	}
	monday := board.From.String()
	js[chromedp.Void](b, `document.querySelector('[data-week="`+monday+`"] button').click()`)
	b.until(`document.querySelector('[data-week="` + monday + `"]').innerText.includes('agreed, ') && document.querySelector('[data-week="` + monday + `"] button').innerText === 'unlock'`)
	if status, text := p.send(t, p.session(t, coordinator), "POST", "/api/v1/plan/move", map[string]any{"item": job.Id, "was": now.Place, "day": day, "bay": now.Place.Bay}); status != http.StatusConflict {
		t.Errorf("a job of an agreed week was moved: %d %s", status, text)
	}
	other.until(`document.querySelector('[data-week="` + monday + `"]').innerText.includes('agreed, ') && !document.querySelector('[data-week="` + monday + `"]').innerText.includes('not agreed')`)

	// On its day it is on the Job tab and in the day of who does it.
	b.open("/job", `[data-planned-today="CA-20"]`)
	b.click(`[data-planned-today="CA-20"] a`)
	b.wait(`.job-start`)
	other.view(fmt.Sprintf("/plan/day?technician=%d", now.Place.Technician), `[data-unit="CA-20"]`, 390, 844, false)
	other.keep("plan-day-phone")
	other.accessible("plan-day-phone")
	b.view("/plan?weeks=2", `.board `+car, 1280, 800, false)
	js[chromedp.Void](b, `document.querySelector('`+car+`').click()`)
	b.until(`document.querySelector('.why-there h3')`)
	b.accessible("plan-selected")
	b.keep("plan-selected")
	b.calm()
}

func bayOfJob(board api.PlanBoard, j api.PlanJob) string {
	for _, b := range board.Bays {
		if b.Bay == j.Place.Bay {
			return b.Name
		}
	}
	return ""
}

// carry a job to a day in its own bay by the keys, along its row.
func (b *tab) carry(t *testing.T, board api.PlanBoard, job api.PlanJob, day string) {
	t.Helper()
	selector := fmt.Sprintf(`[data-job="%d"]`, job.Id)
	at := func(d string) int {
		return slices.IndexFunc(board.Days, func(o api.PlanBoardDay) bool { return o.Day.String() == d })
	}
	from, to := at(jobOf(t, board, job.Unit).Place.Day.String()), at(day)
	js[chromedp.Void](b, `document.querySelector('`+selector+`').focus()`)
	b.press(" ")
	b.until(`document.querySelector('.carrying') && !document.querySelector('.carrying').innerText.includes('asking …')`)
	for range from - to {
		b.press(kb.ArrowLeft)
	}
	for range to - from {
		b.press(kb.ArrowRight)
	}
	b.until(`document.querySelector('.carrying')?.innerText.includes('free')`)
	b.press(kb.Enter)
	b.until(`!document.querySelector('.carrying')`)
	b.until(`document.querySelector('` + cell(t, board, day, "Inland depot", bayOfJob(board, jobOf(t, board, job.Unit))) + ` ` + selector + `')`)
	b.until(`document.activeElement?.dataset.job === '` + fmt.Sprint(job.Id) + `'`)
}

// The plan of the demo fleet as it is: a crowded week and a quiet one, light and dark, and a day on a phone; nothing of them is serious
// for axe-core. With -shots the pictures are kept.
func TestPlanPictures(t *testing.T) {
	t.Parallel() // its program is its own
	p := mustBegin(t, testfolder.New(t))
	today := testday.Now()
	monday := today.AddDate(0, 0, 7-(int(today.Weekday())+6)%7).Format(time.DateOnly)
	status, text := p.send(t, p.session(t, coordinator), "POST", "/api/v1/plan/propose", map[string]any{"from": today.AddDate(0, 0, 1).Format(time.DateOnly), "to": today.AddDate(0, 0, 60).Format(time.DateOnly), "allDue": true})
	if status != http.StatusOK {
		t.Fatalf("%d %s", status, text)
	}
	board := planOf(t, p, monday, 2)
	var some api.PlanJob
	for _, j := range board.Jobs {
		if j.State == api.PlanJobStatePlaced && j.Sheet && (some.Id == 0 || j.Night != nil && j.Night.After(today)) {
			some = j
		}
	}
	b := newTabAt(t, p, coordinator)
	for _, v := range []struct {
		name, path    string
		width, height int64
		dark          bool
	}{
		{"plan", "/plan?weeks=2&from=" + monday, 1280, 800, false},
		{"plan-dark", "/plan?weeks=2&from=" + monday, 1280, 800, true},
		{"plan-quiet", "/plan?weeks=1&from=" + today.AddDate(0, 0, 56).Format(time.DateOnly), 1280, 800, false},
		{"plan-weeks", "/plan?weeks=13&from=" + monday, 1280, 800, true},
		{"plan-phone", fmt.Sprintf("/plan/day?technician=1&day=%s", some.Place.Day), 390, 844, false},
	} {
		b.view(v.path, `.board, .day-title`, v.width, v.height, v.dark)
		if v.name == "plan-dark" {
			js[chromedp.Void](b, fmt.Sprintf(`document.querySelector('[data-job="%d"]')?.click()`, some.Id))
		}
		b.do(chromedp.Sleep(500 * time.Millisecond))
		b.accessible(v.name)
		if v.name == "plan" || v.name == "plan-phone" {
			b.picture(v.name)
		} else {
			b.keep(v.name)
		}
	}
	for _, panel := range []string{"propose …", "what if …", "calendars"} {
		b.view("/plan?weeks=2&from="+monday, `.board`, 1280, 800, false)
		b.tap(panel)
		b.wait(`.plan-form`)
		b.accessible(panel)
	}
	b.calm()
}
