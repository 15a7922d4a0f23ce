package e2e

import (
	"os/exec"
	"regexp"
	"testing"
)

// A short drill on the real program: nothing acknowledged is lost, doubled or changed, and what
// it prints can be read by a script.
func TestDrill(t *testing.T) {
	out, err := exec.Command(binary, "drill", "--rounds", "3", "--writers", "4", "--technicians", "6", "--seconds", "4", "--seed", "11").CombinedOutput()
	if err != nil {
		t.Errorf("%v: %s", err, out)
	}
	for _, want := range []string{`3 rounds, 4 writers, [1-9]\d* lines acknowledged: 0 lost, 0 doubled, 0 changed, 0 refused`,
		`program  killed   1 times`, `database killed   1 times`, `both     killed   1 times`,
		`technicians: 6 for 4 s, [1-9]\d* accounts read, [1-9]\d* lines written, 0 errors`, `write p50 \d`, `every chain holds`} {
		if !regexp.MustCompile(want).Match(out) {
			t.Errorf("no %q in\n%s", want, out)
		}
	}
	for _, bad := range [][]string{{"--writers", "0"}, {"--rounds", "-1"}, {"--seconds", "1e9"}} {
		if out, err := exec.Command(binary, append([]string{"drill"}, bad...)...).CombinedOutput(); err == nil {
			t.Errorf("%v: %s", bad, out)
		}
	}
}
