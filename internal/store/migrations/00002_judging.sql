-- +goose Up

-- What deciding needs of a machine's latest inventory, with what was entered by
-- hand, packed; catalogue is the version of the packing. Rows are made again
-- from inventories where it is another.
CREATE TABLE fact_row (
    device_id INTEGER PRIMARY KEY REFERENCES device (id),
    catalogue INTEGER NOT NULL,
    class     TEXT NOT NULL,
    row       BLOB NOT NULL
) STRICT;

-- Facts entered by hand. One that was changed or taken back keeps its row.
CREATE TABLE hand_fact (
    id        INTEGER PRIMARY KEY,
    device_id INTEGER NOT NULL REFERENCES device (id),
    fact      TEXT NOT NULL,
    value     TEXT NOT NULL,
    by_whom   TEXT NOT NULL,
    at        INTEGER NOT NULL,
    note      TEXT NOT NULL,
    ended_at  INTEGER NOT NULL DEFAULT 0, -- 0: it counts
    ended_by  TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX hand_fact_device ON hand_fact (device_id) WHERE ended_at = 0;

-- Sentences are worked out when they are read.
ALTER TABLE verdict DROP COLUMN answer;

-- A judgement that was broken off goes on at the next start.
ALTER TABLE judgement ADD COLUMN done INTEGER NOT NULL DEFAULT 1;

ALTER TABLE release ADD COLUMN test INTEGER NOT NULL DEFAULT 0;
ALTER TABLE release ADD COLUMN follows TEXT NOT NULL DEFAULT '';
