package collect

import (
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/cpu"
	reg "rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/titles"
	win "rolltop.example/rolltop/core/decode/windows"
)

// reader fills a capture by calls of the system. An entry point that this
// version of the system does not have is a record too.
type reader struct {
	c *capture.Document
	o Options
}

func read(c *capture.Document, o Options) error {
	if o.Root != "" {
		return errors.New("--root reads the tree of a Linux machine, and only on Linux")
	}
	c.Platform = "windows"
	c.Elevated = elevated()
	r := &reader{c: c, o: o}
	start := time.Now()
	slow := []later{
		begin(win.Volume, protection),
		begin(win.Updates, pendingUpdates),
		begin(win.BIOSSettings, firmwareSettings),
	}
	r.system()
	r.processor()
	r.memory()
	r.firmware()
	r.tpm()
	r.storage()
	r.devices()
	r.screens()
	r.power()
	r.management()
	r.software()
	r.finish(start, slow...)
	return nil
}

func elevated() bool { return windows.GetCurrentProcessToken().IsElevated() }

// other: a program for x86 runs on an ARM machine, and is told of a processor
// that is not there.
func other(c *capture.Document) string {
	if b := c.Get(win.Native).Raw; len(b) == 4 && binary.LittleEndian.Uint16(b[2:]) == 0xAA64 &&
		runtime.GOARCH != "arm64" {
		return "rolltop-collect-windows-arm64.exe"
	}
	return ""
}

// Codes of the system that mean that it has no such interface, that something
// is not there, and that rights are missing. Negative ones of other families
// are compared as 32 bits.
var (
	notOffered = []uint32{
		1, 50, 120, 124, 127, 0xC0000002, 0xC0000003, 0xC00000BB,
		15007,                                          // no such log
		0x80040154, 0x80040155, 0x8004100E, 0x80041010, // no such class of objects, or no place for them
		0x80070422, 0x80004001, // a service is switched off, or does not answer such a question
	}
	notThere = []uint32{2, 3, 203, 1168, 0xC0000100, 0x8028400F, 259}
	refused  = []uint32{5, 1314, 1300, 0xC0000022, 0xC0000061, 0x80284012, 0x80041003, 0x80070005}
)

// record turns the outcome of a call into words; code 0 is success.
func record(source string, raw []byte, code uint32) capture.Record {
	rec := capture.Record{Source: source, Errno: int64(code), Outcome: capture.Failed}
	has := func(list []uint32) bool {
		for _, c := range list {
			if c == code {
				return true
			}
		}
		return false
	}
	switch {
	case code == 0:
		rec.Outcome, rec.Raw = capture.OK, raw
	case has(notOffered):
		rec.Outcome = capture.NotExposed
	case has(notThere):
		rec.Outcome = capture.Absent
	case has(refused):
		rec.Outcome = capture.Denied
	}
	return rec
}

// codeOf is an error's number, or 1359 (internal error) for one without.
func codeOf(err error) uint32 {
	var errno syscall.Errno
	var status windows.NTStatus
	switch {
	case err == nil:
		return 0
	case errors.As(err, &errno):
		return uint32(errno)
	case errors.As(err, &status):
		return uint32(status)
	}
	return 1359
}

func (r *reader) add(source string, raw []byte, code uint32) { r.c.Add(record(source, raw, code)) }

// ask runs one reading with a time limit and keeps what came of it.
func (r *reader) ask(source string, f func() ([]byte, uint32)) capture.Record {
	type answer struct {
		raw  []byte
		code uint32
	}
	a, err := within(func() (answer, error) {
		raw, code := f()
		return answer{raw, code}, nil
	})
	rec := record(source, a.raw, a.code)
	if err != nil {
		rec = capture.Record{Source: source, Outcome: capture.Failed, Detail: err.Error()}
	}
	r.c.Add(rec)
	return rec
}

// missing is the code for an entry point that this system does not have.
const missing = 127

var (
	kernel32 = windows.NewLazySystemDLL("kernel32.dll")
	ntdll    = windows.NewLazySystemDLL("ntdll.dll")
	powrprof = windows.NewLazySystemDLL("powrprof.dll")
)

// truthy calls an entry point that answers zero on failure. The last error is
// taken on the same thread, as the system demands.
//
// Pointers among the arguments are converted where the call is written: only
// then does the compiler keep what they point to.
//
//go:uintptrescapes
func truthy(p *windows.LazyProc, args ...uintptr) uint32 {
	if p.Find() != nil {
		return missing
	}
	ok, _, err := p.Call(args...)
	if ok != 0 {
		return 0
	}
	if code := codeOf(err); code != 0 {
		return code
	}
	return 1359
}

// status calls an entry point that answers with its code.
//
//go:uintptrescapes
func status(p *windows.LazyProc, args ...uintptr) uint32 {
	if p.Find() != nil {
		return missing
	}
	code, _, _ := p.Call(args...)
	return uint32(code)
}

func (r *reader) system() {
	v := windows.RtlGetVersion()
	b := make([]byte, 0, 20)
	for _, w := range []uint32{20, v.MajorVersion, v.MinorVersion, v.BuildNumber, v.PlatformId} {
		b = binary.LittleEndian.AppendUint32(b, w)
	}
	r.add(win.Version, b, 0)
	r.add(win.Binary, []byte(runtime.GOARCH), 0)
	r.ask(win.Native, func() ([]byte, uint32) {
		var machines [2]uint16
		code := truthy(kernel32.NewProc("IsWow64Process2"), uintptr(windows.CurrentProcess()),
			uintptr(unsafe.Pointer(&machines[0])), uintptr(unsafe.Pointer(&machines[1])))
		return binary.LittleEndian.AppendUint16(binary.LittleEndian.AppendUint16(nil, machines[0]), machines[1]), code
	})
	r.ask(win.SystemInfo, func() ([]byte, uint32) {
		info := make([]byte, 64)
		p := kernel32.NewProc("GetNativeSystemInfo")
		if p.Find() != nil {
			return nil, missing
		}
		_, _, _ = p.Call(uintptr(unsafe.Pointer(unsafe.SliceData(info))))
		return info[:2], 0
	})
	for key, names := range win.Wanted {
		r.values(win.View64, key, names)
	}
	for _, key := range win.Marks {
		r.mark(key)
	}
}

// open opens a key below HKEY_LOCAL_MACHINE in one of its views.
func open(v win.View, key string) (registry.Key, uint32) {
	access := uint32(registry.READ | registry.WOW64_64KEY)
	if v == win.View32 {
		access = registry.READ | registry.WOW64_32KEY
	}
	k, err := registry.OpenKey(registry.LOCAL_MACHINE, key, access)
	return k, codeOf(err)
}

const maxValue = 1 << 20

// values keeps values of a key.
func (r *reader) values(v win.View, key string, names []string) {
	r.valuesAs(v, key, key, names)
}

// valuesAs keeps them under another name of the key, where its own is not to
// be kept.
func (r *reader) valuesAs(v win.View, key, as string, names []string) {
	k, code := open(v, key)
	if code != 0 {
		for _, n := range names {
			r.add(v.Value(as, n), nil, code)
		}
		return
	}
	defer k.Close()
	for _, n := range names {
		raw, code := value(k, n)
		r.add(v.Value(as, n), raw, code)
	}
}

func value(k registry.Key, name string) ([]byte, uint32) {
	size, kind, err := k.GetValue(name, nil)
	if err != nil {
		return nil, codeOf(err)
	}
	if size > maxValue {
		return nil, 234 // more data than anybody asked for
	}
	b := make([]byte, size)
	size, kind, err = k.GetValue(name, b)
	if err != nil {
		return nil, codeOf(err)
	}
	return reg.Encode(reg.Value{Type: kind, Data: b[:size]}), 0
}

// mark notes whether a key is there.
func (r *reader) mark(key string) {
	k, code := open(win.View64, key)
	if code == 0 {
		_ = k.Close()
	}
	r.add(win.View64.Subkeys(key), nil, code)
}

const maxSubkeys = 4096

func subkeys(v win.View, key string) ([]string, uint32) {
	k, code := open(v, key)
	if code != 0 {
		return nil, code
	}
	defer k.Close()
	names, err := k.ReadSubKeyNames(maxSubkeys)
	if len(names) > 0 || err == nil || codeOf(err) == 259 || errors.Is(err, io.EOF) {
		return names, 0
	}
	return nil, codeOf(err)
}

func (r *reader) processor() {
	if leaves := processorLeaves(); leaves != nil {
		r.add(win.CPUID, cpu.Encode(leaves), 0)
	} else {
		r.add(win.CPUID, nil, missing)
	}
	r.ask(win.Topology, func() ([]byte, uint32) {
		p := kernel32.NewProc("GetLogicalProcessorInformationEx")
		return twice(func(b []byte, n *uint32) uint32 {
			return truthy(p, 0xFFFF, uintptr(unsafe.Pointer(unsafe.SliceData(b))), uintptr(unsafe.Pointer(n)))
		})
	})
	r.ask(win.Clocks, func() ([]byte, uint32) {
		b := make([]byte, 24*1024)
		code := status(powrprof.NewProc("CallNtPowerInformation"), 11, 0, 0,
			uintptr(unsafe.Pointer(unsafe.SliceData(b))), uintptr(len(b)))
		return b[:24], code
	})
}

// twice asks for the size first and then for the bytes.
func twice(f func(b []byte, n *uint32) uint32) ([]byte, uint32) {
	n := uint32(0)
	code := f(nil, &n)
	if n == 0 || n > maxValue {
		if code == 0 {
			code = 13
		}
		return nil, code
	}
	b := make([]byte, n)
	if code = f(b, &n); code != 0 {
		return nil, code
	}
	return b[:min(int(n), len(b))], 0
}

func (r *reader) memory() {
	r.ask(win.Memory, func() ([]byte, uint32) {
		b := make([]byte, 64)
		b[0] = 64
		code := truthy(kernel32.NewProc("GlobalMemoryStatusEx"), uintptr(unsafe.Pointer(unsafe.SliceData(b))))
		return b, code
	})
	r.ask(win.MemoryFitted, func() ([]byte, uint32) {
		b := make([]byte, 8)
		code := truthy(kernel32.NewProc("GetPhysicallyInstalledSystemMemory"),
			uintptr(unsafe.Pointer(unsafe.SliceData(b))))
		return b, code
	})
}

func (r *reader) power() {
	r.ask(win.PowerStatus, func() ([]byte, uint32) {
		b := make([]byte, 12)
		code := truthy(kernel32.NewProc("GetSystemPowerStatus"), uintptr(unsafe.Pointer(unsafe.SliceData(b))))
		return b, code
	})
	r.ask(win.Uplinks, uplinks)
}

// uplinks lists type and status of each network adapter, and nothing else of
// what the call knows: no addresses and no names.
func uplinks() ([]byte, uint32) {
	n := uint32(16 << 10)
	for range 3 {
		b := make([]byte, n)
		first := (*windows.IpAdapterAddresses)(unsafe.Pointer(unsafe.SliceData(b)))
		const noAddresses = windows.GAA_FLAG_SKIP_ANYCAST | windows.GAA_FLAG_SKIP_MULTICAST |
			windows.GAA_FLAG_SKIP_DNS_SERVER |
			windows.GAA_FLAG_SKIP_UNICAST | windows.GAA_FLAG_SKIP_FRIENDLY_NAME
		err := windows.GetAdaptersAddresses(windows.AF_UNSPEC, noAddresses, 0, first, &n)
		if errors.Is(err, windows.ERROR_BUFFER_OVERFLOW) && n < maxValue {
			continue
		}
		if err != nil {
			return nil, codeOf(err)
		}
		var out strings.Builder
		for a := first; a != nil; a = a.Next {
			fmt.Fprintf(&out, "%d %d\n", a.IfType, a.OperStatus)
		}
		return []byte(out.String()), 0
	}
	return nil, uint32(windows.ERROR_BUFFER_OVERFLOW)
}

// systemID is the application whose licence is asked for: the system itself.
var systemID = windows.GUID{
	Data1: 0x55c92734, Data2: 0xd682, Data3: 0x4d71, Data4: [8]byte{0x98, 0x3e, 0xd6, 0xec, 0x3f, 0x16, 0x05, 0x9f},
}

// licence asks the system what it knows of its own licence. Nothing outside is asked.
func licence() ([]byte, uint32) {
	b := []byte{0xFF, 0xFF, 0xFF, 0xFF} // what the call does not write is not an answer
	code := status(windows.NewLazySystemDLL("slwga.dll").NewProc("SLIsGenuineLocal"),
		uintptr(unsafe.Pointer(&systemID)), uintptr(unsafe.Pointer(unsafe.SliceData(b))), 0)
	return b, code
}

func (r *reader) management() {
	r.ask(win.Licence, licence)
	joined := r.ask(win.Joined, func() ([]byte, uint32) {
		var name *uint16
		var kind uint32
		err := windows.NetGetJoinInformation(nil, &name, &kind)
		if err == nil {
			_ = windows.NetApiBufferFree((*byte)(unsafe.Pointer(name))) // the name is not kept
		}
		return binary.LittleEndian.AppendUint32(nil, kind), codeOf(err)
	})
	if b := joined.Raw; len(b) < 4 || binary.LittleEndian.Uint32(b) != windows.NetSetupDomainName {
		r.ask(win.Accounts, accounts) // those of a machine that has joined a directory are the directory's
	}
	r.ask(win.BackupEvent, lastBackup)
	names, code := subkeys(win.View64, win.KeyCloud)
	if code == 0 && len(names) == 0 {
		code = 2
	}
	r.add(win.View64.Mark(win.KeyCloud, "*"), nil, code)
	r.markValue(win.KeyPolicy, win.KeyPolicy, "WUServer")
	names, code = subkeys(win.View64, win.KeyEnrolled)
	var list []string
	for i, n := range names {
		as := fmt.Sprintf("%d", i+1) // the key's own name is an identifier
		list = append(list, as)
		r.valuesAs(win.View64, win.KeyEnrolled+`\`+n, win.KeyEnrolled+`\`+as, []string{"EnrollmentState"})
		r.markValue(win.KeyEnrolled+`\`+n, win.KeyEnrolled+`\`+as, "ProviderID")
	}
	r.add(win.View64.Subkeys(win.KeyEnrolled), []byte(strings.Join(list, "\n")), code)
}

// markValue notes whether a value is there, and nothing of what it says.
func (r *reader) markValue(key, as, name string) {
	k, code := open(win.View64, key)
	if code == 0 {
		_, _, err := k.GetValue(name, nil)
		code = codeOf(err)
		_ = k.Close()
	}
	r.add(win.View64.Mark(as, name), nil, code)
}

// software keeps the entries of titles asked for. Others leave no trace in the
// capture.
func (r *reader) software() {
	keep := titles.Ask(r.o.Software)
	if keep.None() {
		return
	}
	r.add(win.SoftwareNamed, []byte(keep.Lines()), 0)
	for _, v := range []win.View{win.View64, win.View32} {
		names, code := subkeys(v, win.KeyUninstall)
		var kept []string
		refused := uint32(0)
		for _, n := range names {
			k, code := open(v, win.KeyUninstall+`\`+n)
			if code == uint32(windows.ERROR_ACCESS_DENIED) {
				refused = code
			}
			if code != 0 {
				continue
			}
			title, _, err := k.GetStringValue("DisplayName")
			_ = k.Close()
			if err == nil && (keep.Has(title) || keep.Has(n)) {
				kept = append(kept, n)
				r.values(v, win.KeyUninstall+`\`+n,
					[]string{
						"DisplayName", "DisplayVersion", "Publisher", "SystemComponent", "ParentKeyName", "ReleaseType",
					})
			}
		}
		r.add(v.Subkeys(win.KeyUninstall), []byte(strings.Join(kept, "\n")), code)
		if refused != 0 {
			r.add(v.Refused(win.KeyUninstall), nil, refused)
		}
	}
	names, code := subkeys(win.View64, win.KeyPackages)
	names = slices.DeleteFunc(names, func(full string) bool { return !keep.Has(win.PackageName(full)) })
	r.add(win.View64.Subkeys(win.KeyPackages), []byte(strings.Join(names, "\n")), code)
}
