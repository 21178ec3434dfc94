package windows

import (
	"encoding/binary"
	"errors"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// errNoHealth: the drive was not asked, or did not answer.
var errNoHealth = errors.New("it says nothing")

// healthOf is what a disk says of itself, and the record that says it.
func (x *decoder) healthOf(n string) (*health.Report, capture.Record, error) {
	if rec := x.C.Get(Disk(n, HealthLog)); rec.Outcome == capture.OK {
		log, err := protocolData(rec.Raw)
		if err != nil {
			return nil, rec, err
		}
		r, err := health.NVMe(log)
		return &r, rec, err
	}
	rec := x.C.Get(Disk(n, Predicted))
	if rec.Outcome == capture.OK {
		r, err := health.Predicted(rec.Raw)
		return &r, rec, err
	}
	return nil, rec, errNoHealth
}

// protocolData is what a drive sent, behind what the system says of it: version and size, then the kind of what
// was asked, whose fifth and sixth numbers say where the data are, counted from that kind, and how many.
func protocolData(b []byte) ([]byte, error) {
	const head, least = 8, 8 + 40
	if len(b) < least {
		return nil, errors.New("the answer of the drive is too short")
	}
	at, size := binary.LittleEndian.Uint32(b[head+16:]), binary.LittleEndian.Uint32(b[head+20:])
	begin := uint64(at) + head
	if at < least-head || begin+uint64(size) > uint64(len(b)) {
		return nil, errors.New("the answer of the drive says that it is longer than it is")
	}
	return b[begin : begin+uint64(size)], nil
}

// systemHealth says why the health of the disks with the system is not known, where one of them says nothing.
func (x *decoder) systemHealth() {
	for i := range x.D.Storage.Disks {
		d := &x.D.Storage.Disks[i]
		n, err := strconv.Atoi(strings.TrimPrefix(d.Name.Or(""), "disk "))
		name := strconv.Itoa(n)
		if err != nil || !slices.Contains(x.systemDisks, name) || !d.Health.IsZero() {
			continue
		}
		_, rec, err := x.healthOf(name)
		x.NoHealth(rec, err)
		return
	}
	if len(x.systemDisks) == 0 {
		x.Gap(fact.DiskHealth, inventory.NotOffered, "nothing leads from the system to a drive of this machine", "")
	}
}
