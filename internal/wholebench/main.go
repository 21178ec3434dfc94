// Wholebench times whole processes beside an empty Go program, in turn, and
// prints medians and ratios. Machines differ and are noisy; ratios of one run
// hold.
package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"
)

// rounds of every command, after one that does not count.
const rounds = 15

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "give the paths of rolltop-collect and rolltop")
		os.Exit(2)
	}
	dir, err := os.MkdirTemp("", "wholebench-")
	if err != nil {
		fail(err)
	}
	defer os.RemoveAll(dir)
	empty := filepath.Join(dir, "empty")
	src := filepath.Join(dir, "main.go")
	if err := os.WriteFile(src, []byte("package main\n\nfunc main() {}\n"), 0o600); err != nil {
		fail(err)
	}
	if out, err := exec.Command("go", "build", "-o", empty, src).CombinedOutput(); err != nil {
		fail(fmt.Errorf("%w: %s", err, out))
	}
	commands := [][]string{{empty}, {os.Args[1]}, {os.Args[2], "inspect"}}
	times := make([][]time.Duration, len(commands))
	for round := range rounds + 1 {
		for i, c := range commands {
			start := time.Now()
			if err := exec.Command(c[0], c[1:]...).Run(); err != nil {
				fail(fmt.Errorf("%v: %w", c, err))
			}
			if round > 0 {
				times[i] = append(times[i], time.Since(start))
			}
		}
	}
	base := median(times[0])
	for i, c := range commands {
		m := median(times[i])
		name := filepath.Base(c[0])
		for _, a := range c[1:] {
			name += " " + a
		}
		fmt.Printf("%-18s %8.2f ms  %5.1f × empty\n", name, float64(m.Microseconds())/1000, float64(m)/float64(base))
	}
}

func median(d []time.Duration) time.Duration {
	d = slices.Clone(d)
	slices.Sort(d)
	return d[len(d)/2]
}

func fail(err error) {
	fmt.Fprintln(os.Stderr, err)
	os.Exit(1)
}
