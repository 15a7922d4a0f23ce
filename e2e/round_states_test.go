package e2e

import (
	"diligentledger/internal/testday"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"image"
	"image/jpeg"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// keepRound keeps a picture of the round for the README, when pictures are kept.
func (b *tab) keepRound(name string) {
	b.t.Helper()
	b.do(chromedp.Sleep(400 * time.Millisecond))
	png := value(b, chromedp.CaptureScreenshot())
	if len(png) < 8_000 {
		b.t.Errorf("%s: a picture of %d bytes shows nothing", name, len(png))
	}
	if *shots != "" {
		if err := os.WriteFile(filepath.Join(*shots, name+".png"), png, 0o644); err != nil {
			b.fail(err)
		}
	}
}

// thumbs reports what can be pressed on the page and is smaller than 44 × 44 pixels.
func (b *tab) thumbs(where string) {
	b.t.Helper()
	for _, small := range js[[]string](b, `[...document.querySelectorAll('main button, main a.choice, main label.choice, main select, .typed-fields input:not(.hidden-label), .sheet nav a')]
		.filter(e => e.offsetParent !== null && !e.closest('.unsent, .refresh')).filter(e => { const r = e.getBoundingClientRect(); return r.width < 44 || r.height < 44; })
		.map(e => (e.innerText || e.ariaLabel || e.tagName) + " " + Math.round(e.getBoundingClientRect().width) + "×" + Math.round(e.getBoundingClientRect().height))`) {
		b.t.Errorf("%s: too small for a thumb: %s", where, small)
	}
}

func (b *tab) walk(site, tool string) {
	b.t.Helper()
	b.open("/round", `.walk-site`)
	if tool != "" {
		b.tap(tool)
	}
	js[chromedp.Void](b, fmt.Sprintf(`[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith(%q)).querySelector('button').click()`, site))
	b.wait(`[data-testid="unit-sheet"]`)
}

func (b *tab) said(text string) {
	b.t.Helper()
	b.until(fmt.Sprintf(`document.querySelector('.unit-sheet').innerText.includes(%q)`, text))
}

// A unit from the first tap to the close of the round, on a phone: cold first, what a hot engine forbids, the
// testers, the system, a photo, a unit that must not move and its hold. axe-core finds nothing serious in
// any state, and everything fits a thumb.
func TestRoundStates(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	b.do(chromedp.EmulateViewport(390, 844))
	b.open("/round", `.walk-site`)
	b.accessible("round")
	b.thumbs("round")
	if nav := js[map[string]float64](b, `(() => { const r = [...document.querySelectorAll('.sheet nav a')].map(a => a.getBoundingClientRect()); return { rows: new Set(r.map(x => Math.round(x.top))).size, bottom: Math.max(...r.map(x => x.bottom)), n: r.length }; })()`); nav["rows"] != 1 || nav["bottom"] < 830 || nav["n"] < 5 {
		t.Errorf("the tabs: %v", nav)
	}
	if !js[bool](b, `[...document.querySelectorAll('button')].find(x => x.innerText.startsWith("strips, old tube")).disabled`) {
		t.Error("strips past their date can be chosen")
	}
	b.walk("Inland depot", "D-1")
	b.accessible("before the first answer")
	// Hot: nothing is opened.
	b.tap("still warm")
	b.until(`document.querySelector('.warning')?.innerText.includes("leave the cap shut")`)
	if js[bool](b, `document.querySelector('[data-question="freeze_test"]') !== null || document.querySelector('[data-question="cap"]') !== null`) {
		t.Error("a hot engine is asked for a sample")
	}
	b.accessible("hot")
	// A level that was read hot does not become a cold one.
	b.tap("at the upper mark")
	b.until(`[...document.querySelectorAll('.choice')].some(x => x.innerText.trim() === "at the upper mark" && x.ariaPressed === "true")`)
	b.tap("cold")
	b.until(`document.querySelector('.warning') === null`)
	if js[bool](b, `[...document.querySelectorAll('.choice')].some(x => x.innerText.trim() === "at the upper mark" && x.ariaPressed === "true")`) {
		t.Error("a hot level is a cold one now")
	}
	b.tap("more")
	b.thumbs("a unit")
	// As many discs as this tester has, by its own chart.
	if n := js[int](b, `document.querySelectorAll('.disc').length`); n != 6 {
		t.Errorf("%d discs", n)
	}
	js[chromedp.Void](b, `[...document.querySelectorAll('.choice')].find(x => x.ariaLabel?.startsWith('3 of 6')).click()`)
	b.said("Protects to")
	b.said("does not reconcile")
	b.accessible("a test that does not reconcile")
	js[chromedp.Void](b, `document.querySelector('[data-question="freeze_test"]').scrollIntoView()`)
	b.keepRound("round-phone")
	// The system: one hose, then all, then the cap that is asked for.
	js[chromedp.Void](b, `document.querySelector('[aria-label^="upper hose"]').click()`)
	b.tap("cracked")
	b.until(`document.querySelector('[aria-label="upper hose, bad"]')`)
	b.said("Repair: due now.")
	b.accessible("a point")
	b.tap("all looked at")
	b.until(`document.querySelector('.cap-asked')?.innerText.includes("turned home to its last stop?")`)
	if !js[bool](b, `document.querySelector('[aria-label="upper hose, good"]') !== null`) {
		t.Error("all was looked at and the hose is not good")
	}
	js[chromedp.Void](b, `[...document.querySelectorAll('.cap-asked .choice')].find(x => x.innerText.trim() === "home, good").click()`)
	// A photo: drawn anew, so that nothing of the camera is left.
	picture := filepath.Join(t.TempDir(), "photo.jpg")
	out, err := os.Create(picture)
	if err != nil {
		t.Fatal(err)
	}
	if err := jpeg.Encode(out, image.NewGray(image.Rect(0, 0, 2600, 1300)), nil); err != nil {
		t.Fatal(err)
	}
	if err := out.Close(); err != nil {
		t.Fatal(err)
	}
	b.setFile(`.photo input`, picture)
	b.until(`document.querySelector('.choice.photo').innerText.startsWith("1 photo")`)
	// Empty: it must not move, in the largest letters, and the hold is asked for.
	b.tap("empty")
	b.until(`document.querySelector('.must-not-move .loud')?.innerText === "MUST NOT MOVE"`)
	// Another answer that is not accepted takes nothing of it away, and is not recorded.
	b.set(`[data-question="meter"] input`, "many")
	b.said("not accepted")
	if !js[bool](b, `document.querySelector('.must-not-move') !== null && document.querySelector('.round-bar .go').disabled`) {
		t.Error("an answer that is refused hides that the unit must not move, or can be recorded")
	}
	b.set(`[data-question="meter"] input`, "")
	b.until(`!document.querySelector('.unit-sheet').innerText.includes("not accepted") && document.querySelector('.must-not-move') !== null`)
	if !js[bool](b, `parseFloat(getComputedStyle(document.querySelector('.loud')).fontSize) >= Math.max(...[...document.querySelectorAll('main *')].filter(e => !e.closest('svg')).map(e => parseFloat(getComputedStyle(e).fontSize)))`) {
		t.Error("something is written larger than MUST NOT MOVE")
	}
	b.tap("put it on hold")
	b.said("The hold is recorded with this unit.")
	b.accessible("must not move")
	js[chromedp.Void](b, `window.scrollTo(0, 0)`)
	b.keepRound("round-hold")
	code := b.text(`.unit-head h2 .figures`)
	b.until(`!document.querySelector('.round-bar .go').disabled`)
	b.tap("record, next")
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText !== %q`, code))
	// Skipped, with a reason.
	second := b.text(`.unit-head h2 .figures`)
	b.tap("skip")
	b.accessible("skipping")
	b.tap("locked")
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText !== %q`, second))
	b.untilWaiting(0)
	if n := js[int](b, queueCount("refused")); n != 0 {
		t.Errorf("%d lines were refused: %s", n, b.text(`.unsent`))
	}
	// Back at the first: what was recorded there is struck again by one press.
	js[chromedp.Void](b, `document.querySelector('.walk-head [aria-label="unit before"]').click()`)
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText === %q`, second))
	b.accessible("a unit that was skipped")
	// The third is recorded, sent, and undone: its line is struck in the books.
	js[chromedp.Void](b, `document.querySelector('.walk-head [aria-label="next unit"]').click()`)
	b.until(`document.querySelector('.walk-head').innerText.includes("3 of 10")`)
	third := b.text(`.unit-head h2 .figures`)
	b.tap("cold")
	if !js[bool](b, `document.querySelector('[data-question="level"]') !== null`) {
		b.tap("more")
	}
	b.tap("at the upper mark")
	b.until(`document.querySelector('.round-bar .what').innerText.includes("→")`)
	b.tap("record, next")
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText !== %q`, third))
	b.untilWaiting(0)
	js[chromedp.Void](b, `document.querySelector('.walk-head [aria-label="unit before"]').click()`)
	b.tap("undo: strike its lines")
	b.until(`document.querySelector('.visited') === null`)
	b.untilWaiting(0)
	if struck := app.get(t, "/api/v1/entries?limit=5&struck=true&kind=level_check&unit="+third); !strings.Contains(struck, "undone on the round") {
		t.Errorf("%s: %.300s; %d refused", third, struck, js[int](b, queueCount("refused")))
	}
	// What is recorded in the same breath as a tap is what the round reports, not the verdict of before the tap.
	js[chromedp.Void](b, `document.querySelector('.walk-head [aria-label="next unit"]').click()`)
	b.until(`document.querySelector('.walk-head').innerText.includes("4 of 10")`)
	fourth := b.text(`.unit-head h2 .figures`)
	b.tap("cold")
	if !js[bool](b, `document.querySelector('[data-question="level"]') !== null`) {
		b.tap("more")
	}
	b.tap("at the upper mark")
	b.until(`document.querySelector('.round-bar .what').innerText.includes("→")`)
	js[chromedp.Void](b, `[...document.querySelectorAll('.choice')].find(x => x.innerText.trim() === "empty").click(); document.querySelector('.round-bar .go').click()`)
	b.until(fmt.Sprintf(`document.querySelector('.unit-head h2 .figures')?.innerText !== %q`, fourth))
	// Answers that are not recorded are named at the close, which waits for them.
	fifth := b.text(`.unit-head h2 .figures`)
	b.tap("cold")
	if !js[bool](b, `document.querySelector('[data-question="level"]') !== null`) {
		b.tap("more")
	}
	b.tap("at the upper mark")
	b.until(`document.querySelector('.round-bar .what').innerText.startsWith("1 answer")`)
	b.open("/round/close", `.close-lines`)
	b.accessible("close")
	if !js[bool](b, fmt.Sprintf(`document.querySelector('.notice').innerText.includes(%q) && [...document.querySelectorAll('button')].find(x => x.innerText === "close the round").disabled`, fifth)) {
		t.Errorf("a round is closed over the answers at %s", fifth)
	}
	if text := b.text(`main`); !strings.Contains(text, fourth+" hold:") {
		t.Errorf("%s was empty when it was recorded: %s", fourth, text)
	}
	b.open("/round/walk?unit="+fifth, `[data-testid="unit-sheet"]`)
	b.tap("discard")
	b.tap("discard 1?")
	b.until(`document.querySelector('.round-bar .what').innerText === "nothing answered"`)
	b.open("/round/close", `.close-lines`)
	if text := b.text(`main`); !strings.Contains(text, code+" hold:") || !strings.Contains(text, "locked") {
		t.Errorf("close of the round: %s", text)
	}
	account := newTab(t)
	account.open("/units/"+code, `tr .photo-of img`)
	account.until(`document.querySelector('.photo-of img').naturalWidth === 1600`)
	if text := account.text(`main`); !strings.Contains(text, "MUST") && !strings.Contains(text, "held") && !strings.Contains(text, "hold") {
		t.Errorf("the account: %.400s", text)
	}
	b.open("/round/close", `.close-lines`)
	b.tap("close the round")
	b.wait(`.round-lines`)
	js[chromedp.Void](b, `document.querySelector('.round-lines a').click()`)
	b.wait(`.close-lines`)
	b.accessible("report")
	if text := b.text(`main`); !strings.Contains(text, "2 of 10 done") || !strings.Contains(text, "Hoses: ") {
		t.Errorf("report: %.500s", text)
	}
	b.calm()
}

func (b *tab) setFile(selector, path string) {
	b.t.Helper()
	b.do(chromedp.SetUploadFiles(chromedp.CSS(selector), []string{path}))
}

// Wide: two columns, dark; the refractometer by arrow keys, the digital one by its button, drop-outs and all.
func TestRoundWide(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	b.view("/round", `.walk-site`, 820, 1180, true)
	b.accessible("round, dark")
	b.tap("R-2")
	js[chromedp.Void](b, `[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith('Harbour')).querySelectorAll('button')[1].click()`)
	b.wait(`[data-testid="unit-sheet"]`)
	// The first holds a waterless coolant: its share of water is asked for. The next is read on the scale.
	b.tap("cold")
	if !js[bool](b, `document.querySelector('[data-question="freeze_test"]') !== null`) {
		b.tap("more")
	}
	b.set(`[data-question="freeze_test"] input`, "1")
	b.said("Protects to")
	js[chromedp.Void](b, `document.querySelector('.walk-head [aria-label="next unit"]').click()`)
	b.until(`document.querySelector('.walk-head').innerText.includes("2 of 10")`)
	b.tap("cold")
	b.tap("more")
	b.wait(`.refractometer svg .boundary, .refractometer svg .scale`)
	b.do(chromedp.Focus(chromedp.CSS(`.refractometer`)))
	for range 3 {
		b.press(keyPageUp)
	}
	b.until(`document.querySelector('[role="slider"]').ariaValueNow === "-15"`)
	b.said("Protects to")
	b.keepRound("round-tablet")
	b.accessible("a refractometer, dark")
	// Another walk does not begin over answers that are not recorded.
	b.open("/round", `.walk-site`)
	js[chromedp.Void](b, `[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith('Hill')).querySelector('button').click()`)
	b.until(`document.body.innerText.includes("answers that are not recorded, at MC-07, MC-09")`)
	for _, unit := range []string{"MC-07", "MC-09"} {
		b.open("/round/walk?unit="+unit, `[data-testid="unit-sheet"]`)
		b.tap("discard")
		b.tap("discard 1?")
		// The page is left only when the device has it.
		b.until(`document.querySelector('.round-bar .what').innerText.includes("nothing answered")`)
	}
	b.open("/round", `.walk-site`)
	b.tap("E-1")
	b.set(`.typed-fields input[placeholder="0"]`, "0.2")
	js[chromedp.Void](b, `[...document.querySelectorAll('.walk-site')].find(x => x.innerText.startsWith('Hill')).querySelector('button').click()`)
	b.wait(`[data-testid="unit-sheet"]`)
	b.tap("cold")
	if !js[bool](b, `document.querySelector('[data-question="freeze_test"]') !== null`) {
		b.tap("more")
	}
	b.tap("read the refractometer")
	b.until(`[...document.querySelectorAll('[data-question="freeze_test"] p')].some(p => p.innerText.startsWith("It shows") || p.innerText.includes("gave no reading"))`)
	b.until(`document.querySelector('[data-question="freeze_test"]').innerText.includes("read 0.2 on water")`)
	b.view("/round/sheet?site=Hill%20garage", `.blank-sheet`, 1280, 800, false)
	b.accessible("sheet")
	b.view("/tags?site=Hill%20garage", `.tags svg`, 1280, 800, false)
	b.accessible("labels")
	b.calm()
}

// A sign-in that ends meanwhile keeps the queue and asks again; signing out with lines that wait warns; a clock
// that is three hours slow is noticed, and its entries get the time of the server; what the first program
// kept in its own place is taken over.
func TestRoundSession(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
		Source: `{ const real = Date.now, slow = 3 * 3600e3, D = Date; Date.now = () => real() - slow; window.Date = class extends D { constructor(...a) { if (a.length) super(...a); else super(real() - slow); } }; window.Date.now = () => real() - slow; }`}); err != nil {
		t.Fatal(err)
	}
	b.do(chromedp.EmulateViewport(390, 844))
	b.walk("Hill garage", "R-4")
	b.until(`document.querySelector('.unsent')?.innerText.includes("3 hours slow")`)
	app.leaveEverywhere(t, "quayle@skerrow.example")
	begun := testday.Now().Add(-time.Minute)
	code := b.visit(1)
	b.until(`document.querySelector('input[type="password"]') !== null`)
	if n := waitingLines(b); n != 2 {
		t.Fatalf("%d lines wait while no one is signed in", n)
	}
	b.signIn("quayle@skerrow.example")
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.untilWaiting(0)
	var written []struct {
		At   time.Time
		Unit struct{ Code string }
	}
	if err := json.Unmarshal([]byte(app.get(t, "/api/v1/entries?limit=2&unit="+strings.ReplaceAll(code, " ", "%20"))), &written); err != nil {
		t.Fatal(err)
	}
	for _, w := range written {
		if w.At.Before(begun) || w.At.After(testday.Now()) {
			t.Errorf("recorded at %s, about %s", w.At, testday.Now())
		}
	}
	// Nothing is sent any more: signing out warns.
	b.block(app.address + "/api/v1/entries")
	b.visit(2)
	b.untilWaiting(2)
	js[chromedp.Void](b, `document.querySelector('.who').click()`)
	b.until(`[...document.querySelectorAll('[role="menuitem"]')].find(x => x.innerText === "sign out")`)
	js[chromedp.Void](b, `[...document.querySelectorAll('[role="menuitem"]')].find(x => x.innerText === "sign out").click()`)
	b.until(`document.querySelector('.leaving')?.innerText.includes("2 lines are not sent")`)
	b.accessible("signing out")
	js[chromedp.Void](b, `[...document.querySelectorAll('.leaving button')].find(x => x.innerText.startsWith("sign out")).click()`)
	b.until(`document.querySelector('input[type="password"]') !== null`)
	b.untilWaiting(0)
	b.untilSealed(2)
	b.block()
	b.open("/", `input[type="password"]`)
	b.signIn("quayle@skerrow.example")
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.until(`document.querySelector('.unsent')?.innerText.includes("Recorded on")`)
	b.untilWaiting(0)
	// What the first program kept, in its own place, is taken over and sent.
	js[chromedp.Void](b, `localStorage.setItem("diligent.unsent", JSON.stringify([{ person: "quayle@skerrow.example", unit: "`+code+`", what: "note", draft: {},
		entry: { id: "0198b2f4-6f00-7cc3-98c4-00000000abce", kind: "note", at: new Date(Date.now() + 3 * 3600e3 - 60000).toISOString(), note: { text: "kept by the first program" } } }]))`)
	b.open("/", `.unsent`)
	b.until(`document.querySelector('.unsent').innerText.includes("Recorded on ` + code + `")`)
	if js[bool](b, `localStorage.getItem("diligent.unsent") !== null`) || !strings.Contains(app.get(t, "/api/v1/entries?limit=5&kind=note&unit="+code), "kept by the first program") {
		t.Error("what the first program kept is not in the books")
	}
	// What the books refuse stays with its reason, and is opened again as it was recorded, to be put right.
	js[chromedp.Void](b, `(async () => { const text = JSON.stringify({ id: "0198b2f4-6f00-7cc3-98c4-00000000abcd", kind: "level_check", at: new Date(Date.now() + 3 * 3600e3 - 60000).toISOString(), levelCheck: { temper: "cold", mark: "tilted", note: "on the slope" } });
		const hash = [...new Uint8Array(await crypto.subtle.digest("SHA-256", new TextEncoder().encode(text)))].map(x => x.toString(16).padStart(2, "0")).join("");
		await new Promise(done => { const o = indexedDB.open("diligent"); o.onsuccess = () => { const t = o.result.transaction("queue", "readwrite"); t.objectStore("queue").put({ id: "0198b2f4-6f00-7cc3-98c4-00000000abcd",
			person: "quayle@skerrow.example", unit: "`+code+`", text, sha256: hash, recordedAt: new Date().toISOString(), what: "level tilted", state: "waiting" }); t.oncomplete = () => { o.result.close(); done(); }; }; }); })()`)
	b.open("/", `.unsent`)
	b.until(`document.querySelector('.unsent').innerText.includes("Not recorded: ` + code + ` level tilted")`)
	b.accessible("a line that was refused")
	js[chromedp.Void](b, `[...document.querySelectorAll('.unsent button')].find(x => x.innerText === "open it again").click()`)
	b.wait(`[data-testid="form-unit"]`)
	b.until(`[...document.querySelectorAll('.entry-form input')].some(x => x.value === "on the slope")`)
	if n := js[int](b, queueCount("refused")); n != 0 {
		t.Errorf("%d lines stay refused once they are opened again", n)
	}
}

// untilSealed is until a number of records or more are sealed on the device, and no key to them is there.
func (b *tab) untilSealed(least int) {
	b.t.Helper()
	sealed := `new Promise(done => { const o = indexedDB.open("diligent"); o.onsuccess = () => { const t = o.result.transaction(["sealed", "keys"]); const n = t.objectStore("sealed").count(), k = t.objectStore("keys").count();
		t.oncomplete = () => { o.result.close(); done(k.result === 0 ? n.result : 0) } } })`
	for range 100 {
		if js[int](b, sealed) >= least {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	b.fail(errors.New("not sealed"))
}

// openAnswers is how many answers lie on the device that are not recorded.
const openAnswers = `new Promise(done => { const o = indexedDB.open("diligent"); o.onsuccess = () => { const n = o.result.transaction("answers").objectStore("answers").count(); n.onsuccess = () => { o.result.close(); done(n.result) } } })`

// onDevice is everything that the browser keeps of the program, as text.
const onDevice = `(async () => {
	const db = await new Promise(done => { const o = indexedDB.open("diligent"); o.onsuccess = () => done(o.result) });
	const ask = r => new Promise((done, failed) => { r.onsuccess = () => done(r.result); r.onerror = failed });
	const words = async v => v instanceof Blob ? await v.text() : v instanceof ArrayBuffer || ArrayBuffer.isView(v) ? new TextDecoder("latin1").decode(v)
		: v && typeof v === "object" ? (await Promise.all(Object.entries(v).map(async ([k, x]) => k + ":" + await words(x)))).join(" ") : String(v);
	let all = JSON.stringify({ ...localStorage }) + JSON.stringify({ ...sessionStorage });
	for (const store of db.objectStoreNames) {
		const s = db.transaction(store).objectStore(store);
		all += store + " " + (await ask(s.getAllKeys())).join(" ") + " " + await words(await ask(s.getAll()));
	}
	db.close();
	for (const c of await caches.keys()) for (const r of await (await caches.open(c)).keys()) all += " " + r.url;
	return all })()`

// Without a signal a person signs out and leaves lines behind: nothing of them, of the units or of the person can be read on the device,
// by the next who signs in neither; at their own next sign-in they are sent. What a session leaves that ended by itself, open answers
// among it, is sealed when another person signs in, and comes back.
func TestSealedOnTheDevice(t *testing.T) {
	const mail = "sund@skerrow.example"
	b := newTabOf(t, mail)
	b.do(chromedp.EmulateViewport(390, 844))
	b.walk("Hill garage", "R-4")
	secrets := func(codes ...string) {
		t.Helper()
		kept := js[string](b, onDevice)
		for _, s := range append(codes, mail, "I. Sund", "Hill garage", "level_check", "remark of the walk") {
			if i := strings.Index(kept, s); i >= 0 {
				t.Errorf("%q is readable on the device: …%s…", s, kept[max(0, i-100):min(len(kept), i+100)])
			}
		}
	}
	b.block(app.address + "/api/*")
	code := b.visit(1)
	b.untilWaiting(2)
	out := func() {
		js[chromedp.Void](b, `document.querySelector('.who').click()`)
		b.until(`[...document.querySelectorAll('[role="menuitem"]')].find(x => x.innerText === "sign out")`)
		js[chromedp.Void](b, `[...document.querySelectorAll('[role="menuitem"]')].find(x => x.innerText === "sign out").click()`)
		b.until(`document.querySelector('.leaving')?.innerText.includes("2 lines are not sent")`)
		js[chromedp.Void](b, `[...document.querySelectorAll('.leaving button')].find(x => x.innerText.startsWith("sign out")).click()`)
	}
	out()
	b.wait(`input[type="password"]`)
	b.untilSealed(2)
	secrets(code)
	// The page that is loaded without a signal does not open the books again.
	b.open("/", `.wait button`)
	b.until(`document.body.innerText.includes("Signed out on this device")`)
	b.block()
	b.open("/", `input[type="password"]`)
	b.until(`document.body.innerText.includes("Unsent records on this device, encrypted")`)
	b.accessible("sign-in with sealed records")
	delete(app.cookies, mail) // of the session that ended
	if !js[bool](b, `fetch("/api/v1/session").then(r => r.json()).then(s => s.person === undefined)`) {
		t.Error("the session that was left without a signal goes on")
	}
	b.signIn("quayle@skerrow.example")
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.open("/", `.who`)
	if said := js[string](b, `document.querySelector('.unsent')?.innerText ?? ""`); strings.Contains(said, code) {
		t.Errorf("the next person reads %q", said)
	}
	secrets(code)
	app.leaveEverywhere(t, "quayle@skerrow.example")
	b.open("/", `input[type="password"]`)
	b.signIn(mail)
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.until(`document.querySelector('.unsent')?.innerText.includes("Recorded on ` + code + `")`)
	b.untilWaiting(0)
	if got := app.get(t, "/api/v1/entries?limit=4&kind=level_check&unit="+strings.ReplaceAll(code, " ", "%20")); !strings.Contains(got, "level_check") {
		t.Errorf("the line is not in the books: %s", got)
	}
	// A session that ends by itself in the middle of a walk, with a line that waits and an answer that is not recorded.
	b.walk("Hill garage", "R-4")
	b.block(app.address+"/api/v1/entries", app.address+"/api/v1/rounds/*")
	code = b.visit(1)
	b.untilWaiting(2)
	b.tap("cold")
	for range 50 {
		if js[int](b, openAnswers) > 0 {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	app.leaveEverywhere(t, mail)
	b.open("/", `input[type="password"]`)
	b.signIn("quayle@skerrow.example")
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.untilWaiting(0)
	secrets(code)
	app.leaveEverywhere(t, "quayle@skerrow.example")
	b.block()
	b.open("/", `input[type="password"]`)
	b.signIn(mail)
	b.until(`document.querySelector(".who") !== null && document.querySelector('input[type="password"]') === null`)
	b.until(`document.querySelector('.unsent')?.innerText.includes("Recorded on ` + code + `")`)
	b.open("/round", `main`)
	b.until(`document.body.innerText.includes("Hill garage")`)
	if js[int](b, openAnswers) == 0 {
		t.Error("the answer that was not recorded is lost")
	}
}

// The core answers late: what is typed stays in the cells it was typed into, and each line is recorded as it was typed.
func TestDeskWithASlowCore(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	if _, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
		Source: `{ const post = Worker.prototype.postMessage; Worker.prototype.postMessage = function (...a) { setTimeout(() => post.apply(this, a), 400) } }`}); err != nil {
		t.Fatal(err)
	}
	b.view("/round/desk?site=Hill%20garage", `select`, 1280, 800, false)
	b.until(`document.activeElement.tagName === "SELECT"`)
	js[chromedp.Void](b, `(() => { const s = document.activeElement; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "R-1"); s.dispatchEvent(new Event("change", { bubbles: true })); })()`)
	for _, k := range "\t\t\r" {
		b.press(string(k))
	}
	b.wait(`.desk`)
	b.until(`document.activeElement.dataset.cell === "0 temper"`)
	const lines = 8
	cell := func(i int, column string) string {
		return fmt.Sprintf(`document.querySelector('[data-cell="%d %s"]')`, i, column)
	}
	begun := testday.Now()
	for i := range lines {
		b.press("\t")
		b.press([]string{"2", "3"}[i%2])
		b.press("\t")
		if !js[bool](b, cell(i, "freeze")+`.disabled`) {
			for _, k := range fmt.Sprintf("-3%d", i) {
				b.press(string(k))
			}
		}
		b.press("\r")
	}
	for i := range lines {
		if got, want := js[string](b, cell(i, "level")+`.value`), []string{"2", "3"}[i%2]; got != want {
			t.Errorf("row %d: level %q, typed %q", i, got, want)
		}
		if got, want := js[string](b, cell(i, "freeze")+`.disabled ? "" : `+cell(i, "freeze")+`.value`), fmt.Sprintf("-3%d", i); got != want && got != "" {
			t.Errorf("row %d: freeze %q, typed %q", i, got, want)
		}
	}
	b.until(`![...document.querySelectorAll('.desk-said')].some(x => x.innerText.includes("keeping"))`)
	b.untilWaiting(0)
	recorded := 0
	for i := range lines {
		if !js[bool](b, fmt.Sprintf(`document.querySelectorAll('.desk tbody tr')[%d].className === "done"`, i)) {
			t.Logf("row %d: %s", i, js[string](b, fmt.Sprintf(`document.querySelectorAll('.desk-said')[%d].innerText`, i)))
			continue
		}
		recorded++
		code := js[string](b, fmt.Sprintf(`document.querySelectorAll('.desk tbody tr')[%d].querySelector('th').innerText`, i))
		var written []struct {
			At   time.Time
			Kind string
			Text string
		}
		if err := json.Unmarshal([]byte(app.get(t, "/api/v1/entries?limit=4&unit="+url.QueryEscape(code))), &written); err != nil {
			t.Fatal(err)
		}
		for _, w := range written {
			want := map[string]string{"level_check": []string{"at the upper mark", "between the marks"}[i%2], "freeze_test": fmt.Sprintf("3%d", i)}[w.Kind]
			if w.At.After(begun) && !strings.Contains(w.Text, want) {
				t.Errorf("%s: %s %q, typed %q", code, w.Kind, w.Text, want)
			}
		}
	}
	if recorded < lines/2 {
		t.Errorf("%d of %d lines recorded", recorded, lines)
	}
}

var human = flag.Bool("human", false, "type up the sheet at the speed of a person, and print how long it took")

// A paper sheet is typed up by keyboard alone, Tab and Enter; with -human at the speed of a person, for the
// bench: 60 units are to take under ten minutes.
func TestDeskByKeyboard(t *testing.T) {
	b := newTabOf(t, "quayle@skerrow.example")
	b.view("/round/desk?site=Inland%20depot", `select`, 1280, 800, false)
	keys, begun := 0, time.Now()
	press := func(text string) {
		t.Helper()
		for _, k := range text {
			b.press(string(k))
			keys++
			if *human {
				time.Sleep(250 * time.Millisecond) // four keys a second, one finger on the sheet
			}
		}
	}
	b.until(`document.activeElement.tagName === "SELECT"`)
	js[chromedp.Void](b, `(() => { const s = document.activeElement; Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, "R-1"); s.dispatchEvent(new Event("change", { bubbles: true })); })()`)
	press("\t\t\r")
	b.wait(`.desk`)
	b.until(`document.activeElement.dataset.cell === "0 temper"`)
	b.accessible("desk")
	rows := js[int](b, `document.querySelectorAll('.desk tbody tr').length`)
	// Wrong first: it says which cell and what is accepted, and records nothing.
	press("\t9\r")
	b.until(`document.querySelector('.desk-said').innerText.includes("9 is not accepted; accepted: 1 to 6")`)
	press("\b")
	recorded, typed := 0, keys
	for i := range rows {
		at := `document.activeElement.dataset?.cell`
		if cell := js[string](b, at+` ?? ""`); cell == fmt.Sprintf("%d temper", i) {
			press("\t")
		}
		press("2\t-36\t1\t1")
		press("\r")
		b.until(fmt.Sprintf(`document.querySelectorAll('.desk tbody tr')[%d].className === "done" || !["", "keeping …"].includes(document.querySelectorAll('.desk-said')[%d].innerText.trim())`, i, i))
		if !js[bool](b, fmt.Sprintf(`document.querySelectorAll('.desk tbody tr')[%d].className === "done"`, i)) {
			// What is asked is confirmed by Enter again; what is not accepted is left for its own page.
			press("\r")
			b.do(chromedp.Sleep(300 * time.Millisecond))
		}
		if js[bool](b, fmt.Sprintf(`document.querySelectorAll('.desk tbody tr')[%d].className === "done"`, i)) {
			recorded++
			continue
		}
		js[chromedp.Void](b, fmt.Sprintf(`document.querySelector('[data-cell="%d temper"]')?.focus()`, i+1))
	}
	took := time.Since(begun)
	if recorded < rows-4 {
		t.Errorf("%d of %d lines were recorded by keyboard", recorded, rows)
	}
	perUnit := float64(keys-typed) / float64(rows)
	// At three keys a second, sixty units stay under ten minutes up to thirty keys a unit.
	if perUnit > 20 {
		t.Errorf("%.1f keys a unit", perUnit)
	}
	t.Logf("%d units, %.1f keys each, %s: 60 units in %s", rows, perUnit, took.Round(time.Second), (took * 60 / time.Duration(rows)).Round(time.Second))
	b.untilWaiting(0)
	js[chromedp.Void](b, `window.scrollTo(0, 0)`)
	b.keepRound("round-desk")
	if !*human {
		b.calm()
	}
}

const keyPageUp = "\u0308"

// untilWaiting a number of lines on the device.
func (b *tab) untilWaiting(n int) {
	b.t.Helper()
	for range 300 {
		if waitingLines(b) == n {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	b.fail(fmt.Errorf("%d lines wait, want %d", waitingLines(b), n))
}

// block addresses, as a firewall does; none lifts it.
func (b *tab) block(addresses ...string) {
	b.t.Helper()
	patterns := []*network.BlockPattern{}
	for _, a := range addresses {
		patterns = append(patterns, &network.BlockPattern{URLPattern: a, Block: true})
	}
	if _, err := chromedp.Call(b.ctx, network.SetBlockedURLs, network.SetBlockedURLsParams{URLPatterns: patterns}); err != nil {
		b.fail(err)
	}
}
