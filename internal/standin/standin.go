// Package standin is the made-up organisation of the demo and of the tests:
// Tidewrack Ferries with its piers, machines and release documents. The fleet
// is the same at every start; only the times of its inventories move with the
// clock, so that they are not old.
package standin

import (
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

//go:embed organisation.yaml releases knowledge
var files embed.FS

// Organisation is organisation.yaml.
type Organisation struct {
	Name       string      `json:"name"`
	Sites      []Site      `json:"sites"`
	Models     []model     `json:"models"`
	Processors []processor `json:"processors"`
	Older      []processor `json:"older"`
	Macs       []mac       `json:"macs"`
	Conditions []condition `json:"conditions"`
	Besides    []besides   `json:"besides"`
}

// Site is a pier; the names of its machines begin with the prefix.
type Site struct {
	Prefix string `json:"prefix"`
	Name   string `json:"name"`
	PCs    int    `json:"pcs"`
	Macs   int    `json:"macs"`
}

type model struct {
	Maker      string   `json:"maker"`
	Name       string   `json:"name"`
	Form       string   `json:"form"`
	Board      string   `json:"board"`
	Slots      int      `json:"slots"`
	Processors []string `json:"processors"`
}

type processor struct {
	Name    string `json:"name"`
	Cores   int    `json:"cores"`
	Threads int    `json:"threads"`
	MHz     int    `json:"mhz"`
}

type mac struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Form   string `json:"form"`
	Chip   string `json:"chip"`
	Cores  int    `json:"cores"`
	Listed bool   `json:"listed"`
}

type condition struct {
	Name string `json:"name"`
	PCs  int    `json:"pcs"`
	Macs int    `json:"macs"`
}

// besides is a condition that named machines have on top of the one that is drawn.
type besides struct {
	Name     string   `json:"name"`
	Machines []string `json:"machines"`
}

// releaseFiles are the demo's release documents, revisions in their order.
var releaseFiles = []string{"skerry-12-revision-4.yaml", "skerry-12.yaml", "skerry-13.yaml", "fathom-9.yaml"}

// Release is a release document of the demo, together with the files it names.
type Release struct {
	File string
	Text []byte
}

// AllReleases returns the demo's release documents, earlier revisions first.
func AllReleases() []Release {
	var out []Release
	for _, name := range releaseFiles {
		src, err := files.ReadFile("releases/" + name)
		if err != nil {
			panic(err) // it is embedded
		}
		packed, err := release.Pack(name, src,
			func(file string) ([]byte, error) { return files.ReadFile("releases/" + file) })
		if err != nil {
			panic(err)
		}
		out = append(out, Release{name, packed})
	}
	return out
}

// Releases returns the latest revisions of the demo's targets by file name.
func Releases() map[string][]byte {
	out := map[string][]byte{}
	for _, r := range AllReleases() {
		if r.File == "skerry-12.yaml" || r.File == "fathom-9.yaml" {
			out[r.File] = r.Text
		}
	}
	return out
}

// ReleaseFiles are the release documents and the files beside them, as they
// stand in a directory.
func ReleaseFiles() fs.FS {
	dir, err := fs.Sub(files, "releases")
	if err != nil {
		panic(err) // it is embedded
	}
	return dir
}

// SkerryWith is the PCs' target with texts of its document replaced, old and
// new in turn: for trying what a changed document does.
func SkerryWith(pairs ...string) []byte {
	b, err := release.Unpack("skerry-12.yaml", Releases()["skerry-12.yaml"])
	if err != nil {
		panic(err)
	}
	b.Document = doc.Body(strings.NewReplacer(pairs...).Replace(string(b.Document)))
	out, err := json.Marshal(b)
	if err != nil {
		panic(err)
	}
	return out
}

// Load reads the organisation.
func Load() (*Organisation, error) {
	src, err := files.ReadFile("organisation.yaml")
	if err != nil {
		return nil, err
	}
	o := new(Organisation)
	return o, doc.Decode("organisation.yaml", src, o)
}

// seed makes the fleet the same at every start.
const seed = 0x71DE

// maker builds one machine.
type maker struct {
	*rand.Rand
	org *Organisation
	d   *inventory.Document
	mod model
}

func some[T any](v T) inventory.Opt[T] { return inventory.Some(v) }

// Fleet returns the inventories of all machines, by name.
func (o *Organisation) Fleet(now time.Time) ([]*inventory.Document, error) {
	m := &maker{Rand: rand.New(rand.NewPCG(seed, seed)), org: o}
	var pcs, macs []string
	for _, c := range o.Conditions {
		pcs = append(pcs, slices.Repeat([]string{c.Name}, c.PCs)...)
		macs = append(macs, slices.Repeat([]string{c.Name}, c.Macs)...)
	}
	m.Shuffle(len(pcs), func(i, j int) { pcs[i], pcs[j] = pcs[j], pcs[i] })
	m.Shuffle(len(macs), func(i, j int) { macs[i], macs[j] = macs[j], macs[i] })
	var out []*inventory.Document
	for _, p := range o.Sites {
		for i := range p.PCs + p.Macs {
			name, queue, start := fmt.Sprintf("%s-%03d", p.Prefix, i+1), &pcs, m.pc
			if i >= p.PCs {
				name, queue, start = fmt.Sprintf("%s-M%02d", p.Prefix, i-p.PCs+1), &macs, m.macintosh
			}
			if len(*queue) == 0 {
				return nil, fmt.Errorf("standin: the sites have more machines than the conditions")
			}
			what := (*queue)[0]
			*queue = (*queue)[1:]
			change, ok := conditions[what]
			if !ok {
				return nil, fmt.Errorf("standin: there is no condition %q", what)
			}
			start(name, now)
			change(m)
			for _, b := range o.Besides {
				if slices.Contains(b.Machines, name) {
					conditions[b.Name](m)
				}
			}
			m.finish()
			out = append(out, m.d)
		}
	}
	return out, nil
}

func (m *maker) pick(n ...int64) int64 { return n[m.IntN(len(n))] }

const (
	gib = 1 << 30
	gb  = 1_000_000_000
)

func (m *maker) base(name string, now time.Time, platform string) *inventory.Document {
	d := &inventory.Document{
		Format:  inventory.Format,
		TakenAt: now.Add(-time.Duration(m.IntN(70*60)) * time.Minute).UTC().Truncate(time.Second),
		Collector: inventory.Collector{
			Version:    "demo",
			Platform:   platform,
			Elevated:   some(true),
			DurationMS: some(int64(20 + m.IntN(400))),
		},
	}
	d.Device.Name = some(name)
	d.Device.Serial = some(fmt.Sprintf("TW%07d", 1000000+m.IntN(9000000)))
	d.Device.UUID = some(fmt.Sprintf("%08x-%04x-4%03x-a%03x-%012x", m.Uint32(), m.IntN(1<<16), m.IntN(1<<12),
		m.IntN(1<<12), m.Int64N(1<<48)))
	d.Device.Environment = some("hardware")
	d.OS.Platform = some(platform)
	d.OS.Architecture = some("x86-64")
	d.OS.PendingRestart = some(m.IntN(12) == 0)
	d.Network.Connected = some(true)
	d.Storage.OtherSystems = []string{}
	m.d = d
	return d
}

// fromModel takes over what the model says of the machine.
func (m *maker) fromModel() {
	dev := &m.d.Device
	dev.Manufacturer, dev.Model, dev.Form = some(m.mod.Maker), some(m.mod.Name), some(m.mod.Form)
	dev.Board.Manufacturer, dev.Board.Model = some(m.mod.Maker), some(m.mod.Board)
}

// pc starts a PC that meets every must of Skerry 12.
func (m *maker) pc(name string, now time.Time) {
	d := m.base(name, now, "windows")
	m.mod = m.org.Models[m.IntN(len(m.org.Models))]
	m.fromModel()
	d.OS.Name, d.OS.Edition, d.OS.Version, d.OS.Build = some("Skerry 11"), some("Office"), some("11.2"),
		some(fmt.Sprintf("11.2.%d", 4100+m.IntN(30)))
	if strings.HasPrefix(name, "NSLIP") {
		d.OS.ManagedBy = some("Tidewrack update service")
	}
	var listed []string
	for _, p := range m.mod.Processors {
		if p != "K5-8500T" && p != "Onyx 5 2600" { // their rows say: no TPM built in
			listed = append(listed, p)
		}
	}
	m.processor(find(m.org.Processors, listed[m.IntN(len(listed))]))
	m.memory(m.pick(8, 8, 16, 16, 16, 32)*gib, 8*gib)
	m.drive(m.pick(256060514304, 256060514304, 512110190592, 128035676160), "ssd", 60+int64(m.IntN(120)))
	d.Storage.System.PartitionStyle, d.Storage.Boot.PartitionStyle = some("gpt"), some("gpt")
	d.Storage.Boot.ESP.Loader = some(true)
	d.Storage.System.Encryption.State = some("off")
	fw := &d.Firmware
	fw.Vendor, fw.Version, fw.Date = some("Plover Firmware"), some(fmt.Sprintf("1.%02d", 2+m.IntN(40))),
		some(fmt.Sprintf("20%d-%02d-%02d", 19+m.IntN(6), 1+m.IntN(12), 1+m.IntN(28)))
	fw.BootMode, fw.UEFICapable, fw.UEFIBits = some("uefi"), some(true), some(int64(64))
	fw.SecureBoot, fw.SecureBootCapable = some("on"), some(true)
	d.TPM = inventory.TPM{
		State:        some("ready"),
		Version:      some("2.0"),
		Kind:         some("firmware"),
		Manufacturer: some("CORV"),
		Firmware:     some("7.2.1"),
	}
	d.Security.VBS = some([]string{"running", "off", "configured"}[m.IntN(3)])
	d.Graphics = []inventory.Adapter{{
		Name:           some("Built-in graphics"),
		DriverModel:    some("2.7"),
		InterfaceLevel: some("12.0"),
		DriverVersion:  some("30.0.1.4"),
	}}
	d.Displays = []inventory.Display{{
		Internal:       some(m.mod.Form == "laptop"),
		WidthPx:        some(int64(1920)),
		HeightPx:       some(int64(1080)),
		DiagonalInches: some(14.0),
	}}
	d.Software = []inventory.Software{
		{Name: "Tidebook", Version: some("4.1")}, {Name: "Hawser VPN", Version: some("2.8")},
	}
	d.Collector.Titles = []string{"Counterfoil", "Hawser", "Hawser VPN", "Lampwright", "Tidebook"}
	d.AddGap("software", inventory.NotAsked, "only the titles asked for were read", "")
}

func find(list []processor, name string) processor {
	return list[slices.IndexFunc(list, func(p processor) bool { return p.Name == name })]
}

func (m *maker) processor(p processor) {
	maker, name := "Corvane", p.Name
	if strings.HasPrefix(name, "Onyx") {
		maker = "Tessaly"
	}
	m.d.Processor = inventory.Processor{
		Vendor:       some(maker),
		Name:         some(maker + " " + name),
		Architecture: some("x86-64"),
		Packages:     some(int64(1)),
		Cores:        some(int64(p.Cores)),
		Threads:      some(int64(p.Threads)),
		RatedMHz:     some(int64(p.MHz)),
		Features: []string{
			"sse2", "sse3", "ssse3", "sse4.1", "sse4.2", "cmpxchg16b", "popcnt", "aes", "avx", "avx2", "nx",
		},
	}
}

// memory fits modules of one size. A model without slots has it soldered.
func (m *maker) memory(total, each int64) {
	mem := &m.d.Memory
	*mem = inventory.Memory{Installed: some(total), Visible: some(total - 300<<20 - int64(m.IntN(200))<<20)}
	if m.mod.Slots == 0 {
		mem.Slots, mem.SlotsUsed, mem.Max = some(int64(0)), some(int64(0)), some(total)
		mem.Modules = []inventory.Module{{Bytes: some(total), Type: some("LPDDR4"), Soldered: some(true)}}
		return
	}
	for total/each > int64(m.mod.Slots) {
		each *= 2
	}
	each = min(each, total)
	used := total / each
	mem.Slots, mem.SlotsUsed, mem.Max = some(int64(m.mod.Slots)), some(used), some(int64(m.mod.Slots)*32*gib)
	form := map[string]string{"desktop": "DIMM"}[m.mod.Form]
	if form == "" {
		form = "SODIMM"
	}
	for i := range m.mod.Slots {
		mod := inventory.Module{Slot: some(fmt.Sprintf("Slot %c", 'A'+i)), Bytes: some(int64(0)), Soldered: some(false)}
		if int64(i) < used {
			mod = inventory.Module{
				Slot:     mod.Slot,
				Bytes:    some(each),
				Type:     some("DDR4"),
				Form:     some(form),
				SpeedMTS: some(int64(2666)),
				Soldered: some(false),
			}
		}
		mem.Modules = append(mem.Modules, mod)
	}
}

// drive sets the system drive and its volume, with some GB free.
func (m *maker) drive(bytes int64, kind string, freeGB int64) {
	d := &m.d.Storage
	volume := bytes - 700_000_000
	free := min(freeGB*gb+int64(m.IntN(gb)), volume*2/3)
	d.Disks = []inventory.Disk{{
		Name:      some("disk 0"),
		Kind:      some(kind),
		Bytes:     some(bytes),
		System:    some(true),
		Removable: some(false),
		Health:    some("good"),
		Bus:       some(map[string]string{"ssd": "nvme", "hdd": "ata", "emmc": "mmc"}[kind]),
	}}
	d.System.DiskBytes, d.System.VolumeBytes, d.System.FreeBytes = some(bytes), some(volume), some(free)
	d.System.Filesystem = some("native")
	d.Boot.Disk, d.Boot.Media, d.Boot.Dynamic = some("disk 0"), some("internal"), some(false)
}

// macintosh starts a Mac that meets every must of Fathom 9.
func (m *maker) macintosh(name string, now time.Time) {
	d := m.base(name, now, "macos")
	var listed []mac
	for _, x := range m.org.Macs {
		if x.Listed {
			listed = append(listed, x)
		}
	}
	m.macModel(listed[m.IntN(len(listed))])
	d.OS.Name, d.OS.Version, d.OS.Build = some("Fathom 8"), some("8.4"), some("8E201")
	m.mod = model{}
	m.memory(m.pick(8, 16, 16)*gib, 8*gib)
	m.drive(m.pick(251000193024, 500277792768), "ssd", 50+int64(m.IntN(150)))
	d.Storage.System.PartitionStyle, d.Storage.Boot.PartitionStyle = some("gpt"), some("gpt")
	d.Storage.System.Encryption.State = some([]string{"on", "off"}[m.IntN(2)])
	d.Firmware = inventory.Firmware{Version: some("8401.61"), SecureBoot: some("full"), SecureBootCapable: some(true)}
}

func (m *maker) macModel(x mac) {
	d := m.d
	d.Device.ModelID, d.Device.Model, d.Device.Form = some(x.ID), some(x.Name), some(x.Form)
	arch, vendor := "arm64", "Tessaly"
	if strings.HasPrefix(x.Chip, "Corvane") {
		arch, vendor = "x86-64", "Corvane"
	}
	d.Processor = inventory.Processor{
		Vendor:       some(vendor),
		Name:         some(x.Chip),
		Architecture: some(arch),
		Packages:     some(int64(1)),
		Cores:        some(int64(x.Cores)),
		Threads:      some(int64(x.Cores)),
	}
	d.OS.Architecture = some(arch)
}
