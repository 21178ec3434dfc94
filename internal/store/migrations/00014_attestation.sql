-- +goose Up

-- The TPM of a machine, once it opened a secret that only it could open.
CREATE TABLE tpm (
    machine_id  INTEGER PRIMARY KEY REFERENCES machine (id),
    endorsement TEXT NOT NULL UNIQUE, -- name of its endorsement key: no two machines have one TPM
    key         TEXT NOT NULL,        -- name of the key that signs its quotes
    at          INTEGER NOT NULL
) STRICT;

-- The latest proof of a machine, or why what it sent is none.
CREATE TABLE attestation (
    machine_id   INTEGER PRIMARY KEY REFERENCES machine (id),
    inventory_id INTEGER NOT NULL, -- that it was taken with
    at           INTEGER NOT NULL,
    state        TEXT NOT NULL,    -- attested, refused, another-tpm
    why          TEXT NOT NULL,    -- it is no proof; '': it is one
    proof        TEXT NOT NULL,    -- what it says, in JSON; '': it is none
    evidence     BLOB NOT NULL,    -- quote, signature, keys, log and certificates, in JSON, compressed
    ended        INTEGER NOT NULL DEFAULT 0 -- 1: it no longer counts, and its machine was judged without it
) STRICT;
