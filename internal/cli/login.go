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
		return "", fmt.Errorf("no directory for the profile: %w", err)
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
			"%s contains a token, and other users can read it; run chmod 600 on it, or sign in again with rolltop "+
				"login", path)
	}
	src, err := os.ReadFile(path)
	if err != nil {
		return p, fmt.Errorf("%s cannot be read: %w", path, bare(err))
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

// loginOptions are who signs in, and where.
type loginOptions struct {
	Name   string `option:"name" usage:"user name"`
	Days   int    `option:"days" usage:"days until the token expires (max 365)" default:"90" least:"1" most:"365"`
	Server string `option:"server" usage:"address of the service, such as https://host:port (or ROLLTOP_SERVER)"`
	Pin    string `option:"pin" usage:"SHA-256 fingerprint of the self-signed certificate of the service (or ROLLTOP_PIN)"`
}

func loginCommand() *cobra.Command {
	return with(command("login", "Sign in, and save a token for later commands", login), "login")
}

func login(c *call[loginOptions]) error {
	o := c.o
	if o.Name == "" || o.Server == "" {
		return wrongUsage("the service or the user is missing; give --server https://host:port --name NAME")
	}
	s, err := dial(o.Server, "", o.Pin)
	if err != nil {
		return err
	}
	if open := s.InTheOpen(); open != "" {
		return wrongUsage("the password was not sent: %s", open)
	}
	said, err := secrets(c.cmd, "Password of "+o.Name)
	if err != nil {
		return err
	}
	host, _ := os.Hostname()
	m, err := s.SignIn(c.ctx(), o.Name, said[0], api.NewOwnToken{Name: cmp.Or(host, "command line"), Days: o.Days})
	if err != nil {
		return err
	}
	if err := (profile{o.Server, m.Secret, o.Pin}).write(); err != nil {
		return fmt.Errorf("the token cannot be saved: %w", err)
	}
	path, _ := profilePath()
	until := ""
	if m.ExpiresAt != nil {
		until = " until " + say.Day(*m.ExpiresAt)
	}
	c.done("Signed in as %s%s. The token is in %s; rolltop logout removes it.", o.Name, until, path)
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
			return nil, wrongUsage("standard input ended before line %d (%s)", i+1, prompt)
		}
		out[i] = strings.TrimRight(lines.Text(), "\r")
	}
	return out, lines.Err()
}

// passwordOptions are whose password changes, and where.
type passwordOptions struct {
	Name   string `option:"name" usage:"user name"`
	Server string `option:"server" usage:"address of the service (or ROLLTOP_SERVER, or the address of rolltop login)"`
	Pin    string `option:"pin" usage:"SHA-256 fingerprint of the self-signed certificate of the service (or ROLLTOP_PIN)"`
}

func passwordCommand() *cobra.Command {
	return command("password", "Change your own password; you are signed out everywhere", changePassword)
}

func changePassword(c *call[passwordOptions]) error {
	p, err := readProfile()
	if err != nil {
		return err
	}
	name, server, pin := c.o.Name, c.o.Server, c.o.Pin
	if server == "" {
		server, pin = p.Server, cmp.Or(pin, p.Pin)
	}
	if name == "" || server == "" {
		return wrongUsage("the service or the user is missing; give --server https://host:port --name NAME")
	}
	s, err := dial(server, "", pin)
	if err != nil {
		return err
	}
	if open := s.InTheOpen(); open != "" {
		return wrongUsage("the password was not sent: %s", open)
	}
	said, err := secrets(c.cmd, "Password of "+name, "New password, at least 12 characters")
	if err != nil {
		return err
	}
	if err := s.ChangePassword(c.ctx(), name, api.ChangePassword{Old: said[0], New: said[1]}); err != nil {
		return asUsage(err)
	}
	c.done("Password changed. Sign in again with rolltop login.")
	return nil
}

func logoutCommand() *cobra.Command {
	return command("logout", "Sign out: remove the token that rolltop login saved", logout)
}

func logout(c *call[none]) error {
	p, err := readProfile()
	if err != nil {
		return err
	}
	if p.Token == "" {
		return errors.New("you are not signed in")
	}
	path, err := profilePath()
	if err != nil {
		return err
	}
	s, err := dial(p.Server, p.Token, p.Pin)
	if err == nil {
		err = s.RemoveOwnToken(c.ctx())
	}
	if e := os.Remove(path); e != nil {
		return e
	}
	if err != nil {
		return fmt.Errorf("the token was removed from this machine, but the service could not remove it: %w", err)
	}
	c.done("Signed out; the token is removed.")
	return nil
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
