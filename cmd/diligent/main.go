// Command diligent is Diligent Ledger: the books of a fleet's coolant.
//
//	diligent serve           run the database and the application (./start does this)
//	diligent verify          walk every chain, hold rows, stored accounts and heads against them; name what was tampered with
//	diligent heads           write the heads of all chains as JSON lines, for an auditor to keep
//	diligent rebuild         fold every account from its entries and store it
//	diligent circuit         give a unit a further cooling circuit, rename or end one
//	diligent unit            change facts of a unit: raw-water side, where it winters, second meter
//	diligent backtest        replay the books, and synthetic fleets: how right the forecasts would have been
//	diligent drill           kill program and database under load and count what was lost
//	diligent sum [QUESTION]  answer a question of the Bench, JSON in and out
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	"time"

	"diligentledger/internal/config"
)

const usageText = `usage: diligent COMMAND

  serve    run the database and the application; see diligent serve -h
  verify   walk every chain, hold rows, stored accounts and kept heads against
           them and name what does not hold; with --heads FILE also against heads
           kept elsewhere
  heads    write the heads of all chains as JSON lines, to be kept elsewhere
  rebuild  fold every account from its entries and store it
  circuit  give a unit a further cooling circuit, rename one, or end one
  unit     change facts of a unit: whether it has a raw-water side, where it
           winters, its second meter
  import   read a spreadsheet of units or history: a dry run, or take its good rows;
           or read an archive of diligent export into empty books
  export   write everything as one open archive; see docs/formats.md
  backup   write a copy of the database while it runs; restore reads it back
  restore  put a backup in the place of a database
  backtest replay the books, and synthetic fleets, as of each past month: how
           right the forecasts would have been
  drill    kill program and database under load, count lost, doubled and changed
           lines, and time 200 technicians; on demo data in a folder of its own
  sum      answer a question of the Bench: JSON on standard input and output;
           without a question it lists them`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	err := run(ctx, os.Args[1:])
	stop()
	switch {
	case err == nil, errors.Is(err, flag.ErrHelp):
	default:
		fmt.Fprintln(os.Stderr, "diligent:", err)
		os.Exit(1)
	}
}

// now is the clock of the program, set once by run, and by serve to what its options say: the one place from which the program
// takes the time and the day. What measures how long something takes asks the machine's.
var now = time.Now

func run(ctx context.Context, args []string) (err error) {
	if now, err = config.ClockOf(os.Getenv); err != nil {
		return err
	}
	if len(args) == 0 {
		return fmt.Errorf("no command given\n%s", usageText)
	}
	switch args[0] {
	case "serve":
		return serve(ctx, args[1:])
	case "verify":
		return verify(ctx, args[1:], os.Stdout)
	case "heads":
		return heads(ctx, args[1:], os.Stdout)
	case "rebuild":
		return rebuild(ctx, args[1:], os.Stdout)
	case "circuit":
		return circuit(ctx, args[1:], os.Stdout)
	case "unit":
		return unit(ctx, args[1:], os.Stdout)
	case "import":
		return importFile(ctx, args[1:], os.Stdout)
	case "export":
		return export(ctx, args[1:], os.Stdout)
	case "backup":
		return backUp(ctx, args[1:], os.Stdout)
	case "restore":
		return restore(ctx, args[1:], os.Stdout)
	case "backtest":
		return replay(ctx, args[1:], os.Stdout)
	case "drill":
		return runDrill(ctx, args[1:], os.Stdout)
	case "sum":
		return sum(args[1:], os.Stdin, os.Stdout)
	case "help", "-h", "--help":
		fmt.Println(usageText)
		return nil
	}
	return fmt.Errorf("command %q is not known\n%s", args[0], usageText)
}
