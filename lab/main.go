// Lab boots virtual machines with real firmware, each described by a file in
// lab/machines, with the collector as their only program besides busybox, and
// compares what it reads with what was configured. It runs under emulation, two
// machines at a time; one takes 10 to 40 seconds. Names of machines run those alone; --part leaves out those that
// stand apart.
package main

import (
	"bytes"
	"context"
	"crypto/x509"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"rolltop.example/rolltop/core/inventory"
)

const (
	// patience with one boot.
	patience = 150 * time.Second
	// atOnce is how many machines run beside each other.
	atOnce = 2
	// tries: the emulated UEFI firmware stops now and then before it loads a
	// kernel, and then starts when asked again.
	tries = 3
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "lab:", err)
		os.Exit(1)
	}
}

func run(only []string) error {
	files, err := filepath.Glob("lab/machines/*.yaml")
	if err != nil || len(files) == 0 {
		return errors.Join(err, errors.New("lab/machines has no machines; run it from the project's directory"))
	}
	part := slices.Contains(only, "--part")
	only = slices.DeleteFunc(only, func(s string) bool { return s == "--part" })
	machines := map[string]*Machine{}
	for _, path := range files {
		name := strings.TrimSuffix(filepath.Base(path), ".yaml")
		if len(only) > 0 && !slices.Contains(only, name) {
			continue
		}
		m, err := readMachine(path)
		if err != nil {
			return err
		}
		if !part || !m.Apart {
			machines[name] = m
		}
	}
	used := map[string]bool{}
	for _, m := range machines {
		used[m.Kind] = true
	}
	systems, err := readEmulated(only, part)
	if err != nil {
		return err
	}
	if missing := missingTools(machines, systems, used); len(missing) > 0 {
		return fmt.Errorf("missing: %s; lab/install.sh installs what --part needs, and lab/install.sh all what all "+
			"machines need (Debian, as root)", strings.Join(missing, ", "))
	}
	work, err := os.MkdirTemp("", "rolltop-lab-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	of := map[string]*parts{}
	for name := range used {
		dir := filepath.Join(work, "kind-"+name)
		if err := os.Mkdir(dir, 0o700); err != nil {
			return err
		}
		if of[name], err = buildParts(dir, kinds[name]); err != nil {
			return err
		}
	}
	return runAll(machines, work, of, systems)
}

// emulatedPrefix begins the names of machines that are not virtual: another system, emulated.
const emulatedPrefix = "windows-"

// runAll boots all and prints each as it ends, and the sum.
func runAll(machines map[string]*Machine, work string, of map[string]*parts, systems map[string]*emulated) error {
	var mu sync.Mutex
	var wg sync.WaitGroup
	results, failed := map[string]*result{}, []error{}
	slot := make(chan struct{}, atOnce)
	start := time.Now()
	add := func(name, about string, f func() (*result, error)) {
		wg.Go(func() {
			slot <- struct{}{}
			defer func() { <-slot }()
			r, err := f()
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				failed = append(failed, fmt.Errorf("%s: %w", name, err))
				fmt.Printf("%s: %v\n", name, err)
				return
			}
			results[name] = r
			fmt.Printf("%-28s %3.0f s  %2d facts: %s\n", name, r.took.Seconds(), r.compared, about)
		})
	}
	for name, m := range machines {
		add(name, m.About, func() (*result, error) { return one(m, filepath.Join(work, name), of[m.Kind]) })
	}
	emulations := map[int]*emulation{}
	for name, s := range systems {
		e := emulations[s.Bits]
		if e == nil {
			var err error
			if e, err = emulate(work, windowsKinds[s.Bits]); err != nil {
				return err
			}
			emulations[s.Bits] = e
		}
		add(name, s.About, func() (*result, error) { return e.run(name, s) })
	}
	wg.Wait()
	sum := result{}
	beside := map[string][]string{} // facts without an expectation: by what was read, the machines
	for _, name := range slices.Sorted(maps.Keys(results)) {
		r := results[name]
		if m := machines[name]; m != nil {
			if err := judge(m, r, results); err != nil {
				failed = append(failed, fmt.Errorf("%s: %w", name, err))
			}
		}
		for _, w := range r.wrong {
			fmt.Printf("WRONG %s: %s\n", name, w)
		}
		for _, b := range r.beside {
			beside[b] = append(beside[b], name)
		}
		sum.compared, sum.right, sum.gaps = sum.compared+r.compared, sum.right+r.right, sum.gaps+r.gaps
	}
	fmt.Println("Read, and not named in the files of machines:")
	for _, text := range slices.Sorted(maps.Keys(beside)) {
		fmt.Printf("  %s: %s\n", inventory.Clean(text), someOf(beside[text]))
	}
	fmt.Print(table(results))
	fmt.Printf("%d machines in %.0f s: %d facts compared, %d right, %d wrong; %d gaps with a cause\n", len(results),
		time.Since(start).Seconds(), sum.compared, sum.right, sum.compared-sum.right, sum.gaps)
	if sum.right != sum.compared {
		failed = append(failed, errors.New("what was read is not what was configured"))
	}
	return errors.Join(failed...)
}

// table is each machine by each fact that some machine's file names: r right, g a gap as it should be, W wrong.
func table(results map[string]*result) string {
	var out strings.Builder
	columns := map[string]bool{}
	for _, r := range results {
		for name := range r.table {
			columns[name] = true
		}
	}
	names := slices.Sorted(maps.Keys(columns))
	out.WriteString("Machines by facts (r right, g a gap as it should be, W wrong, . not compared):\n")
	for i, name := range names {
		fmt.Fprintf(&out, "  %2d %s\n", i+1, name)
	}
	for _, machine := range slices.Sorted(maps.Keys(results)) {
		fmt.Fprintf(&out, "%-28s ", machine)
		for _, name := range names {
			is := results[machine].table[name]
			if is == 0 {
				is = '.'
			}
			out.WriteByte(is)
		}
		out.WriteByte('\n')
	}
	return out.String()
}

func one(m *Machine, dir string, parts *parts) (*result, error) {
	start := time.Now()
	var console []byte
	var proof *proven
	var err error
	for try := range tries {
		ctx, cancel := context.WithTimeout(context.Background(), patience)
		console, proof, err = once(ctx, m, fmt.Sprintf("%s-%d", dir, try), parts)
		late := ctx.Err() != nil
		cancel()
		if err == nil {
			break
		}
		if !late {
			return nil, err
		}
		fmt.Printf("%s did not end within %s\n", filepath.Base(dir), patience)
	}
	if err != nil {
		return nil, err
	}
	d, err := between(console)
	if err != nil {
		return nil, err
	}
	r := compare(m, d)
	r.took, r.proven = time.Since(start), proof
	return r, nil
}

// once boots a machine one time, with a service of its own where it reports to one.
func once(ctx context.Context, m *Machine, dir string, parts *parts) (console []byte, proof *proven, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, nil, err
	}
	if m.Attests == nil {
		console, err = boot(ctx, m, dir, parts, nil)
		return console, nil, err
	}
	var makers *x509.CertPool
	if m.Certified {
		if makers, err = certify(ctx, dir); err != nil {
			return nil, nil, err
		}
	}
	to, err := startReporting(ctx, dir, makers)
	if err != nil {
		return nil, nil, err
	}
	defer to.close()
	if console, err = boot(ctx, m, dir, parts, to); err != nil {
		return nil, nil, err
	}
	proof, err = to.proven(ctx)
	if err != nil {
		err = fmt.Errorf("%w; the console ends with:\n%s", err, console[max(0, len(console)-2400):])
	}
	return console, proof, err
}

// someOf names machines, and counts them where they are many.
func someOf(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%d machines", len(names))
	}
	return strings.Join(names, ", ")
}

// between takes the inventory out of the serial console's text.
func between(console []byte) (*inventory.Document, error) {
	_, rest, ok := bytes.Cut(bytes.ReplaceAll(console, []byte("\r"), nil), []byte("BEGIN-INVENTORY\n"))
	body, _, ends := bytes.Cut(rest, []byte("END-INVENTORY"))
	if !ok || !ends {
		tail := console[max(0, len(console)-2400):]
		return nil, fmt.Errorf("no inventory came over the console, which ends with:\n%s", tail)
	}
	return inventory.Read("the inventory", body)
}
