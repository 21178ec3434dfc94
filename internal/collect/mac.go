package collect

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/titles"
)

// Mac reads a Mac by values of its kernel and the system's own tools, each
// with a fixed path. It is apart from what only macOS can run, so that it can
// be tested with stand-ins for kernel and tools.
type Mac struct {
	Root       string // stands for /, in tests
	Sysctl     func(name string) ([]byte, error)
	Interfaces func() string // a line of name and state each
	Patience   time.Duration // with one tool
}

// maxOutput of a tool that is read, in bytes.
const maxOutput = 16 << 20

// Read fills a capture. Only what package macos keeps of an output gets in.
func (m *Mac) Read(c *capture.Document, o Options) {
	c.Platform = "macos"
	for _, name := range macos.Sysctls {
		raw, err := m.Sysctl(name)
		c.Add(outcomeOf(capture.Record{Source: macos.Sysctl(name), Raw: raw}, err))
	}
	m.tools(c, macos.Tools)
	var disks []macos.Tool
	for _, name := range diskNames(c.Get(macos.DiskList.Source()).Raw) {
		disks = append(disks, macos.DiskInfo(name))
	}
	m.tools(c, disks)
	c.Add(m.trimmed(macos.VersionFile, macos.VersionKeys))
	c.Add(m.trimmed(macos.Updates, macos.UpdateKeys))
	c.Add(m.trimmed(macos.Backups, macos.BackupKeys))
	c.Add(capture.Record{Source: macos.Interfaces, Outcome: capture.OK, Raw: []byte(m.Interfaces())})
	m.software(c, titles.Ask(o.Software))
}

func diskNames(raw []byte) []string {
	var list struct{ WholeDisks []string }
	if json.Unmarshal(raw, &list) != nil {
		return nil
	}
	var out []string
	for _, n := range list.WholeDisks {
		if strings.HasPrefix(n, "disk") && len(n) < 16 && len(out) < 64 {
			out = append(out, n)
		}
	}
	return out
}

// tools runs some beside each other: each waits for others of the system.
func (m *Mac) tools(c *capture.Document, list []macos.Tool) {
	records := make([]capture.Record, len(list))
	var wg sync.WaitGroup
	for i, t := range list {
		wg.Go(func() { records[i] = m.run(t) })
	}
	wg.Wait()
	for _, r := range records {
		c.Add(r)
	}
}

func (m *Mac) run(t macos.Tool) capture.Record {
	rec := capture.Record{Source: t.Source()}
	ctx, cancel := context.WithTimeout(context.Background(), m.Patience)
	defer cancel()
	var out limited
	cmd := exec.CommandContext(ctx, m.Root+t.Path, t.Args...)
	cmd.Env = []string{"LC_ALL=C", "PATH=/usr/bin:/bin:/usr/sbin:/sbin"}
	cmd.Stdout = &out
	cmd.WaitDelay = time.Second
	err := cmd.Run()
	exit := new(exec.ExitError)
	switch {
	case ctx.Err() != nil:
		rec.Outcome, rec.Detail = capture.Failed, fmt.Sprintf("no answer within %s", m.Patience)
		return rec
	case errors.As(err, &exit):
		rec.Outcome, rec.Errno = capture.NotExposed, int64(exit.ExitCode())
		return rec
	case err != nil:
		return outcomeOf(rec, err)
	case len(bytes.TrimSpace(out.b)) == 0:
		rec.Outcome = capture.Absent
		return rec
	}
	kept, err := macos.Trim(t.Form, t.Keys, out.b)
	if err != nil {
		rec.Outcome, rec.Detail = capture.Failed, err.Error()
		return rec
	}
	rec.Outcome, rec.Raw = capture.OK, kept
	return rec
}

// limited takes output up to a limit and drops the rest.
type limited struct{ b []byte }

func (l *limited) Write(p []byte) (int, error) {
	l.b = append(l.b, p[:min(len(p), maxOutput-len(l.b))]...)
	return len(p), nil
}

// trimmed reads a property list and keeps some of its keys.
func (m *Mac) trimmed(path string, keys []string) capture.Record {
	rec := capture.Record{Source: path}
	raw, err := m.file(path)
	if err == nil {
		raw, err = macos.Trim(macos.List, keys, raw)
	}
	rec.Raw = raw
	return outcomeOf(rec, err)
}

func (m *Mac) file(path string) ([]byte, error) {
	return within(func() ([]byte, error) {
		f, err := os.Open(m.Root + path)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return io.ReadAll(io.LimitReader(f, 1<<20))
	})
}

// software lists the titles asked for in the folder for everybody, and what
// each says of itself.
func (m *Mac) software(c *capture.Document, keep titles.Keep) {
	if keep.None() {
		return
	}
	c.Add(capture.Record{Source: macos.Asked, Outcome: capture.OK, Raw: []byte(keep.Lines())})
	entries, err := os.ReadDir(m.Root + macos.Applications)
	var names []string
	for _, e := range entries {
		title, ok := strings.CutSuffix(e.Name(), ".app")
		if !ok {
			continue
		}
		described := m.trimmed(macos.Title(e.Name()), macos.TitleKeys)
		if keep.Has(title) || keep.Has(macos.Identifier(described.Raw)) {
			names = append(names, e.Name())
			c.Add(described)
			_, err := os.Stat(m.Root + macos.Receipt(e.Name()))
			c.Add(outcomeOf(capture.Record{Source: macos.Receipt(e.Name())}, err))
		}
	}
	c.Add(outcomeOf(capture.Record{Source: macos.Applications + "/", Raw: []byte(strings.Join(names, "\n"))}, err))
}
