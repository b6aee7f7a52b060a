package main

import (
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"vestpin/server"
	"vestpin/store"
)

// openapiCommand prints the description of the interface, from which the page's
// client is made.
func openapiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Hidden: true, Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			dir, err := os.MkdirTemp("", "vestpin-")
			if err != nil {
				return err
			}
			defer os.RemoveAll(dir)
			st, err := store.Open(filepath.Join(dir, "v.db"))
			if err != nil {
				return err
			}
			defer st.Close()
			return output(server.New(st, server.Options{}).API.OpenAPI())
		},
	}
}
