package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"time"
	"unicode/utf8"

	"github.com/skip2/go-qrcode"
	"github.com/spf13/cobra"

	"vestpin/demo"
	"vestpin/server"
	"vestpin/sim"
	"vestpin/store"
	"vestpin/wire"
)

// watchOutside is how often the outside address is looked at while the program runs.
const watchOutside = 5 * time.Minute

// passphraseVariable is where the passphrase is looked for: a flag would show in
// the list of processes.
const passphraseVariable = "VESTPIN_PASSPHRASE"

// listening is how the web application is to be reached.
type listening struct{ addr, cert, key string }

func (l *listening) flags(c *cobra.Command) {
	c.Flags().StringVar(&l.addr, "addr", "127.0.0.1:8417", "the address to listen on; one that others can reach is encrypted and needs a passphrase")
	c.Flags().StringVar(&l.cert, "tls-cert", "", "a certificate of your own (PEM), in place of the one that the program makes")
	c.Flags().StringVar(&l.key, "tls-key", "", "its key (PEM)")
}

func serveCommand() *cobra.Command {
	var l listening
	var db string
	c := &cobra.Command{
		Use: "serve", Short: "Run the web application", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			db, err := database(db)
			if err != nil {
				return err
			}
			o, err := options(l)
			if err != nil {
				return err
			}
			o.Watch = watchOutside
			st, err := store.Open(db)
			if err != nil {
				return err
			}
			defer st.Close()
			return run(st, l, o, filepath.Dir(db))
		},
	}
	l.flags(c)
	c.Flags().StringVar(&db, "db", "", "the database file; in the user's data directory if absent")
	return c
}

// database is the file of the database: the one that is named, else that of the user.
func database(named string) (string, error) {
	if named != "" {
		return named, nil
	}
	dir, err := dataDir()
	return filepath.Join(dir, "vestpin.db"), err
}

func demoCommand() *cobra.Command {
	var l listening
	c := &cobra.Command{
		Use: "demo", Short: "Run the web application on made-up sites that are thrown away at the end", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			o, err := options(l)
			if err != nil {
				return err
			}
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
			began := time.Now().UTC().Format(time.RFC3339)
			laptops := sync.Map{}
			network := func(id string) *sim.World {
				w := demoNetwork(st, id, began)
				laptop, _ := laptops.LoadOrStore(id, &sim.Laptop{})
				w.Laptop = laptop.(*sim.Laptop)
				return w
			}
			o.Network = func(id string) wire.Network { return network(id) }
			o.Watch = watchOutside
			o.Far = func(_ context.Context, id, _ string) (wire.FarEnd, error) {
				w := network(id)
				if w.Beyond == nil {
					return nil, errors.New("the demo has no far end for this site")
				}
				return sim.Far{World: w}, nil
			}
			return run(st, l, o, dir)
		},
	}
	l.flags(c)
	return c
}

// demoNetwork is the made-up network of a demo site. A site made by hand in the
// demo has one with nobody on it: the demo sends nothing anywhere. Where no site is
// meant, the computer is at the pottery. Its router has those lines right that were ticked
// off as typed since the demo began.
func demoNetwork(st *store.Store, id, began string) *sim.World {
	if id == "" {
		id = "pottery"
	}
	w, err := demo.Network(id)
	if err != nil || w == nil {
		return &sim.World{}
	}
	if w.Beyond != nil {
		w.Beyond.Typed = func() []sim.Line {
			kept, err := st.Get(context.Background(), id)
			if err != nil {
				return nil
			}
			return sim.TypedSince(kept.Site, began)
		}
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

// mostConnections is how many connections are open at once: more than people have
// windows, and fewer than the system has descriptors.
const mostConnections = 800

// run serves until SIGINT or SIGTERM, and then lets requests end. The key of the
// program's own is kept in dir.
func run(st *store.Store, l listening, o server.Options, dir string) error {
	var err error
	if o.Makers, err = newerRegistry(); err != nil {
		return err
	}
	listener, err := net.Listen("tcp", l.addr)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("%s is in use already: perhaps Vest Pin runs there; stop that, or choose another address with --addr", l.addr)
		}
		return fmt.Errorf("cannot listen on %s: %w", l.addr, err)
	}
	own, port, _ := net.SplitHostPort(listener.Addr().String())
	if len(o.Hosts) > 0 {
		o.Hosts = append(o.Hosts, own)
		for i, h := range o.Hosts {
			o.Hosts[i] = net.JoinHostPort(h, port)
		}
	}
	door := server.NewDoor(listener, mostConnections)
	listener = door
	scheme := "http"
	if o.Secure {
		cert, fingerprint, err := certificate(dir, l.cert, l.key)
		if err != nil {
			return err
		}
		scheme = "https"
		o.Reach = server.Reach{Addresses: reachedAt(own, port), Fingerprint: fingerprint}
		listener = tls.NewListener(listener, &tls.Config{Certificates: []tls.Certificate{cert}, NextProtos: []string{"http/1.1"}, MinVersion: tls.VersionTLS12})
	}
	handler := server.New(st, o)
	srv := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 32 << 10}
	door.Watch(srv)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(listener) }()
	fmt.Printf("Vest Pin is at %s://%s/\n", scheme, listener.Addr())
	showReach(o.Reach)
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

// reachedAt are the addresses to type on another computer.
func reachedAt(host, port string) (out []string) {
	if ip := net.ParseIP(host); ip != nil && !ip.IsUnspecified() {
		return []string{"https://" + net.JoinHostPort(host, port) + "/"}
	}
	for _, a := range ownAddresses() {
		out = append(out, "https://"+net.JoinHostPort(a.String(), port)+"/")
	}
	return out
}

// showReach prints how others reach the program: the addresses, the first one to be
// taken by the camera of a phone, and what to compare when the browser warns.
func showReach(r server.Reach) {
	for i, a := range r.Addresses {
		fmt.Println("From other computers:", a)
		if code, err := qrcode.New(a, qrcode.Medium); i == 0 && err == nil {
			fmt.Print(code.ToSmallString(false))
		}
	}
	if r.Fingerprint != "" {
		fmt.Println("The browser warns once, since the program made its certificate itself. Its fingerprint (SHA-256) is\n" + r.Fingerprint)
	}
}

// options demands a passphrase for any address but the loopback ones, where it is
// honoured.
func options(l listening) (server.Options, error) {
	host, _, err := net.SplitHostPort(l.addr)
	if err != nil {
		return server.Options{}, fmt.Errorf("--addr: %q is not accepted: want an address and port such as 127.0.0.1:8417", l.addr)
	}
	passphrase, given := os.LookupEnv(passphraseVariable)
	if given && passphrase != "" && (utf8.RuneCountInString(passphrase) < 8 || strings.TrimSpace(passphrase) == "") {
		return server.Options{}, fmt.Errorf("%s: want a passphrase of at least 8 characters that are not all blanks", passphraseVariable)
	}
	o := server.Options{Passphrase: passphrase, Secure: l.cert != ""}
	ip := net.ParseIP(host)
	if host == "localhost" || (ip != nil && ip.IsLoopback()) {
		o.Hosts = []string{host, "localhost"}
		return o, nil
	}
	if passphrase == "" {
		return server.Options{}, fmt.Errorf("--addr: %s can be reached by others: put a passphrase of at least 8 characters in the environment variable %s, or listen on 127.0.0.1", l.addr, passphraseVariable)
	}
	o.Secure = true
	if host != "" && (ip == nil || !ip.IsUnspecified()) {
		o.Hosts = []string{host}
	}
	return o, nil
}
