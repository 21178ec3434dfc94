package store

import (
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
				"note=? WHERE id=? AND ended_at=0", w.Name, w.Release, w.Pilot, w.Rule, w.Most, w.Starts, w.Ends,
				w.Note, id))
		}
		res, err := tx.Exec("INSERT INTO wave (name, release_id, pilot, rule, most, starts, ends, note, by_whom, at) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", w.Name, w.Release, w.Pilot, w.Rule, w.Most, w.Starts, w.Ends,
			w.Note, by, millis(now))
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

	ArrivedAt int64 `db:"arrived_at"` // as inventories show
	LeftAt    int64 `db:"left_at"`
}

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
	err := s.reader.SelectContext(ctx, &out,
		`SELECT m.*, coalesce(a.at, 0) AS arrived_at, coalesce(a.left_at, 0) AS left_at FROM wave_machine m JOIN wave w ON w.id=m.wave_id
		LEFT JOIN arrival a ON a.machine_id=m.machine_id AND a.release_id=w.release_id ORDER BY m.wave_id, m.machine_id`)
	return out, err
}

// AddMembers puts machines into a wave; byName is who let them in although something is
// waived.
func (s waves) AddMembers(ctx context.Context, id int64, machines []int64, byName string) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for _, d := range machines {
			if _, err := tx.Exec("INSERT INTO wave_machine (wave_id, machine_id, by_name) VALUES (?, ?, ?) ON "+
				"CONFLICT DO UPDATE SET by_name=excluded.by_name", id, d, byName); err != nil {
				return err
			}
		}
		return nil
	})
}

// RemoveMember removes a machine from a wave. The error may be [ErrNotFound].
func (s waves) RemoveMember(ctx context.Context, id, machine int64) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("DELETE FROM wave_machine WHERE wave_id=? AND machine_id=?", id, machine))
	})
}

// Hand notes that machines were handed to the deployment system, and tells those who are
// told of changes.
func (s waves) Hand(ctx context.Context, w *wave.Wave, machines []int64, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		for _, d := range machines {
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
// waits again counts as not handed over. The error may be [ErrNotFound].
func (s waves) SayOutcome(ctx context.Context, id, machine int64, outcome, reason string, now time.Time) error {
	return s.write(ctx, func(tx *sqlx.Tx) error {
		return one(tx.Exec("UPDATE wave_machine SET outcome=?, reason=?, said_at=?, handed_off_at=CASE ? WHEN ? "+
			"THEN 0 "+
			"ELSE handed_off_at END WHERE wave_id=? AND machine_id=?", outcome, reason, millis(now), outcome,
			wave.Waiting,
			id, machine))
	})
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
