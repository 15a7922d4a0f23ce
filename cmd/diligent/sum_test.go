package main

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"diligentledger/api"
	"diligentledger/internal/sums"
)

func TestSum(t *testing.T) {
	var out bytes.Buffer
	if err := sum([]string{"protects"}, strings.NewReader(`{"units":"us","inputs":{"strength":"50"}}`), &out); err != nil {
		t.Fatal(err)
	}
	var answer api.Answer
	if err := json.Unmarshal(out.Bytes(), &answer); err != nil || answer.Headline != "Freezes at −34\u00a0°F." || len(answer.Steps) == 0 {
		t.Errorf("%v: %.200s", err, out.String())
	}
	if lines := strings.Count(out.String(), "\n"); lines > 60 || strings.Contains(out.String(), `"curve"`) {
		t.Errorf("the curve is printed unasked, %d lines", lines)
	}
	out.Reset()
	if err := sum([]string{"protects", "--curve"}, strings.NewReader(""), &out); err != nil || !strings.Contains(out.String(), `"curve"`) {
		t.Errorf("the curve was asked for: %v %.200s", err, out.String())
	}
	out.Reset()
	if err := sum(nil, strings.NewReader(""), &out); err != nil {
		t.Fatal(err)
	}
	for _, q := range sums.Questions() {
		if !strings.Contains(out.String(), q.Title) {
			t.Errorf("the list leaves out %q", q.Title)
		}
		var one bytes.Buffer
		if err := sum([]string{q.Name}, strings.NewReader(""), &one); err != nil || !json.Valid(one.Bytes()) {
			t.Errorf("%s without input: %v", q.Name, err)
		}
	}
	out.Reset()
	var problem api.Problem
	if err := sum([]string{"target"}, strings.NewReader(`{"inputs":{"target":"75 %"}}`), &out); err == nil ||
		json.Unmarshal(out.Bytes(), &problem) != nil || problem.Errors == nil || (*problem.Errors)[0].Pointer != "/inputs/target" {
		t.Errorf("refused: %v, %s", err, out.String())
	}
	for _, c := range []struct {
		args     []string
		in, says string
	}{
		{[]string{"nothing"}, "", "accepted: protects"}, {[]string{"a", "b"}, "", "too many"}, {[]string{"protects"}, "{", "standard input"},
		{[]string{"protects"}, `{"colour":1}`, "standard input"}, {[]string{"target"}, `{"inputs":{"target":"75 %"}}`, "33 to 65"},
	} {
		if err := sum(c.args, strings.NewReader(c.in), &out); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%v %s: %v; want %q", c.args, c.in, err, c.says)
		}
	}
}

func TestBacktest(t *testing.T) {
	var out bytes.Buffer
	if err := run(t.Context(), []string{"backtest", "--units", "0"}); err == nil || !strings.Contains(err.Error(), "1 to 10000") {
		t.Errorf("no units: %v", err)
	}
	if err := replay(t.Context(), []string{"--synthetic", "--units", "3", "--days", "700"}, &out); err != nil {
		t.Fatal(err)
	}
	if got := strings.Count(out.String(), "%"); got < 6 || !strings.Contains(out.String(), "regime change") {
		t.Errorf("printed %s", out.String())
	}
}
