package collect

import (
	"strings"
	"unsafe"

	"golang.org/x/sys/windows"

	win "rolltop.example/rolltop/core/decode/windows"
)

var (
	netapi32 = windows.NewLazySystemDLL("netapi32.dll")
	wevtapi  = windows.NewLazySystemDLL("wevtapi.dll")
)

// userInfo20 is USER_INFO_20: an account that the machine itself keeps.
type userInfo20 struct {
	name, fullName, comment *uint16
	flags, id               uint32
}

// accounts says of each account that the machine keeps and that is not switched off whether it is linked to the vendor.
// No name is kept.
func accounts() ([]byte, uint32) {
	const level, ordinary, most, switchedOff = 20, 2, 64 << 10, 2
	var list *userInfo20
	var got, all uint32
	code := status(netapi32.NewProc("NetUserEnum"), 0, level, ordinary, uintptr(unsafe.Pointer(&list)), most,
		uintptr(unsafe.Pointer(&got)), uintptr(unsafe.Pointer(&all)), 0)
	more := code == uint32(windows.ERROR_MORE_DATA)
	if code != 0 && !more || list == nil {
		return nil, code
	}
	defer func() { _ = windows.NetApiBufferFree((*byte)(unsafe.Pointer(list))) }()
	var kinds []string
	for _, account := range unsafe.Slice(list, got) {
		if account.flags&switchedOff != 0 {
			continue
		}
		kind, code := accountKind(account.name)
		if code != 0 {
			return nil, code
		}
		kinds = append(kinds, kind)
	}
	if more {
		kinds = append(kinds, win.AccountsMore)
	}
	return []byte(strings.Join(kinds, "\n")), 0
}

// accountKind asks for USER_INFO_24, which begins with whether the account is one of the vendor's.
func accountKind(name *uint16) (string, uint32) {
	const level = 24
	var info *uint32
	code := status(netapi32.NewProc("NetUserGetInfo"), 0, uintptr(unsafe.Pointer(name)), level,
		uintptr(unsafe.Pointer(&info)))
	if code != 0 || info == nil {
		return "", max(code, 1)
	}
	defer func() { _ = windows.NetApiBufferFree((*byte)(unsafe.Pointer(info))) }()
	if *info != 0 {
		return win.AccountVendor, 0
	}
	return win.AccountLocal, 0
}

// lastBackup asks the system's log for its newest note that a backup is finished, and keeps when that was.
func lastBackup() ([]byte, uint32) {
	channel := windows.StringToUTF16Ptr("Microsoft-Windows-Backup")
	finished := windows.StringToUTF16Ptr("*[System[EventID=4]]")
	when := windows.StringToUTF16Ptr("Event/System/TimeCreated/@SystemTime")
	const fromChannel, newestFirst, patienceMS, values, size = 1, 0x200, 3000, 0, 64
	found, code := handle("EvtQuery", 0, uintptr(unsafe.Pointer(channel)), uintptr(unsafe.Pointer(finished)),
		fromChannel|newestFirst)
	if code != 0 {
		return nil, code
	}
	defer closeEvent(found)
	var event uintptr
	var got, used, count uint32
	if code := truthy(wevtapi.NewProc("EvtNext"), found, 1, uintptr(unsafe.Pointer(&event)), patienceMS, 0,
		uintptr(unsafe.Pointer(&got))); code != 0 {
		return nil, code
	}
	defer closeEvent(event)
	context, code := handle("EvtCreateRenderContext", 1, uintptr(unsafe.Pointer(&when)), values)
	if code != 0 {
		return nil, code
	}
	defer closeEvent(context)
	b := make([]byte, size)
	if code := truthy(wevtapi.NewProc("EvtRender"), context, event, values, size,
		uintptr(unsafe.Pointer(unsafe.SliceData(b))), uintptr(unsafe.Pointer(&used)),
		uintptr(unsafe.Pointer(&count))); code != 0 {
		return nil, code
	}
	return b[:min(used, 16)], 0
}

// handle calls an entry point of the log that answers with a handle, or zero.
//
//go:uintptrescapes
func handle(name string, args ...uintptr) (uintptr, uint32) {
	p := wevtapi.NewProc(name)
	if p.Find() != nil {
		return 0, missing
	}
	h, _, err := p.Call(args...)
	if h == 0 {
		return 0, max(codeOf(err), 1)
	}
	return h, 0
}

func closeEvent(h uintptr) { truthy(wevtapi.NewProc("EvtClose"), h) }
