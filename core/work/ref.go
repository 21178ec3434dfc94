package work

// MachineRef names a machine, with what tells it from others in a list.
type MachineRef struct {
	Key   string `json:"key"`
	Name  string `json:"name"`
	Site  string `json:"site"`
	Model string `json:"model"`
}

// Ref names the machine.
func (m *Machine) Ref() MachineRef {
	return MachineRef{Key: m.Key, Name: m.Name, Site: m.Site, Model: m.Model}
}
