package rpmdb_test

import (
	"bytes"
	"fmt"
	"hash/fnv"
	"os"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/rpmdb"
	"rolltop.example/rolltop/internal/expect"
)

// testdata/rpmdb.sqlite was written by SQLite itself: pages of 1024 bytes, 43
// packages of which one is longer than a page, and a row of rubbish.
func database(t testing.TB) []byte {
	t.Helper()
	b, err := os.ReadFile("testdata/rpmdb.sqlite")
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func packages(b []byte) ([]rpmdb.Package, error) {
	var out []rpmdb.Package
	err := rpmdb.Each(bytes.NewReader(b), func(p rpmdb.Package) { out = append(out, p) })
	return out, err
}

func TestEach(t *testing.T) {
	list, err := packages(database(t))
	if err != nil || len(list) != 43 {
		t.Fatalf("%d packages, %v", len(list), err)
	}
	for i, want := range []rpmdb.Package{
		{"tidebook", "4.1-2", "x86_64"}, {"hawser", "1:2.8-1", "noarch"}, {"lampwright", "3-7", "x86_64"},
		{"part0", "1.0-1", "noarch"},
	} {
		if list[i] != want {
			t.Errorf("%+v, want %+v", list[i], want)
		}
	}
}

func TestBroken(t *testing.T) {
	whole := database(t)
	change := func(at int, to ...byte) []byte {
		b := bytes.Clone(whole)
		copy(b[at:], to)
		return b
	}
	for name, tt := range map[string]struct {
		in   []byte
		want string
	}{
		"nothing": {nil, "EOF"}, "another file": {bytes.Repeat([]byte("x"), 4096), "no SQLite file"},
		"a page size that is none":      {change(16, 3, 1), "broken"},
		"a first page that is no table": {change(100, 7), "broken"}, "cut": {whole[:3000], "page"},
		"no table of packages": {bytes.ReplaceAll(whole, []byte("Packages"), []byte("Pickages")),
			"no table of packages"},
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := packages(tt.in); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("%s: %v", name, err)
			}
		})
	}
}

func FuzzEach(f *testing.F) {
	small, err := os.ReadFile("testdata/small.sqlite") // a large seed takes the engine a minute to make smaller
	if err != nil {
		f.Fatal(err)
	}
	f.Add(small, uint16(0), byte('S'))
	f.Add(small, uint16(105), byte(4))
	f.Fuzz(func(t *testing.T, b []byte, at uint16, to byte) {
		b = bytes.Clone(b)
		if len(b) > 0 {
			b[int(at)%len(b)] = to
		}
		list, _ := packages(b)
		for _, p := range list {
			if p.Name == "" {
				t.Error("a package without a name")
			}
		}
	})
}

// What is read of damaged databases is as recorded: every byte of the first pages changed, and cut at many ends.
func TestDamagedDatabasesAreAsRecorded(t *testing.T) {
	whole := database(t)
	var out strings.Builder
	try := func(what string, b []byte) {
		h := fnv.New32a()
		list, err := packages(b)
		fmt.Fprintf(h, "%+v %v", list, err)
		fmt.Fprintf(&out, "%s: %d %08x\n", what, len(list), h.Sum32())
	}
	try("whole", whole)
	for at := 0; at < len(whole); at += max(1, at/50) {
		if whole[at] == 0 && at > 600 {
			continue
		}
		for _, is := range []byte{0, 1, whole[at] + 1, whole[at] - 1, whole[at] ^ 0x80, 0xFF} {
			b := bytes.Clone(whole)
			b[at] = is
			try(fmt.Sprintf("byte %d is %d", at, is), b)
		}
		try(fmt.Sprint("cut at ", at), whole[:at])
	}
	expect.Record(t, "testdata/damaged.txt", out.String())
}
