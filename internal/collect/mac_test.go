//go:build linux

package collect_test

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/expect"
)

// standIn writes tools that answer as the system's do: by path, arguments and
// output. A tool without an answer for its arguments fails.
func standIn(t *testing.T, answers map[string]map[string]string) string {
	t.Helper()
	root := t.TempDir()
	for path, byArgs := range answers {
		var script strings.Builder
		script.WriteString("#!/bin/sh\ncase \"$*\" in\n")
		for args, out := range byArgs {
			script.WriteString("'" + args + "')\n")
			if wait, ok := strings.CutPrefix(out, "sleep "); ok {
				script.WriteString("exec sleep " + wait + "\n")
			} else {
				script.WriteString("cat <<'END'\n" + out + "\nEND\n")
			}
			script.WriteString(";;\n")
		}
		script.WriteString("*) exit 3;;\nesac\n")
		must(t, os.MkdirAll(filepath.Dir(filepath.Join(root, path)), 0o755))
		must(t, os.WriteFile(filepath.Join(root, path), []byte(script.String()), 0o755))
	}
	return root
}

func plist(body string) string {
	return `<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE plist PUBLIC "x" "y"><plist version="1.0">` + body +
		`</plist>`
}

// kernel answers for the values of a Mac with a chip of its own.
func kernel(name string) ([]byte, error) {
	answers := map[string]string{
		"kern.hostname":            "holm-m01.tidewrack.example\x00",
		"kern.osproductversion":    "8.4\x00",
		"kern.osversion":           "8E201\x00",
		"hw.model":                 "Foldbook10,1\x00",
		"machdep.cpu.brand_string": "Tessaly Strand 2\x00",
		"hw.memsize":               "\x00\x00\x00\x00\x04\x00\x00\x00",
		"hw.physicalcpu_max":       "\x08\x00\x00\x00",
		"hw.logicalcpu_max":        "\x08\x00\x00\x00",
		"hw.packages":              "\x01\x00\x00\x00",
		"hw.optional.arm64":        "\x01\x00\x00\x00",
	}
	if a, ok := answers[name]; ok {
		return []byte(a), nil
	}
	return nil, syscall.ENOENT
}

func macAnswers() map[string]map[string]string {
	return map[string]map[string]string{
		"/usr/sbin/ioreg": {
			"-a -rd1 -c IOPlatformExpertDevice": plist(
				`<array><dict><key>IOPlatformSerialNumber</key><string>TWM7</string><key>IOPlatformUUID</key><string>71DE0000-0000-4000-8000-000000000007</string>
				<key>manufacturer</key><data>VGVzc2FseQA=</data><key>IORegistryEntryName</key><string>the name that somebody gave</string></dict></array>`),
			"-a -rn AppleSmartBattery": plist(
				`<array><dict><key>BatteryInstalled</key><true/><key>CurrentCapacity</key><integer>64</integer><key>MaxCapacity</key><integer>100</integer><key>ExternalConnected</key><false/></dict></array>`),
		},
		"/usr/sbin/system_profiler": {
			"-json SPHardwareDataType SPiBridgeDataType": `{"SPHardwareDataType":[{"machine_name":"Foldbook 13","chip_type":"Tessaly Strand 2","serial_number":"TWM7","activation_lock_status":"x"}],"SPiBridgeDataType":[{"ibridge_secure_boot":"Reduced Security"}]}`,
			"-json SPDisplaysDataType":                   `{"SPDisplaysDataType":[{"sppci_model":"Tessaly Strand 2","spdisplays_mtlgpufamilysupport":"spdisplays_metal3"}]}`,
		},
		"/usr/sbin/diskutil": {
			"info -plist /": plist(
				`<dict><key>APFSContainerSize</key><integer>494384795648</integer><key>APFSContainerFree</key><integer>51000000000</integer><key>APFSPhysicalStores</key><array><dict><key>APFSPhysicalStore</key><string>disk0s2</string></dict></array><key>VolumeName</key><string>somebody's disk</string></dict>`),
			"list -plist physical": plist(
				`<dict><key>WholeDisks</key><array><string>disk0</string></array><key>AllDisksAndPartitions</key><array><dict><key>DeviceIdentifier</key><string>disk0</string><key>Content</key><string>GUID_partition_scheme</string></dict></array></dict>`),
			"info -plist disk0": plist(
				`<dict><key>Size</key><integer>500277792768</integer><key>SolidState</key><true/><key>Internal</key><true/></dict>`),
		},
		"/usr/bin/fdesetup": {
			"status": "FileVault is On.", "list": "somebody,71DE0000-0000-4000-8000-000000000009",
			"haspersonalrecoverykey": "true", "hasinstitutionalrecoverykey": "false",
		},
	}
}

func readMac(t *testing.T, answers map[string]map[string]string, patience time.Duration) *capture.Document {
	t.Helper()
	c := &capture.Document{Format: capture.Format, TakenAt: time.Now().UTC()}
	m := collect.Mac{
		Root:       standIn(t, answers),
		Sysctl:     kernel,
		Interfaces: func() string { return "en0 running\n" },
		Patience:   patience,
	}
	m.Read(c, collect.Options{})
	return c
}

func TestMacByItsTools(t *testing.T) {
	c := readMac(t, macAnswers(), 20*time.Second)
	d, err := decode.Inventory(c)
	must(t, err)
	says(t, d, map[string]string{
		"device.name":                     "holm-m01",
		"device.serial":                   "TWM7",
		"device.uuid":                     "71de0000-0000-4000-8000-000000000007",
		"device.manufacturer":             "Tessaly",
		"device.model_id":                 "Foldbook10,1",
		"device.form":                     "laptop",
		"os.version":                      "8.4",
		"processor.cores":                 "8",
		"memory.installed_bytes":          "17179869184",
		"firmware.secure_boot":            "reduced",
		"storage.system.disk_bytes":       "500277792768",
		"storage.system.partition_style":  "gpt",
		"storage.system.free_bytes":       "51000000000",
		"storage.system.encryption.state": "on",
		"power.battery_percent":           "64",
		"os.managed_by":                   "? not-offered",
	})
	expect.Same(t, "what unlocks it", strings.Join(d.Storage.System.Encryption.Protectors, " "),
		"passphrase recovery-key")
	// Of what the tools say, only what is on the list is kept.
	for _, r := range c.Records {
		for _, personal := range []string{"somebody", "activation_lock"} {
			if strings.Contains(string(r.Raw), personal) {
				t.Errorf("%s keeps %s", r.Source, r.Raw)
			}
		}
	}
}

// A tool that hangs, one that fails, one that talks nonsense and one that is
// not there: each is a gap, and the rest is read.
func TestMacToolsThatFail(t *testing.T) {
	answers := macAnswers()
	answers["/usr/bin/fdesetup"]["status"] = "sleep 60"
	answers["/usr/sbin/diskutil"]["info -plist /"] = "<plist><dict><key>"
	delete(answers, "/usr/sbin/system_profiler")
	c := readMac(t, answers, 2*time.Second)
	d, err := decode.Inventory(c)
	must(t, err)
	says(t, d, map[string]string{
		"storage.system.encryption.state": "? read-failed",
		"storage.system.free_bytes":       "? read-failed",
		"firmware.secure_boot":            "? not-offered",
		"device.serial":                   "TWM7",
		"os.managed_by":                   "? not-offered",
	})
	if r := c.Get(macos.Vault.Source()); !strings.Contains(r.Detail, "no answer within 2s") {
		t.Errorf("%+v", r)
	}
}

// Some other error of the kernel is a failure, and not the same as a value that
// this Mac does not have.
func TestMacKernelErrors(t *testing.T) {
	c := &capture.Document{Format: capture.Format}
	m := collect.Mac{
		Root:       t.TempDir(),
		Sysctl:     func(string) ([]byte, error) { return nil, errors.New("broken") },
		Interfaces: func() string { return "" },
		Patience:   time.Second,
	}
	m.Read(c, collect.Options{})
	if r := c.Get(macos.Sysctl("hw.memsize")); r.Outcome != capture.Failed || r.Detail != "broken" {
		t.Errorf("%+v", r)
	}
}
