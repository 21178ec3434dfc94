// Package service is what Rolltop does, without HTTP and without the types of its API: it keeps
// inventories, judges machines against their targets, answers lists and counts from an index,
// and plans, groups and follows the work of a fleet.
//
// Its parts are types with a page and a lock of their own. Each knows the parts below it and none
// above:
//
//	Records  the store, the clock and the log that every part has
//	Settings, Knowledge, Releases   what administrators chose: values, documents, targets
//	Index    the fleet in memory; Overlay lays decisions over it
//	Judge    verdicts, for one machine within a write and for all of them
//	Machines one machine: its facts, its check, what was entered by hand
//	Answers  sentences and cells for the machines of a page
//	Intake   inventories come in; Flow bounds how many at once; Attesting asks machines for proofs
//	Work, Waves, WhatIf, RuleChanges   what is asked of the whole fleet
//	Webhooks, Upkeep   what happens without a request
//
// Who asks travels in the context, see [As]: what a viewer may not see is not found.
package service

import (
	"context"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/internal/store"
)

// Options of a service.
type Options struct {
	Store     *store.Store
	Log       *slog.Logger
	Now       func() time.Time      // for tests; nil: the clock
	KeepFree  int64                 // bytes of the disk that stay free: with less, no inventories are taken
	FreeBytes func() (int64, error) // for tests; nil: the disk of the database
	TPMMakers *x509.CertPool        // whose certificates of TPMs count; nil: nobody's
}

// Records is what every part of the service has.
type Records struct {
	Store *store.Store
	Log   *slog.Logger
	Now   func() time.Time
}

// Service is all parts together.
type Service struct {
	Records
	Settings    *Settings
	Knowledge   *Knowledge
	Releases    *Releases
	Index       *Index
	Decisions   *Decisions
	Judge       *Judge
	Machines    *Machines
	Bulk        *Bulk
	Answers     *Answers
	Flow        *Flow
	Intake      *Intake
	Attesting   *Attesting
	Work        *Work
	Orders      *Orders
	Inquiries   *Inquiries
	Briefings   *Briefings
	Standings   *Standings
	Waves       *Waves
	WhatIf      *WhatIf
	RuleChanges *RuleChanges
	Webhooks    *Webhooks
	Upkeep      *Upkeep
}

// New makes a service and brings verdicts up to date with the stored targets. A large fleet is
// loaded into the index beside; see [Index.Loaded].
func New(ctx context.Context, o Options) (*Service, error) {
	s := assemble(o)
	if err := s.start(ByItself(ctx)); err != nil {
		return nil, err
	}
	return s, nil
}

// assemble puts the parts together, and reads nothing.
func assemble(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	if o.FreeBytes == nil {
		o.FreeBytes = o.Store.FreeBytes
	}
	r := Records{Store: o.Store, Log: o.Log, Now: o.Now}
	s := &Service{Records: r}
	s.Settings = &Settings{Records: r}
	s.Knowledge = &Knowledge{Records: r}
	s.Releases = newReleases(r)
	overlay := &Overlay{Records: r, releases: s.Releases, knowledge: s.Knowledge}
	s.Index = &Index{Records: r, releases: s.Releases, knowledge: s.Knowledge, overlay: overlay}
	s.Judge = &Judge{Records: r, releases: s.Releases, knowledge: s.Knowledge, index: s.Index}
	s.Decisions = &Decisions{Records: r, releases: s.Releases, index: s.Index}
	s.Machines = &Machines{
		Records: r, releases: s.Releases, knowledge: s.Knowledge, index: s.Index, decisions: s.Decisions,
		judge: s.Judge,
	}
	s.Bulk = &Bulk{Records: r, index: s.Index, judge: s.Judge}
	s.Answers = &Answers{Records: r, releases: s.Releases, knowledge: s.Knowledge}
	s.Flow = newFlow()
	s.Intake = &Intake{Records: r, judge: s.Judge, index: s.Index, flow: s.Flow}
	s.Attesting = &Attesting{Records: r, judge: s.Judge, index: s.Index, makers: o.TPMMakers}
	s.Intake.disk = disk{keepFree: o.KeepFree, free: o.FreeBytes}
	s.Waves = &Waves{
		Records: r, releases: s.Releases, knowledge: s.Knowledge, index: s.Index, settings: s.Settings,
	}
	s.Work = &Work{
		Records: r, releases: s.Releases, knowledge: s.Knowledge, index: s.Index,
		machines: s.Machines, decisions: s.Decisions, waves: s.Waves, settings: s.Settings, bulk: s.Bulk,
	}
	s.Orders = &Orders{Records: r, index: s.Index, knowledge: s.Knowledge, work: s.Work}
	s.Standings = &Standings{Records: r, work: s.Work, orders: s.Orders}
	s.Briefings = &Briefings{Records: r, work: s.Work, orders: s.Orders}
	s.Index.parts, s.Index.noPart = s.Orders.machinesOf, s.Orders.noneSuch
	s.Inquiries = &Inquiries{
		Records: r, releases: s.Releases, machines: s.Machines, index: s.Index, work: s.Work,
	}
	s.WhatIf = &WhatIf{Records: r, releases: s.Releases, knowledge: s.Knowledge, index: s.Index, work: s.Work}
	s.RuleChanges = &RuleChanges{Records: r, releases: s.Releases, index: s.Index}
	s.Webhooks = &Webhooks{Records: r}
	s.Upkeep = &Upkeep{
		Records: r, settings: s.Settings, index: s.Index, machines: s.Machines, webhooks: s.Webhooks,
	}
	s.Upkeep.Also("proofs that no longer count could not be ended", func(ctx context.Context) error {
		return s.Attesting.endPast(ctx, r.Now())
	})
	s.Index.OnChange(s.Work.forget)
	s.Index.OnChange(s.Waves.forget)
	s.Index.OnChange(s.Answers.forget)
	return s
}

// start reads what was stored and judges what is not judged by the present rules.
func (s *Service) start(ctx context.Context) error {
	if err := s.Settings.load(ctx); err != nil {
		return err
	}
	if err := s.Judge.repack(ctx); err != nil {
		return err
	}
	if err := s.Knowledge.load(ctx); err != nil {
		return err
	}
	stored, err := s.Store.Targets(ctx)
	if err != nil {
		return err
	}
	for class, aim := range stored {
		id := aim.ID
		err := s.Judge.SetTarget(ctx, class, aim)
		var mistakes *doc.Mistakes
		switch {
		case errors.As(err, &mistakes):
			// A document that an earlier version took must not keep the service from
			// starting: its machines are not judged until a revision is added.
			s.Log.Error("a target release cannot be read; add a new revision of it", "release", id, "error", err)
		case err != nil:
			return fmt.Errorf("the target release %s cannot be used: %w", id, err)
		}
	}
	return s.Index.begin(ctx)
}
