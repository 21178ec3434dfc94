package health_test

import (
	"encoding/binary"
	"fmt"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/decode/health"
)

// nvme is a health log: 310 kelvin, 7 % used.
func nvme(change func(b []byte)) []byte {
	b := make([]byte, health.NVMeLog)
	binary.LittleEndian.PutUint16(b[1:], 310)
	b[3], b[4], b[5] = 100, 10, 7
	if change != nil {
		change(b)
	}
	return b
}

// descriptor is sense data in the later form, with a descriptor of something else in front.
func descriptor(mid, high byte) []byte {
	b := make([]byte, 8+4+14)
	b[0], b[7] = 0x72, 18
	b[8], b[9] = 0x00, 2
	b[12], b[13] = 0x09, 12
	b[12+9], b[12+11] = mid, high
	return b
}

func TestHealth(t *testing.T) {
	for _, c := range []struct {
		name, want string
		read       func([]byte) (health.Report, error)
		b          []byte
	}{
		{"NVMe, good", "good wear 7", health.NVMe, nvme(nil)},
		{"NVMe, hot", "good wear 7", health.NVMe, nvme(func(b []byte) { b[0] = 2 })},
		{"NVMe, worn out", "good wear 255", health.NVMe, nvme(func(b []byte) { b[5] = 255 })},
		{"NVMe, spare blocks", "its spare blocks are nearly used up wear 7", health.NVMe,
			nvme(func(b []byte) { b[0] = 1 })},
		{"NVMe, errors", "it reports many errors wear 7", health.NVMe, nvme(func(b []byte) { b[0] = 5 })},
		{"NVMe, read only", "it only lets itself be read wear 7", health.NVMe,
			nvme(func(b []byte) { b[0] = 0x0F })},
		{"NVMe, an empty log", "empty", health.NVMe, make([]byte, 512)},
		{"NVMe, cut", "512 are needed", health.NVMe, nvme(nil)[:511]},
		{"ATA, good", "good wear -1", health.ATA, descriptor(0x4F, 0xC2)},
		{"ATA, failing", "a value of it is beyond the limit of its maker wear -1", health.ATA,
			descriptor(0xF4, 0x2C)},
		{"ATA, in the older form", "a value of it is beyond the limit of its maker wear -1", health.ATA,
			[]byte{0x70, 0, 1, 0, 0x50, 0, 0, 10, 0, 0, 0xF4, 0x2C, 0, 0, 0, 0, 0, 0}},
		{"ATA, registers of something else", "mean nothing", health.ATA, descriptor(0, 0)},
		{"ATA, a descriptor that says it is longer", "does not carry", health.ATA,
			func() []byte { b := descriptor(0x4F, 0xC2); b[7] = 6; return b }()},
		{"ATA, cut", "does not carry", health.ATA, descriptor(0x4F, 0xC2)[:20]},
		{"ATA, nothing", "does not carry", health.ATA, nil},
		{"SCSI, good", "good wear -1", health.SCSI, []byte{0x2F, 0, 0, 8, 0, 0, 3, 4, 0, 0, 30, 60}},
		{"SCSI, failing", "it expects to fail wear -1", health.SCSI,
			[]byte{0x2F, 0, 0, 8, 0, 0, 3, 4, 0x5D, 0x10, 30, 60}},
		{"SCSI, another page", "not the page", health.SCSI, []byte{0x0D, 0, 0, 8, 0, 0, 3, 4, 0x5D, 0, 0, 0}},
		{"SCSI, a false length", "says that it has", health.SCSI, []byte{0x2F, 0, 0xFF, 0xFF, 0, 0, 3, 4, 0x5D, 0}},
		{"SCSI, another parameter first", "general parameter", health.SCSI, []byte{0x2F, 0, 0, 6, 0, 1, 3, 2, 0x5D, 0}},
		{"Windows, good", "good wear -1", health.Predicted, make([]byte, 516)},
		{"Windows, failing", "it predicts its failure wear -1", health.Predicted, []byte{1, 0, 0, 0}},
		{"Windows, cut", "too short", health.Predicted, []byte{1}},
	} {
		t.Run(c.name, func(t *testing.T) {
			r, err := c.read(c.b)
			got := fmt.Sprint(err)
			if err == nil {
				got = fmt.Sprintf("%s wear %d", r.Why, r.WearPercent)
				if !r.Bad {
					got = "good" + got
				}
				if got != c.want {
					t.Errorf("%s; want %s", got, c.want)
				}
				return
			}
			if !strings.Contains(got, c.want) {
				t.Errorf("%s; want %s", got, c.want)
			}
		})
	}
}

func FuzzHealth(f *testing.F) {
	f.Add(nvme(nil))
	f.Add(descriptor(0xF4, 0x2C))
	f.Add([]byte{0x2F, 0, 0, 8, 0, 0, 3, 4, 0x5D, 0x10, 30, 60})
	f.Fuzz(func(t *testing.T, b []byte) {
		for _, read := range []func([]byte) (health.Report, error){health.NVMe, health.ATA, health.SCSI,
			health.Predicted} {
			if r, err := read(b); err == nil && r.Bad == (r.Why == "") {
				t.Errorf("%+v", r)
			}
		}
	})
}
