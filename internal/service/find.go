package service

import (
	"context"
	"errors"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/store"
)

// maxNearest is up to how many machines the nearest name is looked for.
const maxNearest = 100_000

// Key is the key of the machine that a person names: by its key, its name or its serial number, in any
// case. The error is a [*Refusal] where there is none, with the nearest name, or where there are several.
func (i *Index) Key(ctx context.Context, text string) (string, error) {
	switch _, err := i.Store.MachineByKey(ctx, text); {
	case err == nil:
		return text, nil
	case !errors.Is(err, store.ErrNotFound):
		return "", err
	case strings.TrimSpace(text) == "":
		return "", missing("the machine is missing; give its name, its serial number or its key")
	}
	f, err := i.Where(ctx, "")
	if err != nil {
		return "", err
	}
	var serials []int64
	if ViewerOf(ctx).Plain {
		if serials, err = i.Store.Named(ctx, "device.serial", text); err != nil {
			return "", err
		}
	}
	var byKey, byName, bySerial, names []string
	machines := 0
	err = i.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) {
		machines++
		if strings.EqualFold(r.Key, text) {
			byKey = append(byKey, r.Key)
		}
		if strings.EqualFold(r.Name, text) {
			byName = append(byName, r.Key)
		}
		if slices.Contains(serials, r.ID) {
			bySerial = append(bySerial, r.Key)
		}
		if machines <= maxNearest {
			names = append(names, r.Name)
		}
	})
	if err != nil {
		return "", err
	}
	for _, found := range [][]string{byName, byKey, bySerial} { // two of one name come before a key like it
		switch {
		case len(found) == 1:
			return found[0], nil
		case len(found) > 1:
			some := slices.Sorted(slices.Values(found))[:min(len(found), 5)]
			return "", refuse("Several machines", "%d machines are called %q; use the key: %s", len(found), text,
				strings.Join(some, ", "))
		}
	}
	if machines > maxNearest {
		names = nil
	}
	if near := doc.Nearest(text, names); near != "" {
		return "", missing("there is no machine %q; did you mean %q?", text, near)
	}
	return "", missing("%s", NoMachine(text))
}

// Keys are the keys of machines that a person names, as [Index.Key] reads each.
func (i *Index) Keys(ctx context.Context, names []string) ([]string, error) {
	out := slices.Clone(names)
	known := make(map[string]bool, len(names))
	if len(names) > 1 { // a pass through the index for each of many names would take long
		f, err := i.Where(ctx, "")
		if err != nil {
			return nil, err
		}
		for _, name := range names {
			known[name] = false
		}
		if err := i.Each(ctx, f.Within("retired", "yes", "no"), func(r *fleet.Row) {
			if _, asked := known[r.Key]; asked {
				known[r.Key] = true
			}
		}); err != nil {
			return nil, err
		}
	}
	for at, name := range names {
		if known[name] {
			continue
		}
		key, err := i.Key(ctx, name)
		if err != nil {
			return nil, err
		}
		out[at] = key
	}
	return out, nil
}
