package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"diligentledger/api"
	"diligentledger/core/refusal"
	"diligentledger/internal/sums"
)

// sum answers a question of the Bench: JSON in, JSON out, the same as the API's
// POST /api/v1/bench/{question}, but for the points of the curve, which --curve
// adds. Without a question it lists them.
func sum(args []string, in io.Reader, out io.Writer) error {
	encode := json.NewEncoder(out)
	encode.SetIndent("", "  ")
	encode.SetEscapeHTML(false)
	curve := slices.Contains(args, "--curve")
	args = slices.DeleteFunc(slices.Clone(args), func(a string) bool { return a == "--curve" })
	switch len(args) {
	case 0:
		for _, q := range sums.Questions() {
			fmt.Fprintf(out, "%-10s %s\n", q.Name, q.Title)
			for _, f := range q.Fields {
				fmt.Fprintf(out, "    %-13s %s", f.Name, f.Label)
				for _, o := range f.Options {
					fmt.Fprintf(out, " | %s", o.Value)
				}
				if f.Initial != "" {
					fmt.Fprintf(out, "   (%s)", f.Initial)
				}
				fmt.Fprintln(out)
			}
		}
		return nil
	case 1:
	default:
		return fmt.Errorf("one question at a time; %q is one too many", args[1])
	}
	var asked api.Asked
	decode := json.NewDecoder(io.LimitReader(in, 1<<20))
	decode.DisallowUnknownFields()
	if err := decode.Decode(&asked); err != nil && !errors.Is(err, io.EOF) {
		return fmt.Errorf(`standard input is not a question (%w); accepted: JSON such as {"units":"us","inputs":{"strength":"-34 F"}}, or nothing`, err)
	}
	units := sums.Metric
	if asked.Units != nil {
		units = sums.Units(*asked.Units)
	}
	result, err := sums.Ask(args[0], units, asked.Inputs)
	var refused *refusal.Error
	if errors.As(err, &refused) {
		// For programs on standard output, for people on standard error.
		return errors.Join(err, encode.Encode(api.RefusedProblem(refused, 0)))
	}
	if err != nil {
		return err
	}
	if !curve {
		result.Curve = nil
	}
	return encode.Encode(result.Contract())
}
