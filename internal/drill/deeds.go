package drill

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"maps"
	"math/rand/v2"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"diligentledger/core/job"
	"diligentledger/internal/config"
	"diligentledger/internal/sheet"
)

// Tally counts the acknowledged operations of one worker by outcome.
type Tally struct {
	What                                 string
	Acknowledged, Lost, Doubled, Changed int
	// Stuck: what was begun and cannot be brought to its end.
	Stuck int
	// Wrong answers and findings, in words.
	Wrong []string
}

// Sound reports whether nothing is lost, doubled, changed or stuck.
func (t Tally) Sound() bool {
	return t.Lost+t.Doubled+t.Changed+t.Stuck+len(t.Wrong) == 0
}

// Worker does things of one kind, each until it is acknowledged, and looks at the end what became of them.
type Worker interface {
	// Run until ctx ends.
	Run(ctx context.Context)
	// Tally ends what is begun, once nothing is killed any more, and counts.
	Tally(ctx context.Context) Tally
}

// deeds is what the workers share.
type deeds struct {
	client *Client
	rng    *rand.Rand
	mu     sync.Mutex
	tally  Tally
}

func newDeeds(what string, c *Client, seed uint64) deeds {
	return deeds{client: c, rng: rand.New(rand.NewPCG(seed, uint64(len(what)))), tally: Tally{What: what}}
}

// until the program has answered for itself: not an error, nor "later". again says that it was sent more than once, so that an earlier
// one may have been taken. The status is 0 when ctx ended.
func (d *deeds) until(ctx context.Context, method, path string, body any, headers ...string) (status int, text []byte, again bool) {
	for ; ctx.Err() == nil; again = true {
		status, text, err := d.client.Call(ctx, method, path, body, headers...)
		if err == nil && status < 500 && status != http.StatusTooManyRequests {
			return status, text, again
		}
		pause(ctx, 20*time.Millisecond)
	}
	return 0, nil, again
}

// wrong keeps an answer that nothing explains.
func (d *deeds) wrong(ctx context.Context, what string, status int, text []byte) {
	if ctx.Err() == nil {
		d.tally.Wrong = append(d.tally.Wrong, fmt.Sprintf("%s: %d %.200s", what, status, text))
		pause(ctx, 100*time.Millisecond)
	}
}

// read an answer into a value; false when it is none.
func (d *deeds) read(ctx context.Context, path string, into any) bool {
	status, text, _ := d.until(ctx, http.MethodGet, path, nil)
	if status == 0 {
		return false
	}
	if status != http.StatusOK || json.Unmarshal(text, into) != nil {
		d.wrong(ctx, path, status, text)
		return false
	}
	return true
}

// Jobs of one unit, one after the other, from the first step to the release.
type Jobs struct {
	deeds
	unit     string
	jobs     map[string][]string // ids of acknowledged events by job
	released map[string]bool
	open     string // a job that is not released yet
	sim      *job.Simulator
	// sent is the last answer, of which is not known whether it was taken; nil once it is.
	sent *sentAnswer
}

type sentAnswer struct {
	step   job.Step
	values map[string]job.Value
}

// NewJobs on a unit that nobody else works on, by somebody who may release it.
func NewJobs(c *Client, unit string, seed uint64) *Jobs {
	return &Jobs{deeds: newDeeds("jobs on "+unit, c, seed), unit: unit, jobs: map[string][]string{}, released: map[string]bool{}}
}

// Run jobs.
func (j *Jobs) Run(ctx context.Context) {
	for ctx.Err() == nil {
		if j.one(ctx); j.open != "" {
			return
		}
	}
}

type jobAnswer struct {
	Pack string `json:"pack"`
}

// one job; open stays its id when it is not brought to its end.
func (j *Jobs) one(ctx context.Context) {
	id := uuid.Must(uuid.NewV7()).String()
	status, text, _ := j.until(ctx, http.MethodPost, "/api/v1/jobs", map[string]any{"id": id, "unit": j.unit, "job": "drain_fill"})
	if status != http.StatusOK {
		j.wrong(ctx, "start", status, text)
		return
	}
	j.mu.Lock()
	j.jobs[id], j.open, j.sim, j.sent = nil, id, nil, nil
	j.mu.Unlock()
	j.finish(ctx, id, text)
}

// finish a job from where it is.
func (j *Jobs) finish(ctx context.Context, id string, text []byte) {
	for n := 0; n < 200 && ctx.Err() == nil; n++ {
		var answer jobAnswer
		if err := json.Unmarshal(text, &answer); err != nil {
			j.wrong(ctx, "job", 0, text)
			return
		}
		p, err := sheet.ReadPack([]byte(answer.Pack))
		if err != nil {
			j.wrong(ctx, "pack", 0, []byte(err.Error()))
			return
		}
		st := p.Open(nil, now())
		if j.sim == nil {
			j.sim = job.NewSimulator(p.Setup)
		}
		if s := j.sent; s != nil {
			if after := st.Step(s.step.Key); after != nil && after.Status == job.Done {
				j.sim.Apply(s.step, s.values)
			} else {
				j.sim.Tried(s.step.Key)
			}
			j.sent = nil
		}
		if st.Next == "" || st.Next == "release" {
			status, text, again := j.until(ctx, http.MethodPost, "/api/v1/jobs/"+id+"/release", map[string]any{"what": "drain-and-fill done"})
			// An earlier one may have been taken: then it is released already.
			if status == http.StatusOK || again && status != 0 && j.isReleased(ctx, id) {
				j.mu.Lock()
				j.released[id], j.open = true, ""
				j.tally.Acknowledged++
				j.mu.Unlock()
			} else {
				j.wrong(ctx, "release", status, text)
			}
			return
		}
		step := *st.Step(st.Next)
		j.sent = &sentAnswer{step, j.sim.Answer(step)}
		e := map[string]any{"id": uuid.Must(uuid.NewV7()).String(), "at": now().UTC(), "type": "answer", "step": step.Key, "values": j.sent.values}
		if step.Answer != nil {
			e["replaces"] = step.Answer.ID
		}
		var status int
		if status, text, _ = j.until(ctx, http.MethodPost, "/api/v1/jobs/"+id+"/events", map[string]any{"events": []any{e}}); status != http.StatusOK {
			j.wrong(ctx, step.Key, status, text)
			return
		}
		j.mu.Lock()
		j.jobs[id] = append(j.jobs[id], e["id"].(string))
		j.tally.Acknowledged++
		j.mu.Unlock()
	}
}

func (j *Jobs) isReleased(ctx context.Context, id string) bool {
	var answer jobAnswer
	if !j.read(ctx, "/api/v1/jobs/"+id, &answer) {
		return false
	}
	p, err := sheet.ReadPack([]byte(answer.Pack))
	return err == nil && p.Open(nil, now()).Phase == job.PhaseDone
}

// Tally of the jobs: each event is kept once, each job has one hold and one release in the account.
func (j *Jobs) Tally(ctx context.Context) Tally {
	if j.open != "" {
		if status, text, _ := j.until(ctx, http.MethodGet, "/api/v1/jobs/"+j.open, nil); status == http.StatusOK {
			j.finish(ctx, j.open, text)
		}
		if j.open != "" {
			j.tally.Stuck++
		}
	}
	for id, events := range j.jobs {
		var answer jobAnswer
		if !j.read(ctx, "/api/v1/jobs/"+id, &answer) {
			continue
		}
		p, err := sheet.ReadPack([]byte(answer.Pack))
		if err != nil {
			j.tally.Lost += len(events)
			continue
		}
		there := map[string]int{}
		for _, e := range p.Events {
			there[e.ID]++
		}
		for _, e := range events {
			switch there[e] {
			case 0:
				j.tally.Lost++
			case 1:
			default:
				j.tally.Doubled++
			}
		}
		if st := p.Open(nil, now()); j.released[id] && st.Phase != job.PhaseDone {
			j.tally.Lost++
		}
	}
	for _, kind := range []string{"hold", "release", "renewal"} {
		n, err := countLines(ctx, j.client, j.unit, kind, "")
		switch {
		case err != nil:
			j.tally.Wrong = append(j.tally.Wrong, err.Error())
		case kind == "renewal" && n > len(j.jobs), kind != "renewal" && n > len(j.jobs):
			j.tally.Doubled += n - len(j.jobs)
		case n < len(j.released):
			j.tally.Lost += len(j.released) - n
		}
	}
	return j.tally
}

// countLines of a kind in the account of a unit since the drill began, with a text in them.
func countLines(ctx context.Context, c *Client, unit, kind, with string) (n int, err error) {
	for before := ""; ; {
		status, text, err := c.Call(ctx, http.MethodGet, "/api/v1/units/"+unit+"/lines?kind="+kind+"&limit=500"+before, nil)
		if err == nil && status != http.StatusOK {
			err = fmt.Errorf("lines of %s: %d %.200s", unit, status, text)
		}
		var page struct {
			First int `json:"first"`
			Lines []struct {
				RecordedAt time.Time       `json:"recordedAt"`
				Body       json.RawMessage `json:"body"`
			} `json:"lines"`
		}
		if err == nil {
			err = json.Unmarshal(text, &page)
		}
		if err != nil {
			return 0, err
		}
		for _, l := range page.Lines {
			if !l.RecordedAt.Before(began) && bytes.Contains(l.Body, []byte(with)) {
				n++
			}
		}
		if page.First == 0 {
			return n, nil
		}
		before = fmt.Sprint("&before=", page.First)
	}
}

// now is the time by the clock of the programs that are drilled, which the same variable moves.
var now = func() func() time.Time {
	clock, err := config.ClockOf(os.Getenv)
	if err != nil {
		return time.Now // the programs refuse to start, and say why
	}
	return clock
}()

// began is when the process of the drill began: the demo fleet has lines from before.
var began = now().Add(-time.Second)

// Facts of one unit, changed one after the other.
type Facts struct {
	deeds
	unit  string
	taken []string
}

// NewFacts of a unit whose keeper nobody else changes.
func NewFacts(c *Client, unit string, seed uint64) *Facts {
	return &Facts{deeds: newDeeds("register", c, seed), unit: unit}
}

type recordAnswer struct {
	Revision string `json:"revision"`
	Groups   []struct {
		Facts []struct{ Code, Value, Shown string }
	} `json:"groups"`
	History []struct {
		Lines []string `json:"lines"`
	} `json:"history"`
}

// says whether a keeper is in force.
func (r recordAnswer) says(keeper string) bool {
	for _, g := range r.Groups {
		for _, f := range g.Facts {
			if f.Code == "keeper" {
				return f.Value == keeper || f.Shown == keeper
			}
		}
	}
	return false
}

// Run changes.
func (f *Facts) Run(ctx context.Context) {
	path := "/api/v1/register/unit/records/" + f.unit
	for ctx.Err() == nil {
		var r recordAnswer
		if !f.read(ctx, path, &r) {
			continue
		}
		keeper := fmt.Sprintf("keeper %d of the drill", f.rng.Uint32())
		status, text, again := f.until(ctx, http.MethodPut, path, map[string]any{"facts": map[string]string{"keeper": keeper}}, "If-Match", r.Revision)
		switch {
		case status == http.StatusOK, again && status != 0 && f.read(ctx, path, &r) && r.says(keeper):
			f.mu.Lock()
			f.taken = append(f.taken, keeper)
			f.tally.Acknowledged++
			f.mu.Unlock()
		case status != 0:
			f.wrong(ctx, "change", status, text)
		}
	}
}

// Tally of the changes: the last one is in force, and each is once in the history.
func (f *Facts) Tally(ctx context.Context) Tally {
	var r recordAnswer
	if !f.read(ctx, "/api/v1/register/unit/records/"+f.unit, &r) {
		f.tally.Lost = len(f.taken)
		return f.tally
	}
	if n := len(f.taken); n > 0 && !r.says(f.taken[n-1]) {
		// One that was sent and not answered when the drill ended may have come after it.
		newest := r.History[0].Lines
		if !slices.ContainsFunc(newest, func(l string) bool { return strings.Contains(l, f.taken[n-1]) }) {
			f.tally.Changed++
		}
	}
	for _, keeper := range f.taken {
		n := 0
		for _, h := range r.History {
			for _, l := range h.Lines {
				if is, _, _ := strings.Cut(l, ", before "); strings.HasSuffix(is, keeper) {
					n++
				}
			}
		}
		switch {
		case n == 0:
			f.tally.Lost++
		case n > 1:
			f.tally.Doubled++
		}
	}
	return f.tally
}

// Imports of notes onto some units, each file until its import is done; every third is reversed.
type Imports struct {
	deeds
	units    []string
	texts    map[string]string // of notes that are in the books, with their unit
	reversed map[string]string
	runs     map[int64]map[string]string // the notes of each that was let run
	files    int
}

// NewImports onto units.
func NewImports(c *Client, units []string, seed uint64) *Imports {
	return &Imports{deeds: newDeeds("imports", c, seed), units: units, texts: map[string]string{}, reversed: map[string]string{}, runs: map[int64]map[string]string{}}
}

type importAnswer struct {
	ID      int64  `json:"id"`
	State   string `json:"state"`
	Error   string `json:"error"`
	Refused int    `json:"refused"`
	Columns []struct {
		Target string `json:"target"`
	} `json:"columns"`
}

// Run imports.
func (i *Imports) Run(ctx context.Context) {
	for ctx.Err() == nil {
		i.one(ctx)
	}
}

const importRows = 12

func (i *Imports) one(ctx context.Context) {
	i.files++
	notes := map[string]string{}
	var file strings.Builder
	file.WriteString("unit;date;note\n")
	for n := range importRows {
		unit, text := i.units[n%len(i.units)], fmt.Sprintf("imported %d.%d %d", i.files, n, i.rng.Uint64())
		notes[text] = unit
		fmt.Fprintf(&file, "%s;%s;%s\n", unit, now().AddDate(0, 0, -1).Format(time.DateOnly), text)
	}
	status, text, _ := i.until(ctx, http.MethodPost, fmt.Sprintf("/api/v1/imports?name=drill-%d.csv", i.files), []byte(file.String()))
	var run importAnswer
	if status != http.StatusCreated || json.Unmarshal(text, &run) != nil {
		i.wrong(ctx, "upload", status, text)
		return
	}
	path := fmt.Sprint("/api/v1/imports/", run.ID)
	if !i.read(ctx, path, &run) {
		return
	}
	columns := make([]string, len(run.Columns))
	for n, c := range run.Columns {
		columns[n] = c.Target
	}
	if !i.step(ctx, path, "check", map[string]any{"columns": columns, "options": map[string]any{}}, "checked", "checking") {
		return
	}
	i.mu.Lock()
	i.runs[run.ID] = notes
	i.mu.Unlock()
	if !i.step(ctx, path, "run", nil, "done", "running") {
		return
	}
	i.mu.Lock()
	maps.Copy(i.texts, notes)
	i.tally.Acknowledged += len(notes)
	i.mu.Unlock()
	if i.files%3 == 0 && i.step(ctx, path, "reverse", nil, "reversed", "reversing") {
		i.mu.Lock()
		maps.Copy(i.reversed, notes)
		i.tally.Acknowledged++
		i.mu.Unlock()
	}
}

// step of an import, until it is in a state; refused when an earlier one was taken, it is there or on the way.
func (i *Imports) step(ctx context.Context, path, what string, body any, state, under string) bool {
	status, text, again := i.until(ctx, http.MethodPost, path+"/"+what, body)
	if status != http.StatusOK && !again {
		i.wrong(ctx, what, status, text)
		return false
	}
	for ctx.Err() == nil {
		var run importAnswer
		if !i.read(ctx, path, &run) {
			continue
		}
		switch run.State {
		case state:
			if run.Refused > 0 {
				i.wrong(ctx, what, 0, []byte(fmt.Sprint(run.Refused, " rows are refused")))
			}
			return true
		case under:
		default:
			if status != http.StatusOK {
				i.wrong(ctx, what, status, text)
			} else {
				i.wrong(ctx, what, 0, []byte(run.State+" "+run.Error))
			}
			return false
		}
		pause(ctx, 30*time.Millisecond)
	}
	return false
}

// Tally of the imports: each note of one that is done is there once, and what was reversed is struck.
func (i *Imports) Tally(ctx context.Context) Tally {
	for id, notes := range i.runs {
		var run importAnswer
		if err := WaitUntil(ctx, time.Minute, func() error {
			if !i.read(ctx, fmt.Sprint("/api/v1/imports/", id), &run) {
				return fmt.Errorf("import %d cannot be read", id)
			}
			if slices.Contains([]string{"running", "reversing", "checking", "cancelling"}, run.State) {
				return fmt.Errorf("import %d is %s", id, run.State)
			}
			return nil
		}); err != nil {
			i.tally.Stuck++
			i.tally.Wrong = append(i.tally.Wrong, err.Error())
		}
		if run.State == "done" && len(i.texts) == 0 {
			// It came to its end after the last kill.
			maps.Copy(i.texts, notes)
			i.tally.Acknowledged += len(notes)
		}
	}
	there := map[string]int{}
	struck := map[string]bool{}
	for _, unit := range i.units {
		lines, err := Notes(ctx, i.client, []string{unit})
		if err != nil {
			i.tally.Wrong = append(i.tally.Wrong, err.Error())
			continue
		}
		for _, l := range lines {
			there[l.Text]++
			struck[l.Text] = struck[l.Text] || l.struck
		}
	}
	for text := range i.texts {
		switch there[text] {
		case 0:
			i.tally.Lost++
		case 1:
		default:
			i.tally.Doubled++
		}
	}
	for text := range i.reversed {
		if there[text] > 0 && !struck[text] {
			i.tally.Changed++
		}
	}
	return i.tally
}

// Plan is lines of the work list that are placed, moved, taken off, and weeks that are agreed and unlocked.
type Plan struct {
	deeds
	places map[int64]*place // nil for none
}

type place struct {
	Day string `json:"day"`
	Bay struct {
		Site   int64  `json:"site"`
		Kind   string `json:"kind"`
		Number int    `json:"number"`
	} `json:"bay"`
	Technician int64 `json:"technician"`
	Pinned     bool  `json:"pinned"`
}

type board struct {
	Revision int64  `json:"revision"`
	From     string `json:"from"`
	Days     []struct {
		Day string `json:"day"`
	} `json:"days"`
	Bays []struct {
		Bay json.RawMessage `json:"bay"`
	} `json:"bays"`
	Jobs []struct {
		ID    int64  `json:"id"`
		Bay   string `json:"bay"`
		Place *place `json:"place"`
	} `json:"jobs"`
}

// NewPlan of a coordinator who is alone at it.
func NewPlan(c *Client, seed uint64) *Plan {
	return &Plan{deeds: newDeeds("plan", c, seed), places: map[int64]*place{}}
}

func (p *Plan) look(ctx context.Context) (b board, ok bool) {
	return b, p.read(ctx, "/api/v1/plan?weeks=3&from="+now().Format(time.DateOnly), &b)
}

// Run changes of the plan.
func (p *Plan) Run(ctx context.Context) {
	for ctx.Err() == nil {
		b, ok := p.look(ctx)
		if !ok || len(b.Jobs) == 0 {
			pause(ctx, 50*time.Millisecond)
			continue
		}
		p.mu.Lock()
		for _, j := range b.Jobs {
			if was, known := p.places[j.ID]; known && !same(was, j.Place) {
				p.tally.Changed++
				p.tally.Wrong = append(p.tally.Wrong, fmt.Sprintf("line %d is at %+v and was put at %+v", j.ID, j.Place, was))
			}
			p.places[j.ID] = j.Place
		}
		p.mu.Unlock()
		j := b.Jobs[p.rng.IntN(len(b.Jobs))]
		if j.Place != nil && p.rng.IntN(3) == 0 {
			p.done(ctx, "take off", j.ID, nil, func() (int, []byte, bool) {
				return p.until(ctx, http.MethodPost, "/api/v1/plan/take-off", map[string]any{"items": []any{map[string]any{"item": j.ID, "was": j.Place}}})
			})
			continue
		}
		var bays []json.RawMessage
		for _, bay := range b.Bays {
			if bytes.Contains(bay.Bay, []byte(`"`+j.Bay+`"`)) {
				bays = append(bays, bay.Bay)
			}
		}
		if len(bays) == 0 || len(b.Days) == 0 {
			continue
		}
		body := map[string]any{"item": j.ID, "day": b.Days[p.rng.IntN(len(b.Days))].Day, "bay": bays[p.rng.IntN(len(bays))], "accepted": true}
		if j.Place != nil {
			body["was"] = j.Place
		}
		p.done(ctx, "move", j.ID, body, func() (int, []byte, bool) { return p.until(ctx, http.MethodPost, "/api/v1/plan/move", body) })
	}
}

// done once: what it left is read when the answer does not say.
func (p *Plan) done(ctx context.Context, what string, id int64, body map[string]any, send func() (int, []byte, bool)) {
	status, text, again := send()
	if status == 0 {
		// Whether it was taken is not known.
		p.mu.Lock()
		delete(p.places, id)
		p.mu.Unlock()
		return
	}
	moved := status == http.StatusNoContent
	if status == http.StatusOK {
		var answer struct{ Placed bool }
		moved = json.Unmarshal(text, &answer) == nil && answer.Placed
		if !moved {
			return // a rule forbids it
		}
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	switch {
	case moved && body == nil:
		p.places[id] = nil
		p.tally.Acknowledged++
	case moved:
		// Who does it the program chose: it is read with the next look, the day and the bay must be these.
		delete(p.places, id)
		p.tally.Acknowledged++
		p.mu.Unlock()
		b, ok := p.look(ctx)
		p.mu.Lock()
		for _, j := range b.Jobs {
			if ok && j.ID == id && (j.Place == nil || j.Place.Day != body["day"]) {
				p.tally.Lost++
			}
		}
	case again && status == http.StatusConflict:
		delete(p.places, id) // an earlier one was taken
	case status == http.StatusUnprocessableEntity: // a day that is past, or work that is done
	default:
		p.wrong(ctx, what, status, text)
	}
}

func same(a, b *place) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }

// Tally of the plan: every line is where it was put last.
func (p *Plan) Tally(ctx context.Context) Tally {
	b, ok := p.look(ctx)
	if !ok {
		p.tally.Lost += len(p.places)
		return p.tally
	}
	at := map[int64]*place{}
	for _, j := range b.Jobs {
		at[j.ID] = j.Place
	}
	for id, was := range p.places {
		now, there := at[id]
		switch {
		case !there:
			p.tally.Lost++
		case !same(was, now):
			p.tally.Changed++
		}
	}
	// Nothing holds the plan: a week can be agreed and unlocked.
	if monday, err := time.Parse(time.DateOnly, b.From); err != nil {
		p.tally.Wrong = append(p.tally.Wrong, err.Error())
	} else {
		week := "/api/v1/plan/weeks/" + monday.AddDate(0, 0, 14).Format(time.DateOnly)
		for _, k := range []struct {
			method string
			body   any
		}{{http.MethodPut, map[string]any{"revision": b.Revision}}, {http.MethodDelete, nil}} {
			if status, text, _ := p.until(ctx, k.method, week, k.body); status != http.StatusNoContent {
				p.tally.Stuck++
				p.wrong(ctx, k.method+" "+week, status, text)
			}
		}
	}
	return p.tally
}

// Walks are rounds as a device reports them, and photos of it.
type Walks struct {
	deeds
	units  []string
	rounds map[string]int // acknowledged revision
	photos map[string][]byte
}

// NewWalks along units.
func NewWalks(c *Client, units []string, seed uint64) *Walks {
	return &Walks{deeds: newDeeds("rounds and photos", c, seed), units: units, rounds: map[string]int{}, photos: map[string][]byte{}}
}

// Run rounds.
func (w *Walks) Run(ctx context.Context) {
	for ctx.Err() == nil {
		id, began := uuid.Must(uuid.NewV7()).String(), now().UTC()
		for revision := 1; revision <= 8 && ctx.Err() == nil; revision++ {
			stops := make([]map[string]any, len(w.units))
			for n, unit := range w.units {
				stops[n] = map[string]any{"unit": unit, "state": "waiting"}
				if n < revision {
					stops[n]["state"], stops[n]["at"] = "done", now().UTC()
				}
			}
			status, text, _ := w.until(ctx, http.MethodPut, "/api/v1/rounds/"+id, map[string]any{"title": "drill", "device": "drill", "startedAt": began, "revision": revision, "stops": stops})
			if status != http.StatusNoContent {
				w.wrong(ctx, "round", status, text)
				continue
			}
			w.mu.Lock()
			w.rounds[id] = revision
			w.tally.Acknowledged++
			w.mu.Unlock()
		}
		var picture bytes.Buffer
		img := image.NewRGBA(image.Rect(0, 0, 8, 8))
		for n := range 64 {
			img.Set(n%8, n/8, color.RGBA{uint8(w.rng.Uint32()), uint8(w.rng.Uint32()), uint8(w.rng.Uint32()), 255})
		}
		if err := jpeg.Encode(&picture, img, nil); err != nil {
			w.wrong(ctx, "jpeg", 0, []byte(err.Error()))
			continue
		}
		hash := fmt.Sprintf("%x", sha256.Sum256(picture.Bytes()))
		if status, text, _ := w.until(ctx, http.MethodPut, "/api/v1/attachments/"+hash, picture.Bytes(), "Content-Type", "image/jpeg"); status != http.StatusNoContent {
			w.wrong(ctx, "photo", status, text)
			continue
		}
		w.mu.Lock()
		w.photos[hash] = picture.Bytes()
		w.tally.Acknowledged++
		w.mu.Unlock()
		pause(ctx, 100*time.Millisecond)
	}
}

// Tally of the rounds and photos: each is as it was acknowledged last.
func (w *Walks) Tally(ctx context.Context) Tally {
	for id, revision := range w.rounds {
		var r struct {
			Stops []struct{ State string } `json:"stops"`
		}
		if !w.read(ctx, "/api/v1/rounds/"+id, &r) {
			w.tally.Lost++
			continue
		}
		done := 0
		for _, s := range r.Stops {
			if s.State == "done" {
				done++
			}
		}
		if done < min(revision, len(w.units)) {
			w.tally.Lost++
		}
	}
	for hash, content := range w.photos {
		if status, text, _ := w.until(ctx, http.MethodGet, "/api/v1/attachments/"+hash, nil); status != http.StatusOK {
			w.tally.Lost++
		} else if !bytes.Equal(text, content) {
			w.tally.Changed++
		}
	}
	return w.tally
}

// Archives are fetched during the kills; a complete one must hold every line that was acknowledged before the request.
type Archives struct {
	deeds
	// Lines acknowledged so far, of all writers.
	Lines func() []Line
	first *Archive
	last  *Archive
}

// Archive that was received completely.
type Archive struct {
	Content []byte
	// Lines that were acknowledged before it was asked for.
	Lines []Line
}

// NewArchives for a coordinator.
func NewArchives(c *Client, lines func() []Line) *Archives {
	return &Archives{deeds: newDeeds("archives", c, 0), Lines: lines}
}

// Run fetches.
func (a *Archives) Run(ctx context.Context) {
	for ctx.Err() == nil {
		a.fetch(ctx)
		pause(ctx, 3*time.Second)
	}
}

func (a *Archives) fetch(ctx context.Context) {
	lines := a.Lines()
	status, content, _ := a.until(ctx, http.MethodGet, "/api/v1/archive", nil)
	switch status {
	case http.StatusOK:
		a.mu.Lock()
		a.last = &Archive{content, lines}
		if a.first == nil {
			a.first = a.last
		}
		a.tally.Acknowledged++
		a.mu.Unlock()
	case 0:
	default:
		a.wrong(ctx, "archive", status, content)
	}
}

// Tally of the archives; their content is checked when they are restored. When none was received completely, one is fetched.
func (a *Archives) Tally(ctx context.Context) Tally {
	if a.first == nil {
		a.fetch(ctx)
	}
	return a.tally
}

// Kept archives: the first and the last.
func (a *Archives) Kept() (all []Archive) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, one := range []*Archive{a.first, a.last} {
		if one != nil && (len(all) == 0 || one != a.first) {
			all = append(all, *one)
		}
	}
	return all
}
