package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/internal/sheet"
	"diligentledger/internal/testday"
)

// jobTab does a job on its page by what a simulated unit shows.
type jobTab struct {
	*tab
	id  string
	sim *job.Simulator
	// change what is typed at a step; nil for what the unit shows.
	change func(step string, values map[string]string)
	last   *sheet.Pack // as it was fetched last, while the connection is cut with what was recorded since
	cut    bool
}

// beginJob on its page; faults of the simulated unit take the place of those by its seed.
func (b *tab) beginJob(unit, kind string, faults job.Faults, choose ...string) *jobTab {
	b.t.Helper()
	b.wait(`.jobs`)
	b.set(`.jobs input`, unit)
	b.tap("choose a job")
	b.tap(kind)
	for _, c := range choose {
		b.tap(c)
	}
	b.wait(`.job-preview .pockets`)
	b.tap("begin the job")
	b.wait(`.job-step h2`)
	j := &jobTab{tab: b, id: js[string](b, `location.pathname.split("/").pop()`)}
	j.sim = job.NewSimulator(j.pack().Setup)
	j.sim.Faults = faults
	return j
}

func (j *jobTab) pack() sheet.Pack {
	j.t.Helper()
	if j.cut {
		return *j.last
	}
	// An answer may be lost on the way.
	text := js[string](j.tab, fmt.Sprintf(`(async () => { for (let i = 0; i < 9; i++) try { return (await (await fetch("/api/v1/jobs/%s")).json()).pack; } catch { await new Promise(r => setTimeout(r, 200)); } })()`, j.id))
	p, err := sheet.ReadPack([]byte(text))
	if err != nil {
		j.t.Fatal(err)
	}
	j.last = &p
	return p
}

// typed is a value as a person enters it.
func typed(v job.Value) string {
	if v.Reading == nil {
		return v.Choice + v.Text
	}
	if v.Reading.Unit == measure.One {
		return measure.Digits(v.Reading.Value)
	}
	return v.Reading.String()
}

// next step of the page; empty when there is none.
func (j *jobTab) next() string {
	j.t.Helper()
	return js[string](j.tab, `document.querySelector('.job-sheet')?.dataset.next ?? ""`)
}

// record the next step as a thumb would. step is as the core has it.
func (j *jobTab) record(step job.Step) {
	j.t.Helper()
	values := j.sim.Answer(step)
	texts := map[string]string{}
	for code, v := range values {
		texts[code] = typed(v)
	}
	if j.change != nil {
		j.change(step.Key, texts)
	}
	j.wait(fmt.Sprintf(`.job-sheet[data-next=%q] .job-step form`, step.Key))
	text, err := json.Marshal(texts)
	if err != nil {
		j.t.Fatal(err)
	}
	js[chromedp.Void](j.tab, fmt.Sprintf(`(() => { for (const [code, text] of Object.entries(%s)) {
		const button = document.querySelector('.job-step [data-field="' + code + '"][data-choice="' + text + '"]');
		if (button) { if (button.ariaPressed !== "true") button.click(); continue; }
		const f = document.querySelector('.job-step input[data-field="' + code + '"]');
		if (!f) continue;
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, text);
		f.dispatchEvent(new Event("input", { bubbles: true }));
	} })()`, text))
	revision := js[string](j.tab, `document.querySelector('.job-sheet').dataset.revision`)
	js[chromedp.Void](j.tab, `document.querySelector('.job-step form').requestSubmit()`)
	j.until(fmt.Sprintf(`document.querySelector('.job-sheet')?.dataset.revision !== undefined && Number(document.querySelector('.job-sheet').dataset.revision) > %s || document.querySelector('.job-step .alarm')`, revision))
	if wrong := js[string](j.tab, `document.querySelector('.job-step .alarm')?.innerText ?? ""`); wrong != "" {
		j.t.Fatalf("%s: %s", step.Key, wrong)
	}
	read := map[string]job.Value{}
	for code, v := range values {
		read[code] = v
		if t := texts[code]; v.Reading != nil {
			if r, err := measure.Parse(t, v.Reading.Unit.Dimension(), v.Reading.Unit); err == nil {
				read[code] = job.Value{Reading: &r}
			}
		}
	}
	j.sim.Apply(step, read)
	if j.cut {
		j.last.Events = append(j.last.Events, job.Event{ID: job.EntryID(j.id, fmt.Sprint("cut", len(j.last.Events))), At: testday.Now(), By: "T. Quayle", Type: job.Answered, Step: step.Key, Values: read})
	}
}

// steps until one of that key is next, or the release.
func (j *jobTab) steps(until string, each func()) {
	j.t.Helper()
	for n := 0; ; n++ {
		if n > 90 {
			j.t.Fatalf("no end at %s", j.next())
		}
		if !j.cut {
			j.until(`document.querySelector('.job-sheet') && !document.querySelector('.job-page .unsent')`)
		}
		p := j.pack()
		st := p.Open(nil, testday.Now())
		j.until(fmt.Sprintf(`document.querySelector('.job-sheet')?.dataset.next === %q`, st.Next))
		if st.Next == until || st.Next == "release" || st.Next == "" {
			return
		}
		j.record(*st.Step(st.Next))
		if each != nil {
			each()
		}
	}
}

// A car filled by gravity with a funnel: less goes in than came out, it is caught, the job is bled again, and only a coordinator
// releases it. In two browsers: the second sees each step.
func TestJobShortFill(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	b.open("/job", `.jobs`)
	j := b.beginJob("CA-05", "Drain-and-fill", job.Faults{}, "gravity")
	b.accessible("job begun")
	short := true
	j.change = func(step string, v map[string]string) {
		if !short {
			return
		}
		switch {
		case strings.HasPrefix(step, "pour_rich"):
			if l := j.pack().Open(nil, testday.Now()).Step(step).Facts[0].Low; l > 1.6 {
				v["litres"] = fmt.Sprintf("%.2f L", l-1.3)
			}
		case step == "bleed:fan":
			v["litres"] = "0"
		}
	}
	j.steps("drain:1:petcock", nil)
	b.keepRound("job-step")
	j.steps("rebleed:1", nil)
	b.until(`document.querySelector('.in-out .short')?.innerText.includes('Air is trapped inside')`)
	b.accessible("job short")
	b.keepRound("job-short")
	c := newTab(t)
	c.open("/job/"+j.id, `.job-step`)
	c.until(`document.querySelector('.job-sheet')?.dataset.next === "rebleed:1"`)
	c.until(`[...document.querySelectorAll('button')].some(x => x.innerText.startsWith("override: volume in"))`)
	if js[bool](b, `[...document.querySelectorAll('button')].some(x => x.innerText.startsWith("override"))`) {
		t.Error("a technician is offered to override")
	}
	short = false
	j.steps("", nil)
	b.until(`document.querySelector('.job-step')?.innerText.includes('stays on hold until a coordinator')`)
	c.until(`document.querySelector('.job-step h2')?.innerText === "Release"`)
	c.accessible("job release")
	c.tap("release CA-05")
	c.until(`document.querySelector('.job-step h2')?.innerText.startsWith("Released by")`)
	b.until(`document.querySelector('.job-step h2')?.innerText.startsWith("Released by")`)
	c.open("/job", `.jobs`)
	c.until(`document.querySelector('.jobs').innerText.includes('Follow-up owed')`)
	c.accessible("jobs")
	c.open("/units/CA-05", `tr[data-kind="renewal"]`)
	b.calm()
	c.calm()
}

// A boat's header tank with a plugged spigot, on a phone: it is asked about and found; the connection is cut in the middle, the tab
// is killed after each step, every third answer is lost, and each step is kept once.
func TestJobBoatOnAPhone(t *testing.T) {
	t.Parallel() // its browser is its own
	l := newLine(t)
	p := &phone{t: t, folder: t.TempDir()}
	p.start()
	t.Cleanup(func() { p.stop() })
	b, closeTab := p.tab()
	b.do(chromedp.Navigate(l.address + "/job"))
	b.signIn(technician)
	js[bool](b, `navigator.serviceWorker.ready.then(() => true)`)
	b.kept(`caches.keys().then(async ks => (await Promise.all(ks.map(async k => (await (await caches.open(k)).keys()).map(r => r.url)))).flat().some(u => u.endsWith(".wasm")) && (await navigator.serviceWorker.ready).active?.state === "activated")`)
	j := b.beginJob("HB-04", "Boat circuit", job.Faults{Plugged: job.PointBlock})
	killed := func() {
		closeTab()
		b, closeTab = p.tab()
		j.tab = b
		b.do(chromedp.Navigate(l.address + "/job/" + j.id))
		b.wait(`.job-sheet`)
	}
	j.steps("drain_check:1:block", killed)
	b.until(`document.querySelector('.job-step').innerText.includes('Less came than block drain holds')`)
	b.accessible("job spigot")
	b.thumbs("job spigot")
	b.keepRound("job-phone")
	l.set("cut")
	j.cut = true
	cut := 0
	j.steps("bleed:warm", func() {
		killed()
		cut++
	})
	if cut < 3 || !js[bool](b, `document.querySelector('.job-page .unsent') !== null`) {
		t.Errorf("%d steps without a connection", cut)
	}
	// The browser is killed as well, and comes back without a connection.
	p.stop()
	p.start()
	b, closeTab = p.tab()
	j.tab = b
	b.do(chromedp.Navigate(l.address + "/job/" + j.id))
	b.wait(`.job-sheet[data-next="bleed:warm"]`)
	l.set("drops")
	j.cut = false
	b.until(`!document.querySelector('.job-page .unsent')`)
	j.steps("release", killed)
	l.set("")
	seen := map[string]int{}
	answers := 0
	for _, e := range j.pack().Events {
		if seen[e.ID]++; seen[e.ID] > 1 {
			t.Errorf("%s is there twice", e.ID)
		}
		if e.Type == job.Answered {
			answers++
		}
	}
	st := j.pack().Open(nil, testday.Now())
	done := 0
	for _, step := range st.Steps {
		if step.Answer != nil {
			done++
		}
		if len(step.Others) > 0 {
			t.Errorf("%s was answered %d times", step.Key, 1+len(step.Others))
		}
	}
	if answers != done || !st.Ready || st.Posted == nil || l.dropped == 0 {
		t.Errorf("%d answers to %d steps, ready %v, %d answers lost", answers, done, st.Ready, l.dropped)
	}
	b.until(`document.querySelector('.job-step')?.innerText.includes('stays on hold')`)
}

// Parameters of the methods are set on the page where a job is begun, with where they come from; what is not accepted is said.
func TestJobParametersOnScreen(t *testing.T) {
	b := newTab(t)
	b.open("/job/new?unit=MC-08", `.job-parameters`)
	b.accessible("a job to choose")
	js[chromedp.Void](b, `document.querySelector('.job-start details').open = true`)
	b.tap("cooling before the work")
	b.set(`.job-parameters input`, "200")
	b.set(`.job-parameters label.grow input`, "manual, page 12")
	b.tap("set")
	b.until(`document.querySelector('.job-parameters .alarm')?.innerText.includes('accepted: 0.5 to 48 h')`)
	b.set(`.job-parameters input`, "1")
	b.tap("set")
	b.until(`[...document.querySelectorAll('.job-parameters li')].some(x => x.textContent.includes('cooling before the work: 1 h') && x.textContent.includes('manual, page 12'))`)
	b.accessible("parameters")
	b.calm()
}

// An exercise by the page's own buttons alone: the simulated unit is read and recorded step by step, what was missed is said at the
// end, and the unit itself is as it was.
func TestJobExercise(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	before := app.get(t, "/api/v1/units/MC-07")
	b.open("/job/new?unit=MC-07", `.job-start`)
	b.tap("Drain-and-fill")
	b.wait(`.job-preview .pockets`)
	b.tap("as an exercise")
	b.wait(`.job-step h2`)
	for n := 0; ; n++ {
		if n > 70 {
			t.Fatal("no end")
		}
		b.until(`document.querySelector('.job-sheet') && !document.querySelector('.job-page .unsent')`)
		if js[string](b, `document.querySelector('.job-sheet').dataset.next`) == "release" {
			break
		}
		revision := js[string](b, `document.querySelector('.job-sheet').dataset.revision`)
		b.tap("look at the simulated unit")
		b.wait(`.job-step form[data-simulated="true"]`)
		js[chromedp.Void](b, `document.querySelector('.job-step form').requestSubmit()`)
		b.until(fmt.Sprintf(`document.querySelector('.job-sheet')?.dataset.revision !== undefined && Number(document.querySelector('.job-sheet').dataset.revision) > %s`, revision))
	}
	b.until(`document.querySelector('.job-step h2')?.innerText.startsWith("Exercise done")`)
	b.accessible("exercise done")
	if after := app.get(t, "/api/v1/units/MC-07"); after != before {
		t.Error("the exercise changed the account of the unit")
	}
	if strings.Contains(app.get(t, "/api/v1/jobs"), b.text(`.running-head h1`)) && strings.Contains(app.get(t, "/api/v1/jobs"), `"exercise":true`) {
		t.Error("a coordinator sees another person's exercise")
	}
	b.calm()
}
