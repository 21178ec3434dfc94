package service

import (
	"context"
	"fmt"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// Knowledge is what plans are made with beside releases: steps, firmware guides and prices, the
// program's and the organisation's own.
type Knowledge struct {
	Records
	mu   sync.RWMutex
	base *knowledge.Base

	changing sync.Mutex // one change at a time
}

// Base is the knowledge in force.
func (k *Knowledge) Base() *knowledge.Base {
	k.mu.RLock()
	defer k.mu.RUnlock()
	return k.base
}

// engine names what decides beside a release: the program, and the own documents that it decides
// by.
func (k *Knowledge) engine() string {
	if digest := k.Base().Digest(); digest != "" {
		return build.Version + "+" + digest
	}
	return build.Version
}

// load reads the stored documents. One that this version cannot read must not keep the service
// from starting: plans are made without it, and the log says so.
func (k *Knowledge) load(ctx context.Context) error {
	stored, err := k.Own(ctx)
	if err != nil {
		return err
	}
	var docs []knowledge.Document
	for kind, text := range stored {
		one := knowledge.Document{Name: kind, Text: []byte(text)}
		if _, err := knowledge.Read(one); err != nil {
			k.Log.Error("a document of your own cannot be read; put another one in force", "kind", kind, "error", err)
			continue
		}
		docs = append(docs, one)
	}
	m, err := knowledge.Read(docs...)
	if err != nil {
		return err
	}
	k.set(m)
	return nil
}

func (k *Knowledge) set(m *knowledge.Base) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.base = m
}

// Own are the texts of the organisation's own documents in force, by kind.
func (k *Knowledge) Own(ctx context.Context) (map[string]string, error) {
	stored, err := k.Store.AllKnowledge(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, h := range stored {
		if h.Text != "" {
			out[h.Kind] = h.Text
		}
	}
	return out, nil
}

// With reads the documents in force with one in the place of its kind; an empty text is the
// program's own. The error may be [*doc.Mistakes].
func (k *Knowledge) With(ctx context.Context, kind, text string) (*knowledge.Base, error) {
	stored, err := k.Own(ctx)
	if err != nil {
		return nil, err
	}
	stored[kind] = text
	var docs []knowledge.Document
	for kind, text := range stored {
		if text != "" {
			docs = append(docs, knowledge.Document{Name: kind, Text: []byte(text)})
		}
	}
	if text == "" {
		return knowledge.Read(docs...)
	}
	is, err := knowledge.Kind(knowledge.Document{Name: kind, Text: []byte(text)})
	if err != nil {
		return nil, err
	}
	if is != kind {
		return nil, doc.Refuse(kind, fmt.Sprintf("the document has %s, not %s", is, kind),
			"use that kind instead")
	}
	return knowledge.Read(docs...)
}

// put stores a document of a kind and puts it in force, an empty text for what the program ships.
// decides says that the fleet has to be judged again. Where the document has mistakes nothing
// changes.
func (k *Knowledge) put(ctx context.Context, kind, text string) (decides bool, err error) {
	m, err := k.With(ctx, kind, text)
	if err != nil {
		return false, err
	}
	store.Note(ctx, "", fmt.Sprintf("%d bytes", len(text)))
	if err := k.Store.SetKnowledge(ctx, kind, text, by(ctx), k.Now()); err != nil {
		return false, err
	}
	before := k.Base()
	k.set(m)
	return before.Digest() != m.Digest(), nil
}
