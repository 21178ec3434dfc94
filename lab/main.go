// Lab boots virtual machines with real firmware, each described by a file in
// lab/machines, with the collector as their only program besides busybox, and
// compares what it reads with what was configured. It runs under emulation and
// takes about 20 seconds a machine.
package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Machine is a file in lab/machines.
type Machine struct {
	About     string            `json:"about"`
	Firmware  string            `json:"firmware" enum:"uefi,legacy"`
	TPM       string            `json:"tpm" enum:"none,crb,tis,tis12"`
	Processor string            `json:"processor,omitempty"`
	Drive     string            `json:"drive,omitempty" enum:"nvme"`
	Arguments []string          `json:"arguments,omitempty"`
	Expect    map[string]string `json:"expect" doc:"Fact to value; “? cause” for a gap; “has …” and “lacks …” for sets"`
	Drives    []string          `json:"drives,omitempty" doc:"name bus kind bytes"`
}

// patience with one boot; 6 to 25 seconds are usual.
const patience = 75 * time.Second

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "lab:", err)
		os.Exit(1)
	}
}

func run(only []string) error {
	if missing := missingTools(); len(missing) > 0 {
		return fmt.Errorf("missing: %s; apt-get install qemu-system-x86 ovmf swtpm seabios busybox-static cpio linux-image-cloud-amd64", strings.Join(missing, ", "))
	}
	work, err := os.MkdirTemp("", "rolltop-lab-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	initrd, err := buildInitrd(work)
	if err != nil {
		return err
	}
	files, err := filepath.Glob("lab/machines/*.yaml")
	if err != nil || len(files) == 0 {
		return errors.Join(err, errors.New("lab/machines has no machines; run it from the project's directory"))
	}
	compared, wrong := 0, 0
	for _, path := range files {
		name := strings.TrimSuffix(filepath.Base(path), ".yaml")
		if len(only) > 0 && !strings.Contains(strings.Join(only, " "), name) {
			continue
		}
		n, bad, err := one(path, name, work, initrd)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		compared, wrong = compared+n, wrong+bad
	}
	fmt.Printf("%d facts compared, %d right, %d wrong\n", compared, compared-wrong, wrong)
	if wrong > 0 {
		return errors.New("what was read is not what was configured")
	}
	return nil
}

func one(path, name, work, initrd string) (compared, wrong int, err error) {
	src, err := os.ReadFile(path)
	if err != nil {
		return 0, 0, err
	}
	var m Machine
	if err := doc.Decode(path, src, &m); err != nil {
		return 0, 0, err
	}
	start := time.Now()
	console, err := bootInTime(&m, filepath.Join(work, name), initrd)
	if errors.Is(err, errLate) {
		// The emulated UEFI firmware stops now and then before it loads a kernel.
		fmt.Printf("%s did not start within %s; once more\n", name, patience)
		start = time.Now()
		console, err = bootInTime(&m, filepath.Join(work, name+"-again"), initrd)
	}
	if err != nil {
		return 0, 0, err
	}
	d, err := between(console)
	if err != nil {
		return 0, 0, err
	}
	fmt.Printf("%s (%.0f s): %s\n", name, time.Since(start).Seconds(), m.About)
	compared, wrong = compare(&m, d)
	return compared, wrong, nil
}

var errLate = errors.New("the machine did not end in time")

func bootInTime(m *Machine, dir, initrd string) ([]byte, error) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	console, err := boot(ctx, m, dir, initrd)
	if err != nil && ctx.Err() != nil {
		err = fmt.Errorf("%w: %w", errLate, err)
	}
	return console, err
}

// between takes the inventory out of the serial console's text.
func between(console []byte) (*inventory.Document, error) {
	_, rest, ok := bytes.Cut(bytes.ReplaceAll(console, []byte("\r"), nil), []byte("BEGIN-INVENTORY\n"))
	body, _, ends := bytes.Cut(rest, []byte("END-INVENTORY"))
	if !ok || !ends {
		tail := console[max(0, len(console)-600):]
		return nil, fmt.Errorf("no inventory came over the console, which ends with:\n%s", tail)
	}
	return inventory.Read("the inventory", body)
}

func compare(m *Machine, d *inventory.Document) (compared, wrong int) {
	f := fact.Read(d)
	fail := func(what, want, got, source string) {
		wrong++
		fmt.Printf("  WRONG %s: expected %s, read %s (%s)\n", what, want, got, source)
	}
	for _, name := range fact.Names() {
		want, asked := m.Expect[name]
		if !asked {
			continue
		}
		compared++
		r := f.Get(fact.ByName(name).ID)
		if got := written(r); !matches(want, got, r.Value.Set()) {
			fail(name, want, got, r.Source)
		}
	}
	if compared != len(m.Expect) {
		wrong++
		fmt.Println("  WRONG the file expects a fact that does not exist")
	}
	for _, want := range m.Drives {
		compared++
		found := false
		var all []string
		for _, k := range d.Storage.Disks {
			got := fmt.Sprintf("%s %s %s %d", k.Name.Or("?"), k.Bus.Or("?"), k.Kind.Or("?"), k.Bytes.Or(0))
			all = append(all, got)
			found = found || got == want
		}
		if !found {
			fail("drive", want, strings.Join(all, ", "), "storage.disks")
		}
	}
	return compared, wrong
}

// written is a reading as the files write it.
func written(r *fact.Reading) string {
	switch r.Value.Kind() {
	case 0:
		return "? " + r.Gap.Cause
	case fact.Number:
		return fmt.Sprintf("%.0f", r.Value.Float())
	case fact.Bool:
		return fmt.Sprint(r.Value.Bool())
	case fact.Set:
		return strings.Join(r.Value.Set(), " ")
	}
	return r.Value.Text()
}

func matches(want, got string, set []string) bool {
	has := func(items string, wanted bool) bool {
		for _, item := range strings.Fields(items) {
			if fact.Items(set).Has(item) != wanted {
				return false
			}
		}
		return len(set) > 0
	}
	if items, ok := strings.CutPrefix(want, "has "); ok {
		return has(items, true)
	}
	if items, ok := strings.CutPrefix(want, "lacks "); ok {
		return has(items, false)
	}
	return want == got
}
