package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"vestpin/demo"
	"vestpin/server"
	"vestpin/sim"
	"vestpin/store"
	"vestpin/wire"
)

// passphraseVariable is where the passphrase is looked for: a flag would show in
// the list of processes.
const passphraseVariable = "VESTPIN_PASSPHRASE"

func serveCommand() *cobra.Command {
	var addr, db string
	c := &cobra.Command{
		Use: "serve", Short: "Run the web application", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			if db == "" {
				dir, err := dataDir()
				if err != nil {
					return err
				}
				db = filepath.Join(dir, "vestpin.db")
			}
			st, err := store.Open(db)
			if err != nil {
				return err
			}
			defer st.Close()
			return run(st, addr, nil)
		},
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8417", "the address to listen on")
	c.Flags().StringVar(&db, "db", "", "the database file; in the user's data directory if absent")
	return c
}

func demoCommand() *cobra.Command {
	var addr string
	c := &cobra.Command{
		Use: "demo", Short: "Run the web application on made-up sites that are thrown away at the end", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			dir, err := os.MkdirTemp("", "vestpin-demo-")
			if err != nil {
				return err
			}
			defer os.RemoveAll(dir)
			st, err := store.Open(filepath.Join(dir, "demo.db"))
			if err != nil {
				return err
			}
			defer st.Close()
			sites, err := demo.Sites()
			if err != nil {
				return err
			}
			for _, d := range sites {
				if _, err := st.Create(context.Background(), d.ID, d.Site); err != nil {
					return err
				}
			}
			return run(st, addr, demoNetwork)
		},
	}
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8417", "the address to listen on")
	return c
}

// demoNetwork is the made-up network of a demo site. A site made by hand in the
// demo has one with nobody on it: the demo sends nothing anywhere.
func demoNetwork(id string) wire.Network {
	w, err := demo.Network(id)
	if err != nil || w == nil {
		return &sim.World{}
	}
	return w
}

// dataDir is where the user's data is kept: XDG_DATA_HOME or ~/.local/share on
// Linux, the configuration directory of the system elsewhere.
func dataDir() (string, error) {
	if dir := os.Getenv("XDG_DATA_HOME"); filepath.IsAbs(dir) {
		return filepath.Join(dir, "vestpin"), nil
	}
	if home, err := os.UserHomeDir(); err == nil && filepath.Separator == '/' {
		return filepath.Join(home, ".local", "share", "vestpin"), nil
	}
	dir, err := os.UserConfigDir()
	return filepath.Join(dir, "vestpin"), err
}

// run serves until SIGINT or SIGTERM, and then lets requests end.
func run(st *store.Store, addr string, network func(string) wire.Network) error {
	o, err := options(addr)
	if err != nil {
		return err
	}
	o.Network = network
	if o.Makers, err = newerRegistry(); err != nil {
		return err
	}
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("%s is in use already: perhaps Vest Pin runs there; stop that, or choose another address with --addr", addr)
		}
		return fmt.Errorf("cannot listen on %s: %w", addr, err)
	}
	if o.Passphrase == "" {
		own, port, _ := net.SplitHostPort(listener.Addr().String())
		o.Hosts = append(o.Hosts, own)
		for i, h := range o.Hosts {
			o.Hosts[i] = net.JoinHostPort(h, port)
		}
	}
	handler := server.New(st, o)
	srv := &http.Server{
		Handler: handler, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 32 << 10,
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(listener) }()
	fmt.Printf("Vest Pin is at http://%s/\n", listener.Addr())
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	handler.Close()
	wait, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return srv.Shutdown(wait)
}

// options demands a passphrase for any address but the loopback ones.
func options(addr string) (server.Options, error) {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return server.Options{}, fmt.Errorf("--addr: %q is not accepted: want an address and port such as 127.0.0.1:8417", addr)
	}
	if ip := net.ParseIP(host); host == "localhost" || (ip != nil && ip.IsLoopback()) {
		return server.Options{Hosts: []string{host, "localhost"}}, nil
	}
	passphrase := os.Getenv(passphraseVariable)
	if len(passphrase) < 8 {
		return server.Options{}, fmt.Errorf("--addr: %s can be reached by others: put a passphrase of at least 8 characters in the environment variable %s, or listen on 127.0.0.1", addr, passphraseVariable)
	}
	hosts := []string{host}
	if ip := net.ParseIP(host); host == "" || (ip != nil && ip.IsUnspecified()) {
		hosts = nil
	}
	return server.Options{Hosts: hosts, Passphrase: passphrase}, nil
}
