package service

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"

	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/store"
)

// Values are what an administrator sets.
type Values struct {
	StaleDays       int  // a machine whose latest inventory is older is stale
	HistoryMonths   int  // every inventory is kept so long
	RetiredDays     int  // after which a retired machine is removed; 0: never
	ViewersSeeAll   bool // serial numbers, UUIDs and installed titles, too
	WebhooksPrivate bool // webhooks may be sent to this host and to private networks

	WorkingDays  string // of the week, as mon,tue
	WorkingHours string // of a day, as 08:00-16:00
}

// Settings holds the values in force.
type Settings struct {
	Records
	mu     sync.RWMutex
	values Values
}

// Get gives the values in force, with what counts where nobody set any.
func (s *Settings) Get() Values {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.values
}

func (s *Settings) load(ctx context.Context) error {
	stored, err := s.Store.Settings(ctx)
	if err != nil {
		return err
	}
	number := func(name string, otherwise int) int {
		if n, err := strconv.Atoi(stored[name]); err == nil {
			return n
		}
		return otherwise
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.values = Values{
		StaleDays:       number("stale-days", 30),
		HistoryMonths:   number("history-months", 13),
		RetiredDays:     number("retired-days", 90),
		ViewersSeeAll:   stored["viewers-see-all"] == "yes",
		WebhooksPrivate: stored["webhooks-private"] == "yes",
		WorkingDays:     cmp.Or(stored["working-days"], "mon,tue,wed,thu,fri"),
		WorkingHours:    cmp.Or(stored["working-hours"], "08:00-16:00"),
	}
	return nil
}

// Set stores other values and puts them in force.
func (s *Settings) Set(ctx context.Context, v Values) error {
	if _, err := wave.ReadWorkingDays(v.WorkingDays); err != nil {
		return refuse("Not working days", "%s", err)
	}
	if _, err := wave.ReadHours(v.WorkingHours); err != nil {
		return refuse("Not working hours", "%s", err)
	}
	values, had := v.stored(), s.Get()
	store.Note(ctx, differing(had.stored(), values), differing(values, had.stored()))
	if err := s.Store.SetSettings(ctx, values); err != nil {
		return err
	}
	return s.load(ctx)
}

// stored are the values as the store has them.
func (v Values) stored() map[string]string {
	return map[string]string{
		"stale-days":       strconv.Itoa(v.StaleDays),
		"history-months":   strconv.Itoa(v.HistoryMonths),
		"retired-days":     strconv.Itoa(v.RetiredDays),
		"viewers-see-all":  yesNo(v.ViewersSeeAll),
		"webhooks-private": yesNo(v.WebhooksPrivate),
		"working-days":     v.WorkingDays,
		"working-hours":    v.WorkingHours,
	}
}

// differing are the values of one that the other does not have, for the audit log.
func differing(of, from map[string]string) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(of)) {
		if of[name] != from[name] {
			out = append(out, name+" "+of[name])
		}
	}
	return strings.Join(out, ", ")
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
