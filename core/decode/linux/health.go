package linux

import (
	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// healths are the ways in which drives say how they are.
var healths = []struct {
	source string
	read   func([]byte) (health.Report, error)
}{{HealthNVMe, health.NVMe}, {HealthATA, health.ATA}, {HealthSCSI, health.SCSI}}

// health takes over what a drive says of itself.
func (x *decoder) health(name string, d *inventory.Disk) {
	for _, h := range healths {
		if rec := x.C.Get(h.source + name); rec.Outcome == capture.OK {
			if r, err := h.read(rec.Raw); err == nil {
				x.Healthy(d, &r)
			}
		}
	}
}

// systemHealth says why the health of the drives with the system is not known, where one of them says nothing.
func (x *decoder) systemHealth(disks []string) {
	for i := range x.D.Storage.Disks {
		d := &x.D.Storage.Disks[i]
		if !contains(disks, d.Name.Or("")) || !d.Health.IsZero() {
			continue
		}
		rec, err := capture.Record{Outcome: capture.NotExposed}, error(nil)
		for _, h := range healths {
			if got := x.C.Get(h.source + d.Name.Or("")); got.Outcome != capture.NotExposed {
				rec = got
				_, err = h.read(got.Raw)
			}
		}
		x.NoHealth(rec, err)
		return
	}
	if len(disks) == 0 {
		x.Gap(fact.DiskHealth, inventory.NotOffered, "nothing leads from the system to a drive of this machine", "")
	}
}
