// Package fact is the catalogue of everything Rolltop knows how to say of a
// machine, and the flat form of an inventory that checks work on.
//
// A fact has a name, a hand-given number, a kind, a unit, and an aspect: a
// measure (how much), a capability (able to) or a state (switched to). The same
// subject often has two: firmware.secure_boot_capable and firmware.secure_boot.
// To add one, add it to the inventory document, give it a number here and a
// line in the catalogue, and run go generate ./...
package fact
