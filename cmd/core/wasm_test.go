package main_test

import (
	"encoding/json"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/coolant"
	"diligentledger/core/job"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/internal/sheet"
	"diligentledger/internal/walk"
	"diligentledger/internal/walk/walktest"
	"diligentledger/internal/words"
)

// runner loads the program, calls it with each line of its input, [function, texts …], and writes the
// answers into a file.
const runner = `
const fs = require("fs"), path = require("path");
const [root, wasm, asked, answered] = process.argv.slice(2);
globalThis.require = require; globalThis.fs = fs; globalThis.path = path;
require(path.join(root, "lib", "wasm", "wasm_exec.js"));
const bytes = fs.readFileSync(wasm);
const answers = [];
const go = new Go();
WebAssembly.instantiate(bytes, go.importObject).then(({ instance }) => {
  go.run(instance);
  for (const line of fs.readFileSync(asked, "utf8").split("\n").filter(Boolean)) {
    const [name, ...texts] = JSON.parse(line);
    answers.push(globalThis[name](...texts));
  }
  fs.writeFileSync(answered, answers.join("\n"));
  process.exit(0);
});
`

func run(t *testing.T, env []string, name string, args ...string) string {
	t.Helper()
	cmd := exec.CommandContext(t.Context(), name, args...)
	cmd.Env = append(os.Environ(), env...)
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
	return string(out)
}

// askJob asks for the sheet of an exercise at each of its steps, for what is typed there, and for what the simulated unit shows.
func askJob(t *testing.T, seed uint64, asJSON func(any) string, ask func(want any, name string, texts ...string)) {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 181))
	of := []string{"car", "truck", "motorcycle", "boat", "aircraft"}[rng.IntN(5)]
	inside, err := coolant.Pour(coolant.EG, 8, 0.45)
	if err != nil {
		t.Fatal(err)
	}
	kinds, reader := job.Kinds(of), []words.Reader{words.Metric, {Temperature: measure.DegF, Volume: measure.USQt, Pressure: measure.Psi, Distance: measure.Mi, Dates: words.MonthDayYear}}[seed%2]
	s := job.Setup{ID: "01931c2e-0000-7000-8000-0000000000aa", Address: "X-1", Unit: "X-1", Of: of, Kind: kinds[rng.IntN(len(kinds))], Options: job.Options{Part: job.Parts[rng.IntN(4)], ThermostatOut: rng.IntN(2) == 0},
		Exercise: true, Seed: seed, HeaterCore: true, HotWater: true, Capacity: 8.4, Points: job.CommonPoints(of, 8.4, true, true), Cap: 108, Stages: 2, Known: true, Inside: inside, Filled: 8.4, Target: 0.48,
		Product: coolant.Product{ID: 1, Code: "C", Name: "Concentrate", Base: coolant.EG, Technology: "OAT", Form: coolant.Concentrate, Glycol: 0.96, Stated: true}}
	p := sheet.Pack{Setup: s, Events: []job.Event{}, Actor: access.Actor{ID: 7, Name: "A. Person", Role: access.Coordinator}, Reader: reader.Text(), Zone: sheet.ZoneOf(time.UTC)}
	packed := asJSON(p)
	if p, err = sheet.ReadPack([]byte(packed)); err != nil {
		t.Fatal(err)
	}
	var waiting []job.Event
	now := time.Date(2026, 11, 27, 7, 0, 0, 0, time.UTC)
	for n := range 45 {
		now = now.Add(9 * time.Minute)
		queue, at := asJSON(waiting), now.Format(time.RFC3339Nano)
		ask(p.View(waiting, now), "diligentJob", packed, queue, at)
		st := p.Open(waiting, now)
		if st.Next == "" || st.Next == "release" {
			return
		}
		step := *st.Step(st.Next)
		values, err := p.Simulated(waiting, now, step.Key)
		if err != nil {
			t.Fatal(err)
		}
		ask(map[string]any{"values": values}, "diligentJobAnswer", packed, queue, at, step.Key)
		texts := map[string]string{}
		for code, v := range values {
			switch {
			case rng.IntN(20) == 0:
				texts[code] = "about 3"
			case v.Reading != nil:
				texts[code] = v.Reading.String()
			default:
				texts[code] = v.Choice + v.Text
			}
		}
		read, refused, err := p.Read(waiting, now, step.Key, texts)
		if err != nil {
			t.Fatal(err)
		}
		ask(map[string]any{"values": read, "refused": refused}, "diligentJobRead", packed, queue, at, step.Key, asJSON(texts))
		e := job.Event{ID: job.EntryID(s.ID, strconv.Itoa(n)), At: now, By: "A. Person", ByID: 7, Role: access.Coordinator, Type: job.Answered, Step: step.Key, Values: values}
		if step.Answer != nil {
			e.Replaces = step.Answer.ID
		}
		waiting = append(waiting, e)
	}
}

// compared is how many random accounts and entries the browser's answers are held against.
const compared = 1000

// The core with its words runs as WebAssembly and gives what it gives here, byte for byte, on
// random lives of units with random entries, some of which wait on the device.
func TestCoreAsWebAssembly(t *testing.T) {
	if _, err := exec.LookPath("node"); err != nil {
		t.Skip("needs Node.js, which builds the interface")
	}
	dir := t.TempDir()
	wasm, script, asked, answered := filepath.Join(dir, "core.wasm"), filepath.Join(dir, "run.cjs"), filepath.Join(dir, "asked.jsonl"), filepath.Join(dir, "answers")
	run(t, []string{"GOOS=js", "GOARCH=wasm"}, "go", "build", "-trimpath", "-gcflags=all=-l", "-ldflags", "-s -w", "-o", wasm, ".")
	root := strings.TrimSpace(run(t, nil, "go", "env", "GOROOT"))
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+1)
	var lines, wants []string
	ask := func(want any, name string, texts ...string) {
		t.Helper()
		line, err1 := json.Marshal(append([]string{name}, texts...))
		answer, err2 := json.Marshal(want)
		if err1 != nil || err2 != nil {
			t.Fatal(err1, err2)
		}
		lines, wants = append(lines, string(line)), append(wants, string(answer))
	}
	scales, err := coolant.ScaleLines(coolant.ScaleFreeze, coolant.PG)
	if err != nil {
		t.Fatal(err)
	}
	ask(scales, "diligentScale", "freeze", "PG")
	asJSON := func(v any) string {
		t.Helper()
		text, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		return string(text)
	}
	said, refused := 0, 0
	var shared *walk.Shared
	for seed := range compared {
		rng := rand.New(rand.NewPCG(uint64(seed), 77))
		if seed%20 == 0 {
			text := asJSON(walktest.Shared(rng, now))
			if shared, err = walk.Read([]byte(text)); err != nil {
				t.Fatal(err)
			}
			ask(struct{}{}, "diligentShare", text)
		}
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		pack, err := walktest.Pack(rng, u, 2+rng.IntN(24))
		if err != nil {
			t.Fatal(err)
		}
		sent := func(n int) string {
			at := now.Add(-time.Duration(rng.IntN(300)) * time.Hour)
			text, err := walktest.Sent(walktest.ID(10*seed+n), at, ledgertest.Body(rng, u, ledgertest.Days), rng.IntN(2) == 0)
			if err != nil {
				t.Fatal(err)
			}
			return string(text)
		}
		waiting := []walk.Waiting{}
		for n := range rng.IntN(3) {
			waiting = append(waiting, walk.Waiting{Address: pack.Code, Entry: json.RawMessage(sent(n)), RecordedAt: now.Add(-time.Hour)})
		}
		packed, queue, entry := asJSON(pack), asJSON(waiting), sent(9)
		read, err := walk.ReadPack([]byte(packed))
		if err != nil {
			t.Fatal(err)
		}
		unit, err := walk.Open(shared, read, waiting, now)
		if err != nil {
			t.Fatal(err)
		}
		ask(unit.View(), "diligentUnit", packed, queue, now.Format(time.RFC3339Nano))
		preview := unit.Preview(pack.Code, []byte(entry))
		if len(preview.Refused) > 0 {
			refused++
		} else {
			said++
		}
		ask(preview, "diligentPreview", packed, queue, now.Format(time.RFC3339Nano), pack.Code, entry)
	}
	for seed := range uint64(60) {
		askJob(t, seed, asJSON, ask)
	}
	for file, text := range map[string]string{script: runner, asked: strings.Join(lines, "\n")} {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	run(t, nil, "node", script, root, wasm, asked, answered)
	text, err := os.ReadFile(answered)
	if err != nil {
		t.Fatal(err)
	}
	answers := strings.Split(string(text), "\n")
	if len(answers) != len(wants) {
		t.Fatalf("%d answers to %d questions: %.500s", len(answers), len(wants), answers[len(answers)-1])
	}
	wrong := 0
	for i, want := range wants {
		if got := answers[i]; got != want {
			if wrong++; wrong < 4 {
				t.Errorf("answer %d to %.200s:\n%.1500s\nwant %.1500s", i, lines[i], got, want)
			}
		}
	}
	if wrong > 0 {
		t.Errorf("%d of %d answers differ", wrong, len(wants))
	}
	t.Logf("%d entries previewed, %d refused", said, refused)
	if said < 300 || refused < 30 {
		t.Errorf("only %d entries were previewed, and %d refused", said, refused)
	}
}
