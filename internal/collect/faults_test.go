//go:build linux

package collect_test

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/expect"
)

// Of another machine's tree only its own regular files are read: a pipe would wait, and a
// device or what a link out of the tree leads to would be this machine's.
func TestAnotherMachinesTree(t *testing.T) {
	outside := filepath.Join(t.TempDir(), "secret")
	must(t, os.WriteFile(outside, []byte("of this machine"), 0o600))
	tr := laptop()
	tr["/sys/class/power_supply/BAT0/type"] = "Battery\n"
	delete(tr, "/etc/os-release")
	delete(tr, "/sys/class/dmi/id/product_name")
	delete(tr, "/sys/class/dmi/id/board_name")
	delete(tr, "/proc/meminfo")
	tr["/usr/lib/other-release"] = "ID=lodestar\n"
	root := tr.write(t)
	in := func(path string) string { return filepath.Join(root, path) }
	must(t, syscall.Mkfifo(in("/sys/class/power_supply/BAT0/capacity"), 0o644))
	must(t, syscall.Mkfifo(in("/proc/meminfo"), 0o644))
	must(t, os.Symlink("/usr/lib/other-release", in("/etc/os-release"))) // begins at the tree's root
	must(t, os.Symlink(outside, in("/sys/class/dmi/id/product_name")))
	must(t, os.Symlink(strings.Repeat("../", 30)+strings.TrimPrefix(outside, "/"), in("/sys/class/dmi/id/board_name")))
	must(t, os.Symlink("loop", in("/sys/class/dmi/id/loop")))
	start := time.Now()
	c, err := collect.Capture(collect.Options{Root: root})
	must(t, err)
	for _, pipe := range []string{"/sys/class/power_supply/BAT0/capacity", "/proc/meminfo"} {
		if r := c.Get(pipe); r.Outcome != capture.Failed || !strings.Contains(r.Detail, "not a regular file") {
			t.Errorf("%s: %+v", pipe, r)
		}
	}
	if r := c.Get("/etc/os-release"); r.Outcome != capture.OK || string(r.Raw) != "ID=lodestar\n" {
		t.Errorf("a link within the tree: %+v", r)
	}
	for _, r := range c.Records {
		if strings.Contains(string(r.Raw), "of this machine") {
			t.Errorf("%s holds what is outside of the tree", r.Source)
		}
	}
	if took := time.Since(start); took > 30*time.Second {
		t.Errorf("it waited %s", took)
	}
}

// A file larger than anything a source has is cut, not swallowed whole.
func TestLargeFilesAreCapped(t *testing.T) {
	tr := laptop()
	tr["/sys/class/dmi/id/product_name"] = strings.Repeat("x", 1<<20)
	tr["/sys/firmware/dmi/tables/DMI"] = strings.Repeat("\x00", 4<<20)
	c, err := collect.Capture(collect.Options{Root: tr.write(t)})
	must(t, err)
	for source, most := range map[string]int{
		"/sys/class/dmi/id/product_name": 64 << 10,
		"/sys/firmware/dmi/tables/DMI":   1 << 20,
	} {
		t.Run(source, func(t *testing.T) {
			if n := len(c.Get(source).Raw); n != most {
				t.Errorf("%s: %d bytes are kept, %d are the most", source, n, most)
			}
		})
	}
}

func TestSoftwareAskedFor(t *testing.T) {
	tr := laptop()
	tr["/var/lib/dpkg/status"] = "Package: tidebook\nStatus: install ok installed\nVersion: 4.1\nMaintainer: " +
		"somebody\n\nPackage: personal-notes\nStatus: install ok installed\nVersion: 1\n"
	tr["/var/lib/flatpak/app/example.lampwright/"] = ""
	root := tr.write(t)
	for asked, want := range map[string]string{
		"":                   "",
		"tidebook":           "tidebook",
		"all":                "tidebook personal-notes example.lampwright",
		"example.lampwright": "example.lampwright",
		"none of these":      "",
	} {
		t.Run(asked, func(t *testing.T) {
			c, err := collect.Capture(collect.Options{Root: root, Software: asked})
			must(t, err)
			d, err := decode.Inventory(c)
			must(t, err)
			var got []string
			for _, s := range d.Software {
				got = append(got, s.Name)
			}
			if strings.Join(got, " ") != want {
				t.Errorf("%q: %q, want %q", asked, got, want)
			}
			if g := d.GapOf("software"); (g == nil) != (asked == "all") {
				t.Errorf("%q: %+v", asked, g)
			}
			for _, r := range c.Records {
				if asked != "all" {
					if strings.Contains(string(r.Raw), "personal-notes") ||
						strings.Contains(string(r.Raw), "somebody") {
						t.Errorf("%q: %s keeps what nobody asked for", asked, r.Source)
					}
				}
			}
		})
	}
}

// Packages in rpm's database, and in the older one, which is not read.
func TestRPM(t *testing.T) {
	db, err := os.ReadFile("../../core/decode/rpmdb/testdata/rpmdb.sqlite")
	must(t, err)
	tr := laptop()
	const path = "/usr/lib/sysimage/rpm/rpmdb.sqlite"
	older := laptop()
	older["/var/lib/rpm/rpmdb.sqlite"] = string(db)
	if d, err := collect.Machine(collect.Options{Root: older.write(t), Software: "all"}); err != nil ||
		len(d.Software) != 43 {
		t.Errorf("at its other place: %+v", d.Gaps)
	}
	tr[path] = string(db)
	root := tr.write(t)
	for asked, want := range map[string]int{"all": 43, "hawser": 1, "no such": 0} {
		t.Run(asked, func(t *testing.T) {
			d, err := collect.Machine(collect.Options{Root: root, Software: asked})
			must(t, err)
			expect.Same(t, "len(d.Software)", len(d.Software), want)
			if asked == "hawser" {
				expect.Same(t, "its version", d.Software[0].Version.Or(""), "1:2.8-1")
				expect.Same(t, "its architecture", d.Software[0].Architecture.Or(""), "noarch")
			}
		})
	}
	for _, tt := range []struct {
		path, content, cause,
		detail string
	}{
		{path, "junk, and not a database at all; " + strings.Repeat("x", 100), "read-failed", "no SQLite file"},
		{"/var/lib/rpm/Packages", "x", "not-offered", "database that the collector does not read"},
		{"/x", "", "not-offered", "no list of packages"},
	} {
		t.Run(tt.path, func(t *testing.T) {
			tr := laptop()
			tr[tt.path] = tt.content
			d, err := collect.Machine(collect.Options{Root: tr.write(t), Software: "all"})
			must(t, err)
			g := d.GapOf("software")
			expect.That(t, "g != nil", g != nil)
			expect.Same(t, "g.Cause", g.Cause, tt.cause)
			expect.That(t, "strings.Contains(g.Detail, tt.detail)", strings.Contains(g.Detail, tt.detail))
		})
	}
}

func TestDriversOfTheBus(t *testing.T) {
	tr := laptop()
	const pci = "/sys/bus/pci/devices/"
	for at, class := range map[string]string{
		"0000:00:1f.6": "0x020000",
		"0000:00:14.3": "0x028000",
		"0000:00:00.0": "0x060000",
	} {
		t.Run(at, func(t *testing.T) {
			tr[pci+at+"/class"], tr[pci+at+"/vendor"], tr[pci+at+"/device"] = class+"\n", "0x7e5a\n", "0x1041\n"
		})
	}
	tr[pci+"0000:00:1f.6/driver"] = "->../../../bus/pci/drivers/lantern_net"
	tr["/sys/module/lantern_net/version"] = "3.2.6\n"
	d := inspect(t, tr)
	var got []string
	for _, v := range d.Drivers {
		got = append(got, v.Device+", "+v.Provider.Or("-")+", "+v.Version.Or("-")+", "+v.Status.Or("-"))
	}
	want := []string{
		"network device at 0000:00:14.3, -, -, no driver", "network device at 0000:00:1f.6, lantern_net, 3.2.6, -",
	}
	if !slices.Equal(got, want) {
		t.Errorf("%q\nwant %q", got, want)
	}
}

func TestMoreVariants(t *testing.T) {
	gpt := sample.GPT(512, sample.NewPart(sample.ESP, "71de0000-0000-4000-8000-000000000001", 2048, 4095),
		sample.NewPart(sample.LinuxData, "71de0000-0000-4000-8000-000000000002", 4096, 500000000))
	esp := func(tr tree) {
		tr["/dev/nvme0n1"] = gpt
		tr["/proc/self/mountinfo"] += "30 21 259:1 / /boot/efi rw - vfat /dev/nvme0n1p1 rw\n"
		tr["/boot/efi/EFI/LODESTAR/loader.efi"] = "x"
		const vars, guid = "/sys/firmware/efi/efivars/", "-8be4df61-93ca-11d2-aa0d-00e098032b8c"
		tr[vars+"BootOrder"+guid] = sample.U32(7) + sample.U16(1)
		tr[vars+"BootCurrent"+guid] = sample.U32(6) + sample.U16(1)
		tr[vars+"Boot0001"+guid] = sample.BootEntry("Lodestar Linux", `\EFI\lodestar\loader.efi`,
			"71de0000-0000-4000-8000-000000000001")
	}
	tests := []struct {
		name   string
		change func(tree)
		want   map[string]string
	}{
		{"a loader on the EFI system partition", esp,
			map[string]string{
				"storage.boot.esp.loader":        "yes",
				"storage.system.partition_style": "gpt",
				"storage.boot.media":             "internal",
			}},
		{"another system's loader only", func(tr tree) {
			esp(tr)
			drop(tr, "/boot/efi/EFI/")
			tr["/boot/efi/EFI/skerry/start.efi"] = "x"
		}, map[string]string{"storage.boot.esp.loader": "no"}},
		{"an empty EFI system partition", func(tr tree) { esp(tr); drop(tr, "/boot/efi/EFI/"); tr["/boot/efi/"] = "" },
			map[string]string{"storage.boot.esp.loader": "no"}},
		{"it is on another disk", func(tr tree) {
			esp(tr)
			tr["/proc/self/mountinfo"] = strings.Replace(tr["/proc/self/mountinfo"], "259:1", "8:1", 1)
			tr["/sys/dev/block/8:1"] = "->../../devices/pci0000:00/ata2/sda/sda1"
			tr["/sys/class/block/sda1"], tr["/sys/block/sda"] = "->../../devices/pci0000:00/ata2/sda/sda1",
				"->../devices/pci0000:00/ata2/sda"
			tr["/sys/devices/pci0000:00/ata2/sda/size"] = "1000\n"
			tr["/dev/sda"] = gpt
			tr["/dev/nvme0n1"] = sample.MBR([3]uint32{0x83, 2048, 5000})
		}, map[string]string{
			"storage.boot.disk":              "sda",
			"storage.boot.partition_style":   "gpt",
			"storage.system.partition_style": "mbr",
			"storage.system.disk_bytes":      "256060514304",
			"storage.boot.esp.loader":        "yes",
		}},
		{"it is not mounted", func(tr tree) {
			esp(tr)
			tr["/proc/self/mountinfo"] = laptop()["/proc/self/mountinfo"]
		}, map[string]string{"storage.boot.esp.loader": "? not-offered"}},
		{"there is none", func(tr tree) {
			tr["/dev/nvme0n1"] = sample.GPT(512,
				sample.NewPart(sample.LinuxData, "71de0000-0000-4000-8000-000000000002", 4096, 5000))
		}, map[string]string{"storage.boot.esp.loader": "? not-offered"}},
		{"a damaged table", func(tr tree) {
			b := []byte(gpt)
			b[530]++
			tr["/dev/nvme0n1"] = string(b)
		}, map[string]string{"storage.system.partition_style": "? read-failed"}},
		{"it has joined a directory", func(tr tree) { tr["/etc/krb5.keytab"] = "secret" },
			map[string]string{"os.managed_by": "a directory"}},
		{"an edition", func(tr tree) { tr["/etc/os-release"] += "VARIANT_ID=counter\n" },
			map[string]string{"os.edition": "counter"}},
		{"a TPM in firmware", func(tr tree) { tr["/sys/firmware/acpi/tables/TPM2"] = sample.TPM2Table(2) },
			map[string]string{"tpm.kind": "firmware"}},
		{"a TPM in a guest", func(tr tree) {
			tr["/proc/cpuinfo"] = strings.Replace(tr["/proc/cpuinfo"], "flags\t: ", "flags\t: hypervisor ", 1)
		}, map[string]string{"tpm.kind": "virtual"}},
		{"a restart is due", func(tr tree) { tr["/run/reboot-required"] = "" },
			map[string]string{"os.pending_restart": "yes"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			tr := laptop()
			tt.change(tr)
			says(t, inspect(t, tr), tt.want)
		})
	}
}
