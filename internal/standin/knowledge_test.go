package standin_test

import (
	"testing"

	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/standin"
)

func TestKnowledgeIsSound(t *testing.T) {
	var docs []knowledge.Document
	for kind, text := range standin.Knowledge() {
		docs = append(docs, knowledge.Document{Name: kind, Text: []byte(text)})
	}
	m, err := knowledge.Read(docs...)
	if err != nil {
		t.Fatal(err)
	}
	if m.Digest() == "" || m.Prices == nil {
		t.Error("the demo's own steps, guides and prices decide nothing")
	}
}
