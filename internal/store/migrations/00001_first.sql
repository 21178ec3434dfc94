-- +goose Up
PRAGMA application_id = 1383361648; -- “Rtlp”

CREATE TABLE device (
    id           INTEGER PRIMARY KEY,
    key          TEXT NOT NULL UNIQUE,
    name         TEXT NOT NULL,
    class        TEXT NOT NULL,
    maker        TEXT NOT NULL,
    serial       TEXT NOT NULL,
    uuid         TEXT NOT NULL,
    model        TEXT NOT NULL,
    installed    TEXT NOT NULL,
    inventory_id INTEGER NOT NULL DEFAULT 0, -- the latest
    taken_at     INTEGER NOT NULL            -- of the latest, UTC milliseconds
) STRICT;
CREATE INDEX device_uuid ON device (uuid) WHERE uuid <> '';
CREATE INDEX device_serial ON device (maker, serial) WHERE serial <> '';
CREATE INDEX device_name ON device (name);

CREATE TABLE inventory (
    id           INTEGER PRIMARY KEY,
    device_id    INTEGER NOT NULL REFERENCES device (id),
    taken_at     INTEGER NOT NULL,
    last_seen_at INTEGER NOT NULL, -- the same readings again
    sha          BLOB NOT NULL,    -- of the readings, without times
    body         BLOB NOT NULL     -- zstd
) STRICT;
CREATE UNIQUE INDEX inventory_sha ON inventory (device_id, sha);

CREATE TABLE release (
    id       TEXT NOT NULL,
    revision INTEGER NOT NULL,
    name     TEXT NOT NULL,
    class    TEXT NOT NULL,
    draft    INTEGER NOT NULL,
    added_at INTEGER NOT NULL,
    body     BLOB NOT NULL, -- zstd, as it was given
    PRIMARY KEY (id, revision)
) STRICT;

CREATE TABLE target (
    class      TEXT PRIMARY KEY,
    release_id TEXT NOT NULL
) STRICT;

-- A judgement is a verdict's identity: the rules and the program.
CREATE TABLE judgement (
    id         INTEGER PRIMARY KEY,
    release_id TEXT NOT NULL,
    revision   INTEGER NOT NULL,
    engine     TEXT NOT NULL,
    at         INTEGER NOT NULL,
    UNIQUE (release_id, revision, engine)
) STRICT;

CREATE TABLE verdict (
    judgement_id INTEGER NOT NULL REFERENCES judgement (id),
    device_id    INTEGER NOT NULL REFERENCES device (id),
    inventory_id INTEGER NOT NULL,
    disposition  INTEGER NOT NULL,
    certain      INTEGER NOT NULL,
    publisher    INTEGER NOT NULL,
    answer       TEXT NOT NULL,
    fails        INTEGER NOT NULL,
    sole         TEXT NOT NULL,
    outcomes     TEXT NOT NULL, -- a letter for each requirement
    PRIMARY KEY (judgement_id, device_id)
) STRICT, WITHOUT ROWID;

CREATE TABLE place (
    prefix TEXT PRIMARY KEY,
    name   TEXT NOT NULL
) STRICT;

CREATE TABLE user (
    name     TEXT PRIMARY KEY,
    role     TEXT NOT NULL,
    password TEXT NOT NULL -- argon2id
) STRICT;

CREATE TABLE session (
    sha        BLOB PRIMARY KEY, -- of the cookie's secret
    user       TEXT NOT NULL REFERENCES user (name),
    expires_at INTEGER NOT NULL
) STRICT;

CREATE TABLE token (
    id         INTEGER PRIMARY KEY,
    name       TEXT NOT NULL UNIQUE,
    scope      TEXT NOT NULL,
    sha        BLOB NOT NULL UNIQUE,
    created_at INTEGER NOT NULL,
    used_at    INTEGER NOT NULL DEFAULT 0
) STRICT;
