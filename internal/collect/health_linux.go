package collect

import (
	"errors"
	"os"
	"runtime"
	"strings"
	"unsafe"

	"golang.org/x/sys/unix"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/health"
	"rolltop.example/rolltop/core/decode/linux"
)

// health asks a drive how it is, by the means of its bus. Drives behind USB are not asked: many bridges do not
// understand the question, and some stop working.
func (r *reader) health(name, link string) {
	if r.root != "" {
		return
	}
	source, ask := "", func(int) ([]byte, error) { return nil, nil }
	switch vendor, _ := r.text("/sys/block/" + name + "/device/vendor"); {
	case strings.Contains(link, "/usb"):
		return
	case strings.Contains(link, "/nvme/"):
		source, ask = linux.HealthNVMe, nvmeLog
	case !strings.HasPrefix(name, "sd"):
		return
	case vendor == "ATA":
		source, ask = linux.HealthATA, ataStatus
	default:
		source, ask = linux.HealthSCSI, scsiExceptions
	}
	path := "/dev/" + name
	raw, err := within(func() ([]byte, error) {
		fd, err := unix.Open(path, unix.O_RDONLY|unix.O_CLOEXEC|unix.O_NONBLOCK, 0)
		if err != nil {
			return nil, &os.PathError{Op: "open", Path: path, Err: err}
		}
		defer unix.Close(fd)
		return ask(fd)
	})
	r.c.Add(r.outcome(capture.Record{Source: source + name, Raw: raw}, path, err))
}

// text is a small file of the kernel, without the blanks around it.
func (r *reader) text(path string) (string, error) {
	rec := r.fetch(path, path, smallFile)
	return strings.TrimSpace(string(rec.Raw)), nil
}

// nvmeCommand is the kernel's nvme_admin_cmd.
type nvmeCommand struct {
	opcode, flags      uint8
	_                  uint16
	namespace          uint32
	_, _               uint32
	metadata, data     uint64
	metadataSize, size uint32
	dwords             [6]uint32
	timeout, result    uint32
}

// Numbers of the kernel's interfaces.
const (
	nvmeAdmin = 0xC0484E41
	sgIO      = 0x2285
	// how long a drive may take, in milliseconds
	healthTimeout = 2000
)

// nvmeLog asks for the health log (NVM Express Base Specification 2.0, section 5.16).
func nvmeLog(fd int) ([]byte, error) {
	b := make([]byte, health.NVMeLog)
	c := nvmeCommand{
		opcode:    0x02, // get a log page
		namespace: 0xFFFFFFFF,
		data:      uint64(uintptr(unsafe.Pointer(unsafe.SliceData(b)))),
		size:      uint32(len(b)),
		dwords:    [6]uint32{uint32(len(b)/4-1)<<16 | 0x02},
		timeout:   healthTimeout,
	}
	status, err := ioctl(fd, nvmeAdmin, unsafe.Pointer(&c))
	runtime.KeepAlive(b)
	if err == nil && status != 0 {
		err = errors.New("the drive refuses to give its health log")
	}
	return b, err
}

// sgRequest is the kernel's sg_io_hdr.
type sgRequest struct {
	kind, direction      int32
	commandSize, senseAt uint8
	_                    uint16
	size                 uint32
	data, command, sense unsafe.Pointer
	timeout, flags       uint32
	_                    int32
	_                    unsafe.Pointer
	status, masked, _, n uint8
	host, driver         uint16
	left                 int32
	duration, info       uint32
}

const (
	sgNoData   = -1
	sgFromDisk = -3
)

// ataStatus asks an ATA drive whether it expects to fail, and for its registers with the answer (SAT-4, section
// 12.2.2.3; ACS-4, section 7.48.8). Nothing is read from the disk, and nothing is switched on.
func ataStatus(fd int) ([]byte, error) {
	command := []byte{
		0x85, 3 << 1, 0x20, // through: no data; the registers come back
		0, 0xDA, 0, 0, 0, 0, 0, 0x4F, 0, 0xC2, 0, 0xB0, 0,
	}
	_, sense, err := scsi(fd, command, nil)
	return sense, err
}

// scsiExceptions asks a SCSI drive for its page of informational exceptions (SPC-5, section 6.8).
func scsiExceptions(fd int) ([]byte, error) {
	b := make([]byte, 252)
	got, _, err := scsi(fd, []byte{0x4D, 0, 1<<6 | 0x2F, 0, 0, 0, 0, 0, byte(len(b)), 0}, b)
	if err == nil && len(got) == 0 {
		err = errors.New("the drive does not give the page that says whether it expects to fail")
	}
	return got, err
}

// scsi gives a drive a command that only reads.
func scsi(fd int, command, into []byte) (data, sense []byte, err error) {
	sense = make([]byte, 32)
	q := sgRequest{
		kind:        'S',
		direction:   sgNoData,
		commandSize: uint8(len(command)),
		senseAt:     uint8(len(sense)),
		size:        uint32(len(into)),
		data:        unsafe.Pointer(unsafe.SliceData(into)),
		command:     unsafe.Pointer(unsafe.SliceData(command)),
		sense:       unsafe.Pointer(unsafe.SliceData(sense)),
		timeout:     healthTimeout,
	}
	if len(into) > 0 {
		q.direction = sgFromDisk
	}
	_, err = ioctl(fd, sgIO, unsafe.Pointer(&q))
	if err != nil {
		return nil, nil, err
	}
	if q.status != 0 && len(into) > 0 || q.host != 0 {
		return nil, sense[:q.n], nil
	}
	return into[:max(0, len(into)-int(q.left))], sense[:min(int(q.n), len(sense))], nil
}

func ioctl(fd int, request uintptr, to unsafe.Pointer) (uintptr, error) {
	r, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(fd), request, uintptr(to))
	if errno != 0 {
		return r, errno
	}
	return r, nil
}
