// Package spec is the specification of a machine that is only planned,
// rolltop-spec/1: a purchase, before anybody can read it. It becomes an
// inventory in which everything that it leaves out is a gap.
package spec

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
)

// Format is the value of the key “format”.
const Format = "rolltop-spec/1"

// Document is a specification as it is written.
type Document struct {
	Format    string                `json:"format" enum:"rolltop-spec/1"`
	Name      string                `json:"name" doc:"Name in the offer or the plan"`
	Class     string                `json:"class" enum:"pc,mac"`
	Maker     string                `json:"maker,omitempty"`
	Model     string                `json:"model,omitempty"`
	ModelID   string                `json:"model_id,omitempty" doc:"Model identifier of a Mac"`
	Form      string                `json:"form,omitempty" enum:"desktop,laptop,all-in-one,tablet,server,virtual,other"`
	Processor string                `json:"processor,omitempty" doc:"The name as the maker writes it"`
	Cores     doc.Scalar            `json:"cores,omitempty"`
	Speed     doc.Scalar            `json:"speed,omitempty" doc:"Rated speed: 2.5 GHz"`
	Memory    doc.Scalar            `json:"memory,omitempty" doc:"16 GiB"`
	Drive     doc.Scalar            `json:"drive,omitempty" doc:"Size of the drive as sold, such as 512 GB"`
	DriveKind string                `json:"drive_kind,omitempty" enum:"ssd,hdd,emmc,other"`
	TPM       doc.Scalar            `json:"tpm,omitempty" doc:"Version of the TPM that it is delivered with; it counts as ready"`
	Graphics  doc.Scalar            `json:"graphics_level,omitempty" doc:"Graphics interface level of its adapter"`
	Driver    doc.Scalar            `json:"driver_model,omitempty" doc:"Driver model that its graphics driver has"`
	Facts     map[string]doc.Scalar `json:"facts,omitempty" doc:"Any other fact, by its name"`

	Node *doc.Node `json:"-"`
}

const source = "the specification"

// Read reads a specification and makes an inventory of it, dated now. The error
// is [*doc.Mistakes].
func Read(name string, src []byte, now time.Time) (*inventory.Document, error) {
	s := new(Document)
	_, r, err := doc.Open(name, src, Format, s)
	if err != nil {
		return nil, err
	}
	if s.Class == "" { // nothing can be said of facts without it
		return nil, r.Err()
	}
	d := &inventory.Document{Format: inventory.Format, TakenAt: now.UTC().Truncate(time.Second)}
	d.Device.Name = inventory.Some(s.Name)
	d.Device.Class, d.Device.Environment = inventory.Some(s.Class), inventory.Some("planned")
	if s.Class == fact.Mac && s.ModelID == "" {
		d.AddGap(fact.DeviceModelID.String(), inventory.NotAsked, "the specification does not say",
			"Ask the seller for the model identifier.")
	}
	if s.DriveKind != "" || s.Drive != "" {
		disk := inventory.Disk{System: inventory.Some(true)}
		if s.DriveKind != "" {
			disk.Kind = inventory.Some(s.DriveKind)
		}
		d.Storage.Disks = []inventory.Disk{disk}
	}
	if s.Graphics != "" || s.Driver != "" {
		d.Graphics = []inventory.Adapter{{Name: inventory.Some("the planned adapter")}}
	}
	for _, v := range s.values() {
		if v.text == "" {
			continue
		}
		at := s.Node.Of(v.key)
		if v.key == "" {
			at = s.Node.Of("facts").Of(v.id)
		}
		next, wrong := manual.Enter(d, []manual.Fact{{Fact: v.id, Value: v.text}})
		if wrong != nil {
			r.Add(at, wrong[0].Error(), "")
			continue
		}
		d = next
		d.Said(v.id, source)
	}
	if err := r.Err(); err != nil {
		return nil, err
	}
	f := fact.Read(d)
	for _, def := range fact.All() {
		switch {
		case f.Value(def.ID).Known() || def.Derived || !def.Has(s.Class) || d.GapOf(def.Name) != nil:
		case ofInstallation(&def):
			d.AddGap(def.Name, inventory.NotAsked, "nothing is installed on it yet",
				"It is known after the release is installed.")
		default:
			d.AddGap(def.Name, inventory.NotAsked, "the specification does not say",
				fmt.Sprintf("Ask the seller: %s.", def.Label))
		}
	}
	return d, nil
}

type value struct{ key, id, text string }

// values are what the specification says, by the facts they are.
func (s *Document) values() []value {
	out := []value{
		{"maker", fact.DeviceManufacturer.String(), s.Maker}, {"model", fact.DeviceModel.String(), s.Model},
		{"model_id", fact.DeviceModelID.String(), s.ModelID},
		{"form", fact.DeviceForm.String(), s.Form}, {"processor", fact.ProcessorName.String(), s.Processor},
		{"cores", fact.ProcessorCores.String(), string(s.Cores)},
		{"speed", fact.ProcessorMHz.String(), string(s.Speed)},
		{"memory", fact.MemoryInstalled.String(), string(s.Memory)},
		{"drive", fact.DiskBytes.String(), string(s.Drive)}, {"tpm", fact.TPMVersion.String(), string(s.TPM)},
		{"graphics_level", "graphics[0].interface_level", string(s.Graphics)},
		{"driver_model", "graphics[0].driver_model", string(s.Driver)},
	}
	if s.TPM != "" {
		out = append(out, value{"tpm", fact.TPMState.String(), "ready"})
	}
	names := make([]string, 0, len(s.Facts))
	for name := range s.Facts {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		out = append(out, value{"", name, string(s.Facts[name])})
	}
	return out
}

// ofInstallation: the fact is one of the installed system and not of the
// machine.
func ofInstallation(def *fact.Def) bool {
	switch def.ID {
	case fact.VolumeBytes, fact.FreeBytes, fact.Filesystem, fact.DiskStyle, fact.BootStyle, fact.EncryptionState,
		fact.EncryptionKind, fact.EncryptionKeyKept, fact.OtherSystems, fact.ESPLoader, fact.BootDynamic:
		return true
	}
	return strings.HasPrefix(def.Name, "os.")
}
