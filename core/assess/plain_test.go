package assess_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// A plain, slow evaluator of requirements. It is written from the design and not from
// the code: it reads the inventory as the JSON that it is, by the names of its keys, and
// shares nothing with what it is compared with.

// -1 false, 0 unknown, 1 true.
type plainTruth int

// machine is an inventory as plain JSON.
type plainMachine struct {
	doc  map[string]any
	gaps map[string]bool // facts and lists with a row of their own
	list map[string]bool // names on the release's list of processors
	all  bool            // that list is complete
}

func plainOf(t testing.TB, d *doc) *plainMachine {
	t.Helper()
	b, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	m := &plainMachine{gaps: map[string]bool{}}
	if err := json.Unmarshal(b, &m.doc); err != nil {
		t.Fatal(err)
	}
	for _, g := range d.Gaps {
		m.gaps[g.Fact] = true
	}
	return m
}

// raw finds a key of the document.
func (m *plainMachine) raw(name string) any {
	var at any = m.doc
	for _, key := range strings.Split(name, ".") {
		in, ok := at.(map[string]any)
		if !ok {
			return nil
		}
		at = in[key]
	}
	return at
}

// systemDisk is the first drive that is marked as the system's.
func (m *plainMachine) systemDisk(key string) any {
	disks, _ := m.raw("storage.disks").([]any)
	for _, d := range disks {
		if disk := d.(map[string]any); disk["system"] == true {
			return disk[key]
		}
	}
	return nil
}

// value is a fact as the design says it is to be taken.
func (m *plainMachine) value(name string) any {
	switch name {
	case "storage.system.kind":
		return m.systemDisk("kind")
	case "storage.system.health":
		return m.systemDisk("health")
	case "tpm.state":
		if v := m.raw(name); v != "announced" { // there, and its state is not known
			return v
		}
		return nil
	case "firmware.secure_boot_capable":
		// Hidden is not absent: legacy support may hide it.
		if v := m.raw(name); v != false || m.raw("firmware.legacy_support") == false {
			return v
		}
		return nil
	case "memory.installed_bytes":
		installed, visible := m.raw(name), m.raw("memory.visible_bytes")
		if installed != nil && visible != nil {
			if installed.(float64) < visible.(float64) {
				return nil // two sources that differ: see leaf
			}
		}
		return installed
	}
	return m.raw(name)
}

// least is a bound: installed memory is not below the visible one.
func (m *plainMachine) least(name string) any {
	if name == "memory.installed_bytes" && m.raw(name) == nil {
		return m.raw("memory.visible_bytes")
	}
	return nil
}

// rule is a need: its text for the document, and its truth on a machine.
type rule interface {
	yaml() string
	on(m *plainMachine) plainTruth
}

type atLeast struct {
	fact  string
	limit float64
	text  string
}

func (r atLeast) yaml() string { return fmt.Sprintf("{fact: %s, at_least: %s}", r.fact, r.text) }

func (r atLeast) on(m *plainMachine) plainTruth {
	v := m.value(r.fact)
	if v == nil {
		if low := m.least(r.fact); low != nil && low.(float64) >= r.limit {
			return 1
		}
		a, b := m.raw(r.fact), m.raw("memory.visible_bytes")
		if r.fact == "memory.installed_bytes" {
			if a != nil && b != nil {
				// Both readings agree on the answer, or it is unknown.
				if one, two := a.(float64) >= r.limit, b.(float64) >= r.limit; one == two {
					return truthOf(one)
				}
			}
		}
		return 0
	}
	if r.fact == "storage.system.disk_bytes" { // what a drive is sold as
		whole, flash := r.limit*0.995, r.limit*0.95
		switch kind := m.value("storage.system.kind"); kind {
		case "ssd", "hdd", "virtual":
			return truthOf(v.(float64) >= whole)
		case "emmc":
			return truthOf(v.(float64) >= flash)
		}
		switch {
		case v.(float64) >= whole:
			return 1
		case v.(float64) < flash:
			return -1
		}
		return 0
	}
	return truthOf(v.(float64) >= r.limit)
}

type oneOf struct {
	fact   string
	values []string
	none   bool
}

func (r oneOf) yaml() string {
	key := "one_of"
	if r.none {
		key = "none_of"
	}
	quoted := make([]string, len(r.values))
	for i, v := range r.values {
		quoted[i] = strconv.Quote(v)
	}
	return fmt.Sprintf("{fact: %s, %s: [%s]}", r.fact, key, strings.Join(quoted, ", "))
}

func (r oneOf) on(m *plainMachine) plainTruth {
	v := m.value(r.fact)
	if v == nil {
		return 0
	}
	in := slices.Contains(r.values, fmt.Sprint(v))
	return truthOf(in != r.none)
}

type isTrue struct{ fact string }

func (r isTrue) yaml() string { return fmt.Sprintf("{fact: %s, equals: true}", r.fact) }

func (r isTrue) on(m *plainMachine) plainTruth {
	v := m.value(r.fact)
	if v == nil {
		return 0
	}
	return truthOf(v == true)
}

type has struct {
	all   bool
	items []string
}

func (r has) yaml() string {
	key := map[bool]string{true: "has_all", false: "has_any"}[r.all]
	return fmt.Sprintf("{fact: processor.features, %s: [%s]}", key, strings.Join(r.items, ", "))
}

func (r has) on(m *plainMachine) plainTruth {
	v, ok := m.raw("processor.features").([]any)
	if !ok {
		return 0
	}
	n := 0
	for _, i := range r.items {
		if slices.Contains(v, any(i)) {
			n++
		}
	}
	return truthOf(n == len(r.items) || !r.all && n > 0)
}

type onList struct{}

func (onList) yaml() string { return "{fact: processor.name, on_list: p}" }

func (onList) on(m *plainMachine) plainTruth {
	name, ok := m.raw("processor.name").(string)
	switch {
	case !ok:
		return 0
	case m.list[name]:
		return 1
	}
	// The naming rule reads Corvane K5- and four digits, and takes generation 8.
	rest, ok := strings.CutPrefix(name, "Corvane K5-")
	rest = strings.TrimSuffix(rest, "U")
	numbered := len(rest) == 4 && strings.Trim(rest, "0123456789") == ""
	if !ok || !numbered {
		return 0 // nobody guesses
	}
	switch {
	case rest[0] >= '8':
		return 1
	case m.all:
		return -1
	}
	return 0
}

// someAdapter looks at every graphics adapter.
type someAdapter struct{ key, limit string }

func (r someAdapter) yaml() string {
	return fmt.Sprintf("{in: graphics, some: {fact: graphics.%s, at_least: %q}}", r.key, r.limit)
}

func (r someAdapter) on(m *plainMachine) plainTruth {
	rows, there := m.raw("graphics").([]any)
	t := plainTruth(0)
	if there && !m.gaps["graphics"] {
		t = -1
	}
	for _, row := range rows {
		v, ok := row.(map[string]any)[r.key].(string)
		one := plainTruth(0)
		if ok {
			have, _ := strconv.ParseFloat(v, 64)
			want, _ := strconv.ParseFloat(r.limit, 64)
			one = truthOf(have >= want)
		}
		t = max(t, one)
	}
	return t
}

type combined struct {
	how   string // all, any, not
	parts []rule
}

func (r combined) yaml() string {
	if r.how == "not" {
		return "{not: " + r.parts[0].yaml() + "}"
	}
	texts := make([]string, len(r.parts))
	for i, p := range r.parts {
		texts[i] = p.yaml()
	}
	return "{" + r.how + ": [" + strings.Join(texts, ", ") + "]}"
}

func (r combined) on(m *plainMachine) plainTruth {
	switch r.how {
	case "not":
		return -r.parts[0].on(m)
	case "all":
		t := plainTruth(1)
		for _, p := range r.parts {
			t = min(t, p.on(m))
		}
		return t
	}
	t := plainTruth(-1)
	for _, p := range r.parts {
		t = max(t, p.on(m))
	}
	return t
}

func truthOf(b bool) plainTruth {
	if b {
		return 1
	}
	return -1
}

// draw is a random rule, of a few levels.
func draw(r *rand.Rand, depth int) rule {
	if depth > 0 && r.IntN(3) == 0 {
		how := []string{"all", "any", "any", "not"}[r.IntN(4)]
		parts := []rule{draw(r, depth-1)}
		for how != "not" && len(parts) < 2+r.IntN(2) {
			parts = append(parts, draw(r, depth-1))
		}
		return combined{how, parts}
	}
	gib, gb := func(n int) (float64, string) { return float64(n) * (1 << 30), fmt.Sprintf("%d GiB", n) },
		func(n int) (float64, string) { return float64(n) * 1e9, fmt.Sprintf("%d GB", n) }
	amount := func(fact string, n float64, text string) rule { return atLeast{fact, n, text} }
	switch r.IntN(16) {
	case 0:
		n, text := gib([]int{4, 6, 8, 16}[r.IntN(4)])
		return amount("memory.installed_bytes", n, text)
	case 1:
		n, text := gb([]int{64, 100, 256}[r.IntN(3)])
		return amount("storage.system.disk_bytes", n, text)
	case 2:
		n, text := gb([]int{9, 30}[r.IntN(2)])
		return amount("storage.system.free_bytes", n, text)
	case 3:
		n := []int{2, 3, 6, 8}[r.IntN(4)]
		return amount("processor.cores", float64(n), strconv.Itoa(n))
	case 4:
		return amount("processor.rated_mhz", 1400, "1.4 GHz")
	case 5:
		return oneOf{"processor.architecture", []string{"x86-64", "arm64"}, false}
	case 6:
		return oneOf{"os.architecture", []string{"x86-64"}, false}
	case 7:
		return oneOf{"firmware.boot_mode", []string{"uefi"}, false}
	case 8:
		return oneOf{"firmware.secure_boot", []string{"on"}, false}
	case 9:
		return isTrue{"firmware.secure_boot_capable"}
	case 10:
		return oneOf{"tpm.state", []string{"ready"}, false}
	case 11:
		return oneOf{"storage.system.kind", []string{"hdd"}, true}
	case 12:
		return oneOf{"storage.system.partition_style", []string{"gpt"}, false}
	case 13:
		return has{r.IntN(2) == 0, [][]string{{"sse4.2"}, {"avx2", "sve"}, {"sse4.2", "avx2"}}[r.IntN(3)]}
	case 14:
		return someAdapter{
			[]string{"driver_model", "interface_level"}[r.IntN(2)], []string{"2.0", "3.0", "12.0"}[r.IntN(3)],
		}
	}
	return onList{}
}
