// Command diligent is Diligent Ledger: the books of a fleet's coolant.
//
//	diligent serve           run the database and the application (./start does this)
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
)

const usage = `usage: diligent COMMAND

  serve    run the database and the application; see diligent serve -h
  sum      answer a question of the Bench: JSON on standard input and output;
           without a question it lists them`

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := run(ctx, os.Args[1:])
	stop()
	switch {
	case err == nil, errors.Is(err, flag.ErrHelp):
	default:
		fmt.Fprintln(os.Stderr, "diligent:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, args []string) error {
	if len(args) == 0 {
		return fmt.Errorf("no command given\n%s", usage)
	}
	switch args[0] {
	case "serve":
		return serve(ctx, args[1:])
	case "sum":
		return sum(args[1:], os.Stdin, os.Stdout)
	case "help", "-h", "--help":
		fmt.Println(usage)
		return nil
	}
	return fmt.Errorf("command %q is not known\n%s", args[0], usage)
}
