package inventory

import (
	"encoding/json"
	"errors"
)

// Opt is a value that may not be known. The zero Opt is not known.
type Opt[T any] struct {
	value T
	known bool
}

// Some is a known value.
func Some[T any](v T) Opt[T] { return Opt[T]{v, true} }

// Get returns the value and whether it is known.
func (o Opt[T]) Get() (T, bool) { return o.value, o.known }

// Or returns the value, or another where it is not known.
func (o Opt[T]) Or(other T) T {
	if o.known {
		return o.value
	}
	return other
}

// IsZero reports that the value is not known; with the tag omitzero it is then
// left out of a document.
func (o Opt[T]) IsZero() bool { return !o.known }

// MarshalJSON writes the value.
func (o Opt[T]) MarshalJSON() ([]byte, error) {
	if !o.known {
		return nil, errors.New("inventory: an unknown value has no JSON; omit it")
	}
	return json.Marshal(o.value)
}

// UnmarshalJSON reads a value. It refuses null, which would otherwise become a
// zero that looks known.
func (o *Opt[T]) UnmarshalJSON(b []byte) error {
	if string(b) == "null" {
		return errors.New("null is not a value; omit the key and add a gap")
	}
	o.known = true
	return json.Unmarshal(b, &o.value)
}

// Slot and Fill let package doc read the value in place.
func (o *Opt[T]) Slot() any { return &o.value }

// Fill marks the value as known.
func (o *Opt[T]) Fill() { o.known = true }
