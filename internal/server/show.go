package server

import (
	"rolltop.example/rolltop/core/inventory"
)

// show is an inventory as a caller may see it: without what names one machine and
// what is installed on it, where their role does not show that.
func (c *caller) show(inv *inventory.Document) *inventory.Document {
	if c.Plain {
		return inv
	}
	out := inv.Clone()
	var none inventory.Opt[string]
	for name, slot := range map[string]*inventory.Opt[string]{"device.serial": &out.Device.Serial, "device.uuid": &out.Device.UUID, "device.board.serial": &out.Device.Board.Serial, "device.asset_tag": &out.Device.AssetTag} {
		*slot = none
		delete(out.Sources, name)
		out.DropGap(name)
		out.AddGap(name, inventory.NotAsked, "your role does not show it", "")
	}
	out.Software = nil
	out.DropGap("software")
	out.AddGap("software", inventory.NotAsked, "your role does not show it", "")
	return out
}
