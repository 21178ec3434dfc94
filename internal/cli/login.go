package cli

import (
	"bufio"
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// profile is what rolltop login keeps: where the service is, and a token for it.
type profile struct {
	Server string `json:"server"`
	Token  string `json:"token"`
	Pin    string `json:"pin"`
}

// profilePath is the file of the profile: profile.yaml in the directory rolltop of
// the user's configuration.
func profilePath() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("there is no place for the profile: %w", err)
	}
	return filepath.Join(dir, "rolltop", "profile.yaml"), nil
}

// readProfile reads the profile; there need not be one. One that others can read is
// refused.
func readProfile() (profile, error) {
	var p profile
	path, err := profilePath()
	if err != nil {
		return p, nil // without a home there is none
	}
	st, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return p, nil
	}
	if err == nil && st.Mode().Perm()&0o077 != 0 && os.PathSeparator == '/' {
		return p, fmt.Errorf(
			"%s holds a token, and others can read it; chmod 600 it, or sign in again with rolltop login", path)
	}
	src, err := readFile(path)
	if err != nil {
		return p, err
	}
	return p, doc.Decode(path, src, &p)
}

func (p profile) write() error {
	path, err := profilePath()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	_ = os.Remove(path) // its permissions may be wider
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "server: %q\ntoken: %q\npin: %q\n", p.Server, p.Token, p.Pin)
	return errors.Join(err, f.Close())
}

func loginCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "login",
		Short: "Sign in, and keep a token for the commands that follow",
		Args:  cobra.NoArgs,
		RunE:  login,
		Long:  help("login"),
	}
	cmd.Flags().String("name", "", "name to sign in with")
	cmd.Flags().Int("days", 90, "after how many days the token expires, 365 at most")
	cmd.Flags().String("server", "", "address of the service, as https://host:port (or ROLLTOP_SERVER)")
	cmd.Flags().String("pin", "", "SHA-256 of the service's certificate, where it made it itself (or ROLLTOP_PIN)")
	return cmd
}

func login(cmd *cobra.Command, _ []string) error {
	name, _ := cmd.Flags().GetString("name")
	server, _ := cmd.Flags().GetString("server")
	pin, _ := cmd.Flags().GetString("pin")
	days, _ := cmd.Flags().GetInt("days")
	if name == "" || server == "" {
		return wrongUsage("say where and as whom: --server https://host:port --name NAME")
	}
	c, err := dial(server, "", pin)
	if err != nil {
		return err
	}
	if open := c.InTheOpen(); open != "" {
		return wrongUsage("no password is sent: %s", open)
	}
	said, err := secrets(cmd, "Password of "+name)
	if err != nil {
		return err
	}
	host, _ := os.Hostname()
	m, err := c.SignIn(contextOf(cmd), name, said[0], api.NewOwnToken{Name: cmp.Or(host, "command line"), Days: days})
	if err != nil {
		return err
	}
	if err := (profile{server, m.Secret, pin}).write(); err != nil {
		return fmt.Errorf("the token cannot be kept: %w", err)
	}
	path, _ := profilePath()
	until := ""
	if m.ExpiresAt != nil {
		until = " until " + say.Day(*m.ExpiresAt)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "Signed in as %s%s. The token is in %s; rolltop logout ends it.\n", name, until,
		path)
	return nil
}

// secrets asks for passwords, or reads them from standard input, one a line.
func secrets(cmd *cobra.Command, prompts ...string) ([]string, error) {
	out := make([]string, len(prompts))
	if f, ok := cmd.InOrStdin().(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		for i, prompt := range prompts {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s: ", prompt)
			b, err := term.ReadPassword(int(f.Fd()))
			fmt.Fprintln(cmd.ErrOrStderr())
			if err != nil {
				return nil, err
			}
			out[i] = string(b)
		}
		return out, nil
	}
	lines := bufio.NewScanner(cmd.InOrStdin())
	for i, prompt := range prompts {
		if !lines.Scan() || lines.Text() == "" {
			return nil, wrongUsage("standard input has no line %d: %s", i+1, prompt)
		}
		out[i] = strings.TrimRight(lines.Text(), "\r")
	}
	return out, lines.Err()
}

func passwordCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "password",
		Short: "Change your own password; it signs you out everywhere",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			name, _ := cmd.Flags().GetString("name")
			server, _ := cmd.Flags().GetString("server")
			pin, _ := cmd.Flags().GetString("pin")
			p, err := readProfile()
			if err != nil {
				return err
			}
			if server == "" {
				server, pin = p.Server, cmp.Or(pin, p.Pin)
			}
			if name == "" || server == "" {
				return wrongUsage("say where and whose: --server https://host:port --name NAME")
			}
			c, err := dial(server, "", pin)
			if err != nil {
				return err
			}
			if open := c.InTheOpen(); open != "" {
				return wrongUsage("no password is sent: %s", open)
			}
			said, err := secrets(cmd, "Password of "+name, "The new one, 12 signs at least")
			if err != nil {
				return err
			}
			if err := c.ChangePassword(contextOf(cmd), name,
				api.ChangePassword{Old: said[0], New: said[1]}); err != nil {
				return asUsage(err)
			}
			fmt.Fprintln(cmd.OutOrStdout(), "The password is changed. Sign in again with rolltop login.")
			return nil
		},
	}
	cmd.Flags().String("name", "", "whose password")
	cmd.Flags().String("server", "", "address of the service (or ROLLTOP_SERVER, or that of rolltop login)")
	cmd.Flags().String("pin", "", "SHA-256 of the service's certificate, where it made it itself (or ROLLTOP_PIN)")
	return cmd
}

func logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "logout",
		Short: "End the token that rolltop login keeps, and forget it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			p, err := readProfile()
			if err != nil {
				return err
			}
			if p.Token == "" {
				return errors.New("nobody is signed in here")
			}
			path, err := profilePath()
			if err != nil {
				return err
			}
			c, err := dial(p.Server, p.Token, p.Pin)
			if err == nil {
				err = c.EndOwnToken(contextOf(cmd))
			}
			if e := os.Remove(path); e != nil {
				return e
			}
			if err != nil {
				return fmt.Errorf("the token is forgotten here, and the service could not end it: %w", err)
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Signed out; the token is ended.")
			return nil
		},
	}
}

// dial is the client of a service.
func dial(server, token, pin string) (*client.Client, error) {
	c, err := client.New(server, token)
	if err == nil && pin != "" {
		err = c.Pin(pin)
	}
	if err != nil {
		return nil, usage{err}
	}
	return c, nil
}
