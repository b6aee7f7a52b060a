package main

import (
	"context"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"vestpin/core/plain"
	"vestpin/store"
)

// onDatabase makes a command of a file and the database, which may be in use.
func onDatabase(c *cobra.Command, do func(ctx context.Context, st *store.Store, file string) (says string, err error)) *cobra.Command {
	var db string
	c.Args = cobra.ExactArgs(1)
	c.RunE = func(c *cobra.Command, args []string) error {
		path, err := database(db)
		if err != nil {
			return err
		}
		if _, err := os.Stat(path); err != nil {
			return fmt.Errorf("there is no database at %s: name it with --db", path)
		}
		st, err := store.Open(path)
		if err != nil {
			return err
		}
		defer st.Close()
		says, err := do(c.Context(), st, args[0])
		if err != nil {
			return err
		}
		fmt.Println(plain.Text(says))
		return nil
	}
	c.Flags().StringVar(&db, "db", "", "the database file; in the user's data directory if absent")
	return c
}

func backupCommand() *cobra.Command {
	return onDatabase(&cobra.Command{Use: "backup FILE", Short: "Write all sites with their history to a new file, also while the program runs"},
		func(ctx context.Context, st *store.Store, file string) (string, error) {
			return "All sites are in " + file, st.Backup(ctx, file)
		})
}

func restoreCommand() *cobra.Command {
	damaged := false
	c := onDatabase(&cobra.Command{Use: "restore FILE", Short: "Put what a backup holds in the place of all sites; what was there is kept in a file of its own"},
		func(ctx context.Context, st *store.Store, file string) (string, error) {
			before, lost, err := st.Restore(ctx, file, damaged)
			says := "Restored. What was there before is in " + before
			if len(lost) > 0 {
				says += "\nNot whole, and left out:"
				for _, l := range lost {
					says += "\n  " + l.Name + " (" + l.Why + ")"
				}
			}
			return says, err
		})
	c.Flags().BoolVar(&damaged, "damaged", false, "of a damaged backup, take the sites that are whole")
	return c
}
