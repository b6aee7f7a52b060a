package main

import (
	"encoding/json"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/read"
)

func catalogueCommand() *cobra.Command {
	var kind, own string
	c := &cobra.Command{
		Use: "catalogue", Short: "Print the kinds of device, what they are wanted for, and the services that this needs", Args: cobra.NoArgs,
		RunE: func(_ *cobra.Command, _ []string) error {
			all, err := catalogueWith(own)
			if err != nil {
				return err
			}
			if kind != "" {
				k, ok := all.Find(kind)
				if !ok {
					return fmt.Errorf("--kind: %s is not accepted: want a kind of the catalogue", span.Quote(kind))
				}
				all.Kinds, all.Danger, all.Look = []site.Kind{k}, nil, nil
			}
			return output(all)
		},
	}
	c.Flags().StringVar(&kind, "kind", "", "of one kind alone")
	c.Flags().StringVar(&own, "with", "", "a file with kinds of your own, which stand in the place of those of the same id")
	return c
}

// catalogueWith gives the shipped catalogue with the kinds of a file.
func catalogueWith(name string) (catalogue.Catalogue, error) {
	all := catalogue.Shipped()
	if name == "" {
		return all, nil
	}
	data, err := input(name)
	if err != nil {
		return all, err
	}
	own, err := catalogue.Read(data)
	if err != nil {
		return all, fmt.Errorf("%s: %w", name, err)
	}
	return all.With(own.Kinds...), nil
}

func equipCommand() *cobra.Command {
	var device, own string
	var w catalogue.Wanted
	var from []string
	c := &cobra.Command{
		Use: "equip FILE --device ID --purpose P", Short: "Print the site with the services that a device needs for a purpose", Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			s, err := loadSite(args[0])
			if err != nil {
				return err
			}
			all, err := catalogueWith(own)
			if err != nil {
				return err
			}
			if len(w.Purposes)+len(w.Also) == 0 {
				return fmt.Errorf("--purpose: want what the device is wanted for; see vestpin catalogue")
			}
			for _, text := range from {
				one, err := site.ParseSender(text)
				if err != nil {
					return fmt.Errorf("--from: %w", err)
				}
				w.From = append(w.From, one)
			}
			got, err := all.Equip(s, device, w)
			if err != nil {
				return err
			}
			edits := make([]edit.Edit, len(got.Changes))
			for i, ch := range got.Changes {
				edits[i] = ch.Edit
			}
			after, _, err := edit.Apply(s, edits)
			if err != nil {
				return err
			}
			return output(map[string]any{"site": json.RawMessage(sitefile.Write(after)), "changes": got.Changes, "staysIn": got.StaysIn})
		},
	}
	c.Flags().StringVar(&device, "device", "", "the id of the device")
	c.Flags().StringArrayVar(&w.Purposes, "purpose", nil, "what it is wanted for; several times for several")
	c.Flags().StringArrayVar(&w.Also, "service", nil, "a service of its kind beside those of the purpose")
	c.Flags().StringArrayVar(&from, "from", nil, "who alone may connect: an address or network")
	c.Flags().StringVar(&own, "with", "", "a file with kinds of your own")
	return c
}

// readPortList prints the services that files list.
func readPortList(names []string) error {
	type service struct {
		Name     string        `json:"name"`
		Protocol site.Protocol `json:"protocol"`
		Ports    span.Ports    `json:"ports"`
		Source   string        `json:"source"`
		Line     int           `json:"line"`
	}
	services, unread, missed := []service{}, []read.Unread{}, 0
	for _, name := range names {
		data, err := input(name)
		if err != nil {
			return err
		}
		list, err := read.PortList(data)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		for _, s := range list.Services {
			services = append(services, service{s.Name, s.Protocol, s.Ports, name, s.Line})
		}
		for _, u := range list.Unread {
			unread = append(unread, read.Unread{Source: name, Line: u.Line, Text: u.Text})
		}
		missed += list.Missed
	}
	if missed > len(unread) {
		fmt.Fprintf(os.Stderr, "vestpin: %d more lines were not understood\n", missed-len(unread))
	}
	return output(map[string]any{"services": services, "unread": unread, "missed": missed})
}
