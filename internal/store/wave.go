package store

import (
	"cmp"
	"context"
	"time"

	"github.com/jmoiron/sqlx"

	"rolltop.example/rolltop/core/wave"
)

type waveRow struct {
	ID      int64  `db:"id"`
	Name    string `db:"name"`
	Release string `db:"release_id"`
	Pilot   bool   `db:"pilot"`
	Rule    string `db:"rule"`
	Most    int    `db:"most"`
	Starts  string `db:"starts"`
	Ends    string `db:"ends"`
	Note    string `db:"note"`
	By      string `db:"by_whom"`
	At      int64  `db:"at"`
	EndedAt int64  `db:"ended_at"`

	StopPercent int `db:"stop_percent"`
	Forgiven    int `db:"forgiven"`
}

// Waves lists all of them in their order.
func (s waves) Waves(ctx context.Context) ([]wave.Wave, error) {
	var rows []waveRow
	err := s.reader.SelectContext(ctx, &rows, "SELECT * FROM wave")
	out := make([]wave.Wave, len(rows))
	for i, r := range rows {
		out[i] = wave.Wave{
			ID:      r.ID,
			Name:    r.Name,
			Release: r.Release,
			Pilot:   r.Pilot,
			Rule:    r.Rule,
			Most:    r.Most,
			Starts:  wave.Day(r.Starts),
			Ends:    wave.Day(r.Ends),
			Note:    r.Note,
			Ended:   r.EndedAt > 0,

			StopPercent: r.StopPercent,
			Forgiven:    r.Forgiven,
		}
	}
	return wave.Sorted(out), err
}

// SetWave adds a wave, or changes the one of its number, and gives the number. The error
// may be [ErrNotFound].
func (s waves) SetWave(ctx context.Context, w *wave.Wave, by string, now time.Time) (id int64, err error) {
	id = w.ID
	err = s.write(ctx, func(tx *sqlx.Tx) error {
		if id > 0 {
			return one(tx.Exec("UPDATE wave SET name=?, release_id=?, pilot=?, rule=?, most=?, starts=?, ends=?, "+
				"note=?, stop_percent=? WHERE id=? AND ended_at=0", w.Name, w.Release, w.Pilot, w.Rule, w.Most,
				w.Starts, w.Ends, w.Note, w.StopPercent, id))
		}
		res, err := tx.Exec(
			"INSERT INTO wave (name, release_id, pilot, rule, most, starts, ends, note, stop_percent, "+
				"by_whom, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
			w.Name,
			w.Release,
			w.Pilot,
			w.Rule,
			w.Most,
			w.Starts,
			w.Ends,
			w.Note,
			w.StopPercent,
			by,
			millis(now),
		)
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	return id, err
}

// EndWave ends one: machines of it that were not handed over are free for others. The
// error may be [ErrNotFound].
func (s waves) EndWave(ctx context.Context, id int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if err := one(tx.Exec("UPDATE wave SET ended_at=? WHERE id=? AND ended_at=0", millis(now), id)); err != nil {
			return err
		}
		if _, err := tx.Exec("DELETE FROM wave_hop WHERE wave_id=?1 AND machine_id IN (SELECT machine_id FROM "+
			"wave_machine WHERE wave_id=?1 AND handed_off_at=0)", id); err != nil {
			return err
		}
		_, err := tx.Exec("DELETE FROM wave_machine WHERE wave_id=? AND handed_off_at=0", id)
		return err
	})
}

// Member is a machine in a wave.
type Member struct {
	WaveID      int64  `db:"wave_id"`
	MachineID   int64  `db:"machine_id"`
	ByName      string `db:"by_name"`
	HandedOffAt int64  `db:"handed_off_at"`
	Outcome     string `db:"outcome"`
	Reason      string `db:"reason"`
	SaidAt      int64  `db:"said_at"`
	Day         string `db:"day"`

	ArrivedAt int64 `db:"arrived_at"` // as inventories show
	LeftAt    int64 `db:"left_at"`

	Hops []Hop `db:"-"` // intermediate releases on its way, in their order
}

// Hop is an intermediate release on the way of a machine in a wave.
type Hop struct {
	WaveID    int64  `db:"wave_id"`
	MachineID int64  `db:"machine_id"`
	Number    int    `db:"number"`
	Release   string `db:"release"` // its name
	Day       string `db:"day"`
	SeenAt    int64  `db:"seen_at"` // when an inventory showed it
	Outcome   string `db:"outcome"`
	Reason    string `db:"reason"`
	SaidAt    int64  `db:"said_at"`
}

// Seen is when an inventory showed the release; zero if none did.
func (h *Hop) Seen() time.Time { return orNever(h.SeenAt) }

// HandedOff is when the machine was handed off; zero if it was not.
func (m *Member) HandedOff() time.Time { return orNever(m.HandedOffAt) }

// Said is when the deployment system reported an outcome; zero if it did not.
func (m *Member) Said() time.Time { return orNever(m.SaidAt) }

// Arrived is when an inventory showed the release; zero if none did.
func (m *Member) Arrived() time.Time { return orNever(m.ArrivedAt) }

// Left is when an inventory showed that the machine no longer runs the release; zero if none did.
func (m *Member) Left() time.Time { return orNever(m.LeftAt) }

func orNever(ms int64) time.Time {
	if ms == 0 {
		return time.Time{}
	}
	return fromMillis(ms)
}

// Members are the machines of all waves.
func (s waves) Members(ctx context.Context) ([]Member, error) {
	var out []Member
	err := s.reader.SelectContext(
		ctx,
		&out,
		`SELECT m.*, coalesce(a.at, 0) AS arrived_at, coalesce(a.left_at, 0) AS left_at FROM wave_machine m JOIN wave w ON w.id=m.wave_id
		LEFT JOIN arrival a ON a.machine_id=m.machine_id AND a.release_id=w.release_id ORDER BY m.wave_id, m.machine_id`,
	)
	if err != nil {
		return nil, err
	}
	var hops []Hop
	if err := s.reader.SelectContext(ctx, &hops,
		"SELECT * FROM wave_hop ORDER BY wave_id, machine_id, number"); err != nil {
		return nil, err
	}
	for i := range out { // both are in the order of waves and machines
		m := &out[i]
		for len(hops) > 0 {
			order := cmp.Or(cmp.Compare(hops[0].WaveID, m.WaveID), cmp.Compare(hops[0].MachineID, m.MachineID))
			if order > 0 {
				break
			}
			if order == 0 {
				m.Hops = append(m.Hops, hops[0])
			}
			hops = hops[1:]
		}
	}
	return out, nil
}

// SetMembers puts machines into a wave, or gives those that are in it other days and hops. ByName is who let them in
// although something is waived or lost.
func (s waves) SetMembers(ctx context.Context, members []Member) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		member, err := tx.PrepareNamed("INSERT INTO wave_machine (wave_id, machine_id, by_name, day) VALUES " +
			"(:wave_id, :machine_id, :by_name, :day) " +
			"ON CONFLICT DO UPDATE SET by_name=excluded.by_name, day=excluded.day")
		if err != nil {
			return err
		}
		defer member.Close()
		hop, err := tx.PrepareNamed("INSERT INTO wave_hop (wave_id, machine_id, number, release, day) VALUES " +
			"(:wave_id, :machine_id, :number, :release, :day) ON CONFLICT DO UPDATE SET day=excluded.day")
		if err != nil {
			return err
		}
		defer hop.Close()
		for i := range members {
			if _, err := member.Exec(&members[i]); err != nil {
				return err
			}
			for k := range members[i].Hops {
				if _, err := hop.Exec(&members[i].Hops[k]); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// ForgiveWave lets a wave that its stop rule pauses go on with the failures that it has. The error may be
// [ErrNotFound].
func (s waves) ForgiveWave(ctx context.Context, id int64, failures int) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("UPDATE wave SET forgiven=? WHERE id=? AND ended_at=0", failures, id))
	})
}

// RemoveMember removes a machine from a wave; what was said of it stays on record. The error may be [ErrNotFound].
func (s waves) RemoveMember(ctx context.Context, id, machine int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM wave_hop WHERE wave_id=? AND machine_id=?", id, machine); err != nil {
			return err
		}
		return one(tx.Exec("DELETE FROM wave_machine WHERE wave_id=? AND machine_id=?", id, machine))
	})
}

// Hand notes that machines were handed to the deployment system, and tells those who are
// told of changes.
func (s waves) Hand(ctx context.Context, w *wave.Wave, machines []int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for _, d := range machines {
			if _, err := tx.Exec("UPDATE wave_hop SET outcome='', reason='', said_at=0 WHERE wave_id=? AND "+
				"machine_id=? AND seen_at=0", w.ID, d); err != nil {
				return err
			}
			if _, err := tx.Exec("UPDATE wave_machine SET handed_off_at=?, outcome='', reason='', said_at=0 WHERE "+
				"wave_id=? AND machine_id=?", millis(now), w.ID, d); err != nil {
				return err
			}
			if _, err := tx.Exec("INSERT INTO flip (machine_id, release_id, was, becomes, cause, at, about) VALUES "+
				"(?, ?, 0, 0, ?, ?, ?)", d, w.Release, ByHandOff, millis(now), w.ID); err != nil {
				return err
			}
		}
		return nil
	})
}

// SayOutcome notes what somebody, or a deployment system, said of a machine; one that
// waits again counts as not handed over. Every outcome stays on record. The error may be [ErrNotFound].
func (s waves) SayOutcome(ctx context.Context, r *WaveRecord) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.NamedExec("INSERT INTO wave_record (wave_id, machine_id, release, outcome, reason, by_whom, "+
			"at) VALUES (:wave_id, :machine_id, :release, :outcome, :reason, :by_whom, :at)", r); err != nil {
			return err
		}
		if r.Release != "" {
			if err := one(tx.NamedExec("UPDATE wave_hop SET outcome=:outcome, reason=:reason, said_at=:at WHERE "+
				"wave_id=:wave_id AND machine_id=:machine_id AND release=:release", r)); err != nil ||
				r.Outcome == wave.Arrived {
				return err // that an intermediate release is there says nothing of the target
			}
		}
		id, machine, outcome, reason, now := r.WaveID, r.MachineID, r.Outcome, r.Reason, fromMillis(r.Millis)
		return one(tx.Exec("UPDATE wave_machine SET outcome=?, reason=?, said_at=?, handed_off_at=CASE ? WHEN ? "+
			"THEN 0 "+
			"ELSE handed_off_at END WHERE wave_id=? AND machine_id=?", outcome, reason, millis(now), outcome,
			wave.Waiting,
			id, machine))
	})
}

// WaveRecord is an outcome that was said of a machine in a wave.
type WaveRecord struct {
	ID        int64  `db:"id"`
	WaveID    int64  `db:"wave_id"`
	MachineID int64  `db:"machine_id"`
	Release   string `db:"release"` // name of the intermediate release; "": the target
	Outcome   string `db:"outcome"`
	Reason    string `db:"reason"`
	By        string `db:"by_whom"`
	Millis    int64  `db:"at"`
}

// At is when it was said.
func (r *WaveRecord) At() time.Time { return fromMillis(r.Millis) }

// WaveRecords are the outcomes that were said of a machine in all waves, the earliest first.
func (s waves) WaveRecords(ctx context.Context, machine int64) ([]WaveRecord, error) {
	var out []WaveRecord
	err := s.reader.SelectContext(ctx, &out, "SELECT * FROM wave_record WHERE machine_id=? ORDER BY at, id", machine)
	return out, err
}

// RecordsSince are the outcomes that were said since a time, of all machines.
func (s waves) RecordsSince(ctx context.Context, since time.Time) ([]WaveRecord, error) {
	var out []WaveRecord
	err := s.reader.SelectContext(ctx, &out, "SELECT * FROM wave_record WHERE at>? ORDER BY at, id", millis(since))
	return out, err
}

// Arrivals are when machines that came to a release were first seen on it, by their
// numbers. Those that were on it from the first, and those that left it, are not there.
func (s waves) Arrivals(ctx context.Context, release string) (map[int64]time.Time, error) {
	var rows []struct {
		Machine int64 `db:"machine_id"`
		At      int64 `db:"at"`
	}
	err := s.reader.SelectContext(ctx, &rows,
		"SELECT machine_id, at FROM arrival WHERE release_id=? AND left_at=0 AND found=0", release)
	out := make(map[int64]time.Time, len(rows))
	for _, r := range rows {
		out[r.Machine] = fromMillis(r.At)
	}
	return out, err
}

// FindOn notes which machines of a class run a release already when it becomes what they
// are to get.
func (s waves) FindOn(ctx context.Context, class, release, name string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		_, err := tx.Exec("INSERT INTO arrival (machine_id, release_id, at, found) SELECT id, ?, taken_at, 1 FROM "+
			"machine WHERE class=? AND installed=? ON CONFLICT DO NOTHING", release, class, name)
		return err
	})
}

// SeenHop notes that a machine runs a release, within a write: an intermediate release on its way is reached then, and
// those before it.
func (t *Tx) SeenHop(machine int64, release string, at time.Time) error {
	if machine == t.fresh || t.was && t.ran == release {
		return nil
	}
	_, err := t.exec(
		`UPDATE wave_hop SET seen_at=?3 WHERE machine_id=?1 AND seen_at=0 AND number <= (SELECT max(h.number)
		FROM wave_hop h WHERE h.machine_id=?1 AND h.wave_id=wave_hop.wave_id AND h.release=?2)`,
		machine,
		release,
		millis(at),
	)
	return err
}

// Seen notes whether a machine runs its target, within a write: when it arrived, and when
// it left it again.
func (t *Tx) Seen(machine int64, release, name string, on bool, at time.Time) error {
	switch {
	case t.was && on == (t.ran == name): // as it was
		return nil
	case on:
		_, err := t.exec(`INSERT INTO arrival (machine_id, release_id, at, found) VALUES (?, ?, ?, ?)
			ON CONFLICT DO UPDATE SET left_at=0, at=CASE left_at WHEN 0 THEN at ELSE excluded.at END, found=CASE left_at WHEN 0 THEN found ELSE 0 END`, machine, release, millis(at), machine == t.fresh)
		return err
	case machine == t.fresh:
		return nil
	}
	_, err := t.exec("UPDATE arrival SET left_at=? WHERE machine_id=? AND release_id=? AND left_at=0", millis(at),
		machine, release)
	return err
}

type darkRow struct {
	From   string `db:"day_from"`
	To     string `db:"day_to"`
	Reason string `db:"reason"`
}

// Blackouts are the days on which nothing is upgraded.
func (s waves) Blackouts(ctx context.Context) ([]wave.Blackout, error) {
	var rows []darkRow
	err := s.reader.SelectContext(ctx, &rows, "SELECT * FROM blackout ORDER BY day_from, day_to")
	out := make([]wave.Blackout, len(rows))
	for i, r := range rows {
		out[i] = wave.Blackout{From: wave.Day(r.From), To: wave.Day(r.To), Reason: r.Reason}
	}
	return out, err
}

// SetBlackouts replaces them.
func (s waves) SetBlackouts(ctx context.Context, list []wave.Blackout) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.Exec("DELETE FROM blackout"); err != nil {
			return err
		}
		for _, b := range list {
			if _, err := tx.Exec("INSERT INTO blackout (day_from, day_to, reason) VALUES (?, ?, ?) ON CONFLICT DO "+
				"NOTHING", b.From, b.To, b.Reason); err != nil {
				return err
			}
		}
		return nil
	})
}
