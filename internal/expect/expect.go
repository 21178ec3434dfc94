// Package expect asks what most tests ask, one thing at a time, so that a test that fails
// names the one thing that is not as it should be.
package expect

import (
	"strings"
	"testing"
)

// NoError ends the test if err is not nil.
func NoError(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// Error ends the test if err does not contain a text, or, if the text is empty, if err is not nil.
func Error(t testing.TB, err error, text string) {
	t.Helper()
	switch {
	case text == "":
		NoError(t, err)
	case err == nil:
		t.Fatalf("no error; want one with %q", text)
	default:
		Contains(t, err.Error(), text)
	}
}

// Same ends the test if got differs from want. what names the value in the message.
func Same[T comparable](t testing.TB, what string, got, want T) {
	t.Helper()
	if got != want {
		t.Fatalf("%s is %#v; want %#v", what, got, want)
	}
}

// That ends the test if a statement does not hold. what is the statement in words or code.
func That(t testing.TB, what string, holds bool) {
	t.Helper()
	if !holds {
		t.Fatalf("expected: %s", what)
	}
}

// Contains ends the test if a text does not contain a part.
func Contains(t testing.TB, text, part string) {
	t.Helper()
	if !strings.Contains(text, part) {
		t.Fatalf("%q is missing in:\n%s", part, text)
	}
}

// Lacks ends the test if a text contains a part.
func Lacks(t testing.TB, text, part string) {
	t.Helper()
	if strings.Contains(text, part) {
		t.Fatalf("%q is in:\n%s", part, text)
	}
}
