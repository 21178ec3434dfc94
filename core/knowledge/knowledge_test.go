package knowledge_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/expect"
)

const (
	steps = "format: rolltop-steps/1\nsteps: [{id: mine, title: Mine, phase: desk, do: Do., tell: Tell., confirm: " +
		"Yes., minutes: {least: 1, most: 2}}]"
	guides = "format: rolltop-guides/1\nguides: [{id: a, title: A, maker: Ostrel}]"
	prices = "format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-10-15\nprices: []"
)

func read(t *testing.T, texts ...string) *knowledge.Base {
	t.Helper()
	var docs []knowledge.Document
	for i, s := range texts {
		docs = append(docs, knowledge.Document{Name: string(rune('a' + i)), Text: []byte(s)})
	}
	m, err := knowledge.Read(docs...)
	if err != nil {
		t.Fatal(err)
	}
	return m
}

// Verdicts are kept with what decided them: what decides changes the digest, and
// a price does not.
func TestDigest(t *testing.T) {
	none, priced, own, both := read(t), read(t, prices), read(t, steps), read(t, steps, guides)
	expect.Same(t, "none.Digest()", none.Digest(), "")
	expect.Same(t, "priced.Digest()", priced.Digest(), "")
	expect.That(t, `own.Digest() != ""`, own.Digest() != "")
	expect.That(t, "own.Digest() != both.Digest()", own.Digest() != both.Digest())
	expect.Same(t, "read(t, steps).Digest()", read(t, steps).Digest(), own.Digest())
	if priced.Prices == nil || none.Prices != nil {
		t.Error("the prices are not where they should be")
	}
}

func TestBadKnowledge(t *testing.T) {
	tests := []struct {
		docs []string
		want string
	}{
		{[]string{steps, steps}, "a and b are both about steps; put the two together"},
		{[]string{"format: rolltop-release/1"},
			`the format is "rolltop-release/1"; it is one of rolltop-steps/1, rolltop-guides/1 or rolltop-prices/1`},
		{[]string{"currency: EUR"}, `the key "format" is missing`},
		{[]string{strings.Replace(steps, "desk", "sea", 1)}, `"sea"`},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			var docs []knowledge.Document
			for i, s := range tt.docs {
				docs = append(docs, knowledge.Document{Name: string(rune('a' + i)), Text: []byte(s)})
			}
			_, err := knowledge.Read(docs...)
			coretest.Refused(t, err, tt.want)
		})
	}
}

// What the program prints to start from is right as it stands.
func TestShippedTextsAreRight(t *testing.T) {
	for _, kind := range knowledge.Kinds() {
		doc := knowledge.Document{Name: kind, Text: knowledge.ShippedText(kind)}
		if is, err := knowledge.Kind(doc); err != nil || is != kind {
			t.Errorf("%s: %s, %v", kind, is, err)
		}
		if _, err := knowledge.Read(doc); err != nil {
			t.Errorf("%s: %v", kind, err)
		}
	}
}
