package server

import (
	"context"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/store"
)

// The methods of this file fill a service from within the program, as the demo
// does, by the same ways as requests.

// LoadRelease adds a release document.
func (s *Server) LoadRelease(ctx context.Context, name string, src []byte) error {
	rel, err := release.Read(name, src, nil)
	if err != nil {
		return err
	}
	_, err = s.store.AddRelease(ctx, rel, src, s.now())
	return err
}

// Aim chooses the target release of a class of hardware.
func (s *Server) Aim(ctx context.Context, class, id string) error {
	if err := s.store.SetTarget(ctx, class, id); err != nil {
		return err
	}
	return s.aim(ctx, class, id)
}

// SetPlaces replaces all places.
func (s *Server) SetPlaces(ctx context.Context, byPrefix map[string]string) error {
	var list []store.Place
	for prefix, name := range byPrefix {
		list = append(list, store.Place{Prefix: prefix, Name: name})
	}
	return s.setPlaces(ctx, list)
}

// Load keeps and judges an inventory.
func (s *Server) Load(ctx context.Context, d *inventory.Document) error {
	_, err := s.keep(ctx, d, store.Entry{})
	return err
}

// PutHouse puts a document of an organisation's own in force.
func (s *Server) PutHouse(ctx context.Context, kind, text, by string) error {
	return s.setHouse(ctx, kind, text, by)
}
