package cli

import (
	"context"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/web"
)

// servingOptions are those of every service that runs.
type servingOptions struct {
	Collectors string `option:"collectors" usage:"directory with collectors for machines to download, instead of the built-in ones" complete:"directory" value:"directory"`
	Verbose    bool   `option:"verbose" usage:"log every request"`
	tlsOptions
}

// serveOptions are those of a service with a database of its own.
type serveOptions struct {
	Database  string `option:"database" default:"rolltop.db" usage:"database file; created if it does not exist" complete:"file"`
	Listen    string `option:"listen" default:"127.0.0.1:8470" usage:"address to listen on"`
	Existing  bool   `option:"existing" usage:"do not start if the database file does not exist"`
	KeepFree  int    `option:"keep-free" default:"256" usage:"MiB of disk space to keep free; below it, inventories are refused" least:"0" most:"1073741824"`
	TPMMakers string `option:"tpm-makers" usage:"certificates of the makers whose TPMs are trusted (PEM); they show which attesting TPMs are certified" complete:"file"`
	PublicURL string `option:"public-url" usage:"address under which people reach the service, such as https://rolltop.example"`
	servingOptions
}

func serveCommand() *cobra.Command {
	return with(command("serve", "Start the service with its console", serve), "serve")
}

func serve(c *call[serveOptions]) error {
	path, listen := c.o.Database, c.o.Listen
	if c.o.Existing {
		if _, err := os.Stat(path); err != nil {
			return fmt.Errorf("the database %s does not exist, and --existing creates none; name the right file, "+
				"restore a backup there, or start once without --existing", whole(path))
		}
	}
	ln, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("cannot listen on %s: %w; free the port, or choose another with --listen", listen,
			netCause(err))
	}
	defer ln.Close()
	if err := c.o.mistake(ln.Addr()); err != nil {
		return err // before a database is made
	}
	if _, err := tpmMakers(c.o.TPMMakers); err != nil {
		return err
	}
	st, err := store.Open(path)
	if err != nil {
		return err
	}
	if st.Fresh() {
		c.done("Created a new database: %s", st.Path())
	}
	return errors.Join(serveOn(c, st, ln), st.Close())
}

// whole is a path from the root of the file system, as far as it can be known.
func whole(path string) string {
	if full, err := filepath.Abs(path); err == nil {
		return full
	}
	return path
}

func serveOn(c *call[serveOptions], st *store.Store, ln net.Listener) error {
	ctx, cmd := c.ctx(), c.cmd
	sec, err := c.o.secured(ctx, st)
	if err != nil {
		return err
	}
	s, err := newServer(ctx, cmd, st, &serving{c.o.servingOptions, int64(c.o.KeepFree) << 20, c.o.TPMMakers}, sec)
	if err != nil {
		return err
	}
	at := reached(c.o.PublicURL, ln, sec)
	if sec.pin != "" {
		fmt.Fprintf(cmd.OutOrStdout(),
			"The SHA-256 of the certificate that it made: %s\nCollectors and commands take it with --pin.\n\n", sec.pin)
	}
	if err := firstStart(ctx, s, st, at, cmd.OutOrStdout()); err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "Rolltop is at %s\nStop it with Ctrl-C.\n", at)
	return run(ctx, s, ln, sec, cmd.ErrOrStderr())
}

// reached is the address under which people reach the service: the one that was given, or
// that which it listens on, with a name of this host instead of “all addresses”.
func reached(public string, ln net.Listener, sec security) string {
	if public != "" {
		return strings.TrimSuffix(public, "/")
	}
	tcp, ok := ln.Addr().(*net.TCPAddr)
	if host, err := os.Hostname(); ok && err == nil && tcp.IP.IsUnspecified() {
		return scheme(sec) + net.JoinHostPort(host, strconv.Itoa(tcp.Port))
	}
	return scheme(sec) + ln.Addr().String()
}

func scheme(sec security) string {
	if sec.config != nil {
		return "https://"
	}
	return "http://"
}

func netCause(err error) error {
	var op *net.OpError
	if errors.As(err, &op) {
		return op.Err
	}
	return err
}

// Carried are the collectors that the program holds itself; nil where it holds none. The
// program sets it before it runs a command.
var Carried fs.FS

// collectorsOf are the collectors that a service hands out: those in the directory that is
// named, or those that the program carries. It is nil where there are none.
func collectorsOf(dir string) (fs.FS, error) {
	if dir == "" {
		return Carried, nil
	}
	if st, err := os.Stat(dir); err != nil || !st.IsDir() {
		return nil, fmt.Errorf("%s is not a directory with collectors; name a directory that make dist wrote, or "+
			"omit --collectors", dir)
	}
	return os.DirFS(dir), nil
}

// serving is how a service runs, and the bytes of its disk that it keeps free.
type serving struct {
	servingOptions
	keepFree int64
	makers   string
}

// tpmMakers reads the certificates of makers of TPMs; nil where no file is named.
func tpmMakers(path string) (*x509.CertPool, error) {
	if path == "" {
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the certificates of makers of TPMs cannot be read: %w", err)
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM(text) {
		return nil, fmt.Errorf("%s has no certificate in PEM; name a file with the certificates of makers of TPMs",
			whole(path))
	}
	return pool, nil
}

func newServer(
	ctx context.Context, cmd *cobra.Command, st *store.Store, o *serving, sec security,
) (*server.Server, error) {
	level := slog.LevelInfo
	if o.Verbose {
		level = slog.LevelDebug
	}
	collectors, err := collectorsOf(o.Collectors)
	if err != nil {
		return nil, err
	}
	makers, err := tpmMakers(o.makers)
	if err != nil {
		return nil, err
	}
	svc, err := service.New(ctx, service.Options{
		Store:     st,
		KeepFree:  o.keepFree,
		TPMMakers: makers,
		Log:       slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), &slog.HandlerOptions{Level: level})),
	})
	if err != nil {
		return nil, err
	}
	return server.New(svc, server.Options{
		Console:    web.Console(),
		Collectors: collectors,
		Secure:     sec.secure,
		Proxied:    sec.proxied,
		Pin:        sec.pin,
	}), nil
}

// firstStart prints a one-time link to make the first administrator, as long as there
// is none.
func firstStart(ctx context.Context, s *server.Server, st *store.Store, at string, out io.Writer) error {
	path, err := s.Invite(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil // there is one
	}
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "Nobody can sign in yet. Add the first administrator with this link, once, within a day:\n  "+
		"%s%s\n\n", at, path)
	return nil
}

// run serves until the context ends, then lets open requests finish.
//
// SIGHUP reads the certificate again, as a program that renews it expects; where somebody
// started the service in a terminal and closes that, it stops as with Ctrl-C.
func run(ctx context.Context, s *server.Server, ln net.Listener, sec security, errOut io.Writer) error {
	ctx, end := context.WithCancel(ctx)
	defer end()
	hangUp := make(chan os.Signal, 1)
	signal.Notify(hangUp, syscall.SIGHUP)
	defer signal.Stop(hangUp)
	go func() {
		for {
			select {
			case <-ctx.Done():
				return
			case <-hangUp:
			}
			if term.IsTerminal(int(os.Stdin.Fd())) {
				end()
				return
			}
			reloaded(sec, errOut)
		}
	}()
	h := &http.Server{
		Handler:           s.Handler(),
		TLSConfig:         sec.config,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       60 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
	}
	tending, rest := context.WithCancel(ctx)
	tended := make(chan struct{})
	go func() {
		defer close(tended)
		s.Upkeep.Run(tending)
	}()
	defer func() {
		rest()
		<-tended
	}()
	done := make(chan error, 1)
	go func() {
		if sec.config != nil {
			done <- h.ServeTLS(ln, "", "")
			return
		}
		done <- h.Serve(ln)
	}()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	s.Stop()
	stop, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := h.Shutdown(stop); err != nil {
		return h.Close()
	}
	return nil
}

func reloaded(sec security, errOut io.Writer) {
	log := slog.New(slog.NewTextHandler(errOut, nil))
	if sec.reload == nil {
		log.Info("nothing to reload: the service has no certificate files")
		return
	}
	if err := sec.reload(); err != nil {
		log.Error("the certificate could not be reloaded; the previous one stays in use", "error", err)
		return
	}
	log.Info("the certificate was reloaded")
}

// demoOptions are those of the demo.
type demoOptions struct {
	Listen   string `option:"listen" default:"127.0.0.1:8470" usage:"address to listen on; if the port is in use, a free port is used"`
	Password string `option:"password" usage:"password of the demo user (default: random)"`
	servingOptions
}

func demoCommand() *cobra.Command {
	return with(command("demo", "Start the service with the made-up fleet of Tidewrack Ferries", runDemo), "demo")
}

func runDemo(c *call[demoOptions]) error {
	listen, out := c.o.Listen, c.cmd.OutOrStdout()
	ln, err := net.Listen("tcp", listen)
	if err != nil {
		host, _, bad := net.SplitHostPort(listen)
		if bad != nil {
			return wrongUsage("%q is not an address to listen on; write it as 127.0.0.1:8470", listen)
		}
		fmt.Fprintf(out, "%s cannot be used (%v); taking a free port.\n", listen, netCause(err))
		if ln, err = net.Listen("tcp", net.JoinHostPort(host, "0")); err != nil {
			return fmt.Errorf("no port of %s can be used: %w", host, netCause(err))
		}
	}
	defer ln.Close()
	dir, err := os.MkdirTemp("", "rolltop-demo-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "demo.db")
	if err := c.o.mistake(ln.Addr()); err != nil {
		return err
	}
	st, err := store.Open(path)
	if err != nil {
		return err
	}
	sec, err := c.o.secured(c.ctx(), st)
	if err == nil {
		err = serveDemo(c, st, ln, sec)
	}
	return errors.Join(err, st.Close())
}

func serveDemo(c *call[demoOptions], st *store.Store, ln net.Listener, sec security) error {
	ctx, cmd := c.ctx(), c.cmd
	s, err := newServer(ctx, cmd, st, &serving{servingOptions: c.o.servingOptions}, sec)
	if err != nil {
		return err
	}
	n, err := standin.Fill(ctx, s, time.Now())
	if err != nil {
		return fmt.Errorf("the demo cannot be created: %w", err)
	}
	if err := standin.Furnish(ctx, s, time.Now()); err != nil {
		return fmt.Errorf("the demo cannot be created: %w", err)
	}
	password := c.o.Password
	if password == "" {
		password = server.NewSecret("")[:12]
	}
	if err := s.SetUser(ctx, "demo", server.RoleAdministrator, password); err != nil {
		return err
	}
	_, token, err := s.AddToken(ctx, "demo", server.ScopeManage)
	if err != nil {
		return err
	}
	pinned := ""
	if sec.pin != "" {
		pinned = " ROLLTOP_PIN=" + sec.pin
	}
	fmt.Fprintf(cmd.OutOrStdout(), `
Tidewrack Ferries, %d machines: %s
Sign in as demo with the password %s

For the command line, in another terminal:
  export ROLLTOP_SERVER=%s ROLLTOP_TOKEN=%s%s
  bin/rolltop machines --where disposition=refit

All data is made up and deleted at the end. Stop the demo with Ctrl-C.
`, n, scheme(sec)+ln.Addr().String(), password, scheme(sec)+ln.Addr().String(), token, pinned)
	err = run(ctx, s, ln, sec, cmd.ErrOrStderr())
	fmt.Fprintln(cmd.OutOrStdout(), "Stopped. The database of the demo is deleted.")
	return err
}
