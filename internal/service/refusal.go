package service

import (
	"cmp"
	"errors"
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/store"
)

// Reason is the kind of a [Refusal].
type Reason int

// The reasons.
const (
	Mistaken  Reason = iota // what was asked for cannot be
	Missing                 // there is no such thing, or the viewer does not see it
	Forbidden               // it is not for this viewer
	Taken                   // something stands in the way
	DiskFull                // there is no room to keep it
)

// Refusal is an error that whoever asked is told as it stands: what is wrong, and what would be
// right. Every other error of this package is the service's own trouble or one of the store's.
type Refusal struct {
	Reason Reason
	Title  string // a few words, as a heading
	Says   string
}

// Error is what the refusal says.
func (r *Refusal) Error() string { return r.Says }

func refuse(title, format string, args ...any) error {
	return &Refusal{Reason: Mistaken, Title: title, Says: fmt.Sprintf(format, args...)}
}

func missing(format string, args ...any) error {
	return &Refusal{Reason: Missing, Title: "Not found", Says: fmt.Sprintf(format, args...)}
}

func forbidden(format string, args ...any) error {
	return &Refusal{Reason: Forbidden, Title: "Not permitted", Says: fmt.Sprintf(format, args...)}
}

// NoMachine says that there is no machine with a key.
func NoMachine(key string) string {
	return fmt.Sprintf("there is no machine %q; rolltop machines lists all", key)
}

// NoRelease says that there is no release with an id.
func NoRelease(id string) string {
	return fmt.Sprintf("there is no release %q; rolltop releases lists all", id)
}

// NoWave says that there is no wave with a number.
func NoWave(id int64) string { return fmt.Sprintf("there is no wave %d; rolltop waves lists all", id) }

// NoInventory says that a machine has no such inventory.
func NoInventory(key string, id int64) string {
	return fmt.Sprintf("the machine %q has no inventory %d", key, id)
}

// noTarget is the refusal where no release is the target of a class of hardware.
func noTarget() error {
	return refuse("No target", "no target release is set for this class of hardware")
}

// orMissing says what is missing where the store has not found it; other errors stay as they are.
func orMissing(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return missing("%s", what)
	}
	return err
}

// suggest says which items there are, the nearest alone where one is near.
func suggest(item string, items []string) string {
	return cmp.Or(doc.Suggest(item, items), "its items are "+strings.Join(items, ", "))
}
