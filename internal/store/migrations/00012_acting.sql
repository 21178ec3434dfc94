-- +goose Up

ALTER TABLE wave ADD COLUMN stop_percent INTEGER NOT NULL DEFAULT 0; -- it pauses when more of those handed off failed; 0: never
ALTER TABLE wave ADD COLUMN forgiven INTEGER NOT NULL DEFAULT 0;     -- failures with which somebody let it go on
ALTER TABLE wave_machine ADD COLUMN day TEXT NOT NULL DEFAULT '';    -- that was announced; '': none yet

-- Intermediate releases on the way of a machine in a wave. The target itself is in wave_machine.
CREATE TABLE wave_hop (
    wave_id    INTEGER NOT NULL REFERENCES wave (id),
    machine_id INTEGER NOT NULL REFERENCES machine (id),
    number     INTEGER NOT NULL, -- from 1
    release    TEXT NOT NULL,    -- name
    day        TEXT NOT NULL DEFAULT '',
    seen_at    INTEGER NOT NULL DEFAULT 0, -- when an inventory showed it
    outcome    TEXT NOT NULL DEFAULT '',   -- as somebody or a deployment system said
    reason     TEXT NOT NULL DEFAULT '',
    said_at    INTEGER NOT NULL DEFAULT 0,
    PRIMARY KEY (wave_id, machine_id, number)
) STRICT, WITHOUT ROWID;
CREATE INDEX wave_hop_machine ON wave_hop (machine_id);

-- Every outcome that was said of a machine in a wave. It stays when the machine is handed off again, or leaves the wave.
CREATE TABLE wave_record (
    id         INTEGER PRIMARY KEY,
    wave_id    INTEGER NOT NULL REFERENCES wave (id),
    machine_id INTEGER NOT NULL REFERENCES machine (id),
    release    TEXT NOT NULL, -- name of the intermediate release; '': the target
    outcome    TEXT NOT NULL,
    reason     TEXT NOT NULL,
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT;
CREATE INDEX wave_record_machine ON wave_record (machine_id);
INSERT INTO wave_record (wave_id, machine_id, release, outcome, reason, by_whom, at)
    SELECT wave_id, machine_id, '', outcome, reason, '', said_at FROM wave_machine WHERE outcome <> '';

-- What people write about a machine, with name and time.
CREATE TABLE note (
    id         INTEGER PRIMARY KEY,
    machine_id INTEGER NOT NULL REFERENCES machine (id),
    text       TEXT NOT NULL,
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL,
    ended_at   INTEGER NOT NULL DEFAULT 0, -- 0: it counts
    ended_by   TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX note_machine ON note (machine_id) WHERE ended_at = 0;

-- Whom to ask about a machine, by role, and where it stands.
CREATE TABLE contact (
    machine_id INTEGER PRIMARY KEY REFERENCES machine (id),
    contact    TEXT NOT NULL,
    desk       TEXT NOT NULL,
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT;

ALTER TABLE assignment ADD COLUMN day TEXT NOT NULL DEFAULT '';  -- of the visit; '': none yet
ALTER TABLE assignment ADD COLUMN half TEXT NOT NULL DEFAULT ''; -- am, pm; '': the whole day

-- Who does visits.
CREATE TABLE technician (
    name    TEXT PRIMARY KEY,
    minutes INTEGER NOT NULL, -- for visits on a day
    left_on TEXT NOT NULL DEFAULT '', -- '': is there
    by_whom TEXT NOT NULL,
    at      INTEGER NOT NULL
) STRICT;

-- A change of many machines: what each was before, so that it can be undone as one.
CREATE TABLE bulk (
    id        INTEGER PRIMARY KEY,
    audit_id  INTEGER NOT NULL,
    what      TEXT NOT NULL, -- kind of the change
    says      TEXT NOT NULL, -- in words
    by_whom   TEXT NOT NULL,
    at        INTEGER NOT NULL,
    undone_at INTEGER NOT NULL DEFAULT 0, -- 0: it counts
    undone_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX bulk_audit ON bulk (audit_id);
CREATE TABLE bulk_machine (
    bulk_id    INTEGER NOT NULL REFERENCES bulk (id),
    machine_id INTEGER NOT NULL,
    was        TEXT NOT NULL, -- JSON
    becomes    TEXT NOT NULL, -- JSON
    PRIMARY KEY (bulk_id, machine_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX bulk_machine_machine ON bulk_machine (machine_id);

-- The revision that is in force: a newer one comes into force only on command.
ALTER TABLE target ADD COLUMN revision INTEGER NOT NULL DEFAULT 0; -- 0: the latest one that is no draft
UPDATE target SET revision = coalesce(
    (SELECT j.revision FROM judgement j WHERE j.id = target.judgement_id AND j.release_id = target.release_id), 0);
