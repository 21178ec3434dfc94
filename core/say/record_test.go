package say_test

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/expect"
)

// What is said of the inventories of drawn machines, whole and with gaps of every cause, is as recorded: a sum
// for each machine, with its first line. The other tests say what is right.
func TestInventoriesInWordsAreAsRecorded(t *testing.T) {
	r := rand.New(rand.NewPCG(30, 11))
	causes := []string{
		inventory.NeedsRights, inventory.NotOffered, inventory.ReadFailed, inventory.NotAsked, inventory.Disagree,
	}
	var out strings.Builder
	for n := range 400 {
		d := coretest.PC(r)
		if n%4 == 3 {
			d = coretest.Mac(r)
		}
		for range r.IntN(12) {
			def := fact.All()[r.IntN(len(fact.All()))]
			if def.Derived {
				continue
			}
			if err := manual.Put(d, &def, fact.Value{}); err == nil {
				d.AddGap(def.Name, causes[r.IntN(len(causes))], "a test", "")
			}
		}
		sum := fnv.New64a()
		lines := say.Overview(d)
		b, err := json.Marshal([]any{lines, say.Facts(d)})
		expect.NoError(t, err)
		sum.Write(b)
		fmt.Fprintf(&out, "%016x %s\n", sum.Sum64(), lines[0].Value)
	}
	expect.Record(t, "testdata/inventories.txt", out.String())
}

// The differences between documents with one thing changed are as recorded.
func TestDifferencesInWordsAreAsRecorded(t *testing.T) {
	text := string(coretest.Text(t, "skerry-12"))
	was := coretest.Release(t, "skerry-12")
	var out strings.Builder
	for _, change := range [][2]string{
		{"level: must", "level: should"}, {"consequence: installer-refuses", "consequence: unsupported"},
		{"at_least: 4 GiB", "at_least: 8 GiB"}, {"at_least: 16 GiB", "at_least: 12 GiB"}, {"is: buy", "is: remove"},
		{"asked_by: house", "asked_by: publisher"}, {"reason: ", "reason: Now "}, {"title: ", "title: The "},
		{"from: 8", "from: 9"}, {"built_in_tpm: true", "built_in_tpm: false"}, {"below: \"6.0\"", "below: \"7.0\""},
		{"equals: uefi", "one_of: [uefi, legacy]"}, {"at_least: \"2.0\"", "at_least: \"1.2\""},
		{"back_days: 10", "back_days: 20"}, {"way: in-place", "way: reinstall"}, {"complete: true", "complete: false"},
		{"how: different", "how: gone"}, {"2026", "2027"}, {"advised:", "when:"},
		{"at_least: 8 GiB", "at_least: 8 GiB}\n    advised: {fact: memory.installed_bytes, at_least: 32 GiB"},
		{"need: {fact: firmware.boot_mode", "advised: {fact: tpm.version, at_least: \"3\"}\n" +
			"    need: {fact: firmware.boot_mode"},
		{"os.pending_restart, equals: false", "device.form, equals: laptop"},
	} {
		for at, places := 0, 0; places < 6; places++ {
			i := strings.Index(text[at:], change[0])
			if i < 0 {
				break
			}
			changed := text[:at+i] + change[1] + text[at+i+len(change[0]):]
			at += i + 1
			is, err := release.Read("changed.yaml", []byte(changed), coretest.Beside)
			if err != nil {
				continue
			}
			fmt.Fprintf(&out, "%s → %s, place %d\n", change[0], change[1], places+1)
			for _, pair := range [][2]*release.Release{{was, is}, {is, was}} {
				for _, d := range say.Difference(pair[0], pair[1]) {
					fmt.Fprintf(&out, "  %+v\n", d)
				}
			}
		}
	}
	expect.Record(t, "testdata/differences.txt", out.String())
}

// Numbers at the edges where their form changes.
func TestNumbersInWords(t *testing.T) {
	for n, want := range map[int]string{
		0: "0", 12: "12", 9_999: "9999", 10_000: "10,000", 10_001: "10,001", 99_999: "99,999", 100_000: "100,000",
		1_000_000: "1,000,000", 12_345_678: "12,345,678",
	} {
		t.Run(want, func(t *testing.T) { expect.Same(t, "the number", say.Number(n), want) })
	}
	for n, want := range map[int]string{0: "no machines", 1: "one machine", 2: "two machines", 12: "twelve machines",
		13: "13 machines", 12_000: "12,000 machines"} {
		t.Run(want, func(t *testing.T) { expect.Same(t, "the count", say.Count(n, "machine", "machines"), want) })
	}
}
