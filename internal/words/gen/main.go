// Command gen writes the names of the codes for the screens: ui/src/words/names.gen.ts.
package main

import (
	"fmt"
	"os"

	"diligentledger/internal/words"
)

func main() {
	if err := os.WriteFile("../../ui/src/words/names.gen.ts", []byte(words.TypeScript()), 0o600); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
