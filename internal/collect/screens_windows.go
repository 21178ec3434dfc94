package collect

import (
	"context"
	"encoding/binary"
	"fmt"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"unsafe"

	"golang.org/x/sys/windows"

	win "rolltop.example/rolltop/core/decode/windows"
)

// devices lists what is present, with the values that its driver's installation
// left. Instance names can hold serial numbers and are not kept.
func (r *reader) devices() {
	set, err := windows.SetupDiGetClassDevsEx(nil, "", 0, windows.DIGCF_PRESENT|windows.DIGCF_ALLCLASSES, 0, "")
	if err != nil {
		r.add(win.Devices, nil, codeOf(err))
		return
	}
	defer set.Close()
	var numbers []string
	drivers := map[string]bool{}
	for i := range 4096 {
		info, err := set.EnumDeviceInfo(i)
		if err != nil {
			break
		}
		d := r.device(set, info)
		n := strconv.Itoa(i)
		numbers = append(numbers, n)
		r.add(win.Device(n), []byte(d.text()), 0)
		if d.driver != "" && !drivers[d.driver] {
			drivers[d.driver] = true
			r.values(win.View64, win.KeyClass+`\`+d.driver, []string{"DriverVersion", "DriverDate", "ProviderName"})
		}
	}
	r.add(win.Devices, []byte(strings.Join(numbers, "\n")), 0)
}

type present struct{ name, class, guid, hardware, driver, problem string }

func (p *present) text() string {
	return fmt.Sprintf("name=%s\nclass=%s\nclass-guid=%s\nhardware-id=%s\ndriver=%s\nproblem=%s\n", p.name, p.class,
		p.guid, p.hardware, p.driver, p.problem)
}

func (r *reader) device(set windows.DevInfo, info *windows.DevInfoData) present {
	get := func(property windows.SPDRP) string {
		v, err := set.DeviceRegistryProperty(info, property)
		if err != nil {
			return ""
		}
		switch v := v.(type) {
		case string:
			return strings.ReplaceAll(v, "\n", " ")
		case []string:
			if len(v) > 0 {
				return v[0] // the strongest
			}
		}
		return ""
	}
	p := present{
		name:     get(windows.SPDRP_FRIENDLYNAME),
		class:    get(windows.SPDRP_CLASS),
		guid:     get(windows.SPDRP_CLASSGUID),
		hardware: get(windows.SPDRP_HARDWAREID),
		driver:   get(windows.SPDRP_DRIVER),
	}
	if p.class == "" || !keepsFriendlyName[strings.ToLower(p.class)] || p.name == "" {
		// Friendly names of some classes are what people called their things.
		p.name = get(windows.SPDRP_DEVICEDESC)
	}
	var state, problem uint32
	const hasProblem = 0x400
	if windows.CM_Get_DevNode_Status(&state, &problem, info.DevInst, 0) == nil && state&hasProblem != 0 {
		p.problem = strconv.Itoa(int(problem))
	}
	return p
}

// keepsFriendlyName are classes whose friendly names are the hardware's.
var keepsFriendlyName = map[string]bool{"display": true, "processor": true, "diskdrive": false}

var (
	gdi32  = windows.NewLazySystemDLL("gdi32.dll")
	user32 = windows.NewLazySystemDLL("user32.dll")
)

func (r *reader) screens() {
	r.adapters()
	r.ask(win.Level, levelFromChild)
	r.displays()
}

// Kinds of questions to the graphics kernel (KMTQUERYADAPTERINFOTYPE).
const (
	askDriverVersion = 13
	askAdapterType   = 15
	askDeviceIDs     = 31
)

// adapters asks the graphics kernel about its adapters.
func (r *reader) adapters() {
	enum := gdi32.NewProc("D3DKMTEnumAdapters2")
	// Count, then a pointer to entries of 20 bytes: handle, identifier of 8, sources, flag.
	const most, entry = 16, 20
	list := make([]byte, most*entry)
	request := struct {
		count uint32
		list  unsafe.Pointer
	}{most, unsafe.Pointer(unsafe.SliceData(list))}
	code := status(enum, uintptr(unsafe.Pointer(&request)))
	if code != 0 {
		r.add(win.Adapters, nil, code)
		return
	}
	var numbers []string
	for i := range min(int(request.count), most) {
		handle := binary.LittleEndian.Uint32(list[i*entry:])
		n := strconv.Itoa(i)
		numbers = append(numbers, n)
		for what, q := range map[string]struct {
			kind uint32
			size int
		}{
			win.DriverModel: {askDriverVersion, 4},
			win.AdapterKind: {askAdapterType, 4},
			win.DeviceIDs:   {askDeviceIDs, 28},
		} {
			r.ask(win.Adapter(n, what), func() ([]byte, uint32) { return adapterInfo(handle, q.kind, q.size) })
		}
		closing := struct{ handle uint32 }{handle}
		status(gdi32.NewProc("D3DKMTCloseAdapter"), uintptr(unsafe.Pointer(&closing)))
	}
	r.add(win.Adapters, []byte(strings.Join(numbers, "\n")), 0)
}

func adapterInfo(handle, kind uint32, size int) ([]byte, uint32) {
	b := make([]byte, size)
	request := struct {
		handle, kind uint32
		data         unsafe.Pointer
		size         uint32
	}{handle, kind, unsafe.Pointer(unsafe.SliceData(b)), uint32(size)}
	code := status(gdi32.NewProc("D3DKMTQueryAdapterInfo"), uintptr(unsafe.Pointer(&request)))
	return b, code
}

// probeVariable asks this program, started once more, for one reading that can
// bring a process down.
const probeVariable = "ROLLTOP_PROBE"

// levelFromChild asks for the graphics interface level in a process of its own:
// the question loads drivers, and a driver may hang or crash.
func levelFromChild() ([]byte, uint32) {
	self, err := os.Executable()
	if err != nil {
		return nil, codeOf(err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	cmd := exec.CommandContext(ctx, self)
	cmd.Env = append(os.Environ(), probeVariable+"=graphics")
	out, err := cmd.Output()
	if err != nil {
		return nil, 1359
	}
	s := strings.TrimSpace(string(out))
	if code, ok := strings.CutPrefix(s, "code "); ok {
		n, _ := strconv.ParseUint(code, 10, 32)
		return nil, max(uint32(n), 1)
	}
	return []byte(s), 0
}

// Probe answers the question that [Capture] asks of this program in a process
// of its own, and says whether there was one.
func Probe() bool {
	if os.Getenv(probeVariable) != "graphics" {
		return false
	}
	level, code := graphicsLevel()
	if code != 0 {
		fmt.Printf("code %d\n", code)
	} else {
		fmt.Printf("%x\n", level)
	}
	return true
}

// graphicsLevel tries levels from the highest; nothing is made, the call only
// says whether it would succeed.
func graphicsLevel() (uint32, uint32) {
	iid := windows.GUID{
		Data1: 0x189819F1,
		Data2: 0x1DB6,
		Data3: 0x4B57,
		Data4: [8]byte{0xBE, 0x54, 0x18, 0x21, 0x33, 0x9B, 0x85, 0xF7},
	}
	create := windows.NewLazySystemDLL("d3d12.dll").NewProc("D3D12CreateDevice")
	last := uint32(missing)
	if create.Find() == nil {
		for _, level := range []uint32{0xC200, 0xC100, 0xC000, 0xB100, 0xB000} {
			last = status(create, 0, uintptr(level), uintptr(unsafe.Pointer(&iid)), 0)
			if last == 0 || last == 1 {
				return level, 0
			}
		}
	}
	create = windows.NewLazySystemDLL("d3d11.dll").NewProc("D3D11CreateDevice")
	if create.Find() == nil {
		level := uint32(0)
		const hardware, version = 1, 7
		last = status(create, 0, hardware, 0, 0, 0, 0, version, 0, uintptr(unsafe.Pointer(&level)), 0)
		if (last == 0 || last == 1) && level != 0 {
			return level, 0
		}
	}
	return 0, last
}

// Sizes of the structures of the display configuration.
const (
	pathBytes   = 72
	modeBytes   = 64
	targetBytes = 420
	activePaths = 2
)

// displays lists the active displays and what each says of itself.
func (r *reader) displays() {
	targets, code := activeTargets()
	if code != 0 {
		targets, code = attachedMonitors()
	}
	if code != 0 {
		r.add(win.Displays, nil, code)
		return
	}
	var numbers []string
	for i, t := range targets {
		n := strconv.Itoa(i + 1)
		numbers = append(numbers, n)
		if t.technology != nil {
			r.add(win.Display(n, win.Technology), t.technology, 0)
		}
		r.ask(win.Display(n, win.EDID), func() ([]byte, uint32) { return edidOf(t.path) })
	}
	r.add(win.Displays, []byte(strings.Join(numbers, "\n")), 0)
}

type target struct {
	path       string
	technology []byte
}

func activeTargets() ([]target, uint32) {
	sizes, query, info := user32.NewProc("GetDisplayConfigBufferSizes"), user32.NewProc("QueryDisplayConfig"),
		user32.NewProc("DisplayConfigGetDeviceInfo")
	if query.Find() != nil || info.Find() != nil {
		return nil, missing
	}
	var paths, modes uint32
	if code := status(sizes, activePaths, uintptr(unsafe.Pointer(&paths)), uintptr(unsafe.Pointer(&modes))); code != 0 {
		return nil, code
	}
	if paths == 0 || paths > 64 || modes > 256 {
		return nil, 0
	}
	p, m := make([]byte, paths*pathBytes), make([]byte, max(modes, 1)*modeBytes)
	if code := status(query, activePaths, uintptr(unsafe.Pointer(&paths)), uintptr(unsafe.Pointer(unsafe.SliceData(p))),
		uintptr(unsafe.Pointer(&modes)), uintptr(unsafe.Pointer(unsafe.SliceData(m))), 0); code != 0 {
		return nil, code
	}
	var out []target
	for i := range int(paths) {
		at := p[i*pathBytes+20:] // the target half: adapter of 8 bytes, number, …
		b := make([]byte, targetBytes)
		const nameOfTarget = 2
		binary.LittleEndian.PutUint32(b, nameOfTarget)
		binary.LittleEndian.PutUint32(b[4:], targetBytes)
		copy(b[8:20], at[:12])
		if status(info, uintptr(unsafe.Pointer(unsafe.SliceData(b)))) != 0 {
			continue
		}
		out = append(out, target{windows.UTF16ToString(units(b[164:])), b[24:28]})
	}
	return out, 0
}

func units(b []byte) []uint16 {
	out := make([]uint16, len(b)/2)
	for i := range out {
		out[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
	return out
}

// attachedMonitors is the older way: the monitors of attached adapters.
func attachedMonitors() ([]target, uint32) {
	enum := user32.NewProc("EnumDisplayDevicesW")
	if enum.Find() != nil {
		return nil, missing
	}
	// DISPLAY_DEVICEW: size, name of 32, text of 128, flags, id of 128, key of 128.
	const size, flagsAt, idAt, attached, interfaceNames = 840, 324, 328, 1, 1
	ask := func(adapter *uint16, i, flags uintptr) ([]byte, bool) {
		b := make([]byte, size)
		binary.LittleEndian.PutUint32(b, size)
		ok, _, _ := enum.Call(uintptr(unsafe.Pointer(adapter)), i, uintptr(unsafe.Pointer(unsafe.SliceData(b))), flags)
		return b, ok != 0
	}
	var out []target
	for i := range uintptr(16) {
		a, ok := ask(nil, i, 0)
		if !ok {
			break
		}
		if binary.LittleEndian.Uint32(a[flagsAt:])&attached == 0 {
			continue
		}
		name := units(a[4 : 4+64])
		for j := range uintptr(8) {
			m, ok := ask(&name[0], j, interfaceNames)
			if !ok {
				break
			}
			if binary.LittleEndian.Uint32(m[flagsAt:])&attached != 0 {
				out = append(out, target{path: windows.UTF16ToString(units(m[idAt : idAt+256]))})
			}
		}
	}
	return out, 0
}

// edidOf finds the display's own description where its driver left it:
// \\?\DISPLAY#model#instance#{class} is Enum\DISPLAY\model\instance.
func edidOf(path string) ([]byte, uint32) {
	parts := strings.Split(path, "#")
	if len(parts) < 3 {
		return nil, 2
	}
	key := `SYSTEM\CurrentControlSet\Enum\DISPLAY\` + parts[1] + `\` + parts[2] + `\Device Parameters`
	k, code := open(win.View64, key)
	if code != 0 {
		return nil, code
	}
	defer k.Close()
	b, _, err := k.GetBinaryValue("EDID")
	return b, codeOf(err)
}
