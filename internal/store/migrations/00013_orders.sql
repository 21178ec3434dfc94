-- +goose Up

-- What was ordered. The order with the number 'stock' is what machines got from the stock.
CREATE TABLE purchase (
    id       INTEGER PRIMARY KEY,
    number   TEXT NOT NULL UNIQUE COLLATE NOCASE,
    supplier TEXT NOT NULL,
    day      TEXT NOT NULL, -- on which it was ordered
    expected TEXT NOT NULL, -- day on which it should arrive; '': not known
    by_whom  TEXT NOT NULL,
    at       INTEGER NOT NULL
) STRICT;

-- Which machine gets which part of an order. What was paid stays when the record of a machine is removed.
CREATE TABLE purchase_item (
    id          INTEGER PRIMARY KEY,
    purchase_id INTEGER NOT NULL REFERENCES purchase (id),
    machine_id  INTEGER NOT NULL, -- 0: its record was removed
    part        TEXT NOT NULL,    -- in words, as in stock
    kind        TEXT NOT NULL,
    count       INTEGER NOT NULL,
    price       INTEGER NOT NULL, -- of one, in hundredths; -1: not known
    currency    TEXT NOT NULL,
    state       TEXT NOT NULL,    -- ordered, arrived, fitted, stock, cancelled
    day         TEXT NOT NULL     -- since when it is in this state
) STRICT;
CREATE INDEX purchase_item_purchase ON purchase_item (purchase_id);
CREATE INDEX purchase_item_machine ON purchase_item (machine_id);

-- Which machine takes the place of which. The new one may not have reported yet: then it has a name only.
CREATE TABLE replacement (
    machine_id INTEGER PRIMARY KEY REFERENCES machine (id),
    new_name   TEXT NOT NULL UNIQUE COLLATE NOCASE,
    note       TEXT NOT NULL,
    by_whom    TEXT NOT NULL,
    at         INTEGER NOT NULL
) STRICT;

-- Whom an open question was put to, and what came of it.
CREATE TABLE inquiry (
    id       INTEGER PRIMARY KEY,
    question TEXT NOT NULL, -- id of the question
    says     TEXT NOT NULL, -- the question in words
    asked    TEXT NOT NULL, -- whom, by role or name
    due      TEXT NOT NULL, -- day by which an answer is expected; '': none
    note     TEXT NOT NULL,
    by_whom  TEXT NOT NULL,
    at       INTEGER NOT NULL,
    answer   TEXT NOT NULL DEFAULT '', -- what came of it, in words
    ended_at INTEGER NOT NULL DEFAULT 0, -- 0: an answer is awaited
    ended_by TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX inquiry_question ON inquiry (question);

-- Outcomes against the release that follows, a letter for each of its requirements; '': not worked out.
ALTER TABLE verdict ADD COLUMN next_outcomes TEXT NOT NULL DEFAULT '';
