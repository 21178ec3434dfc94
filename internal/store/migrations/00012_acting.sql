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

-- What was ordered: an order has lines, and a line has machines.
CREATE TABLE purchase (
    number     TEXT PRIMARY KEY, -- of the order, as the supplier knows it
    supplier   TEXT NOT NULL,
    ordered_on TEXT NOT NULL,
    due_on     TEXT NOT NULL DEFAULT '',
    note       TEXT NOT NULL DEFAULT '',
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT;
CREATE TABLE purchase_line (
    number     TEXT NOT NULL REFERENCES purchase (number),
    part       TEXT NOT NULL, -- as the parts order names it
    quantity   INTEGER NOT NULL,
    cents      INTEGER NOT NULL DEFAULT 0, -- for all of them; 0: unknown
    arrived_on TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (number, part)
) STRICT, WITHOUT ROWID;
CREATE TABLE purchase_machine (
    number     TEXT NOT NULL,
    part       TEXT NOT NULL,
    machine_id INTEGER NOT NULL REFERENCES machine (id),
    fitted_on  TEXT NOT NULL DEFAULT '',
    PRIMARY KEY (number, part, machine_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX purchase_machine_machine ON purchase_machine (machine_id);

-- Which machine takes the place of one that is replaced.
CREATE TABLE replacement (
    machine_id INTEGER PRIMARY KEY REFERENCES machine (id),
    name       TEXT NOT NULL, -- of the new machine, which may not have reported yet
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT;

-- Whom somebody asked an open question, and what came of it.
CREATE TABLE inquiry (
    id          INTEGER PRIMARY KEY,
    question    TEXT NOT NULL, -- key of the open question
    title       TEXT NOT NULL, -- in words
    asked       TEXT NOT NULL, -- whom
    asked_on    TEXT NOT NULL,
    due_on      TEXT NOT NULL DEFAULT '', -- when an answer is expected
    note        TEXT NOT NULL DEFAULT '',
    by_whom     TEXT NOT NULL,
    at          INTEGER NOT NULL,
    answered_at INTEGER NOT NULL DEFAULT 0, -- 0: an answer is awaited
    answer      TEXT NOT NULL DEFAULT '',
    answered_by TEXT NOT NULL DEFAULT ''
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
