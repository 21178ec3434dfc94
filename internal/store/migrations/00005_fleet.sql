-- +goose Up

ALTER TABLE device ADD COLUMN board TEXT NOT NULL DEFAULT '';           -- serial number of its board
ALTER TABLE device ADD COLUMN placed TEXT NOT NULL DEFAULT '';          -- a place that a person gave it
ALTER TABLE device ADD COLUMN retired_at INTEGER NOT NULL DEFAULT 0;    -- 0: it is in use
CREATE INDEX device_board ON device (board) WHERE board <> '';

-- What a person should look at: machines that may be one, or one that may be two.
CREATE TABLE doubt (
    id           INTEGER PRIMARY KEY,
    device_id    INTEGER NOT NULL REFERENCES device (id),
    other_id     INTEGER NOT NULL REFERENCES device (id), -- the same one, where an inventory is doubted
    inventory_id INTEGER NOT NULL,
    kind         TEXT NOT NULL, -- conflict, weak, noted
    why          TEXT NOT NULL,
    at           INTEGER NOT NULL,
    ended_at     INTEGER NOT NULL DEFAULT 0, -- 0: nobody has settled it
    ended_by     TEXT NOT NULL DEFAULT '',
    verdict      TEXT NOT NULL DEFAULT ''    -- same, apart
) STRICT;
CREATE UNIQUE INDEX doubt_once ON doubt (device_id, other_id, kind);
CREATE INDEX doubt_other ON doubt (other_id);

CREATE TABLE tag (
    device_id INTEGER NOT NULL REFERENCES device (id),
    tag       TEXT NOT NULL,
    PRIMARY KEY (device_id, tag)
) STRICT, WITHOUT ROWID;

CREATE TABLE saved_filter (
    name    TEXT PRIMARY KEY,
    filter  TEXT NOT NULL,
    sort    TEXT NOT NULL,
    facts   TEXT NOT NULL, -- columns, parted by commas
    by_whom TEXT NOT NULL,
    at      INTEGER NOT NULL
) STRICT;

-- Facts that hold for every machine of a model.
CREATE TABLE model_fact (
    id       INTEGER PRIMARY KEY,
    maker    TEXT NOT NULL,
    model    TEXT NOT NULL,
    fact     TEXT NOT NULL,
    value    TEXT NOT NULL,
    by_whom  TEXT NOT NULL,
    at       INTEGER NOT NULL,
    note     TEXT NOT NULL,
    ended_at INTEGER NOT NULL DEFAULT 0,
    ended_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE UNIQUE INDEX model_fact_once ON model_fact (maker, model, fact) WHERE ended_at = 0;
CREATE INDEX device_model ON device (maker, model);

ALTER TABLE hand_fact ADD COLUMN until INTEGER NOT NULL DEFAULT 0; -- 0: no date at which it ends
CREATE INDEX hand_fact_until ON hand_fact (until) WHERE ended_at = 0 AND until > 0;

-- Machines that should be here, by the organisation's own list.
CREATE TABLE expected (
    id     INTEGER PRIMARY KEY,
    name   TEXT NOT NULL,
    serial TEXT NOT NULL,
    maker  TEXT NOT NULL,
    model  TEXT NOT NULL,
    place  TEXT NOT NULL,
    reason TEXT NOT NULL, -- why it does not report, where somebody knows
    note   TEXT NOT NULL,
    at     INTEGER NOT NULL
) STRICT;

-- Every change of a machine's disposition, and what it came from. A number is never
-- given twice, even where the machine is gone: hooks go by it.
CREATE TABLE flip (
    id         INTEGER PRIMARY KEY AUTOINCREMENT,
    device_id  INTEGER NOT NULL REFERENCES device (id),
    release_id TEXT NOT NULL,
    was        INTEGER NOT NULL,
    becomes    INTEGER NOT NULL,
    cause      TEXT NOT NULL, -- inventory, facts, rules
    at         INTEGER NOT NULL
) STRICT;
CREATE INDEX flip_device ON flip (device_id);

-- Addresses that are told of flips.
CREATE TABLE hook (
    name       TEXT PRIMARY KEY,
    url        TEXT NOT NULL,
    secret     TEXT NOT NULL,
    last_flip  INTEGER NOT NULL, -- those up to it were taken
    tries      INTEGER NOT NULL DEFAULT 0,
    next_at    INTEGER NOT NULL DEFAULT 0,
    sent_at    INTEGER NOT NULL DEFAULT 0,
    problem    TEXT NOT NULL DEFAULT ''
) STRICT;

-- How many machines there were of each disposition at the end of a day.
CREATE TABLE progress (
    day         TEXT NOT NULL,
    place       TEXT NOT NULL,
    class       TEXT NOT NULL,
    disposition INTEGER NOT NULL,
    machines    INTEGER NOT NULL,
    PRIMARY KEY (day, place, class, disposition)
) STRICT, WITHOUT ROWID;

ALTER TABLE token ADD COLUMN uses_left INTEGER NOT NULL DEFAULT -1; -- machines that it may still add; -1: any number
ALTER TABLE token ADD COLUMN tag TEXT NOT NULL DEFAULT '';          -- what machines that it adds are given
ALTER TABLE token ADD COLUMN place TEXT NOT NULL DEFAULT '';
ALTER TABLE token ADD COLUMN places TEXT NOT NULL DEFAULT '';       -- parted by line feeds; '': all
ALTER TABLE token ADD COLUMN owner TEXT NOT NULL DEFAULT '';        -- who signed in with it: it ends with their role and password
ALTER TABLE user ADD COLUMN places TEXT NOT NULL DEFAULT '';

-- One-time links with which the first administrator is made.
CREATE TABLE invitation (
    sha        BLOB PRIMARY KEY,
    expires_at INTEGER NOT NULL
) STRICT;

CREATE TABLE setting (
    name  TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;

ALTER TABLE verdict ADD COLUMN way TEXT NOT NULL DEFAULT '';
ALTER TABLE verdict ADD COLUMN next INTEGER NOT NULL DEFAULT -1; -- disposition against the release that follows; -1: none does
CREATE INDEX device_serial_alone ON device (serial) WHERE serial <> '';
