package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/expect"
)

// The script for older systems learns the same of this machine as the
// collector does, but for what only a program can ask.
func TestScriptReadsAsTheCollectorDoes(t *testing.T) {
	src, err := exec.Command("sh", "older/collect.sh").Output()
	if err != nil {
		t.Fatal(err)
	}
	byScript, err := decode.Read("capture", src)
	if err != nil {
		t.Fatal(err)
	}
	byProgram, err := collect.Machine(collect.Options{})
	if err != nil {
		t.Fatal(err)
	}
	a, b := fact.Read(byScript), fact.Read(byProgram)
	changes := []string{
		"device.hypervisor", "processor.features", "tpm.manufacturer", "tpm.firmware", "tpm.kind",
		"storage.system.free_bytes", "processor.rated_mhz",
	}
	for _, def := range fact.All() {
		x, y := a.Get(def.ID).Value, b.Get(def.ID).Value
		if x.Plain() != y.Plain() && !slices.Contains(changes, def.Name) {
			t.Errorf("%s: the script reads %s, the collector %s", def.Name, x.Plain(), y.Plain())
		}
	}
	one, two := a.Get(fact.ProcessorFeatures).Value.Set(), b.Get(fact.ProcessorFeatures).Value.Set()
	for _, f := range two {
		if !slices.Contains(one, f) {
			t.Errorf("the script does not see %s", f)
		}
	}
}

// On a Mac the script goes another way; here with stand-ins for two tools, and
// without the others.
func TestScriptOnAMac(t *testing.T) {
	dir := t.TempDir()
	for name, body := range map[string]string{
		"uname":  "echo Darwin",
		"sysctl": `case $2 in hw.model) echo Foldbook6,2;; hw.memsize) echo 8589934592;; kern.hostname) echo holm-m02;; hw.physicalcpu_max) echo 2;; hw.logicalcpu_max) echo 4;; *) exit 1;; esac`,
	} {
		t.Run(name, func(t *testing.T) {
			if err := os.WriteFile(filepath.Join(dir, name), []byte("#!/bin/sh\n"+body+"\n"), 0o755); err != nil {
				t.Fatal(err)
			}
		})
	}
	cmd := exec.Command("sh", "older/collect.sh")
	cmd.Env = append(os.Environ(), "PATH="+dir+":"+os.Getenv("PATH"), "TMPDIR="+dir)
	src, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	d, err := decode.Read("capture", src)
	if err != nil {
		t.Fatalf("%v\n%s", err, src)
	}
	expect.Same(t, "the model", d.Device.ModelID.Or(""), "Foldbook6,2")
	expect.Same(t, "the memory", d.Memory.Installed.Or(0), 8<<30)
	expect.Same(t, "the cores", d.Processor.Cores.Or(0), 2)
	expect.Same(t, "the platform", d.OS.Platform.Or(""), "macos")
	if left, _ := filepath.Glob(filepath.Join(dir, "rolltop*")); len(left) > 0 {
		t.Errorf("it leaves %s behind", strings.Join(left, ", "))
	}
}

// What the script for older Windows writes of the encryption is what the decoder reads. The script itself is not run.
func TestScriptNamesWhatTheDecoderReads(t *testing.T) {
	src, err := os.ReadFile("older/collect.ps1")
	expect.NoError(t, err)
	for _, want := range []string{
		"Ask '" + windows.Volume + "'", "'" + windows.Conversion + " 0 '", "'" + windows.Protects + " 0 '",
		strings.Replace(windows.Unlocks(0), "0", "$type 0 $keys", 1), fmt.Sprintf("in 0..%d)", windows.Protectors),
	} {
		t.Run(want, func(t *testing.T) { expect.Contains(t, string(src), want) })
	}
}
