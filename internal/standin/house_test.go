package standin_test

import (
	"testing"

	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/internal/standin"
)

func TestHouseIsSound(t *testing.T) {
	var docs []means.Document
	for kind, text := range standin.House() {
		docs = append(docs, means.Document{Name: kind, Text: []byte(text)})
	}
	m, err := means.Read(docs...)
	if err != nil {
		t.Fatal(err)
	}
	if m.Digest() == "" || m.Prices == nil {
		t.Error("the demo's own steps, guides and prices decide nothing")
	}
}
