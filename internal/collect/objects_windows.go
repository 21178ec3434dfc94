package collect

import (
	"errors"
	"fmt"
	"runtime"
	"strconv"
	"strings"
	"time"
	"unsafe"

	"github.com/go-ole/go-ole"
	"github.com/go-ole/go-ole/oleutil"
	"golang.org/x/sys/windows"

	"rolltop.example/rolltop/core/capture"
	win "rolltop.example/rolltop/core/decode/windows"
)

// slowly is the patience with a service of the system that may first have to start.
const slowly = 20 * time.Second

// later is a reading that runs beside all others, because it can take long.
type later struct {
	source string
	answer chan capture.Record
}

// begin starts a reading that [reader.finish] waits for.
func begin(source string, f func() ([]byte, uint32)) later {
	l := later{source, make(chan capture.Record, 1)}
	go func() {
		raw, code := f()
		l.answer <- record(source, raw, code)
	}()
	return l
}

// finish keeps what came of readings that were begun at a time. One that is not done then is left behind.
func (r *reader) finish(start time.Time, list ...later) {
	timeout := time.After(time.Until(start.Add(slowly)))
	for _, l := range list {
		rec := capture.Record{
			Source:  l.source,
			Outcome: capture.Failed,
			Detail:  fmt.Sprintf("no answer within %s", slowly),
		}
		select {
		case rec = <-l.answer:
		case <-timeout:
			timeout = time.After(0) // the others have no more time either
			select {
			case rec = <-l.answer:
			default:
			}
		}
		r.c.Add(rec)
	}
}

// objects are objects of the system that a question makes and lets go. After the first error, nothing more is asked.
type objects struct {
	held []*ole.IDispatch
	err  error
}

// withObjects asks a question of the system's objects, on a thread of its own.
func withObjects(f func(o *objects) []byte) ([]byte, uint32) {
	runtime.LockOSThread() // and never unlocked: the thread ends with the goroutine
	if err := ole.CoInitializeEx(0, ole.COINIT_MULTITHREADED); err != nil {
		return nil, codeOfObject(err)
	}
	defer ole.CoUninitialize()
	o := new(objects)
	defer o.release()
	raw := f(o)
	return raw, codeOfObject(o.err)
}

// release lets all objects go.
func (o *objects) release() {
	for _, d := range o.held {
		d.Release()
	}
}

// codeOfObject is the code of an error: the one that the object itself gave, if it gave one.
func codeOfObject(err error) uint32 {
	var e *ole.OleError
	if !errors.As(err, &e) {
		return codeOf(err)
	}
	var info ole.EXCEPINFO
	if errors.As(e.SubError(), &info) && info.SCODE() != 0 {
		return info.SCODE()
	}
	return uint32(e.Code())
}

// create makes an object of a class. The class is given by its number, because the names of classes can be set by the
// person who is logged on.
func (o *objects) create(class string) *ole.IDispatch {
	if o.err != nil {
		return nil
	}
	unknown, err := ole.CreateInstance(ole.NewGUID(class), ole.IID_IDispatch)
	if err != nil {
		o.err = err
		return nil
	}
	d := (*ole.IDispatch)(unsafe.Pointer(unknown)) // it was asked for as one
	o.held = append(o.held, d)
	return d
}

// ask calls a method of an object, or reads a property. The answer is empty after an error.
func (o *objects) ask(from *ole.IDispatch, name string, args ...any) *ole.VARIANT {
	none := new(ole.VARIANT)
	if o.err != nil {
		return none
	}
	id, err := from.GetSingleIDOfName(name)
	if err != nil {
		o.err = err
		return none
	}
	answer, err := from.Invoke(id, ole.DISPATCH_METHOD|ole.DISPATCH_PROPERTYGET, args...)
	if err != nil {
		o.err = err
		return none
	}
	return answer
}

// object is an answer that is an object itself.
func (o *objects) object(from *ole.IDispatch, name string, args ...any) *ole.IDispatch {
	d := o.ask(from, name, args...).ToIDispatch()
	if d == nil {
		if o.err == nil {
			o.err = windows.ERROR_INVALID_DATA
		}
		return nil
	}
	o.held = append(o.held, d)
	return d
}

// number is an answer that is a number.
func (o *objects) number(from *ole.IDispatch, name string, args ...any) uint32 {
	switch n := o.ask(from, name, args...).Value().(type) {
	case int32:
		return uint32(n)
	case uint32:
		return n
	}
	if o.err == nil {
		o.err = windows.ERROR_INVALID_DATA
	}
	return 0
}

// put sets a property of an object that this program made for a question.
func (o *objects) put(to *ole.IDispatch, name string, value any) {
	if o.err == nil {
		_, o.err = oleutil.PutProperty(to, name, value)
	}
}

// Classes of objects, and where the system keeps what it knows of its encryption.
const (
	classLocator       = "{76A64158-CB41-11D1-8B02-00600806D9B6}" // SWbemLocator
	classUpdateSession = "{4CB43D7F-7EEE-4906-8698-60DA1C38F2FE}" // UpdateSession
	encryptions        = `root\CIMV2\Security\MicrosoftVolumeEncryption`
)

// protection asks what the system does to protect its volume, and how many keys of each type unlock it. The keys
// themselves are not asked for, and their names are not kept.
func protection() ([]byte, uint32) {
	drive, code := systemDrive()
	if code != 0 {
		return nil, code
	}
	return withObjects(func(o *objects) []byte {
		services := o.object(o.create(classLocator), "ConnectServer", ".", encryptions)
		found := o.object(services, "ExecQuery",
			fmt.Sprintf("SELECT * FROM Win32_EncryptableVolume WHERE DriveLetter='%s'", drive))
		if n := o.number(found, "Count"); o.err == nil && n != 1 {
			o.err = windows.ERROR_NOT_FOUND
		}
		volume := o.object(found, "ItemIndex", int32(0))
		var out strings.Builder
		for _, q := range [][2]string{{win.Conversion, "ConversionStatus"}, {win.Protects, "ProtectionStatus"}} {
			said := o.object(volume, "ExecMethod_", q[0])
			code := o.number(said, "ReturnValue")
			if o.err == nil && code == 0 {
				fmt.Fprintf(&out, "%s 0 %d\n", q[0], o.number(said, q[1]))
			}
		}
		for kind := 0; kind <= win.Protectors && o.err == nil; kind++ {
			if n, ok := o.protectors(volume, kind); ok {
				fmt.Fprintf(&out, "%s 0 %d\n", win.Unlocks(kind), n)
			}
		}
		return []byte(out.String())
	})
}

// protectors counts the key protectors of a type. The volume may refuse to say.
func (o *objects) protectors(volume *ole.IDispatch, kind int) (count int, told bool) {
	const method = "GetKeyProtectors"
	methods := o.object(volume, "Methods_")
	takes := o.object(o.object(methods, "Item", method), "InParameters")
	takes = o.object(takes, "SpawnInstance_")
	o.put(takes, "KeyProtectorType", int32(kind))
	said := o.object(volume, "ExecMethod_", method, takes)
	if code := o.number(said, "ReturnValue"); o.err != nil || code != 0 {
		return 0, false
	}
	list := o.ask(said, "VolumeKeyProtectorID")
	defer func() { _ = list.Clear() }()
	if list.VT == ole.VT_NULL || list.VT == ole.VT_EMPTY {
		return 0, o.err == nil
	}
	array := list.ToArray()
	if array == nil {
		return 0, false
	}
	n, err := array.TotalElements(0)
	return int(n), err == nil
}

// pendingUpdates counts the updates of the system that it found before and that are not installed. Nothing outside is
// asked: the search is one of what the system knows already.
func pendingUpdates() ([]byte, uint32) {
	return withObjects(func(o *objects) []byte {
		search := o.object(o.create(classUpdateSession), "CreateUpdateSearcher")
		o.put(search, "Online", false)
		found := o.object(search, "Search", "IsInstalled=0 and IsHidden=0 and Type='Software'")
		return []byte(strconv.Itoa(int(o.number(o.object(found, "Updates"), "Count"))))
	})
}
