package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"diligentledger/core/access"
	"diligentledger/core/measure"
	"diligentledger/internal/archive"
	"diligentledger/internal/config"
	"diligentledger/internal/fleet"
	"diligentledger/internal/importer"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

const importUsage = `usage: diligent import FILE [--column HEADING=TARGET]... [--answer QUESTION=ANSWER]... [--take] [--rest FILE]

Reads a spreadsheet, CSV or XLSX, and says what it would bring: units and entries that are new, changed, the same, and
rows that are not taken with the reason. Nothing is stored without --take. An archive that diligent export wrote is read
into empty books, or into a folder without a database, while the program is stopped.

QUESTION is what the dry run asks, as it writes it: emptied=yes, plan:car="Car, long-life coolant"`

// pairs of a flag that may be given several times.
type pairs map[string]string

func (p pairs) String() string { return "" }

func (p pairs) Set(text string) error {
	name, value, ok := strings.Cut(text, "=")
	if !ok {
		return errors.New("accepted: NAME=VALUE")
	}
	p[name] = value
	return nil
}

// importFile of a spreadsheet or an archive.
func importFile(ctx context.Context, args []string, out io.Writer) error {
	if len(args) == 0 || strings.HasPrefix(args[0], "-") {
		return errors.New(importUsage)
	}
	columns, answers := pairs{}, pairs{}
	flags := flag.NewFlagSet("diligent import", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	who := flags.String("by", "diligent", "name of the person, for the books and the audit")
	take := flags.Bool("take", false, "take the good rows")
	rest := flags.String("rest", "", "write the rows that are not taken to this file")
	flags.Var(columns, "column", "what a column is meant for: HEADING=TARGET; an empty TARGET leaves it out")
	flags.Var(answers, "answer", "answer to a question of the dry run: QUESTION=ANSWER")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	content, err := os.ReadFile(args[0])
	if err != nil {
		return err
	}
	existing := os.Getenv(config.Prefix+"DSN") != ""
	if archive.Is(content) && !existing {
		return readArchive(ctx, *data, content, out)
	}
	return withRegister(ctx, *data, func(s *store.Store) error {
		if archive.Is(content) {
			n, err := archive.Read(ctx, s.DB(), content)
			if err != nil {
				return err
			}
			if err := settled(ctx, s); err != nil {
				return err
			}
			_, err = fmt.Fprintf(out, "%d rows read; every chain holds\n", n)
			return err
		}
		f := fleet.New(s, now)
		by := store.Actor{Name: *who, Role: access.Coordinator, Address: "command line"}
		id, err := f.Upload(ctx, by, filepath.Base(args[0]), content, words.Metric)
		if err != nil {
			return err
		}
		run, shape, err := f.ImportOf(ctx, id)
		if err != nil {
			return err
		}
		meant, err := meantColumns(shape, run.Columns, columns)
		if err != nil {
			return err
		}
		options, err := optionsFrom(answers)
		if err != nil {
			return err
		}
		if err := f.CheckImport(ctx, by, id, meant, options); err != nil {
			return err
		}
		if run, err = workOn(ctx, f, s, id, store.ImportChecking); err != nil {
			return err
		}
		if err := sayImport(out, shape, meant, run); err != nil {
			return err
		}
		if *rest != "" {
			left, err := f.ImportRest(ctx, id)
			if err == nil {
				err = os.WriteFile(*rest, left, 0o600)
			}
			if err != nil {
				return err
			}
		}
		if !*take {
			_, err := fmt.Fprintln(out, "nothing is taken yet; --take takes the good rows")
			return err
		}
		if err := f.RunImport(ctx, by, id); err != nil {
			return err
		}
		if _, err = workOn(ctx, f, s, id, store.ImportRunning); err != nil {
			return err
		}
		_, err = fmt.Fprintln(out, "taken")
		return err
	})
}

// workOn an import until it has left a state: here, or by the program that runs.
func workOn(ctx context.Context, f *fleet.Fleet, s *store.Store, id int64, state store.ImportState) (store.Import, error) {
	for {
		if _, err := f.WorkOnImport(ctx); err != nil {
			return store.Import{}, err
		}
		run, err := s.Import(ctx, id)
		if err == nil && run.State == store.ImportFailed {
			err = fmt.Errorf("the import failed: %s", run.Error)
		}
		if err != nil || run.State != state {
			return run, err
		}
	}
}

func meantColumns(shape fleet.FileShape, guessed []importer.Target, given pairs) ([]importer.Target, error) {
	meant := slices.Clone(guessed)
	for head, target := range given {
		i := slices.IndexFunc(shape.Heads, func(h string) bool { return strings.EqualFold(h, head) })
		if i < 0 {
			return nil, fmt.Errorf("--column %s: the file has no such heading; it has %s", head, strings.Join(shape.Heads, ", "))
		}
		t := importer.Target(target)
		if t != "" && !t.Known() {
			return nil, fmt.Errorf("--column %s=%s is not accepted; accepted: %v, or a fact of a unit", head, target, importer.Events)
		}
		for j := range meant {
			if meant[j] == t {
				meant[j] = "" // the one that was guessed
			}
		}
		meant[i] = t
	}
	return meant, nil
}

func optionsFrom(answers pairs) (o importer.Options, err error) {
	o = importer.Options{Plans: map[string]string{}, Types: map[string]string{}, Products: map[string]string{}}
	for question, answer := range answers {
		code, about, _ := strings.Cut(question, ":")
		switch code {
		case "order":
			order, ok := map[string]measure.DayOrder{"dmy": measure.DayFirst, "mdy": measure.MonthFirst}[answer]
			if !ok {
				return o, fmt.Errorf("--answer order=%s is not accepted; accepted: dmy, mdy", answer)
			}
			o.Order = order
		case "emptied":
			o.Emptied = answer
		case "today":
			o.Today = answer
		case "found":
			o.Found = answer
		case "doubtful":
			o.Doubtful = answer == "yes"
		case "kind":
			o.Kind = answer
		case "site":
			o.Site = answer
		case "plan":
			o.Plans[about] = answer
		case "type":
			o.Types[about] = answer
		case "product":
			o.Product = answer
		case "products":
			o.Products[about] = answer
		case "mix":
			if o.Mix, err = strconv.ParseFloat(answer, 64); err != nil {
				return o, fmt.Errorf("--answer mix=%s is not accepted; accepted: a per cent, such as 50", answer)
			}
		default:
			return o, fmt.Errorf("--answer %s: no such question; accepted: order, emptied, today, found, doubtful, kind, site, plan:KIND, type:KIND, product, products:TEXT, mix", question)
		}
	}
	return o, nil
}

// sayImport writes what a dry run gave.
func sayImport(out io.Writer, shape fleet.FileShape, meant []importer.Target, run store.Import) error {
	var r fleet.ImportResult
	if err := json.Unmarshal(run.Result, &r); err != nil {
		return err
	}
	fmt.Fprintln(out, words.FileShape(shape.Format, shape.Encoding, shape.Separator, shape.Sheet, shape.Header, shape.Rows))
	for i, head := range shape.Heads {
		label := "left out"
		if meant[i] != "" {
			label, _ = words.Target(meant[i])
		}
		fmt.Fprintf(out, "  %-24s %s\n", head, label)
	}
	c := r.Counts
	fmt.Fprintf(out, "units: %d new, %d changed, %d the same; entries: %d new, %d the same; rows not taken: %d\n", c.UnitsNew, c.UnitsChanged, c.UnitsSame, c.EntriesNew, c.EntriesSame, c.RowsRefused)
	for _, q := range r.Questions {
		question := q.Code
		if q.About != "" {
			question += ":" + q.About
		}
		fmt.Fprintf(out, "  --answer %q (%d rows): %s\n", question+"=…", q.Rows, words.ImportQuestion(q))
	}
	if r.Doubtful > 0 {
		fmt.Fprintf(out, "  --answer doubtful=yes (%d rows): what is unusual is meant\n", r.Doubtful)
	}
	for _, p := range r.Problems {
		fmt.Fprintln(out, "  "+p.String())
	}
	return nil
}
