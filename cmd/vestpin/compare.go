package main

import (
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/read"
)

func compareCommand() *cobra.Command {
	var router string
	c := &cobra.Command{
		Use: "compare FILE HELD…", Short: "Hold the plan against what a router really has on its pages", Args: cobra.MinimumNArgs(2),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			v := site.NewView(s)
			r, err := routerNamed(v, router)
			if err != nil {
				return err
			}
			held, err := readAll(args[1:], "")
			if err != nil {
				return err
			}
			return printComparison(v, r, held)
		},
	}
	c.Flags().StringVar(&router, "router", "", "the router; the one that faces the provider if absent")
	return c
}

// readAll reads files one after the other as one; the first that cannot be read ends it.
func readAll(names []string, as string) (read.Result, error) {
	var all read.Result
	for i, name := range names {
		one, err := readFile(name, as)
		if err != nil {
			return all, err
		}
		if all = read.Join(all, one); i == 0 {
			all = one
		}
	}
	return all, nil
}

// printComparison compares forwards, unless what was read lists reservations alone, and
// reservations where it lists some.
func printComparison(v site.View, r site.Router, held read.Result) error {
	has, reservations := held.Held(v, r)
	differs := []form.ReservationDifference{}
	if len(reservations) > 0 {
		differs = form.CompareReservations(v, r, reservations)
	}
	if len(has.Forwards) == 0 && len(reservations) == 0 && !has.ExposedHost.IsValid() && !held.Forwarding {
		return errors.New("neither port forwards nor reservations were found in what the router holds")
	}
	found := reach.Comparison{Differs: []reach.Discrepancy{}, Doubts: []reach.Doubt{}}
	if len(has.Forwards) > 0 || len(reservations) == 0 || has.ExposedHost.IsValid() {
		found = reach.Of(v).Compare(r.ID, has)
	}
	for _, u := range held.Unread {
		fmt.Fprintf(os.Stderr, "vestpin: %s line %d was not understood: %s\n", u.Source, u.Line, u.Text)
	}
	if more := held.Missed - len(held.Unread); more > 0 {
		fmt.Fprintf(os.Stderr, "vestpin: %d more lines were not understood\n", more)
	}
	for _, a := range held.Around {
		found.Doubts = append(found.Doubts, reach.Doubt{Line: a.Line, Says: "a rule may let packets by before a forward takes them: " + a.Text})
	}
	same := found.Same() && len(differs) == 0
	err := output(map[string]any{"router": r.ID, "same": same, "differs": found.Differs, "doubts": found.Doubts, "reservations": differs})
	if err == nil && !same {
		err = errAnswerNo
	}
	return err
}
