-- +goose Up

-- Who may speak for a machine: the token that added it, or the key that it signs with.
ALTER TABLE device ADD COLUMN token_id INTEGER NOT NULL DEFAULT 0;    -- 0: a person handed it in; -1: not known, from before
UPDATE device SET token_id = -1;
ALTER TABLE device ADD COLUMN public_key TEXT NOT NULL DEFAULT '';    -- ed25519, base64; '': it has none
ALTER TABLE device ADD COLUMN key_at INTEGER NOT NULL DEFAULT 0;      -- since when
ALTER TABLE device ADD COLUMN signed_at INTEGER NOT NULL DEFAULT 0;   -- the latest signature, no later than it was received
ALTER TABLE device ADD COLUMN received_at INTEGER NOT NULL DEFAULT 0; -- of the latest inventory
ALTER TABLE device ADD COLUMN kept_on INTEGER NOT NULL DEFAULT 0;     -- the day of kept_count, days since 1970
ALTER TABLE device ADD COLUMN kept_count INTEGER NOT NULL DEFAULT 0;  -- inventories that were kept on that day
CREATE INDEX device_key ON device (public_key) WHERE public_key <> '';

-- An inventory beside the others came from somebody who may not speak for the machine:
-- it decides nothing until a person has looked at it.
ALTER TABLE inventory ADD COLUMN received_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE inventory ADD COLUMN beside INTEGER NOT NULL DEFAULT 0;
ALTER TABLE inventory ADD COLUMN token_id INTEGER NOT NULL DEFAULT 0;
ALTER TABLE inventory ADD COLUMN public_key TEXT NOT NULL DEFAULT '';

-- Machines of one name are looked up without reading all of them.
DROP INDEX device_name;
CREATE INDEX device_called ON device (name, model, serial, uuid);
CREATE TABLE key_base (
    base TEXT PRIMARY KEY,
    next INTEGER NOT NULL
) STRICT, WITHOUT ROWID;

-- A token that may speak for machines that only persons have handed in.
ALTER TABLE token ADD COLUMN imported INTEGER NOT NULL DEFAULT 0;

-- A token that submits adds a bounded number of machines.
UPDATE token SET uses_left = 10000 WHERE scope = 'submit' AND uses_left = -1;
