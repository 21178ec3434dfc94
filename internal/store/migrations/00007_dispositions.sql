-- +goose Up

-- Two dispositions came, and the numbers follow their order: done 0, ready 1, reconfigure 2,
-- refit 3, decide 4, replace 5, undetermined 6. They were ready 0, reconfigure 1, refit 2,
-- replace 3, undetermined 4. The numbers pass through a range of their own, so that no
-- two rows of a day are alike on the way.
UPDATE verdict SET
    disposition = CASE disposition WHEN 3 THEN 5 WHEN 4 THEN 6 ELSE disposition + 1 END,
    publisher = CASE publisher WHEN 3 THEN 5 WHEN 4 THEN 6 ELSE publisher + 1 END,
    next = CASE next WHEN -1 THEN -1 WHEN 3 THEN 5 WHEN 4 THEN 6 ELSE next + 1 END;
UPDATE flip SET
    was = CASE was WHEN 3 THEN 5 WHEN 4 THEN 6 ELSE was + 1 END,
    becomes = CASE becomes WHEN 3 THEN 5 WHEN 4 THEN 6 ELSE becomes + 1 END
    WHERE was >= 0 AND becomes >= 0 AND cause <> 'hand-off';
UPDATE progress SET disposition = disposition + 100;
UPDATE progress SET disposition = CASE disposition WHEN 103 THEN 5 WHEN 104 THEN 6 ELSE disposition - 99 END;

-- Every machine is judged again by the rules as they are now.
UPDATE judgement SET engine = engine || ' (five dispositions)';

-- A keyed hash of the installed system's id tells a machine that was read without
-- administrator rights after it was renamed.
ALTER TABLE device ADD COLUMN weak_key TEXT NOT NULL DEFAULT '';
CREATE INDEX device_weak_key ON device (weak_key) WHERE weak_key <> '';
