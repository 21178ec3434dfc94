// Wholebench times whole processes beside an empty Go program and beside a shell
// script that asks stock tools for the same, in turn, and prints medians and
// ratios, with the most memory that each had. Machines differ and are noisy;
// ratios of one run hold.
package main

import (
	_ "embed"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"syscall"
	"time"
)

//go:embed script.sh
var script []byte

// rounds of every command, after one that does not count.
const rounds = 31

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
	byHand := filepath.Join(dir, "script.sh")
	if err := os.WriteFile(byHand, script, 0o700); err != nil {
		fail(err)
	}
	commands := [][]string{{empty}, {byHand}, {os.Args[1]}, {os.Args[2], "inspect"}}
	times, memory := make([][]time.Duration, len(commands)), make([]int64, len(commands))
	for round := range rounds + 1 {
		for i, c := range commands {
			start := time.Now()
			cmd := exec.Command(c[0], c[1:]...)
			if err := cmd.Run(); err != nil {
				fail(fmt.Errorf("%v: %w", c, err))
			}
			if use, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
				memory[i] = max(memory[i], int64(use.Maxrss)) // KiB on Linux
			}
			if round > 0 {
				times[i] = append(times[i], time.Since(start))
			}
		}
	}
	base, hand := median(times[0]), median(times[1])
	for i, c := range commands {
		m := median(times[i])
		name := filepath.Base(c[0])
		for _, a := range c[1:] {
			name += " " + a
		}
		fmt.Printf("%-18s %8.2f ms  %5.1f × empty  %5.2f × script  %5.1f MiB at most\n", name,
			float64(m.Microseconds())/1000, float64(m)/float64(base), float64(m)/float64(hand), float64(memory[i])/1024)
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
