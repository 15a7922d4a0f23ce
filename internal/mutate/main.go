// Command mutate changes one constant, comparison, sign or connective of the core at a time, runs the tests of its package and what is
// pinned of the packages that rest on it, and says which changes no test noticed.
//
//	go run ./internal/mutate -sample 600 -seed 1 -out mutants.txt ./core/...
package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// mutant is one change of one file.
type mutant struct {
	pkg, file string // import path, absolute path
	class     string
	line      int
	from, to  int // bytes of the file
	was, is   string
}

func (m mutant) String() string {
	return fmt.Sprintf("%s:%d %s → %s", strings.TrimPrefix(m.pkg+"/"+filepath.Base(m.file), "diligentledger/"), m.line, m.was, m.is)
}

// classes of changes: "bound" is < for <= and the like, which differs at one value alone; "comparison" is the opposite one.
var classes = map[string]map[token.Token]token.Token{
	"bound":      {token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR},
	"comparison": {token.LSS: token.GEQ, token.GEQ: token.LSS, token.GTR: token.LEQ, token.LEQ: token.GTR, token.EQL: token.NEQ, token.NEQ: token.EQL},
	"sign":       {token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO, token.QUO: token.MUL},
	"connective": {token.LAND: token.LOR, token.LOR: token.LAND},
}

// outcome of a mutant.
type outcome string

const (
	killed     outcome = "killed"
	survived   outcome = "survived"
	uncompiled outcome = "not compiled" // such as a minus between texts: no mutant at all
)

// testLimit is how long the tests may take with a mutant before it counts as killed: it made an endless loop.
const testLimit = 4 * time.Minute

func main() {
	if err := run(os.Args[1:], os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(args []string, out io.Writer) error {
	flags := flag.NewFlagSet("mutate", flag.ContinueOnError)
	sample := flags.Int("sample", 0, "how many mutants are drawn; 0 for all")
	seed := flags.Uint64("seed", 1, "by which they are drawn")
	workers := flags.Int("workers", 1, "at once")
	only := flags.String("only", "", "mutants whose place and change contain this text alone")
	file := flags.String("out", "", "file for the outcome of each, written as they come")
	if err := flags.Parse(args); err != nil {
		return err
	}
	all, err := mutants(flags.Args())
	if err != nil {
		return err
	}
	all = slices.DeleteFunc(all, func(m mutant) bool { return !strings.Contains(m.String(), *only) })
	total := len(all)
	rng := rand.New(rand.NewPCG(*seed, 0))
	rng.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	if *sample > 0 && *sample < len(all) {
		all = all[:*sample]
	}
	log := io.Discard
	if *file != "" {
		f, err := os.Create(*file)
		if err != nil {
			return err
		}
		defer f.Close()
		log = f
	}
	outcomes := make([]outcome, len(all))
	next := make(chan int)
	var group sync.WaitGroup
	var mu sync.Mutex
	var failed error
	for range *workers {
		group.Go(func() {
			for i := range next {
				o, err := try(all[i])
				mu.Lock()
				outcomes[i], failed = o, errors.Join(failed, err)
				fmt.Fprintf(log, "%s\t%s\t%s\n", o, all[i].class, all[i])
				mu.Unlock()
			}
		})
	}
	for i := range all {
		next <- i
	}
	close(next)
	group.Wait()
	if failed != nil {
		return failed
	}
	return report(out, total, *seed, all, outcomes)
}

// report is the table of docs/reliability.md.
func report(out io.Writer, total int, seed uint64, all []mutant, outcomes []outcome) error {
	count := map[string]map[outcome]int{}
	for i, m := range all {
		for _, row := range []string{"all", "class " + m.class, m.pkg} {
			if count[row] == nil {
				count[row] = map[outcome]int{}
			}
			count[row][outcomes[i]]++
		}
	}
	w := bufio.NewWriter(out)
	fmt.Fprintf(w, "%d mutants, %d drawn with seed %d.\n\n| class, package | mutants | killed | share |\n|---|---|---|---|\n", total, len(all), seed)
	names := make([]string, 0, len(count))
	for name := range count {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		c := count[name]
		if n := c[killed] + c[survived]; n > 0 {
			fmt.Fprintf(w, "| %s | %d | %d | %.0f %% |\n", strings.TrimPrefix(name, "diligentledger/"), n, c[killed], 100*float64(c[killed])/float64(n))
		}
	}
	fmt.Fprintln(w)
	for i, m := range all {
		if outcomes[i] == survived {
			fmt.Fprintf(w, "- %s\n", m)
		}
	}
	return w.Flush()
}

// mutants of all packages, in the order of their files.
func mutants(patterns []string) (all []mutant, err error) {
	listed, err := exec.Command("go", append([]string{"list", "-json=ImportPath,Dir,GoFiles"}, patterns...)...).Output()
	if err != nil {
		return nil, err
	}
	decoder := json.NewDecoder(bytes.NewReader(listed))
	for {
		var p struct {
			ImportPath, Dir string
			GoFiles         []string
		}
		if err := decoder.Decode(&p); errors.Is(err, io.EOF) {
			return all, nil
		} else if err != nil {
			return nil, err
		}
		if strings.HasSuffix(p.ImportPath, "test") {
			continue // helpers of tests
		}
		for _, name := range p.GoFiles {
			some, err := mutantsOf(p.ImportPath, filepath.Join(p.Dir, name))
			if err != nil {
				return nil, err
			}
			all = append(all, some...)
		}
	}
}

func mutantsOf(pkg, path string) (all []mutant, err error) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, nil, 0)
	if err != nil {
		return nil, err
	}
	add := func(at token.Pos, class, was, is string) {
		p := set.Position(at)
		all = append(all, mutant{pkg: pkg, file: path, class: class, line: p.Line, from: p.Offset, to: p.Offset + len(was), was: was, is: is})
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.CallExpr:
			// A capacity is a guess.
			if name, ok := n.Fun.(*ast.Ident); ok && name.Name == "make" {
				return false
			}
		case *ast.ArrayType:
			return false
		case *ast.ReturnStmt:
			// What is returned beside "false" is not read.
			for _, v := range n.Results {
				if name, ok := v.(*ast.Ident); ok && name.Name == "false" {
					return false
				}
			}
		case *ast.BasicLit:
			if is := otherNumber(n); is != "" {
				add(n.Pos(), "constant", n.Value, is)
			}
		case *ast.BinaryExpr:
			for _, class := range slices.Sorted(maps.Keys(classes)) {
				if op, ok := classes[class][n.Op]; ok {
					add(n.OpPos, class, n.Op.String(), op.String())
				}
			}
		case *ast.UnaryExpr:
			if n.Op == token.SUB {
				add(n.OpPos, "sign", "-", "+")
			}
		}
		return true
	})
	return all, nil
}

// otherNumber than a constant: one more of a whole one, half as much again of another; empty for what is no number.
func otherNumber(n *ast.BasicLit) string {
	text := strings.ReplaceAll(n.Value, "_", "")
	switch n.Kind {
	case token.INT:
		if v, err := strconv.ParseInt(text, 0, 64); err == nil {
			return strconv.FormatInt(v+1, 10)
		}
	case token.FLOAT:
		if v, err := strconv.ParseFloat(text, 64); err == nil && v == 0 {
			return "1.0"
		} else if err == nil {
			return strconv.FormatFloat(v*1.5, 'g', -1, 64)
		}
	}
	return ""
}

// try a mutant: by what is pinned of its package first, then of all the core, then by all tests of its package.
func try(m mutant) (outcome, error) {
	dir, err := os.MkdirTemp("", "mutant-")
	if err != nil {
		return "", err
	}
	defer os.RemoveAll(dir)
	text, err := os.ReadFile(m.file)
	if err != nil {
		return "", err
	}
	changed, overlay := filepath.Join(dir, "mutant.go"), filepath.Join(dir, "overlay.json")
	list, err := json.Marshal(map[string]map[string]string{"Replace": {m.file: changed}})
	if err != nil {
		return "", err
	}
	if err := errors.Join(os.WriteFile(changed, slices.Concat(text[:m.from], []byte(m.is), text[m.to:]), 0o600), os.WriteFile(overlay, list, 0o600)); err != nil {
		return "", err
	}
	for _, tests := range [][]string{{"-run", "^TestPinned$", m.pkg}, {"-run", "^(TestPinned|TestLimitsDocument|TestStartingValues)$", "diligentledger/core/..."}, {m.pkg}} {
		ctx, stop := context.WithTimeout(context.Background(), testLimit)
		said, err := exec.CommandContext(ctx, "go", append([]string{"test", "-overlay", overlay, "-failfast", "-vet=off", "-timeout", testLimit.String()}, tests...)...).CombinedOutput()
		stop()
		switch {
		case err == nil:
		case bytes.Contains(said, []byte("[build failed]")), bytes.Contains(said, []byte("[setup failed]")):
			return uncompiled, nil
		default:
			return killed, nil
		}
	}
	return survived, nil
}
