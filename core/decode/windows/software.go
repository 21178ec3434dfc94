package windows

import (
	"encoding/binary"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/titles"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// software are the machine-wide titles of both views of the registry.
func (x *decoder) software() {
	keep, asked := titles.Of(x.C.Get(SoftwareNamed))
	if !asked {
		x.Gap(fact.TitleCount, inventory.NotAsked, "no titles were asked for", titles.Try)
		return
	}
	seen := map[inventory.Software]bool{}
	x.D.Software = []inventory.Software{}
	for _, view := range []View{View64, View32} {
		for _, sub := range x.Lines(view.Subkeys(KeyUninstall)) {
			s, ok := x.title(view, KeyUninstall+`\`+sub)
			if !ok || seen[s] || !keep.Has(s.Name) && !keep.Has(sub) {
				continue
			}
			seen[s] = true // under another key it is the same
			s.Code = build.Known(sub)
			s.Source = build.Some("installer")
			if view == View32 && x.D.OS.Architecture.Or("") != "x86" {
				s.Architecture = build.Some("x86")
			}
			x.D.Software = append(x.D.Software, s)
		}
	}
	for _, full := range x.Lines(View64.Subkeys(KeyPackages)) {
		if s, ok := packageTitle(full); ok && keep.Has(s.Name) && !seen[s] {
			seen[s] = true
			x.D.Software = append(x.D.Software, s)
		}
	}
	x.D.Said("software", `HKLM\`+KeyUninstall+", both views, and the packages for all users")
	if r, is := x.Refused(View64.Subkeys(KeyUninstall), View32.Subkeys(KeyUninstall), View64.Refused(KeyUninstall),
		View32.Refused(KeyUninstall), View64.Subkeys(KeyPackages)); is {
		x.WhyNot(fact.TitleCount, r, "") // any title may be there
		return
	}
	if !keep.All {
		x.D.Collector.Titles = keep.Named
		x.Gap(fact.TitleCount, inventory.NotAsked, "only the titles asked for were read", titles.Try)
	}
}

// packageTitle reads the full name of a package: name, version, architecture, resource and identifier of
// the publisher, with underscores between them. The name is the one that its publisher registered.
func packageTitle(full string) (inventory.Software, bool) {
	f := strings.Split(full, "_")
	if len(f) != 5 || f[0] == "" || f[4] == "" {
		return inventory.Software{}, false
	}
	arch := map[string]string{"x86": "x86", "x64": "x86-64", "arm64": "arm64"}[strings.ToLower(f[2])]
	return inventory.Software{
		Name: f[0], Code: build.Some(f[0]), Version: build.Known(f[1]), Architecture: build.Known(arch),
		Source: build.Some("package"),
	}, true
}

// PackageName is the name under which a package is known, by its full name.
func PackageName(full string) string {
	s, _ := packageTitle(full)
	return s.Name
}

// title reads one entry. Parts of others and updates are no titles.
func (x *decoder) title(view View, key string) (inventory.Software, bool) {
	get := func(name string) registry.Value {
		r := x.C.Get(view.Value(key, name))
		v, err := registry.Parse(r.Raw)
		if r.Outcome != capture.OK || err != nil {
			return registry.Value{Type: registry.None}
		}
		return v
	}
	text := func(name string) string {
		s, _ := get(name).Text()
		return s
	}
	if n, ok := get("SystemComponent").Number(); ok && n == 1 || text("ParentKeyName") != "" {
		return inventory.Software{}, false
	}
	if kind := strings.ToLower(text("ReleaseType")); strings.Contains(kind, "update") ||
		strings.Contains(kind, "hotfix") {
		return inventory.Software{}, false
	}
	name := text("DisplayName")
	return inventory.Software{
		Name:      name,
		Version:   build.Known(text("DisplayVersion")),
		Publisher: build.Known(text("Publisher")),
	}, name != ""
}

// licence decodes SL_GENUINE_STATE: 0 genuine, 1 no valid licence, 2 tampered with, 3 not known offline.
func licence(x *decoder) {
	b, ok := x.raw(Licence, 4)
	if !ok {
		x.WhyNot(fact.OSLicence, x.C.Get(Licence), "this system does not tell of its licence")
		return
	}
	switch state := binary.LittleEndian.Uint32(b); state {
	case 0:
		x.Set(fact.OSLicence, "valid", Licence)
	case 1, 2:
		x.Set(fact.OSLicence, "invalid", Licence)
	default:
		x.Gap(fact.OSLicence, inventory.NotOffered, "the system has not established whether its licence is valid",
			"")
	}
}

// management: who steers this machine's updates, in words of kind and not of
// names.
func (x *decoder) management() {
	o := &x.D.OS
	joined := uint32(0)
	if b, ok := x.raw(Joined, 4); ok {
		joined = binary.LittleEndian.Uint32(b)
	}
	cloud := x.C.Get(View64.Mark(KeyCloud, "*")).Outcome == capture.OK
	switch {
	case joined == 3:
		x.Set(fact.OSAccount, "directory", Joined)
	case cloud:
		x.Set(fact.OSAccount, "directory", `HKLM\`+KeyCloud)
	default:
		accounts(x)
	}
	var by []string
	if joined == 3 {
		by = append(by, "a directory")
	}
	if x.enrolled() {
		by = append(by, "device management")
	}
	if x.C.Get(View64.Mark(KeyPolicy, "WUServer")).Outcome == capture.OK {
		by = append(by, "an update server")
	}
	if len(by) > 0 {
		x.Set(fact.OSManagedBy, strings.Join(by, ", "), "directory, enrolments and update policy")
	} else {
		x.RefusedOr(fact.OSManagedBy, "no sign of a directory, of device management or of an update server",
			Joined, View64.Subkeys(KeyEnrolled), View64.Mark(KeyPolicy, "WUServer"))
	}
	if n, ok := x.keyNumber(KeyPolicy, "TargetReleaseVersion"); ok && n == 1 {
		x.Set(fact.OSHeldAt, x.keyText(KeyPolicy, "TargetReleaseVersionInfo"), `HKLM\`+KeyPolicy)
	}
	if o.HeldAt.IsZero() {
		if r, is := x.Refused(View64.Value(KeyPolicy, "TargetReleaseVersion"),
			View64.Value(KeyPolicy, "TargetReleaseVersionInfo")); is {
			x.WhyNot(fact.OSHeldAt, r, "")
		} else {
			x.None(fact.OSHeldAt.String(), "no policy holds the machine at a release")
		}
	}
	x.checksSkipped(o)
}

// skipped are the values by which an installation was told to leave out checks of
// its release, and what each of them leaves out. They are only ever read.
var skipped = []struct{ key, name, says string }{
	{KeySkipLab, "BypassCPUCheck", "processor"},
	{KeySkipLab, "BypassRAMCheck", "memory"},
	{KeySkipLab, "BypassSecureBootCheck", "secure boot"},
	{KeySkipLab, "BypassStorageCheck", "storage"},
	{KeySkipLab, "BypassTPMCheck", "TPM"},
	{KeySkipMove, "AllowUpgradesWithUnsupportedTPMOrCPU", "TPM or processor"},
}

// checksSkipped reads the signs. That there is none is known only where every
// value was looked for.
func (x *decoder) checksSkipped(o *inventory.OS) {
	signs, looked := []string{}, true
	var sources []string
	for _, s := range skipped {
		sources = append(sources, View64.Value(s.key, s.name))
		if n, ok := x.keyNumber(s.key, s.name); ok && n != 0 {
			signs = append(signs, s.says)
		}
		at := x.C.Get(View64.Value(s.key, s.name)).Outcome
		looked = looked && (at == capture.OK || at == capture.Absent)
	}
	r, refused := x.Refused(sources...)
	switch {
	case len(signs) > 0 || looked:
		o.ChecksSkipped = signs
		x.D.Said("os.checks_skipped", `HKLM\`+KeySkipLab+` and HKLM\`+KeySkipMove)
	case refused:
		x.WhyNot(fact.ChecksSkipped, r, "")
	default:
		x.Gap(fact.ChecksSkipped, inventory.NotAsked, "the capture holds no reading of it",
			"take the inventory again with this collector")
	}
}

// enrolled: many of these keys are placeholders; a real one says so and names
// a provider.
func (x *decoder) enrolled() bool {
	for _, sub := range x.Lines(View64.Subkeys(KeyEnrolled)) {
		key := KeyEnrolled + `\` + sub
		if n, ok := x.keyNumber(key, "EnrollmentState"); ok && n == 1 &&
			x.C.Get(View64.Mark(key, "ProviderID")).Outcome == capture.OK {
			return true
		}
	}
	return false
}

// restart: marks of servicing and of updates are certain. Files that wait to be
// renamed prove nothing: many installers leave them.
func (x *decoder) restart() {
	var marks []string
	for _, key := range []string{
		KeyServicing + `\RebootPending`, KeyServicing + `\RebootInProgress`, KeyUpdate + `\RebootRequired`,
	} {
		if x.keyExists(key) {
			x.SetBool(fact.OSPendingRestart, true, `HKLM\`+key)
			return
		}
		marks = append(marks, View64.Subkeys(key))
	}
	if r, is := x.Refused(marks...); is {
		x.WhyNot(fact.OSPendingRestart, r, "")
		return
	}
	if !x.keyExists(KeyServicing) {
		x.WhyNot(fact.OSPendingRestart, x.C.Get(View64.Subkeys(KeyServicing)), "the system keeps no marks of servicing")
		return
	}
	if v, ok := x.value(KeySession, "PendingFileRenameOperations"); ok && len(v.Data) > 0 {
		x.Gap(fact.OSPendingRestart, inventory.NotOffered,
			"only files that wait to be renamed at the next start, which installers often leave behind",
			"Restart the machine and take the inventory again.")
		return
	}
	x.SetBool(fact.OSPendingRestart, false, `HKLM\`+KeyServicing)
}

// isolation: what runs, and what is only configured, are two things.
func (x *decoder) isolation() {
	configured, known := x.keyNumber(KeyGuard, "EnableVirtualizationBasedSecurity")
	b, ok := x.raw(Isolation, 1)
	switch {
	case ok && b[0]&1 != 0:
		x.Set(fact.VBS, "running", Isolation)
	case ok && known && configured == 1:
		x.Set(fact.VBS, "configured", `HKLM\`+KeyGuard)
	case ok:
		x.Set(fact.VBS, "off", Isolation)
	default:
		x.WhyNot(fact.VBS, x.C.Get(Isolation),
			fmt.Sprintf("this version of the system does not report it (%s)", Isolation))
	}
}
