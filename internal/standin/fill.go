package standin

import (
	"context"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/means"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// Service is what the demo is filled into.
type Service interface {
	LoadRelease(ctx context.Context, name string, src []byte) error
	Aim(ctx context.Context, class, id string) error
	SetPlaces(ctx context.Context, byPrefix map[string]string) error
	Load(ctx context.Context, d *inventory.Document) error
	PutHouse(ctx context.Context, kind, text, by string) error
}

// House are the organisation's own steps, firmware guides and prices, by kind.
func House() map[string]string {
	out := map[string]string{}
	for _, kind := range means.Kinds() {
		text, err := files.ReadFile("house/" + kind + ".yaml")
		if err != nil {
			panic(err) // it is embedded
		}
		out[kind] = string(text)
	}
	return out
}

// Fill puts the organisation into a service and returns how many machines it
// has.
func Fill(ctx context.Context, s Service, now time.Time) (int, error) {
	o, err := Load()
	if err != nil {
		return 0, err
	}
	for _, r := range AllReleases() {
		if err := s.LoadRelease(ctx, r.File, r.Text); err != nil {
			return 0, err
		}
	}
	for kind, text := range House() {
		if err := s.PutHouse(ctx, kind, text, "desktop support"); err != nil {
			return 0, err
		}
	}
	for class, id := range map[string]string{"pc": "skerry-12", "mac": "fathom-9"} {
		if err := s.Aim(ctx, class, id); err != nil {
			return 0, err
		}
	}
	places := map[string]string{}
	for _, p := range o.Places {
		places[p.Prefix] = p.Name
	}
	if err := s.SetPlaces(ctx, places); err != nil {
		return 0, err
	}
	machines, err := o.Fleet(now)
	if err != nil {
		return 0, err
	}
	captured, err := recorded.Inventories(now)
	if err != nil {
		return 0, err
	}
	for _, d := range Earlier(machines) {
		if err := s.Load(ctx, d); err != nil {
			return 0, err
		}
	}
	machines = append(machines, captured...)
	for _, d := range machines {
		if err := s.Load(ctx, d); err != nil {
			return 0, err
		}
	}
	return len(machines), nil
}
