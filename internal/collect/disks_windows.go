package collect

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"
	"unsafe"

	"golang.org/x/sys/windows"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/health"
	win "rolltop.example/rolltop/core/decode/windows"
)

// Control codes. Those of the first group need no rights on the handle.
const (
	queryProperty  = 0x002D1400
	predictFailure = 0x002D1100
	driveGeometry  = 0x000700A0
	driveLayout    = 0x00070050
	volumeExtents  = 0x00560000
)

// maxDisks bounds the numbers that are tried; they have gaps.
const maxDisks = 64

func (r *reader) storage() {
	var found []string
	for n := range maxDisks {
		if r.disk(n) {
			found = append(found, strconv.Itoa(n))
		}
	}
	code := uint32(0)
	if len(found) == 0 {
		code = 2
	}
	r.add(win.Disks, []byte(strings.Join(found, "\n")), code)
	r.systemVolume()
}

// device opens a device without asking for rights to its contents.
func openDevice(path string, access uint32) (windows.Handle, uint32) {
	wide, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return 0, codeOf(err)
	}
	h, err := windows.CreateFile(wide, access, windows.FILE_SHARE_READ|windows.FILE_SHARE_WRITE, nil,
		windows.OPEN_EXISTING, 0, 0)
	return h, codeOf(err)
}

func control(h windows.Handle, code uint32, in []byte, size int) ([]byte, uint32) {
	out := make([]byte, size)
	n := uint32(0)
	err := windows.DeviceIoControl(h, code, unsafe.SliceData(in), uint32(len(in)), unsafe.SliceData(out),
		uint32(len(out)), &n, nil)
	return out[:min(int(n), len(out))], codeOf(err)
}

func (r *reader) disk(n int) bool {
	name := strconv.Itoa(n)
	h, code := openDevice(`\\.\PhysicalDrive`+name, 0)
	if code != 0 {
		if code != 2 {
			r.add(win.Disk(name, win.Descriptor), nil, code)
		}
		return code == 5
	}
	defer windows.CloseHandle(h)
	property := func(id uint32) []byte {
		return append(binary.LittleEndian.AppendUint32(nil, id), make([]byte, 8)...)
	}
	r.ask(win.Disk(name, win.Descriptor), func() ([]byte, uint32) {
		b, code := control(h, queryProperty, property(0), 1024)
		return win.WithoutSerial(b), code
	})
	r.ask(win.Disk(name, win.Seek), func() ([]byte, uint32) { return control(h, queryProperty, property(7), 12) })
	r.health(h, name)
	r.ask(win.Disk(name, win.Geometry), func() ([]byte, uint32) { return control(h, driveGeometry, nil, 256) })
	r.ask(win.Disk(name, win.Layout), func() ([]byte, uint32) {
		b, code := control(h, driveLayout, nil, 48+144*128)
		return win.WithoutNames(b), code
	})
	return true
}

// health asks a drive how it is: for the health log that NVMe drives have, and otherwise whether the system
// predicts a failure, of which the drive's own attributes are not kept.
func (r *reader) health(h windows.Handle, name string) {
	const protocolSpecific, nvme, logPage, healthLog, data = 50, 3, 2, 2, 40
	var query []byte
	for _, v := range []uint32{protocolSpecific, 0, nvme, logPage, healthLog, 0, data, health.NVMeLog, 0, 0, 0, 0} {
		query = binary.LittleEndian.AppendUint32(query, v)
	}
	rec := r.ask(win.Disk(name, win.HealthLog), func() ([]byte, uint32) {
		return control(h, queryProperty, query, 8+data+health.NVMeLog)
	})
	if rec.Outcome == capture.OK {
		return
	}
	r.ask(win.Disk(name, win.Predicted), func() ([]byte, uint32) {
		b, code := control(h, predictFailure, nil, 4+512)
		return b[:min(4, len(b))], code
	})
}

// systemVolume asks about the volume with the system: where it lies, how large
// it is, and its first sector as the disk holds it.
// systemDrive is the letter of the drive that the system is on, with its colon, and the code of an error.
func systemDrive() (string, uint32) {
	dir, err := windows.GetSystemWindowsDirectory()
	if err != nil || len(dir) < 2 {
		return "", max(codeOf(err), 1)
	}
	return dir[:2], 0
}

func (r *reader) systemVolume() {
	drive, code := systemDrive()
	r.add(win.Drive, []byte(drive), code)
	if code != 0 {
		return
	}
	root, err := windows.UTF16PtrFromString(drive + `\`)
	if err != nil {
		return
	}
	r.ask(win.Space, func() ([]byte, uint32) { return space(root) })
	r.ask(win.Filesystem, func() ([]byte, uint32) {
		var fs [64]uint16
		err := windows.GetVolumeInformation(root, nil, 0, nil, nil, nil, &fs[0], uint32(len(fs)))
		return []byte(windows.UTF16ToString(fs[:])), codeOf(err)
	})
	extents := r.ask(win.Extents, func() ([]byte, uint32) {
		h, code := openDevice(`\\.\`+drive, 0)
		if code != 0 {
			return nil, code
		}
		defer windows.CloseHandle(h)
		return control(h, volumeExtents, nil, 8+24*32)
	})
	if b := extents.Raw; len(b) >= 32 && binary.LittleEndian.Uint32(b) == 1 {
		disk, offset := binary.LittleEndian.Uint32(b[8:]), int64(binary.LittleEndian.Uint64(b[16:]))
		r.ask(win.VolumeHead, func() ([]byte, uint32) { return sector(disk, offset) })
		r.espOf(disk)
	}
}

func space(root *uint16) ([]byte, uint32) {
	var caller, size, free uint64
	err := windows.GetDiskFreeSpaceEx(root, &caller, &size, &free)
	b := binary.LittleEndian.AppendUint64(nil, caller)
	b = binary.LittleEndian.AppendUint64(b, size)
	return binary.LittleEndian.AppendUint64(b, free), codeOf(err)
}

// sector reads the first 512 bytes of a partition by way of its disk: by way of
// the volume they would come decrypted.
func sector(disk uint32, offset int64) ([]byte, uint32) {
	h, code := openDevice(fmt.Sprintf(`\\.\PhysicalDrive%d`, disk), windows.GENERIC_READ)
	if code != 0 {
		return nil, code
	}
	defer windows.CloseHandle(h)
	if _, err := windows.Seek(h, offset, 0); err != nil {
		return nil, codeOf(err)
	}
	b := make([]byte, 4096) // a whole sector, whatever its size
	n, err := windows.Read(h, b)
	if err != nil || n < 512 {
		return nil, max(codeOf(err), 13)
	}
	// What tells a file system's first sector, and nothing behind it.
	head := make([]byte, 512)
	copy(head[:11], b[:11])
	return head, 0
}

// espOf asks about the EFI system partition of the system's disk, by a path
// that needs no drive letter and gives it none.
func (r *reader) espOf(disk uint32) {
	number := win.ESPOf(r.c.Get(win.Disk(strconv.Itoa(int(disk)), win.Layout)).Raw)
	if number == 0 {
		return
	}
	root := fmt.Sprintf(`\\?\GLOBALROOT\Device\Harddisk%d\Partition%d\`, disk, number)
	wide, err := windows.UTF16PtrFromString(root)
	if err != nil {
		return
	}
	r.ask(win.ESPSpace, func() ([]byte, uint32) { return space(wide) })
	r.ask(win.ESPLoader, func() ([]byte, uint32) {
		file, err := windows.UTF16PtrFromString(root + `EFI\Microsoft\Boot\bootmgfw.efi`)
		if err != nil {
			return nil, codeOf(err)
		}
		_, err = windows.GetFileAttributes(file)
		return nil, codeOf(err)
	})
}
