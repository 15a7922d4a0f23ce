package main_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"
	"time"

	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/core/ledger/ledgertest"
	"diligentledger/core/measure"
	"diligentledger/core/serviceplan"
	"diligentledger/internal/words"
)

// mostCompressed is how large the core may be, bytes in Brotli (RFC 7932) at its best.
const mostCompressed = 1_500_000

// runner loads the program, asks it each line of its input, and prints the answers; first the
// size of the program, compressed.
const runner = `
const fs = require("fs"), zlib = require("zlib"), path = require("path");
const [root, wasm, asked] = process.argv.slice(2);
globalThis.require = require; globalThis.fs = fs; globalThis.path = path;
require(path.join(root, "lib", "wasm", "wasm_exec.js"));
const bytes = fs.readFileSync(wasm);
console.log(zlib.brotliCompressSync(bytes).length);
const go = new Go();
WebAssembly.instantiate(bytes, go.importObject).then(({ instance }) => {
  go.run(instance);
  for (const line of fs.readFileSync(asked, "utf8").split("\n").filter(Boolean)) console.log(globalThis.diligentPreview(line));
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

// The core with its words runs as WebAssembly, stays small, and gives the same account, verdict
// and words as here, on random histories.
func TestCoreAsWebAssembly(t *testing.T) {
	if _, err := exec.LookPath("node"); err != nil {
		t.Skip("needs Node.js, which builds the interface")
	}
	dir := t.TempDir()
	wasm, script, asked := filepath.Join(dir, "core.wasm"), filepath.Join(dir, "run.cjs"), filepath.Join(dir, "asked.jsonl")
	run(t, []string{"GOOS=js", "GOARCH=wasm"}, "go", "build", "-trimpath", "-ldflags", "-s -w", "-o", wasm, ".")
	root := strings.TrimSpace(run(t, nil, "go", "env", "GOROOT"))
	type want struct {
		later, refused       bool
		account              *ledger.Packed
		verdict, reason, say string
	}
	var wants []want
	var lines []string
	plan := serviceplan.Plan{Name: "P", First: serviceplan.Interval{Months: 60}, Later: serviceplan.Interval{Months: 36}, FreezeMargin: 5}
	now := ledgertest.Start.AddDate(0, 0, ledgertest.Days+1)
	for seed := range 60 {
		rng := rand.New(rand.NewPCG(uint64(seed), 77))
		u := ledgertest.Units[seed%len(ledgertest.Units)]
		account := ledger.Fold(u, ledgertest.History(rng, u, 4+rng.IntN(20)))
		packed, err := account.Store()
		if err != nil {
			t.Fatal(err)
		}
		e := ledgertest.Entry(rng, u, ledgertest.Days, fmt.Sprintf("zz%04d", seed), ledgertest.Body(rng, u, ledgertest.Days))
		e.RecordedAt = now
		body, err := json.Marshal(e.Body)
		if err != nil {
			t.Fatal(err)
		}
		line, err := json.Marshal(map[string]any{"unit": u, "plan": plan, "site": "Yard", "account": packed, "id": e.ID, "at": e.At, "now": now, "by": e.RecordedBy, "kind": e.Kind(), "body": json.RawMessage(body)})
		if err != nil {
			t.Fatal(err)
		}
		lines = append(lines, string(line))
		restored, err := ledger.Restore(u, packed)
		if err != nil {
			t.Fatal(err)
		}
		w := want{}
		if h, ok := ledger.Continued(restored, e); !ok {
			w.later = true
		} else if w.refused = len(ledger.CheckIn(h, e, now)) > 0; !w.refused {
			after := h.After(e)
			status := clock.Evaluate(after, plan, clock.Conditions{Zone: time.UTC}, measure.DateOf(now, time.UTC))
			stored, err := after.Store()
			if err != nil {
				t.Fatal(err)
			}
			w.account, w.verdict, w.reason, w.say = &stored, string(status.Verdict), words.Metric.Reason(status.Governing, "Yard"), words.Entry(e.Body)
		}
		wants = append(wants, w)
	}
	for file, text := range map[string]string{script: runner, asked: strings.Join(lines, "\n")} {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	answers := strings.Split(strings.TrimSpace(run(t, nil, "node", script, root, wasm, asked)), "\n")
	if size, err := strconv.Atoi(answers[0]); err != nil || size > mostCompressed {
		t.Errorf("the core is %s bytes compressed, at most %d, %v", answers[0], mostCompressed, err)
	} else {
		t.Logf("%d bytes compressed", size)
	}
	if len(answers) != len(wants)+1 {
		t.Fatalf("%d answers to %d questions: %.500s", len(answers)-1, len(wants), answers[len(answers)-1])
	}
	previewed := 0
	for i, w := range wants {
		var got struct {
			Failed                string
			Later                 bool
			Refused               []any
			Text, Verdict, Reason string
			Account               *ledger.Packed
		}
		if err := json.Unmarshal([]byte(answers[i+1]), &got); err != nil || got.Failed != "" {
			t.Fatalf("answer %d: %s, %v", i, answers[i+1], err)
		}
		if got.Later != w.later || (len(got.Refused) > 0) != w.refused || !reflect.DeepEqual(got.Account, w.account) || got.Verdict != w.verdict || got.Reason != w.reason || got.Text != w.say {
			t.Errorf("answer %d: %+v, want %+v", i, got, w)
		}
		if w.account != nil {
			previewed++
		}
	}
	if previewed < 10 {
		t.Errorf("only %d entries were previewed", previewed)
	}
}
