package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/web"
)

const defaultListen = "127.0.0.1:8470"

func serveCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Start the service with its console",
		Long:  "Starts the service: it keeps inventories, checks them against the target releases\nand serves the console and the API. At the first start it prints a link with\nwhich the first administrator is made. To be reached from other machines it takes TLS.",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			path, _ := cmd.Flags().GetString("database")
			listen, _ := cmd.Flags().GetString("listen")
			verbose, _ := cmd.Flags().GetBool("verbose")
			ln, err := net.Listen("tcp", listen)
			if err != nil {
				return fmt.Errorf("cannot listen on %s: %w; free it, or name another with --listen", listen, netCause(err))
			}
			defer ln.Close()
			sec, err := secured(cmd, path, ln.Addr())
			if err != nil {
				return err
			}
			st, err := store.Open(path)
			if err != nil {
				return err
			}
			s, err := newServer(contextOf(cmd), st, collectorsOf(cmd), cmd.ErrOrStderr(), verbose, sec)
			if err == nil {
				at := address(ln, sec)
				if sec.pin != "" {
					fmt.Fprintf(cmd.OutOrStdout(), "The SHA-256 of the certificate that it made: %s\nCollectors and commands take it with --pin.\n\n", sec.pin)
				}
				if err = firstStart(contextOf(cmd), s, st, at, cmd.OutOrStdout()); err == nil {
					fmt.Fprintf(cmd.OutOrStdout(), "Rolltop is at %s\nStop it with Ctrl-C.\n", at)
					err = run(contextOf(cmd), s, ln, sec)
				}
			}
			return errors.Join(err, st.Close())
		},
	}
	cmd.Flags().String("database", "rolltop.db", "database file; made where there is none")
	cmd.Flags().String("listen", defaultListen, "address to listen on")
	cmd.Flags().String("collectors", "dist", "directory with the collectors that machines download, as make dist writes it")
	cmd.Flags().Bool("verbose", false, "log every request")
	tlsFlags(cmd)
	return cmd
}

// address is where the service is reached.
func address(ln net.Listener, sec security) string {
	if sec.config != nil {
		return "https://" + ln.Addr().String()
	}
	return "http://" + ln.Addr().String()
}

func netCause(err error) error {
	var op *net.OpError
	if errors.As(err, &op) {
		return op.Err
	}
	return err
}

func collectorsOf(cmd *cobra.Command) string {
	dir, _ := cmd.Flags().GetString("collectors")
	return dir
}

// collectorsIn is the directory with collectors, or nil where there is none.
func collectorsIn(dir string) fs.FS {
	if st, err := os.Stat(dir); err != nil || !st.IsDir() {
		return nil
	}
	return os.DirFS(dir)
}

func newServer(ctx context.Context, st *store.Store, collectors string, logTo io.Writer, verbose bool, sec security) (*server.Server, error) {
	level := slog.LevelInfo
	if verbose {
		level = slog.LevelDebug
	}
	return server.New(ctx, server.Options{Store: st, Console: web.Console(), Collectors: collectorsIn(collectors), Secure: sec.secure, Proxied: sec.proxied, Pin: sec.pin, Log: slog.New(slog.NewTextHandler(logTo, &slog.HandlerOptions{Level: level}))})
}

// firstStart prints a one-time link to make the first administrator, as long as there
// is none.
func firstStart(ctx context.Context, s *server.Server, st *store.Store, at string, out io.Writer) error {
	users, err := st.Users(ctx)
	if err != nil || len(users) > 0 {
		return err
	}
	path, err := s.Invite(ctx)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "Nobody can sign in yet. Make the first administrator with this link, once, within a day:\n  %s%s\n\n", at, path)
	return nil
}

// run serves until the context ends, then lets open requests finish.
func run(ctx context.Context, s *server.Server, ln net.Listener, sec security) error {
	h := &http.Server{Handler: s.Handler(), TLSConfig: sec.config, ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 60 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
	tending, rest := context.WithCancel(ctx)
	tended := make(chan struct{})
	go func() {
		defer close(tended)
		s.Upkeep(tending)
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

func demoCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Start the service with the made-up fleet of Tidewrack Ferries",
		Long:  "Starts the service with a made-up organisation, its machines and its release\ndocuments, in a database of its own that is thrown away at the end.",
		Args:  cobra.NoArgs,
		RunE:  runDemo,
	}
	cmd.Flags().String("listen", defaultListen, "address to listen on; where its port is taken, a free one is used")
	cmd.Flags().String("password", "", "password to sign in with, in place of a random one")
	tlsFlags(cmd)
	cmd.Flags().String("collectors", "dist", "directory with the collectors that machines download, as make dist writes it")
	cmd.Flags().Bool("verbose", false, "log every request")
	return cmd
}

func runDemo(cmd *cobra.Command, _ []string) error {
	ctx, out := contextOf(cmd), cmd.OutOrStdout()
	listen, _ := cmd.Flags().GetString("listen")
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
	sec, err := secured(cmd, path, ln.Addr())
	if err != nil {
		return err
	}
	st, err := store.Open(path)
	if err != nil {
		return err
	}
	err = serveDemo(cmd, ctx, st, ln, sec)
	return errors.Join(err, st.Close())
}

func serveDemo(cmd *cobra.Command, ctx context.Context, st *store.Store, ln net.Listener, sec security) error {
	verbose, _ := cmd.Flags().GetBool("verbose")
	s, err := newServer(ctx, st, collectorsOf(cmd), cmd.ErrOrStderr(), verbose, sec)
	if err != nil {
		return err
	}
	n, err := standin.Fill(ctx, s, time.Now())
	if err != nil {
		return fmt.Errorf("the demo cannot be made: %w", err)
	}
	if err := standin.Furnish(ctx, s, time.Now()); err != nil {
		return fmt.Errorf("the demo cannot be made: %w", err)
	}
	password, _ := cmd.Flags().GetString("password")
	if password == "" {
		password = server.NewSecret("")[:12]
	}
	if err := s.PutUser(ctx, "demo", server.RoleAdministrator, password); err != nil {
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
  bin/rolltop devices --where disposition=refit

Everything here is made up and thrown away at the end. Stop it with Ctrl-C.
`, n, address(ln, sec), password, address(ln, sec), token, pinned)
	err = run(ctx, s, ln, sec)
	fmt.Fprintln(cmd.OutOrStdout(), "Stopped. The demo's database is thrown away.")
	return err
}
