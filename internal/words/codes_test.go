package words_test

import (
	"os"
	"testing"

	"diligentledger/core/access"
	"diligentledger/core/clock"
	"diligentledger/core/ledger"
	"diligentledger/internal/words"
)

// The screens' file of names is the one that is generated now, and every code that the core lists
// has a name. Codes that only the contract lists are held by the TypeScript compiler.
func TestNamesOfCodes(t *testing.T) {
	got, err := os.ReadFile("../../ui/src/words/names.gen.ts")
	if err != nil {
		t.Fatal(err)
	}
	if string(got) != words.TypeScript() {
		t.Error("ui/src/words/names.gen.ts is not what go generate ./internal/words writes")
	}
	for _, k := range ledger.Kinds {
		if words.KindNames[k] == "" {
			t.Errorf("the kind %s has no name", k)
		}
	}
	for _, v := range clock.Verdicts {
		if words.VerdictNames[v] == "" {
			t.Errorf("the verdict %s has no name", v)
		}
	}
	for _, r := range access.Roles {
		if words.RoleNames[r] == "" {
			t.Errorf("the role %s has no name", r)
		}
	}
}

// In a drawing each clock is known by its letter.
func TestClockLetters(t *testing.T) {
	of := map[string]clock.Kind{}
	for kind := range words.ClockNames {
		letter := words.ClockLetters[kind]
		if len(letter) != 1 || of[letter] != "" {
			t.Errorf("%s has the letter %q, as %s has", kind, letter, of[letter])
		}
		of[letter] = kind
	}
}
