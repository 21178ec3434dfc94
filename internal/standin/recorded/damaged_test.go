package recorded_test

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"slices"
	"strconv"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// Ends and bytes of a reading that are tried: all of a short one, some of a long one.
const (
	ends   = 20
	places = 24
)

// edges are numbers at which decoders decide otherwise, and their neighbours: a reading that is a number is tried with
// each of them.
var edges = []int64{
	-1, 0, 1, 2, 3, 4, 7, 8, 9, 99, 100, 101, 128, 129, 999, 1000, 1001, 1023, 1024, 1025, 65535, 65536, 99_999,
	100_000, 100_001, 999_999, 1_000_000, 1_000_001, 1<<20 - 1, 1 << 20, 1<<20 + 1, 100_000_000, 1<<31 - 1, 1 << 31,
	1<<50 - 1, 1 << 50, 1<<50 + 1, 1 << 60, 1<<60 + 1,
}

// damaged are a reading as it may come from a machine that lies, fails or ends early: cut at its
// ends, with single bytes changed, and with every other outcome.
func damaged(r capture.Record) []capture.Record {
	var out []capture.Record
	for _, outcome := range []string{capture.Absent, capture.Denied, capture.NotExposed, capture.Failed} {
		out = append(out, capture.Record{Source: r.Source, Outcome: outcome, Errno: 5})
	}
	raw := func(b []byte) {
		c := r
		c.Raw = b
		out = append(out, c)
	}
	for _, n := range edges {
		switch _, err := strconv.ParseInt(strings.TrimSpace(string(r.Raw)), 10, 64); {
		case err == nil:
			raw([]byte(strconv.FormatInt(n, 10) + "\n"))
		case len(r.Raw) == 4:
			raw(binary.LittleEndian.AppendUint32(nil, uint32(n)))
		case len(r.Raw) == 8:
			raw(binary.LittleEndian.AppendUint64(nil, uint64(n)))
		}
	}
	n := len(r.Raw)
	for at := 0; at < n; at += max(1, n/ends) {
		raw(r.Raw[:at])
	}
	for at := 0; at < n; at += max(1, n/places) {
		for _, change := range []func(byte) byte{
			func(byte) byte { return 0 },
			func(byte) byte { return 0xFF },
			func(b byte) byte { return b + 1 },
			func(b byte) byte { return b ^ 0x40 },
		} {
			b := slices.Clone(r.Raw)
			b[at] = change(b[at])
			raw(b)
		}
	}
	return out
}

// What is read of thousands of damaged readings is what the record says: a sum for each source of each
// machine. A change of a decoder that changes one of them shows here, wanted or not; with -update the
// record is written anew.
func TestDamagedReadingsAreAsRecorded(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes a while")
	}
	var lines []string
	seen, decoded := map[string]bool{}, 0
	for _, name := range recorded.Names() {
		c, err := recorded.Read(name)
		expect.NoError(t, err)
		for i, r := range c.Records {
			if key := r.Source + "\n" + string(r.Raw); seen[key] {
				continue
			} else {
				seen[key] = true
			}
			sum := fnv.New32a()
			for _, d := range damaged(r) {
				c.Records[i] = d
				inv, err := decode.Inventory(c)
				expect.NoError(t, err)
				b, err := json.Marshal(inv)
				expect.NoError(t, err)
				sum.Write(b)
				decoded++
			}
			c.Records[i] = r
			lines = append(
				lines,
				fmt.Sprintf("%s %s: %08x", name, strings.Join(strings.Fields(r.Source), " "), sum.Sum32()),
			)
		}
	}
	expect.That(t, fmt.Sprintf("%d damaged readings are many", decoded), decoded > 20_000)
	expect.Record(t, "testdata/damaged.txt", strings.Join(lines, "\n")+"\n")
}

// What is hidden of damaged readings is as recorded, too: a sum for each source of each machine.
func TestHiddenDamagedReadingsAreAsRecorded(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes a while")
	}
	var lines []string
	seen := map[string]bool{}
	for _, name := range recorded.Names() {
		c, err := recorded.Read(name)
		expect.NoError(t, err)
		for i, r := range c.Records {
			key := r.Source + "\n" + string(r.Raw)
			if seen[key] || len(r.Raw) == 0 {
				continue
			}
			seen[key] = true
			sum, hidden := fnv.New32a(), 0
			for k, d := range damaged(r) {
				if k%3 > 0 && len(r.Raw) < 100 {
					continue
				}
				c.Records[i] = d
				out := redact.Capture(c, []byte("a key for the tests")).Records[i]
				fmt.Fprintf(sum, "%s %s %x\n", out.Outcome, out.Detail, out.Raw)
				if string(out.Raw) != string(d.Raw) {
					hidden++
				}
			}
			c.Records[i] = r
			lines = append(lines, fmt.Sprintf("%s %s: %d changed, %08x", name,
				strings.Join(strings.Fields(r.Source), " "), hidden, sum.Sum32()))
		}
	}
	expect.Record(t, "testdata/hidden.txt", strings.Join(lines, "\n")+"\n")
}
