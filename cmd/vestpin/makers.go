package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"vestpin/maker"
)

func makersCommand() *cobra.Command {
	var out string
	c := &cobra.Command{
		Use: "makers CSV…", Short: "Take a newer list of who makes which MAC addresses", Args: cobra.MinimumNArgs(1),
		Long: "Take a newer list of who makes which MAC addresses, from the CSV files that the IEEE publishes for MA-L, MA-M and MA-S.\n\"vestpin serve\" uses it from then on in place of the list that came with the program.",
		RunE: func(_ *cobra.Command, args []string) error {
			if out == "" {
				dir, err := dataDir()
				if err != nil {
					return err
				}
				if err := os.MkdirAll(dir, 0o700); err != nil {
					return err
				}
				out = filepath.Join(dir, makersFile)
			}
			n, err := buildMakers(out, args)
			if err != nil {
				return err
			}
			fmt.Fprintf(os.Stderr, "%d prefixes written to %s\n", n, out)
			return nil
		},
	}
	c.Flags().StringVar(&out, "out", "", "where to write the list; beside the database if absent")
	return c
}

// makersFile is the name of the user's newer list.
const makersFile = "makers.gz"

// buildMakers writes to a file beside the target first, so that a fault leaves
// the old list.
func buildMakers(out string, names []string) (int, error) {
	var files []io.Reader
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			return 0, err
		}
		defer f.Close()
		files = append(files, f)
	}
	f, err := os.CreateTemp(filepath.Dir(out), ".makers-*")
	if err != nil {
		return 0, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	n, err := maker.Build(f, files...)
	if err != nil {
		return 0, err
	}
	if err := f.Close(); err != nil {
		return 0, err
	}
	return n, os.Rename(f.Name(), out)
}

// newerRegistry is the user's newer list, nil where there is none.
func newerRegistry() (*maker.Registry, error) {
	dir, err := dataDir()
	if err != nil {
		return nil, nil
	}
	f, err := os.Open(filepath.Join(dir, makersFile))
	if err != nil {
		return nil, nil
	}
	defer f.Close()
	r, err := maker.Read(f)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", f.Name(), err)
	}
	return r, nil
}
