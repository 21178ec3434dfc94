-- +goose Up

UPDATE user SET role = 'viewer' WHERE role = 'reader';

ALTER TABLE token ADD COLUMN expires_at INTEGER NOT NULL DEFAULT 0; -- 0: never

-- Every change that a person or a program made through the service, written in
-- the same transaction as the change.
CREATE TABLE audit (
    id      INTEGER PRIMARY KEY,
    at      INTEGER NOT NULL,
    who     TEXT NOT NULL,
    what    TEXT NOT NULL, -- the operation
    subject TEXT NOT NULL,
    was     TEXT NOT NULL,
    becomes TEXT NOT NULL
) STRICT;
