-- +goose Up

-- What plans are made with beside releases: an organisation's own steps,
-- firmware guides and prices. The latest of a kind counts; none is overwritten.
-- An empty text is the return to what the program ships.
CREATE TABLE house (
    kind     TEXT NOT NULL,
    number   INTEGER NOT NULL,
    text     TEXT NOT NULL,
    added_at INTEGER NOT NULL,
    added_by TEXT NOT NULL,
    PRIMARY KEY (kind, number)
) STRICT;

-- What people said of items of preparation and of steps. What was said before
-- keeps its row.
CREATE TABLE tick (
    id        INTEGER PRIMARY KEY,
    device_id INTEGER NOT NULL REFERENCES device (id),
    item      TEXT NOT NULL,
    state     TEXT NOT NULL,
    by_whom   TEXT NOT NULL,
    at        INTEGER NOT NULL,
    note      TEXT NOT NULL,
    ended_at  INTEGER NOT NULL DEFAULT 0, -- 0: it counts
    ended_by  TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX tick_device ON tick (device_id) WHERE ended_at = 0;

-- Links to the page of a machine's visit, for a telephone without sign-in.
CREATE TABLE visit_link (
    sha        BLOB PRIMARY KEY, -- of the link's secret
    device_id  INTEGER NOT NULL REFERENCES device (id),
    made_by    TEXT NOT NULL,
    expires_at INTEGER NOT NULL
) STRICT;

-- The judgement whose verdicts are those of the fleet now. Going back to an
-- earlier one judges anew: it knows nothing of what came meanwhile.
ALTER TABLE target ADD COLUMN judgement_id INTEGER NOT NULL DEFAULT 0;
