package remedy

import (
	"fmt"
	"slices"

	"rolltop.example/rolltop/core/doc"
)

// Role is the part that a step plays for the program itself, which plans with it, names it in a
// sentence or counts what it leaves. The step files say which step plays it, so that no id of a
// step stands in the code.
type Role string

// The roles. Each is played by exactly one step of a library.
const (
	Replacing         Role = "replace"           // the machine is replaced
	Deciding          Role = "decide"            // a person decides
	Interposing       Role = "interim"           // an intermediate release is installed
	Upgrading         Role = "upgrade"           // the target is installed over the present system
	Imaging           Role = "image"             // the target is installed from a full image
	EnteringByHand    Role = "enter-by-hand"     // somebody looks and enters a fact
	CheckingKey       Role = "recovery-key"      // the recovery key is looked up and kept
	PausingEncryption Role = "pause-encryption"  // encryption is paused for some restarts
	EndingPause       Role = "resume-encryption" // and protects again
	AskingPassphrase  Role = "passphrase"        // who types it at each start is asked
	EnteringFirmware  Role = "enter-firmware"    // the settings of the firmware are opened
	Converting        Role = "convert-disk"      // the disk is converted to GPT
	AskingOtherSystem Role = "other-system"      // what is to become of another system on the disk is asked
	AskingTitles      Role = "research-titles"   // titles that no list knows are looked into
	AskingDrivers     Role = "research-drivers"  // drivers that no list knows are looked into
	AddingMemory      Role = "add-memory"        // into empty slots
	ExchangingMemory  Role = "swap-memory"       // for larger modules
	ChangingBadDrive  Role = "failing-drive"     // a drive that fails is changed
)

// roles are all of them.
var roles = []string{
	string(Replacing), string(Deciding), string(Interposing), string(Upgrading), string(Imaging),
	string(EnteringByHand), string(CheckingKey), string(PausingEncryption), string(EndingPause),
	string(AskingPassphrase), string(EnteringFirmware), string(Converting), string(AskingOtherSystem),
	string(AskingTitles), string(AskingDrivers), string(AddingMemory), string(ExchangingMemory),
	string(ChangingBadDrive),
}

// Roles are the roles that a step may play, as step files write them.
func Roles() []string { return slices.Clone(roles) }

// Plays says that the step plays a role. A step that is nil plays none.
func (s *Step) Plays(r Role) bool { return s != nil && s.Role == string(r) }

// Step is the step that plays a role; never nil for a library without mistakes.
func (l *Library) Step(r Role) *Step {
	i, ok := l.playing[r]
	if !ok {
		return nil
	}
	return &l.steps[i]
}

// ID is the id of the step that plays a role.
func (l *Library) ID(r Role) string { return l.steps[l.playing[r]].ID }

// castRoles notes which step plays which role. An own step in the place of a shipped one plays
// what that played.
func (l *Library) castRoles(r *doc.Report) {
	l.playing = make(map[Role]int, len(roles))
	for i := range l.steps {
		s := &l.steps[i]
		if s.Role == "" {
			continue
		}
		if other, twice := l.playing[Role(s.Role)]; twice {
			r.Add(s.Node.Of("role"), fmt.Sprintf("the step %q has the role %s already", l.steps[other].ID, s.Role),
				"a role belongs to one step: give yours the id "+l.steps[other].ID+" to put it in that step's place")
			continue
		}
		l.playing[Role(s.Role)] = i
	}
	for _, role := range roles {
		if _, ok := l.playing[Role(role)]; !ok && r.Count() == 0 {
			r.Add(nil, fmt.Sprintf("no step has the role %s", role), "one step has to: role: "+role)
		}
	}
}
