package need_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// A title is a name with no more behind it than its version, its word size or brackets.
func TestCalled(t *testing.T) {
	tests := []struct {
		title, name string
		want        bool
	}{
		{"Counterfoil", "Counterfoil", true},
		{"COUNTERFOIL 4.2", "counterfoil", true},
		{"Counterfoil v5", "Counterfoil", true},
		{"Counterfoil V5", "Counterfoil", true},
		{"Counterfoil v", "Counterfoil", false},
		{"Counterfoil w5", "Counterfoil", false},
		{"Counterfoil 0", "Counterfoil", true},
		{"Counterfoil 9", "Counterfoil", true},
		{"Counterfoil :", "Counterfoil", false}, // the sign behind 9
		{"Counterfoil /", "Counterfoil", false}, // the sign before 0
		{"Counterfoil x64", "Counterfoil", true},
		{"Counterfoil x86", "Counterfoil", true},
		{"Counterfoil ARM64", "Counterfoil", true},
		{"Counterfoil 64-bit", "Counterfoil", true},
		{"Counterfoil version 5", "Counterfoil", true},
		{"Counterfoil - 5", "Counterfoil", true},
		{"Counterfoil (for all users)", "Counterfoil", true},
		{"Counterfoil (beta) 5", "Counterfoil", true},
		{"Counterfoil (beta) Viewer", "Counterfoil", false},
		{"Counterfoil Viewer", "Counterfoil", false},
		{"Counterfoils", "Counterfoil", false},
		{"The Counterfoil", "Counterfoil", false},
	}
	for _, tt := range tests {
		t.Run(tt.title, func(t *testing.T) {
			if got := need.Called(tt.title, tt.name); got != tt.want {
				t.Errorf("%q is called %q: %v", tt.title, tt.name, got)
			}
		})
	}
}

func TestUnitsAreExact(t *testing.T) {
	for _, tt := range []struct {
		id   fact.ID
		text string
		want float64
	}{
		{fact.MemoryInstalled, "1 MiB", 1048576},
		{fact.MemoryInstalled, "1 GiB", 1073741824},
		{fact.MemoryInstalled, "1 TiB", 1099511627776},
		{fact.DiskBytes, "1 MB", 1000000},
		{fact.DiskBytes, "1 GB", 1000000000},
		{fact.DiskBytes, "1 TB", 1000000000000},
		{fact.FreeBytes, "1 MB", 1000000},
		{fact.FreeBytes, "1 GB", 1000000000},
		{fact.FreeBytes, "1 TB", 1000000000000},
		{fact.ProcessorMHz, "1 MHz", 1},
		{fact.ProcessorMHz, "1 GHz", 1000},
	} {
		t.Run(tt.text, func(t *testing.T) {
			if v, right := need.Value(tt.id.Def(), tt.text); !v.Known() || v.Float() != tt.want {
				t.Errorf("%s %s: %v (%s), want %v", tt.id, tt.text, v, right, tt.want)
			}
		})
	}
}

// A need reads what any of its parts reads, at every depth, and nothing else.
func TestReads(t *testing.T) {
	parts := []string{
		"{fact: processor.cores, at_least: 2}",
		"{all: [{fact: device.form, equals: laptop}, {fact: processor.cores, at_least: 2}]}",
		"{any: [{fact: processor.cores, at_least: 2}, {fact: device.form, equals: laptop}]}",
		"{not: {fact: processor.cores, at_least: 9}}",
		"{any: [{fact: device.form, equals: laptop}, {not: {all: [{fact: device.form, equals: laptop}, {fact: " +
			"processor.cores, at_least: 2}]}}]}",
	}
	for _, src := range parts {
		if n := compile(t, src); !need.Reads(n, fact.ProcessorCores) || need.Reads(n, fact.TPMState) {
			t.Errorf("%s: cores %v, TPM %v", src, need.Reads(n, fact.ProcessorCores), need.Reads(n, fact.TPMState))
		}
	}
}

// A version begins with a digit.
func TestVersionsBeginWithADigit(t *testing.T) {
	for text, right := range map[string]bool{
		"":    false,
		"/1":  false,
		"0":   true,
		"9.1": true,
		":1":  false,
		"v1":  false,
		"1v":  true,
	} {
		t.Run(text, func(t *testing.T) {
			if v, why := need.Value(fact.OSVersion.Def(), text); v.Known() != right {
				t.Errorf("%q: %v %s", text, v, why)
			}
		})
	}
}

// Limits that contradict each other are refused in either order.
func TestContradictionsInEitherOrder(t *testing.T) {
	for _, text := range []string{
		"all: [{fact: processor.cores, at_least: 8}, {fact: processor.cores, at_most: 4}]",
		"all: [{fact: processor.cores, at_most: 4}, {fact: processor.cores, at_least: 8}]",
	} {
		var d need.Document
		if err := doc.Decode("x", []byte(text), &d); err != nil {
			t.Fatal(err)
		}
		r := &doc.Report{}
		if need.Compile(&d, nil, r); r.Err() == nil ||
			!strings.Contains(r.Err().Error(), "nothing meets both limits of processor.cores") {
			t.Errorf("%s: %v", text, r.Err())
		}
	}
}
