// Package efi decodes variables of UEFI firmware (UEFI Specification, sections
// 3.3 and 8.2) as Linux hands them out: four bytes of attributes, then the data.
package efi

import "fmt"

// Byte reads a variable that holds one byte, such as SecureBoot and SetupMode.
func Byte(variable []byte) (byte, error) {
	if len(variable) != 5 {
		return 0, fmt.Errorf("efi: the variable has %d bytes, not 4 of attributes and 1 of data", len(variable))
	}
	return variable[4], nil
}

// SecureBoot decides the state from the variables SecureBoot and SetupMode:
// on, off, or setup where the firmware has no keys.
func SecureBoot(secureBoot, setupMode byte) string {
	switch {
	case secureBoot == 1:
		return "on"
	case setupMode == 1:
		return "setup"
	}
	return "off"
}
