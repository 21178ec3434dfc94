package collect

import (
	"slices"
	"strconv"
	"strings"

	"github.com/go-ole/go-ole"
	"golang.org/x/sys/windows"

	"rolltop.example/rolltop/core/decode/build"
	win "rolltop.example/rolltop/core/decode/windows"
)

// Bounds of what is asked of programs that offer the firmware's settings.
const (
	maxNamespaces = 512
	maxDepth      = 4
	maxSettings   = 1024
)

// firmwareSettings looks in every namespace of the system's management for settings of the firmware, and keeps those
// that facts need. It changes none.
func firmwareSettings() ([]byte, uint32) {
	return withObjects(func(o *objects) []byte {
		locator := o.create(classLocator)
		var lines []string
		var untold error
		todo := []string{"root"}
		for i := 0; i < len(todo) && i < maxNamespaces && o.err == nil; i++ {
			below, found, err := settingsIn(locator, todo[i])
			if err != nil {
				untold = err
			}
			if strings.Count(todo[i], `\`) < maxDepth {
				todo = append(todo, below...)
			}
			lines = append(lines, found...)
		}
		switch {
		case o.err != nil:
		case len(lines) == 0 && untold != nil:
			o.err = untold
		case len(lines) == 0:
			o.err = windows.ERROR_NOT_FOUND
		case untold != nil || len(todo) > maxNamespaces:
			lines = append(lines, win.SettingsMore)
		}
		return []byte(strings.Join(lines, "\n"))
	})
}

// settingsIn asks one namespace for those below it, and for settings as the published profile has them (DMTF DSP1061).
// The error is for a namespace that does not give out all of it; one that has no settings has no error.
func settingsIn(locator *ole.IDispatch, namespace string) (below, lines []string, err error) {
	o := new(objects)
	defer o.release()
	services := o.object(locator, "ConnectServer", ".", namespace)
	if o.err != nil {
		return nil, nil, o.err
	}
	o.each(services, "SELECT Name FROM __NAMESPACE", func(in *objects, item *ole.IDispatch) {
		if name, ok := in.ask(item, "Name").Value().(string); ok {
			below = append(below, namespace+`\`+name)
		}
	})
	err, o.err = told(o.err), nil
	o.each(services, "SELECT * FROM CIM_BIOSEnumeration", func(in *objects, item *ole.IDispatch) {
		name := strings.Join(in.texts(item, "AttributeName"), "")
		if build.SettingOf(name) == "" || in.err != nil {
			return
		}
		readOnly := ""
		if is, ok := in.ask(item, "IsReadOnly").Value().(bool); ok {
			readOnly = strconv.FormatBool(is)
		}
		lines = append(lines, win.SettingsLine(namespace, name, readOnly,
			strings.Join(in.texts(item, "CurrentValue"), " "), in.texts(item, "PossibleValues")))
	})
	if o.err == nil && len(lines) == 0 {
		lines = []string{win.SettingsLine(namespace, "", "", "", nil)}
	}
	if told(o.err) != nil {
		err = o.err
	}
	return below, lines, err
}

// told is an error that is no answer: that there is no such class, or nothing of that name, is one.
func told(err error) error {
	if slices.Contains(notOffered, codeOfObject(err)) || slices.Contains(notThere, codeOfObject(err)) {
		return nil
	}
	return err
}

// each hands the objects that a query finds to f, and lets each go after it.
func (o *objects) each(services *ole.IDispatch, query string, f func(in *objects, item *ole.IDispatch)) {
	found := o.object(services, "ExecQuery", query)
	n := o.number(found, "Count")
	for i := range min(n, maxSettings) {
		in := new(objects)
		item := in.object(found, "ItemIndex", int32(i))
		if in.err == nil {
			f(in, item)
		}
		if in.err != nil {
			o.err = in.err // what this one says is not told
		}
		in.release()
	}
}

// texts is a property that is a text or a list of texts.
func (o *objects) texts(from *ole.IDispatch, name string) []string {
	answer := o.ask(from, name)
	defer func() { _ = answer.Clear() }()
	if s, ok := answer.Value().(string); ok {
		return []string{s}
	}
	array := answer.ToArray()
	if array == nil {
		return nil
	}
	var out []string
	for _, v := range array.ToValueArray() {
		if s, ok := v.(string); ok {
			out = append(out, s)
		}
	}
	return out
}
