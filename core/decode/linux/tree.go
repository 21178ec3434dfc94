package linux

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/fact"
)

// DeviceTree is where the kernel shows the device tree that firmware handed to it.
const DeviceTree = "/sys/firmware/devicetree/base/"

// TreeModel is the property of the root node that every tree has (Devicetree Specification 0.4, section 3.2).
const TreeModel = "model"

// TreeMore are the properties of the root node that are read where there is a [TreeModel].
var TreeMore = []string{"serial-number", "chassis-type"}

// TreeCores is the node of all cores (section 3.7), whose children such as cpu@0 are one core each.
const TreeCores = "cpus"

// TreeOfCore is the property that names the design of a core (sections 2.3.1 and 3.8.1), below a node such as cpu@0.
const TreeOfCore = "/compatible"

// treeTexts are the texts of a property, each of which ends with a zero byte (section 2.2.4).
func treeTexts(x *decoder, property string) []string {
	r := x.C.Get(DeviceTree + property)
	if r.Outcome != capture.OK {
		return nil
	}
	return strings.FieldsFunc(string(r.Raw), func(c rune) bool { return c == 0 })
}

// fromTree sets what firmware says in its device tree, on machines that have no SMBIOS tables. One that has both is
// described by the tables.
func fromTree(x *decoder) {
	for _, source := range []string{tablePath, entryPath, dmiPath + "product_name"} {
		if o := x.C.Get(source).Outcome; o != capture.Absent && o != capture.NotExposed {
			return
		}
	}
	set := func(id fact.ID, property string, mean func(string) string) {
		for _, text := range treeTexts(x, property) {
			if x.Set(id, mean(text), DeviceTree+property) {
				return
			}
		}
	}
	set(fact.DeviceModel, TreeModel, smbios.Filled)
	set(fact.DeviceSerial, "serial-number", smbios.Filled)
	set(fact.DeviceForm, "chassis-type", treeForm)
}

// treeForm is the form of a machine by the words of the specification.
func treeForm(word string) string {
	switch word {
	case "desktop", "laptop", "all-in-one", "tablet", "server":
		return word
	case "convertible":
		return "laptop"
	case "handset", "watch", "embedded", "television", "spectacles":
		return "other"
	}
	return ""
}

// coresInTree are the designs of cores that the device tree names, each once.
func coresInTree(x *decoder) []string {
	nodes, _ := x.List(DeviceTree + TreeCores)
	var designs []string
	for _, node := range nodes {
		for _, text := range treeTexts(x, TreeCores+"/"+node+TreeOfCore) {
			designs = append(designs, text)
			break // those that follow are older designs that it is like
		}
	}
	slices.Sort(designs)
	return slices.Compact(designs)
}
