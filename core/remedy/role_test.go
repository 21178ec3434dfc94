package remedy

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
)

const ownStep = `format: rolltop-steps/1
steps:
  - id: ID
    ROLE
    title: Look at it
    phase: desk
    do: Look at it closely.
    tell: Somebody looks at it.
    confirm: It was looked at.
    minutes: {least: 1, most: 2}
`

func withOwn(id, role string) (*Library, error) {
	src := strings.Replace(ownStep, "ID", id, 1)
	if role != "" {
		role = "role: " + role
	}
	return Read("own.yaml", []byte(strings.Replace(src, "    ROLE\n", strings.TrimRight("    "+role, " ")+"\n", 1)))
}

func TestEveryRoleIsPlayed(t *testing.T) {
	for _, role := range Roles() {
		t.Run(role, func(t *testing.T) {
			s := Shipped().Step(Role(role))
			if !s.Plays(Role(role)) {
				t.Fatalf("%s is played by %v", role, s)
			}
			if Shipped().ID(Role(role)) != s.ID {
				t.Errorf("its id is %s, not %s", Shipped().ID(Role(role)), s.ID)
			}
		})
	}
}

// A library without one of the roles would plan with another step in its place.
func TestMissingRole(t *testing.T) {
	for _, role := range Roles() {
		t.Run(role, func(t *testing.T) {
			docs := shipped()
			without := make([]StepDoc, len(docs))
			copy(without, docs)
			for i := range without {
				if without[i].Role == role {
					without[i].Role = ""
				}
			}
			r := &doc.Report{Name: "steps"}
			compile(without, nil, safeguards(), r)
			if err := r.Err(); err == nil || !strings.Contains(err.Error(), "no step has the role "+role) {
				t.Errorf("got %v", err)
			}
		})
	}
}

func TestRolesOfOwnSteps(t *testing.T) {
	l, err := withOwn("enter-firmware", "")
	if err != nil {
		t.Fatal(err)
	}
	if s := l.Step(EnteringFirmware); !s.Own || s.ID != "enter-firmware" {
		t.Errorf("a step in the place of a shipped one does not take over its role: %+v", s)
	}
	for _, tt := range []struct{ id, role, want string }{
		{"look", "enter-firmware", `"enter-firmware" has the role enter-firmware already`},
		{"look", "dance", `"dance" is not a valid value`},
	} {
		t.Run(tt.role, func(t *testing.T) {
			if _, err := withOwn(tt.id, tt.role); err == nil || !strings.Contains(err.Error(), tt.want) {
				t.Errorf("got %v\nwant %s", err, tt.want)
			}
		})
	}
}
