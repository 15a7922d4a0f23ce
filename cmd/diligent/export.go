package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strings"

	"diligentledger/internal/archive"
	"diligentledger/internal/store"
)

const exportUsage = `usage: diligent export FILE

Writes everything that the books hold as one open archive, while the program runs: JSON lines in a ZIP, hashes among them,
described in docs/formats.md. diligent import FILE reads it into empty books`

// export everything as an archive; a file that is there already is not written over.
func export(ctx context.Context, args []string, out io.Writer) (err error) {
	if len(args) == 0 || strings.HasPrefix(args[0], "-") {
		return errors.New(exportUsage)
	}
	flags := flag.NewFlagSet("diligent export", flag.ContinueOnError)
	data := flags.String("data", ".run", "folder of the database")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	file, err := os.OpenFile(args[0], os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer func() {
		if err = errors.Join(err, file.Close()); err != nil {
			err = errors.Join(err, os.Remove(args[0]))
		}
	}()
	return withRegister(ctx, *data, func(s *store.Store) error {
		rows := 0
		err := archive.Write(ctx, s.DB(), file, now(), func(table string, n int) {
			rows += n
			fmt.Fprintf(out, "%-16s %d\n", table, n)
		})
		if err != nil {
			return err
		}
		_, err = fmt.Fprintf(out, "%d rows in %s\n", rows, args[0])
		return errors.Join(err, file.Sync())
	})
}
