package drill

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
)

// Each way to lose a line is counted as itself.
func TestCompare(t *testing.T) {
	a, b, c := Line{Unit: "U", ID: "1", Text: "a"}, Line{Unit: "U", ID: "2", Text: "b"}, Line{Unit: "V", ID: "3", Text: "c"}
	sent := []Line{a, b, c}
	for _, k := range []struct {
		name  string
		there []Line
		want  Count
	}{
		{"all", []Line{c, b, a, {Unit: "U", ID: "9", Text: "other"}}, Count{Acknowledged: 3}},
		{"one lost", []Line{a, c}, Count{Acknowledged: 3, Lost: 1}},
		{"one doubled", []Line{a, b, c, b}, Count{Acknowledged: 3, Doubled: 1}},
		{"written again under another id", []Line{a, b, c, {Unit: "U", ID: "4", Text: "b"}}, Count{Acknowledged: 3, Doubled: 1}},
		{"one changed", []Line{a, {Unit: "U", ID: "2", Text: "x"}, c}, Count{Acknowledged: 3, Changed: 1}},
		{"on another unit", []Line{a, b, {Unit: "U", ID: "3", Text: "c"}}, Count{Acknowledged: 3, Changed: 1}},
		{"nothing", nil, Count{Acknowledged: 3, Lost: 3}},
	} {
		got := Compare(sent, k.there)
		if got != k.want || got.Sound() != (k.want.Lost+k.want.Doubled+k.want.Changed == 0) {
			t.Errorf("%s: %+v, want %+v", k.name, got, k.want)
		}
	}
}

func TestPercentile(t *testing.T) {
	var all []time.Duration
	for i := 100; i > 0; i-- {
		all = append(all, time.Duration(i))
	}
	for p, want := range map[int]time.Duration{0: 1, 1: 1, 50: 50, 95: 95, 99: 99, 100: 100} {
		if got := Percentile(all, p); got != want {
			t.Errorf("p%d is %d, want %d", p, got, want)
		}
	}
	if got := Percentile(nil, 99); got != 0 {
		t.Errorf("of none: %d", got)
	}
}

// Every test that docs/reliability.md names is there.
func TestReliabilityPage(t *testing.T) {
	page, err := os.ReadFile("../../docs/reliability.md")
	if err != nil {
		t.Fatal(err)
	}
	tests := map[string]bool{}
	declared := regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)\(`)
	if err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && len(d.Name()) > 2) {
			return fs.SkipDir
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		text, err := os.ReadFile(path)
		for _, m := range declared.FindAllSubmatch(text, -1) {
			tests[string(m[1])] = true
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile(`\b(Test|Fuzz)[A-Z]\w*`).FindAllString(string(page), -1)
	if len(named) < 15 {
		t.Errorf("only %d tests are named", len(named))
	}
	for _, name := range named {
		if !tests[name] {
			t.Errorf("%s is named and is not there", name)
		}
	}
}
