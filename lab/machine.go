package main

import (
	"fmt"
	"os"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

// Machine is a file in lab/machines: how a virtual machine is put together, and
// what the collector must read of it.
type Machine struct {
	About     string   `json:"about"`
	Apart     bool     `json:"apart,omitempty" doc:"Not among the machines of --part, which is what every change is tried with"`
	Kind      string   `json:"kind,omitempty" enum:"generic,i686,arm64" doc:"Of kernel and processor; without it, a kernel for virtual machines on x86-64"`
	Firmware  string   `json:"firmware" enum:"uefi,uefi-secure,uefi-off,uefi-32,legacy" doc:"uefi-secure has keys and starts only a signed kernel; uefi-off has the keys, and secure boot is off"`
	TPM       string   `json:"tpm" enum:"none,crb,tis,tis12"`
	Processor string   `json:"processor,omitempty"`
	Topology  string   `json:"topology,omitempty"`
	MiB       int      `json:"mib,omitempty" minimum:"768" maximum:"8192"`
	Memory    []Module `json:"memory,omitempty" doc:"Modules that the firmware tables name instead of the real ones"`
	Slots     int      `json:"slots,omitempty" minimum:"0" maximum:"64"`
	MaxMiB    int      `json:"max_mib,omitempty" minimum:"1" maximum:"1048576" doc:"What the firmware tables name as the most memory; 65536 without it"`
	Drives    []Drive  `json:"drives,omitempty" doc:"The first one with a root is what the system runs from"`
	System    string   `json:"system,omitempty" enum:"debian" doc:"What is on the drive with the root; without it, the lab's own few programs"`
	Layer     string   `json:"layer,omitempty" enum:"mirror,stripe,raid10,luks,lvm,luks-on-lvm,btrfs,xfs,bcache,live" doc:"What is between the system and the last partitions of all drives with a root"`
	User      string   `json:"user,omitempty" enum:"nobody" doc:"Without it the collector runs as root"`
	Arguments []string `json:"arguments,omitempty"`

	Certified bool   `json:"certified,omitempty" doc:"Its TPM has a certificate of its maker, and that of who issued it"`
	Container bool   `json:"container,omitempty" doc:"The collector runs in a container of the machine"`
	Lies      string `json:"lies,omitempty" enum:"on,off" doc:"What the system reports of secure boot, whatever it is"`

	Attests *Attests          `json:"attests,omitempty" doc:"It reports to a service, and proves what its TPM attests"`
	Expect  map[string]string `json:"expect" doc:"Fact to value; “? cause” for a gap; “known” for any value; “has …” and “lacks …” for sets"`
	Listed  []string          `json:"listed,omitempty" doc:"A drive each: name bus kind bytes style; of a name, [ab] is either"`
	Members []string          `json:"members,omitempty" doc:"A disk each below the system volume: name bytes role"`
	Ready   string            `json:"disposition,omitempty" doc:"What a check against lab/release.yaml says"`
	Same    string            `json:"same_as,omitempty" doc:"Another machine whose identity this one has"`
}

// Module is a memory device of the firmware tables.
type Module struct {
	Slot  string `json:"slot"`
	MiB   int    `json:"mib"`
	Type  int    `json:"type"`
	Chips bool   `json:"chips,omitempty" doc:"Its form is a row of chips: it is soldered"`
	Raw   int    `json:"raw_size,omitempty" minimum:"0" maximum:"65535" doc:"The size field as it is, for what MiB cannot say"`
}

// Drive is a drive of the machine.
type Drive struct {
	Bus    string `json:"bus" enum:"nvme,virtio,scsi,sata,usb,sd"`
	Bytes  int64  `json:"bytes" minimum:"1048576" maximum:"17179869184"`
	Sector int    `json:"sector,omitempty" minimum:"512" maximum:"4096"`
	Table  string `json:"table,omitempty" enum:"gpt,mbr,hybrid,damaged" doc:"None without it"`
	Root   bool   `json:"root,omitempty" doc:"The system is on its last partition"`
	Solid  bool   `json:"solid,omitempty" doc:"Of SATA: it says that nothing in it turns"`
	Fails  bool   `json:"fails,omitempty" doc:"Of NVMe: its health log says that its spare blocks are nearly used up"`
}

func readMachine(path string) (*Machine, error) {
	src, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	m := new(Machine)
	return m, doc.Decode(path, src, m)
}

// tables are the firmware structures for memory, as raw bytes. Each goes into a
// file of its own: only then do they stand instead of all that the emulator
// makes of their type.
func (m *Machine) tables() []string {
	if len(m.Memory) == 0 {
		return nil
	}
	most := 64 << 10
	if m.MaxMiB > 0 {
		most = m.MaxMiB
	}
	out := []string{sample.Structure(16, 0x1000, 23,
		map[int]string{4: "\x03\x03", 7: sample.U32(uint32(most) << 10), 0x0D: sample.U16(uint16(m.Slots))})}
	for i, x := range m.Memory {
		size, ext := uint16(x.MiB), uint32(0)
		if x.MiB >= 0x7FFF {
			size, ext = 0x7FFF, uint32(x.MiB)
		}
		if x.Raw > 0 {
			size = uint16(x.Raw)
		}
		form := "\x09"
		if x.Chips {
			form = "\x0B"
		}
		out = append(out, sample.Structure(17, uint16(0x1100+i), 40,
			map[int]string{
				4:    sample.U16(0x1000),
				0x0C: sample.U16(size),
				0x0E: form,
				0x10: "\x01",
				0x12: string([]byte{byte(x.Type)}),
				0x1C: sample.U32(ext),
			}, x.Slot))
	}
	return out
}

// result is what came of one machine.
type result struct {
	compared, right, gaps int
	wrong                 []string
	beside                []string        // facts that were read and that the machine's file does not name
	table                 map[string]byte // facts that were compared: right, gap, Wrong
	inventory             *inventory.Document
	proven                *proven
	took                  time.Duration
}

func (r *result) fact(what, want, got, source string, good bool) {
	r.compared++
	if good {
		r.right++
		return
	}
	r.wrong = append(r.wrong, fmt.Sprintf("%s: expected %s, read %s (%s)", what, want, got, source))
}

// compare holds what was read against what was configured.
func compare(m *Machine, d *inventory.Document) *result {
	r := &result{inventory: d, gaps: len(d.Gaps), table: map[string]byte{}}
	f := fact.Read(d)
	known := 0
	for _, name := range fact.Names() {
		if reading := f.Get(fact.ByName(name).ID); m.Expect[name] == "" && reading.Value.Known() {
			r.beside = append(r.beside, name+"="+reading.Plain())
		}
		if want, asked := m.Expect[name]; asked {
			known++
			reading := f.Get(fact.ByName(name).ID)
			got := reading.Plain()
			good := matches(want, got, reading.Value.Set())
			r.fact(name, want, got, reading.Source, good)
			switch {
			case !good:
				r.table[name] = 'W'
			case reading.Value.Known():
				r.table[name] = 'r'
			default:
				r.table[name] = 'g'
			}
		}
	}
	if known != len(m.Expect) {
		r.fact("the file", "facts that exist", fmt.Sprintf("%d of %d", known, len(m.Expect)), "catalogue", false)
	}
	var listed []string
	for _, k := range d.Storage.Disks {
		listed = append(listed, fmt.Sprintf("%s %s %s %d %s", k.Name.Or("?"), k.Bus.Or("?"), k.Kind.Or("?"),
			k.Bytes.Or(0), k.PartitionStyle.Or("?")))
	}
	r.list("drive", m.Listed, listed)
	var members []string
	for _, k := range d.Storage.System.Members {
		members = append(members, fmt.Sprintf("%s %d %s", k.Disk.Or("?"), k.Bytes.Or(0), k.Role.Or("?")))
	}
	r.list("member", m.Members, members)
	return r
}

func matches(want, got string, set []string) bool {
	has := func(items string, wanted bool) bool {
		for _, item := range strings.Fields(items) {
			if fact.Items(set).Has(item) != wanted {
				return false
			}
		}
		return len(set) > 0
	}
	if items, ok := strings.CutPrefix(want, "has "); ok {
		return has(items, true)
	}
	if items, ok := strings.CutPrefix(want, "lacks "); ok {
		return has(items, false)
	}
	return want == got || want == "known" && !strings.HasPrefix(got, "?")
}

// judge checks a machine against the lab's release, where its file says what
// comes of that, and that it is the same machine as another.
func judge(m *Machine, r *result, others map[string]*result) error {
	if m.Ready != "" {
		src, err := os.ReadFile("lab/release.yaml")
		if err != nil {
			return err
		}
		rel, err := release.Read("lab/release.yaml", src, nil)
		if err != nil {
			return err
		}
		a, err := assess.Run(rel, r.inventory)
		if err != nil {
			return err
		}
		c := a.Document(time.Now(), "lab")
		r.fact("disposition", m.Ready, c.Disposition, c.Answer, c.Disposition == m.Ready)
	}
	judgeProof(m, r, others)
	if m.Same != "" {
		other := others[m.Same]
		if other == nil {
			return nil // it was not among those asked for
		}
		a, b := r.inventory.Device, other.inventory.Device
		same := a.UUID == b.UUID && a.Serial == b.Serial && !a.UUID.IsZero()
		r.fact("identity", fmt.Sprint(b.UUID.Or("?"), " ", b.Serial.Or("?")),
			fmt.Sprint(a.UUID.Or("?"), " ", a.Serial.Or("?")), "as "+m.Same, same)
	}
	return nil
}
