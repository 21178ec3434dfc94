package collect

import (
	"encoding/binary"
	"fmt"
	"unsafe"

	"golang.org/x/sys/windows"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/decode/tpm"
	win "rolltop.example/rolltop/core/decode/windows"
)

// providers of firmware tables: four letters, the first in the highest byte.
const (
	providerSMBIOS = 0x52534D42
	providerACPI   = 0x41435049
)

func firmwareTable(provider, id uint32) ([]byte, uint32) {
	p := kernel32.NewProc("GetSystemFirmwareTable")
	if p.Find() != nil {
		return nil, missing
	}
	size, _, err := p.Call(uintptr(provider), uintptr(id), 0, 0)
	if size == 0 {
		return nil, max(codeOf(err), 1)
	}
	if size > maxValue {
		return nil, 234
	}
	b := make([]byte, size)
	got, _, err := p.Call(uintptr(provider), uintptr(id), uintptr(unsafe.Pointer(unsafe.SliceData(b))), size)
	if got == 0 || got > size {
		return nil, max(codeOf(err), 1)
	}
	return b[:got], 0
}

// systemInformation asks the kernel for one of its classes of information.
func systemInformation(class int32, size int) ([]byte, uint32) {
	b := make([]byte, size)
	n := uint32(0)
	err := windows.NtQuerySystemInformation(class, unsafe.Pointer(unsafe.SliceData(b)), uint32(size), &n)
	return b[:min(max(int(n), 1), size)], codeOf(err)
}

func (r *reader) firmware() {
	r.ask(win.Firmware, func() ([]byte, uint32) { return firmwareTable(providerSMBIOS, 0) })
	r.ask(win.FirmwareType, func() ([]byte, uint32) {
		b := make([]byte, 4)
		code := truthy(kernel32.NewProc("GetFirmwareType"), uintptr(unsafe.Pointer(unsafe.SliceData(b))))
		return b, code
	})
	r.ask(win.BootInfo, func() ([]byte, uint32) { return systemInformation(90, 32) })
	r.ask(win.SecureBoot, func() ([]byte, uint32) { return systemInformation(145, 2) })
	r.ask(win.Isolation, func() ([]byte, uint32) { return systemInformation(165, 16) })
	r.variables()
}

// variables reads the firmware's own, where an administrator lets us: the right
// is switched on for this process alone, and with it nothing is written.
func (r *reader) variables() {
	if err := useEnvironmentPrivilege(); err != nil {
		for _, n := range []string{"SecureBoot", "SetupMode", "BootOrder", "BootCurrent"} {
			r.add(win.Variable(n), nil, codeOf(err))
		}
		return
	}
	if rec := r.variable("SecureBoot"); rec.Outcome == capture.NotExposed {
		return // started in legacy mode, or an old system
	}
	r.variable("SetupMode")
	r.variable("BootCurrent")
	order, _ := efi.Order(r.variable("BootOrder").Raw)
	for i, n := range order {
		if i < maxEntries {
			r.variable(fmt.Sprintf("Boot%04X", n))
		}
	}
}

// maxEntries bounds how many boot entries are read: variables can be slow.
const maxEntries = 64

func (r *reader) variable(name string) capture.Record {
	return r.ask(win.Variable(name), func() ([]byte, uint32) {
		p := kernel32.NewProc("GetFirmwareEnvironmentVariableExW")
		if p.Find() != nil {
			return nil, missing
		}
		wide, err := windows.UTF16PtrFromString(name)
		if err != nil {
			return nil, codeOf(err)
		}
		guid, err := windows.UTF16PtrFromString("{8BE4DF61-93CA-11D2-AA0D-00E098032B8C}")
		if err != nil {
			return nil, codeOf(err)
		}
		b := make([]byte, smallFile)
		attributes := uint32(0)
		n, _, err := p.Call(uintptr(unsafe.Pointer(wide)), uintptr(unsafe.Pointer(guid)),
			uintptr(unsafe.Pointer(unsafe.SliceData(b))), uintptr(len(b)), uintptr(unsafe.Pointer(&attributes)))
		if n == 0 {
			return nil, max(codeOf(err), 1)
		}
		return append(binary.LittleEndian.AppendUint32(nil, attributes), b[:n]...), 0
	})
}

// smallFile caps what is read of a variable.
const smallFile = 64 << 10

func useEnvironmentPrivilege() error {
	name, err := windows.UTF16PtrFromString("SeSystemEnvironmentPrivilege")
	if err != nil {
		return err
	}
	var t windows.Token
	if err := windows.OpenProcessToken(windows.CurrentProcess(), windows.TOKEN_ADJUST_PRIVILEGES|windows.TOKEN_QUERY,
		&t); err != nil {
		return err
	}
	defer t.Close()
	p := windows.Tokenprivileges{PrivilegeCount: 1}
	p.Privileges[0].Attributes = windows.SE_PRIVILEGE_ENABLED
	if err := windows.LookupPrivilegeValue(nil, name, &p.Privileges[0].Luid); err != nil {
		return err
	}
	// Success with a last error of 1300 means that the account has no such right.
	proc := windows.NewLazySystemDLL("advapi32.dll").NewProc("AdjustTokenPrivileges")
	if err := proc.Find(); err != nil {
		return windows.ERROR_PROC_NOT_FOUND
	}
	ok, _, err := proc.Call(uintptr(t), 0, uintptr(unsafe.Pointer(&p)), 0, 0, 0)
	if ok == 0 || codeOf(err) == 1300 {
		return err
	}
	return nil
}

func (r *reader) tpm() {
	for _, name := range []string{"TPM2", "TCPA"} {
		r.ask(win.Table(name), func() ([]byte, uint32) {
			return firmwareTable(providerACPI, binary.LittleEndian.Uint32([]byte(name)))
		})
	}
	tbs := windows.NewLazySystemDLL("tbs.dll")
	rec := r.ask(win.TBS, func() ([]byte, uint32) {
		b := make([]byte, 16)
		code := status(tbs.NewProc("Tbsi_GetDeviceInfo"), uintptr(len(b)), uintptr(unsafe.Pointer(unsafe.SliceData(b))))
		return b, code
	})
	if rec.Outcome != capture.OK {
		return
	}
	questions := map[string][]byte{win.Ask2: tpm.Command2()}
	if len(rec.Raw) >= 8 && rec.Raw[4] == 1 {
		questions = map[string][]byte{win.Ask12: tpm.Command12(), win.Flags12: tpm.CommandFlags12()}
	}
	for source, command := range questions {
		r.ask(source, func() ([]byte, uint32) { return submit(tbs, command) })
	}
}

// submit asks the TPM one read-only question. The entry points after the first
// are called only where the first succeeded.
func submit(tbs *windows.LazyDLL, command []byte) ([]byte, uint32) {
	context, code := tbsContext(tbs)
	if code != 0 {
		return nil, code
	}
	defer status(tbs.NewProc("Tbsip_Context_Close"), context)
	return submitIn(tbs, context, command)
}

// tbsContext opens a context of the TPM's services.
func tbsContext(tbs *windows.LazyDLL) (context uintptr, code uint32) {
	params := [2]uint32{2, 6} // second version of the structure; both generations of TPM
	code = status(tbs.NewProc("Tbsi_Context_Create"), uintptr(unsafe.Pointer(&params)),
		uintptr(unsafe.Pointer(&context)))
	return context, code
}

// submitIn gives the TPM a command within a context.
func submitIn(tbs *windows.LazyDLL, context uintptr, command []byte) ([]byte, uint32) {
	b := make([]byte, 4096)
	n := uint32(len(b))
	const localityZero, normal = 0, 200
	if code := status(tbs.NewProc("Tbsip_Submit_Command"), context, localityZero, normal,
		uintptr(unsafe.Pointer(unsafe.SliceData(command))), uintptr(len(command)),
		uintptr(unsafe.Pointer(unsafe.SliceData(b))), uintptr(unsafe.Pointer(&n))); code != 0 {
		return nil, code
	}
	return b[:min(int(n), len(b))], 0
}
