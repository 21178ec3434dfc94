-- +goose Up

-- The plans that machines have: the steps, in their order. Many machines share one.
CREATE TABLE plan (
    id    INTEGER PRIMARY KEY,
    steps TEXT NOT NULL UNIQUE
) STRICT;
ALTER TABLE verdict ADD COLUMN plan_id INTEGER NOT NULL DEFAULT 0;
-- Verdicts from before have none: they are made again.
UPDATE judgement SET engine = engine || ' (no plans)';

-- What people decided about machines, until a date: a failing requirement is accepted,
-- a machine stays on its release, is held back, or is not to be visited before.
CREATE TABLE decision (
    id          INTEGER PRIMARY KEY,
    kind        TEXT NOT NULL, -- waive, stay, hold, later
    scope       TEXT NOT NULL, -- a filter
    release_id  TEXT NOT NULL, -- '': whatever the target is
    requirement TEXT NOT NULL, -- of waive
    reason      TEXT NOT NULL,
    by_whom     TEXT NOT NULL,
    at          INTEGER NOT NULL,
    until       INTEGER NOT NULL,
    ended_at    INTEGER NOT NULL DEFAULT 0, -- 0: it counts until its date
    ended_by    TEXT NOT NULL DEFAULT ''
) STRICT;

-- Who does the work on a machine.
CREATE TABLE assignment (
    device_id INTEGER PRIMARY KEY REFERENCES device (id),
    who       TEXT NOT NULL,
    note      TEXT NOT NULL,
    by_whom   TEXT NOT NULL,
    at        INTEGER NOT NULL
) STRICT;

-- What is there of a part, and how long the rest takes.
CREATE TABLE stock (
    part      TEXT PRIMARY KEY, -- in words
    on_hand   INTEGER NOT NULL,
    lead_days INTEGER NOT NULL,
    by_whom   TEXT NOT NULL,
    at        INTEGER NOT NULL
) STRICT;

-- When a machine was first seen on a target, and when it had left it again.
CREATE TABLE arrival (
    device_id  INTEGER NOT NULL REFERENCES device (id),
    release_id TEXT NOT NULL,
    at         INTEGER NOT NULL,
    left_at    INTEGER NOT NULL DEFAULT 0,
    found      INTEGER NOT NULL DEFAULT 0, -- it was on it when it was first looked at: no pace is counted by it
    PRIMARY KEY (device_id, release_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX arrival_at ON arrival (release_id, at);

-- Other rules were put in force: which, over which, and what that did to machines.
CREATE TABLE rule_change (
    id           INTEGER PRIMARY KEY,
    class        TEXT NOT NULL,
    release_id   TEXT NOT NULL,
    revision     INTEGER NOT NULL,
    was_release  TEXT NOT NULL,
    was_revision INTEGER NOT NULL,
    machines     INTEGER NOT NULL, -- that were judged
    at           INTEGER NOT NULL
) STRICT;
ALTER TABLE flip ADD COLUMN about INTEGER NOT NULL DEFAULT 0; -- number of the rule_change, or of the wave, that it comes of
ALTER TABLE flip ADD COLUMN why TEXT NOT NULL DEFAULT '';     -- requirements that did it
CREATE INDEX flip_about ON flip (about) WHERE about > 0;

CREATE TABLE wave (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL UNIQUE,
    release_id TEXT NOT NULL,
    pilot      INTEGER NOT NULL,
    rule       TEXT NOT NULL, -- a filter
    most       INTEGER NOT NULL,
    starts     TEXT NOT NULL, -- days
    ends       TEXT NOT NULL,
    note       TEXT NOT NULL,
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL,
    ended_at   INTEGER NOT NULL DEFAULT 0
) STRICT;

CREATE TABLE wave_machine (
    wave_id   INTEGER NOT NULL REFERENCES wave (id),
    device_id INTEGER NOT NULL REFERENCES device (id),
    by_name   TEXT NOT NULL DEFAULT '', -- who let it in although a requirement is waived
    handed_at INTEGER NOT NULL DEFAULT 0,
    outcome   TEXT NOT NULL DEFAULT '', -- arrived, failed, back, as somebody or a deployment system said
    reason    TEXT NOT NULL DEFAULT '',
    said_at   INTEGER NOT NULL DEFAULT 0,
    PRIMARY KEY (wave_id, device_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX wave_machine_device ON wave_machine (device_id);

-- Days on which nothing is upgraded.
CREATE TABLE blackout (
    day_from TEXT NOT NULL,
    day_to   TEXT NOT NULL,
    reason   TEXT NOT NULL,
    PRIMARY KEY (day_from, day_to)
) STRICT;
