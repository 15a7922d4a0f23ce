package web_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/emersion/go-ical"

	"diligentledger/api"
	"diligentledger/core/access"
)

// The week after the one of noon.
var nextMonday = monday(0)

// dayAfter is a number of days after noon's.
func dayAfter(after int) string { return noon.AddDate(0, 0, after).Format(time.DateOnly) }

// monday is the one after noon's day, and a number of days on.
func monday(after int) string { return dayAfter(7 - (int(noon.Weekday())+6)%7 + after) }

// said is a day as it is said in a sentence.
func said(date string) string {
	d, err := time.Parse(time.DateOnly, date)
	if err != nil {
		panic(err)
	}
	return d.Format("Mon 2 Jan 2006")
}

func board(t *testing.T) api.PlanBoard {
	return get[api.PlanBoard](t, "/api/v1/plan?from="+dayAfter(0)+"&weeks=3")
}

func planned(t *testing.T, unit string) api.PlanJob {
	t.Helper()
	b := board(t)
	i := slices.IndexFunc(b.Jobs, func(j api.PlanJob) bool { return j.Unit == unit })
	if i < 0 {
		t.Fatalf("%s is not on the work list", unit)
	}
	return b.Jobs[i]
}

func bayOf(t *testing.T, site, name string) api.PlanBayName {
	t.Helper()
	b := board(t)
	for _, s := range b.Sites {
		for _, bay := range b.Bays {
			if s.Name == site && bay.Bay.Site == s.Id && bay.Name == name {
				return bay.Bay
			}
		}
	}
	t.Fatalf("no %s at %s", name, site)
	return api.PlanBayName{}
}

// answered with a status.
func answered[T any](t *testing.T, method, path string, body any, status int, extra ...string) (out T) {
	t.Helper()
	res, text := ask(t, method, path, body, extra...)
	if res.StatusCode != status {
		t.Fatalf("%s %s %v: %d %s", method, path, body, res.StatusCode, text)
	}
	if status == http.StatusOK || status == http.StatusCreated {
		if err := json.Unmarshal(text, &out); err != nil {
			t.Fatal(err)
		}
	}
	return out
}

type none struct{}

// workingWeeks skips a test that rests on weeks of work on days whose next three weeks have the holidays of the demo sites.
func workingWeeks(t *testing.T) {
	t.Helper()
	for d := range 21 {
		if at := noon.AddDate(0, 0, d); at.Month() == time.December && at.Day() >= 24 || at.Month() == time.January && at.Day() == 1 {
			t.Skipf("the sites are closed on %s", at.Format(time.DateOnly))
		}
	}
}

// onThePlan proposes everything that runs out in the weeks after this one; back takes away what it added.
func onThePlan(t *testing.T) (back func()) {
	t.Helper()
	before := board(t)
	back = func() {
		t.Helper()
		for _, week := range []string{monday(-7), nextMonday} {
			answered[none](t, "DELETE", "/api/v1/plan/weeks/"+week, nil, http.StatusNoContent)
		}
		var ids []int64
		var placed []m
		for _, j := range board(t).Jobs {
			if j.Place != nil {
				placed = append(placed, m{"item": j.Id, "was": j.Place})
			}
			if !slices.ContainsFunc(before.Jobs, func(o api.PlanJob) bool { return o.Id == j.Id }) {
				ids = append(ids, j.Id)
			}
		}
		if len(placed) > 0 {
			answered[none](t, "POST", "/api/v1/plan/take-off", m{"items": placed}, http.StatusNoContent)
		}
		if len(ids) > 0 {
			answered[none](t, "POST", "/api/v1/work-list/remove", m{"ids": ids}, http.StatusNoContent)
		}
	}
	made := answered[api.PlanProposal](t, "POST", "/api/v1/plan/propose", m{"from": dayAfter(1), "to": monday(13), "allDue": true}, http.StatusOK)
	if made.Placed < 20 || made.Added < 15 {
		back()
		t.Fatalf("proposed %+v", made)
	}
	return back
}

// A proposal breaks no rule and leaves no night that nothing prevents; a second one moves nothing but for a
// cheaper plan (the search is no proof of the optimum); undone, nothing is placed, and done again it is as it was.
func TestPlanProposal(t *testing.T) {
	defer onThePlan(t)()
	first := board(t)
	var placed int
	for _, j := range first.Jobs {
		if len(j.Breaks) > 0 {
			t.Errorf("%s breaks %v", j.Unit, j.Breaks)
		}
		if j.State == api.PlanJobStatePlaced {
			placed++
			if j.Technician == nil || j.Place.Day.Format(time.DateOnly) < dayAfter(1) || j.Hands <= 0 {
				t.Errorf("%s: %+v", j.Unit, j)
			}
		}
		if j.Night != nil && j.Place != nil && j.Night.After(noon) && !j.Place.Day.Before(j.Night.Time) {
			t.Errorf("%s is placed on %s, its night is %s", j.Unit, j.Place.Day, j.Night)
		}
	}
	if len(first.Nights) > 0 || placed == 0 || len(first.Mixing) == 0 || first.Cost <= 0 {
		t.Errorf("%d placed, nights %+v, mixing %v, cost %v", placed, first.Nights, first.Mixing, first.Cost)
	}
	request := m{"from": dayAfter(1), "to": monday(13), "again": true}
	again := answered[api.PlanProposal](t, "POST", "/api/v1/plan/propose", request, http.StatusOK)
	if cost := board(t).Cost; again.Moved == 0 && cost != first.Cost || again.Moved > 0 && cost >= first.Cost {
		t.Errorf("proposed again, %d moved, and the plan costs %v, before %v", again.Moved, cost, first.Cost)
	}
	answered[none](t, "POST", "/api/v1/plan/undo", m{"redo": false}, http.StatusNoContent)
	if b := board(t); slices.ContainsFunc(b.Jobs, func(j api.PlanJob) bool { return j.Place != nil }) != b.Undo {
		// The second proposal may have changed nothing, and then the first one is undone.
		t.Logf("undo left %v", b.Undo)
	}
	for board(t).Undo {
		answered[none](t, "POST", "/api/v1/plan/undo", m{"redo": false}, http.StatusNoContent)
	}
	if b := board(t); slices.ContainsFunc(b.Jobs, func(j api.PlanJob) bool { return j.Place != nil }) || !b.Redo {
		t.Error("undone, something is placed")
	}
	answered[none](t, "POST", "/api/v1/plan/undo", m{"redo": false}, http.StatusConflict)
	answered[none](t, "POST", "/api/v1/plan/undo", m{"redo": true}, http.StatusNoContent)
	for _, j := range board(t).Jobs {
		was := first.Jobs[slices.IndexFunc(first.Jobs, func(o api.PlanJob) bool { return o.Id == j.Id })]
		if fmt.Sprint(j.Place) != fmt.Sprint(was.Place) && (j.Place == nil || was.Place == nil || *j.Place != *was.Place) {
			t.Errorf("%s done again at %+v, it was at %+v", j.Unit, j.Place, was.Place)
		}
	}
}

// What a move breaks is said in words, and the job stays where it was; what a person may decide is written once it is accepted.
func TestPlanMoves(t *testing.T) {
	workingWeeks(t)
	early := dayAfter(2) // a working day before the days that the job is meant for
	switch noon.Weekday() {
	case time.Thursday, time.Friday:
		early = dayAfter(0)
	case time.Saturday, time.Sunday:
		t.Skip("no working day is left before the week that the job is meant for")
	}
	ca := planned(t, "CA-14")
	answered[api.PlanProposal](t, "POST", "/api/v1/plan/propose", m{"from": dayAfter(1), "to": monday(13), "items": []int64{ca.Id}}, http.StatusOK)
	defer func() {
		answered[none](t, "POST", "/api/v1/plan/take-off", m{"items": []m{{"item": ca.Id, "was": planned(t, "CA-14").Place}}}, http.StatusNoContent)
	}()
	ca = planned(t, "CA-14")
	move := func(extra m) api.PlanMoved {
		t.Helper()
		body := m{"item": ca.Id, "was": ca.Place, "day": nextMonday, "bay": bayOf(t, "Inland depot", "car bay 1")}
		for k, v := range extra {
			body[k] = v
		}
		return answered[api.PlanMoved](t, "POST", "/api/v1/plan/move", body, http.StatusOK)
	}
	technician := func(name string) int64 {
		b := board(t)
		return b.Technicians[slices.IndexFunc(b.Technicians, func(o api.PlanTechnician) bool { return o.Name == name })].Id
	}
	for _, of := range []struct {
		name   string
		change m
		says   string
		warned bool
	}{
		{"another kind of bay", m{"bay": bayOf(t, "Inland depot", "heavy bay 1")}, "another kind of bay", false},
		{"a weekend", m{"day": monday(5)}, "Inland depot is closed on " + said(monday(5)), false},
		{"a bay out of use", m{"day": monday(1), "bay": bayOf(t, "Inland depot", "car bay 2")}, "car bay 2 is out of use on " + said(monday(1)) + ": lift repaired", false},
		{"somebody who is absent", m{"technician": technician("P. Vane")}, "P. Vane is not there on " + said(nextMonday) + ": holiday", false},
		{"somebody without the skill", m{"technician": technician("I. Sund"), "day": monday(2), "bay": bayOf(t, "Inland depot", "motorcycle lift 1")}, "another kind of bay", false},
		{"before its days", m{"day": early}, "it is meant for", true},
	} {
		got := move(of.change)
		if got.Placed || got.Warned != of.warned || !strings.Contains(strings.Join(got.Breaks, "; "), of.says) {
			t.Errorf("%s: %+v", of.name, got)
		}
		if now := planned(t, "CA-14"); *now.Place != *ca.Place {
			t.Fatalf("%s: it went to %+v", of.name, now.Place)
		}
	}
	if got := move(m{"day": early, "accepted": true}); !got.Placed {
		t.Errorf("accepted: %+v", got)
	}
	if now := planned(t, "CA-14"); now.Place.Day.Format(time.DateOnly) != early || len(now.Warnings) == 0 {
		t.Errorf("accepted, it is at %+v with %v", now.Place, now.Warnings)
	}
	// What no person may decide is refused, however often it is accepted.
	if got := answered[api.PlanMoved](t, "POST", "/api/v1/plan/move", m{"item": ca.Id, "was": planned(t, "CA-14").Place, "day": monday(5), "bay": ca.Place.Bay, "accepted": true}, http.StatusOK); got.Placed {
		t.Error("it was placed on a closed day")
	}
	for field, body := range map[string]m{"/day": {"day": dayAfter(-1)}, "/bay": {"bay": m{"site": 1, "kind": "car", "number": 9}}, "/technician": {"technician": 99}} {
		full := m{"item": ca.Id, "day": nextMonday, "bay": ca.Place.Bay, "was": planned(t, "CA-14").Place}
		for k, v := range body {
			full[k] = v
		}
		if res, text := ask(t, "POST", "/api/v1/plan/move", full); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"pointer":"`+field+`"`) {
			t.Errorf("%v: %d %s", body, res.StatusCode, text)
		}
	}
	// A move by a person who saw it elsewhere is refused, and writes over nothing.
	answered[none](t, "POST", "/api/v1/plan/move", m{"item": ca.Id, "was": ca.Place, "day": nextMonday, "bay": ca.Place.Bay}, http.StatusConflict)
	answered[none](t, "POST", "/api/v1/plan/pin", m{"item": ca.Id, "was": planned(t, "CA-14").Place, "pinned": true}, http.StatusNoContent)
	answered[api.PlanProposal](t, "POST", "/api/v1/plan/propose", m{"from": dayAfter(1), "to": monday(13), "again": true}, http.StatusOK)
	if now := planned(t, "CA-14"); now.Place.Day.Format(time.DateOnly) != early || !now.Place.Pinned {
		t.Errorf("pinned, it went to %+v", now.Place)
	}
}

// Two people who fill the same bay at once: it never holds more than its hours.
func TestTwoPeopleFillABay(t *testing.T) {
	defer onThePlan(t)()
	var jobs []api.PlanJob
	for _, j := range board(t).Jobs {
		if j.Bay == "car" && j.State == api.PlanJobStatePlaced && j.Site == "Inland depot" {
			jobs = append(jobs, j)
		}
	}
	if len(jobs) < 4 {
		t.Fatalf("%d jobs of cars", len(jobs))
	}
	bay := bayOf(t, "Inland depot", "car bay 1")
	var group sync.WaitGroup
	for _, j := range jobs {
		group.Go(func() {
			_, _, err := send(t.Context(), "POST", "/api/v1/plan/move", m{"item": j.Id, "was": j.Place, "day": monday(10), "bay": bay, "accepted": true}, "Cookie", cookies[access.Coordinator])
			if err != nil {
				t.Error(err)
			}
		})
	}
	group.Wait()
	b := board(t)
	for i, of := range b.Bays {
		if of.Bay == bay {
			for d := range b.Days {
				if of.Hours[d] > of.Open[d]+0.06 {
					t.Errorf("%s holds %v h of %v", b.Bays[i].Name, of.Hours[d], of.Open[d])
				}
			}
		}
	}
	for _, j := range b.Jobs {
		if len(j.Breaks) > 0 {
			t.Errorf("%s breaks %v", j.Unit, j.Breaks)
		}
	}
}

// An agreed week stays as it is until it is unlocked; it is agreed as it was seen, and what comes of it is counted.
func TestAgreedWeek(t *testing.T) {
	defer onThePlan(t)()
	seen := board(t)
	answered[none](t, "PUT", "/api/v1/plan/weeks/"+nextMonday, m{"revision": seen.Revision - 1}, http.StatusConflict)
	answered[none](t, "PUT", "/api/v1/plan/weeks/"+monday(1), m{"revision": seen.Revision}, http.StatusUnprocessableEntity)
	answered[none](t, "PUT", "/api/v1/plan/weeks/"+nextMonday, m{"revision": seen.Revision}, http.StatusNoContent)
	var inside api.PlanJob
	for _, j := range board(t).Jobs {
		if j.Place != nil && j.Place.Day.Format(time.DateOnly) >= nextMonday && j.Place.Day.Format(time.DateOnly) <= monday(6) {
			if !j.Agreed {
				t.Errorf("%s is in the week and not agreed", j.Unit)
			}
			inside = j
		}
	}
	answered[none](t, "POST", "/api/v1/plan/take-off", m{"items": []m{{"item": inside.Id, "was": inside.Place}}}, http.StatusConflict)
	answered[none](t, "POST", "/api/v1/plan/undo", m{"redo": false}, http.StatusConflict)
	answered[api.PlanProposal](t, "POST", "/api/v1/plan/propose", m{"from": dayAfter(1), "to": monday(13), "again": true}, http.StatusOK)
	if now := planned(t, inside.Unit); *now.Place != *inside.Place {
		t.Errorf("%s moved to %+v", inside.Unit, now.Place)
	}
	held := board(t).Held
	if len(held) != 1 || held[0].Agreed == 0 || !strings.Contains(held[0].Text, "not done") {
		t.Errorf("held: %+v", held)
	}
	answered[none](t, "DELETE", "/api/v1/plan/weeks/"+nextMonday, nil, http.StatusNoContent)
	answered[none](t, "POST", "/api/v1/plan/take-off", m{"items": []m{{"item": inside.Id, "was": inside.Place}}}, http.StatusNoContent)
}

// Options, reasons and what-if say what they say without changing anything.
func TestPlanReasons(t *testing.T) {
	workingWeeks(t)
	defer onThePlan(t)()
	before := board(t)
	ca := planned(t, "CA-14")
	options := get[api.PlanOptions](t, fmt.Sprintf("/api/v1/plan/items/%d/options?from=%s&weeks=3", ca.Id, dayAfter(0)))
	states := map[api.PlanOptionState]int{}
	for _, day := range options.Days {
		if len(day) != len(before.Bays) {
			t.Fatalf("%d of %d bays", len(day), len(before.Bays))
		}
		for _, o := range day {
			states[o.State]++
			if o.State == api.PlanOptionStateRefused && o.Text == "" || o.Cost < 0 && o.State == api.PlanOptionStateFree {
				t.Errorf("%+v", o)
			}
		}
	}
	if states[api.PlanOptionStateFree] == 0 || states[api.PlanOptionStateRefused] == 0 || states[api.PlanOptionStateWarned] == 0 || states[api.PlanOptionStateHere] != 1 {
		t.Errorf("options: %v", states)
	}
	why := get[api.PlanReasons](t, fmt.Sprintf("/api/v1/plan/items/%d", ca.Id))
	if len(why.Lines) < 2 || why.Lines[0].Heading != "On this day" || !strings.HasPrefix(why.Lines[1].Heading, "A week later, on ") {
		t.Errorf("why: %+v", why)
	}
	body := func(extra m) m {
		all := m{"from": dayAfter(1), "to": monday(13)}
		for k, v := range extra {
			all[k] = v
		}
		return all
	}
	b := board(t)
	sund := b.Technicians[slices.IndexFunc(b.Technicians, func(o api.PlanTechnician) bool { return o.Name == "I. Sund" })].Id
	for _, of := range []struct {
		supposed m
		title    string
		out      bool
	}{
		{m{"supposed": "less_bay", "bay": bayOf(t, "Inland depot", "car bay 2")}, "car bay 2 at Inland depot out of use", false},
		{m{"supposed": "less_technician", "technician": sund}, "I. Sund absent", true},
		{m{"supposed": "earlier", "days": 7}, "each hard night 7 days sooner", false},
		{m{"supposed": "new_site", "name": "North quay", "kind": "dock"}, "a new site: North quay", false},
	} {
		got := answered[api.WhatIf](t, "POST", "/api/v1/plan/what-if", body(of.supposed), http.StatusOK)
		if got.Title != of.title || (len(got.Out) > 0) != of.out {
			t.Errorf("%v: %+v", of.supposed, got)
		}
		for _, l := range got.Out {
			if !strings.Contains(l.Text, "one more boat day at Harbour yard in week") {
				t.Errorf("%s falls out and would need %s", l.Unit, l.Text)
			}
		}
	}
	for field, extra := range map[string]m{"/bay": {"supposed": "less_bay"}, "/technician": {"supposed": "less_technician"}, "/days": {"supposed": "earlier"}, "/name": {"supposed": "new_site"}} {
		if res, text := ask(t, "POST", "/api/v1/plan/what-if", body(extra)); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), `"pointer":"`+field+`"`) {
			t.Errorf("%v: %d %s", extra, res.StatusCode, text)
		}
	}
	if after := board(t); after.Revision != before.Revision {
		t.Errorf("the plan is at revision %d, before %d", after.Revision, before.Revision)
	}
}

// A calendar by its secret address needs no session and changes with the plan; revoked, it answers nothing.
func TestPlanCalendars(t *testing.T) {
	defer onThePlan(t)()
	b := board(t)
	quayle := b.Technicians[slices.IndexFunc(b.Technicians, func(o api.PlanTechnician) bool { return o.Name == "T. Quayle" })]
	made := answered[struct{ Address string }](t, "POST", "/api/v1/plan/calendars", m{"of": "technician", "target": fmt.Sprint(quayle.Id)}, http.StatusCreated)
	read := func() map[string]*ical.Event {
		t.Helper()
		res, text, err := send(t.Context(), "GET", made.Address, nil)
		if err != nil || res.StatusCode != http.StatusOK || !strings.HasPrefix(res.Header.Get("Content-Type"), "text/calendar") {
			t.Fatalf("%v %d %s", err, res.StatusCode, text)
		}
		c, err := ical.NewDecoder(bytes.NewReader(text)).Decode()
		if err != nil {
			t.Fatal(err)
		}
		all := map[string]*ical.Event{}
		for _, e := range c.Events() {
			uid, err := e.Props.Text("UID")
			if err != nil {
				t.Fatal(err)
			}
			all[uid] = &e
		}
		return all
	}
	first := read()
	var job api.PlanJob
	n := 0
	for _, j := range b.Jobs {
		if j.Place != nil && j.Place.Technician == quayle.Id {
			job, n = j, n+1
		}
	}
	if len(first) != n || n == 0 {
		t.Fatalf("%d events of %d jobs", len(first), n)
	}
	uid := fmt.Sprintf("planned-%d@diligent-ledger.invalid", job.Id)
	sequence := func(e *ical.Event) int { v, _ := e.Props.Get("SEQUENCE").Int(); return v }
	answered[none](t, "POST", "/api/v1/plan/pin", m{"item": job.Id, "was": job.Place, "pinned": true}, http.StatusNoContent)
	changed := read()
	if changed[uid] == nil || sequence(changed[uid]) <= sequence(first[uid]) {
		t.Errorf("changed, its event is %v", changed[uid])
	}
	answered[none](t, "POST", "/api/v1/plan/take-off", m{"items": []m{{"item": job.Id, "was": planned(t, job.Unit).Place}}}, http.StatusNoContent)
	if gone := read(); gone[uid] != nil || len(gone) != n-1 {
		t.Errorf("taken off, %d of %d events are there", len(gone), n)
	}
	list := get[[]api.Calendar](t, "/api/v1/plan/calendars")
	if len(list) != 1 || list[0].Name != "T. Quayle" {
		t.Fatalf("%+v", list)
	}
	answered[none](t, "DELETE", fmt.Sprint("/api/v1/plan/calendars/", list[0].Id), nil, http.StatusNoContent)
	answered[none](t, "DELETE", fmt.Sprint("/api/v1/plan/calendars/", list[0].Id), nil, http.StatusNotFound)
	for _, path := range []string{made.Address, "/calendar/x.ics", "/calendar/" + strings.Repeat("A", 32)} {
		if res, text, err := send(t.Context(), "GET", path, nil); err != nil || res.StatusCode != http.StatusNotFound {
			t.Errorf("%s: %v %d %s", path, err, res.StatusCode, text)
		}
	}
	for _, of := range []string{"of=site&target=1", "of=bay&target=1-car-1", fmt.Sprintf("of=technician&target=%d", quayle.Id)} {
		if res, text := ask(t, "GET", "/api/v1/plan/calendar?"+of, nil); res.StatusCode != http.StatusOK || !bytes.HasPrefix(text, []byte("BEGIN:VCALENDAR\r\n")) {
			t.Errorf("%s: %d", of, res.StatusCode)
		}
	}
	if res, _ := ask(t, "GET", "/api/v1/plan/calendar?of=bay&target=1-car-9", nil); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a bay that there is not: %d", res.StatusCode)
	}
}

// A move of one person is seen by another within a second.
func TestPlanEvents(t *testing.T) {
	defer onThePlan(t)()
	ctx, cancel := context.WithTimeout(t.Context(), 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/api/v1/plan/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Cookie", cookies[access.Reader])
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	next := func() string {
		for lines.Scan() {
			if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				return data
			}
		}
		return ""
	}
	if first := next(); first != fmt.Sprint(board(t).Revision) {
		t.Fatalf("first %q", first)
	}
	ca := planned(t, "CA-14")
	began := time.Now()
	answered[none](t, "POST", "/api/v1/plan/pin", m{"item": ca.Id, "was": ca.Place, "pinned": true}, http.StatusNoContent)
	if second := next(); second != fmt.Sprint(board(t).Revision) || time.Since(began) > time.Second {
		t.Errorf("after %v: %q", time.Since(began), second)
	}
}

// My day is that of the technician with the e-mail of the account; a week comes on paper.
func TestPlanDayAndPaper(t *testing.T) {
	defer onThePlan(t)()
	var some api.PlanJob
	b := board(t)
	for _, j := range b.Jobs {
		if j.Technician != nil && *j.Technician == "T. Quayle" {
			some = j
		}
	}
	res, text := ask(t, "GET", "/api/v1/plan/day?day="+some.Place.Day.Format(time.DateOnly), nil, "Cookie", cookies[access.Technician])
	var day api.PlanDay
	if err := json.Unmarshal(text, &day); err != nil || res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if day.Name == nil || *day.Name != "T. Quayle" || !slices.ContainsFunc(day.Jobs, func(j api.PlanDayJob) bool { return j.Id == some.Id }) || day.Hours == "" {
		t.Errorf("%+v", day)
	}
	if none := get[api.PlanDay](t, "/api/v1/plan/day"); none.Technician != nil || len(none.Technicians) != 5 {
		t.Errorf("the coordinator is no technician: %+v", none)
	}
	for _, of := range []string{"technician", "bay"} {
		if res, pdf := ask(t, "GET", "/api/v1/plan/paper?of="+of+"&from="+nextMonday, nil); res.StatusCode != http.StatusOK || !bytes.HasPrefix(pdf, []byte("%PDF-")) || bytes.Count(pdf, []byte("/Type /Page\n")) < 5 {
			t.Errorf("%s: %d, %d bytes, %d pages", of, res.StatusCode, len(pdf), bytes.Count(pdf, []byte("/Type /Page\n")))
		}
	}
	for _, path := range []string{"/api/v1/plan?from=2019-01-01", "/api/v1/plan?from=soon", "/api/v1/plan?from=" + dayAfter(0) + "&weeks=99"} {
		if res, _ := ask(t, "GET", path, nil); res.StatusCode != http.StatusUnprocessableEntity {
			t.Errorf("%s: %d", path, res.StatusCode)
		}
	}
}
