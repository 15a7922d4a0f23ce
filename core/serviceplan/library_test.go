package serviceplan

import "testing"

// Each plan to start from is accepted, and its name is its own.
func TestLibrary(t *testing.T) {
	names := map[string]bool{}
	for _, p := range Library {
		if wrong := Check(p); len(wrong) > 0 || names[p.Name] {
			t.Errorf("%s: %v", p.Name, wrong)
		}
		names[p.Name] = true
	}
}
