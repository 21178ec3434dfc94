-- +goose Up

-- One word for one thing, in the database, too: machine, site, knowledge, webhook, duplicate.
ALTER TABLE device RENAME TO machine;
ALTER TABLE place RENAME TO site;
ALTER TABLE house RENAME TO knowledge;
ALTER TABLE hook RENAME TO webhook;
ALTER TABLE doubt RENAME TO duplicate;
ALTER TABLE inventory RENAME COLUMN device_id TO machine_id;
ALTER TABLE verdict RENAME COLUMN device_id TO machine_id;
ALTER TABLE fact_row RENAME COLUMN device_id TO machine_id;
ALTER TABLE hand_fact RENAME COLUMN device_id TO machine_id;
ALTER TABLE tick RENAME COLUMN device_id TO machine_id;
ALTER TABLE visit_link RENAME COLUMN device_id TO machine_id;
ALTER TABLE duplicate RENAME COLUMN device_id TO machine_id;
ALTER TABLE tag RENAME COLUMN device_id TO machine_id;
ALTER TABLE flip RENAME COLUMN device_id TO machine_id;
ALTER TABLE assignment RENAME COLUMN device_id TO machine_id;
ALTER TABLE arrival RENAME COLUMN device_id TO machine_id;
ALTER TABLE wave_machine RENAME COLUMN device_id TO machine_id;
ALTER TABLE wave_machine RENAME COLUMN handed_at TO handed_off_at;
ALTER TABLE machine RENAME COLUMN placed TO site;
ALTER TABLE expected RENAME COLUMN place TO site;
ALTER TABLE progress RENAME COLUMN place TO site;
ALTER TABLE token RENAME COLUMN place TO site;
ALTER TABLE token RENAME COLUMN places TO sites;
ALTER TABLE user RENAME COLUMN places TO sites;

-- Filters that were saved, and those of decisions and waves, use the new keys.
UPDATE saved_filter SET filter = replace(replace(replace(replace(replace(filter,
    'place=', 'site='), 'doubt=', 'duplicate='), 'freed=', 'fixed_by='), 'turned=', 'rule_change='), 'who=', 'assigned=');
UPDATE saved_filter SET sort = replace(sort, 'place', 'site');
UPDATE decision SET scope = replace(replace(replace(replace(replace(scope,
    'place=', 'site='), 'doubt=', 'duplicate='), 'freed=', 'fixed_by='), 'turned=', 'rule_change='), 'who=', 'assigned=');
UPDATE wave SET rule = replace(replace(replace(replace(replace(rule,
    'place=', 'site='), 'doubt=', 'duplicate='), 'freed=', 'fixed_by='), 'turned=', 'rule_change='), 'who=', 'assigned=');

-- What was done is called in the audit log as the operations are called now.
UPDATE audit SET what = CASE what
    WHEN 'take-invitation' THEN 'add-first-administrator'
    WHEN 'end-own-token' THEN 'remove-own-token'
    WHEN 'set-expected' THEN 'set-expected-machines'
    WHEN 'say-why' THEN 'set-expected-reason'
    WHEN 'remove-device' THEN 'remove-machine'
    WHEN 'enter-fact' THEN 'set-fact'
    WHEN 'take-back-fact' THEN 'remove-fact'
    WHEN 'mark' THEN 'change-machines'
    WHEN 'save-filter' THEN 'set-filter'
    WHEN 'drop-filter' THEN 'remove-filter'
    WHEN 'settle-doubt' THEN 'resolve-duplicate'
    WHEN 'rekey' THEN 'replace-key'
    WHEN 'enter-model-fact' THEN 'add-model-fact'
    WHEN 'take-back-model-fact' THEN 'remove-model-fact'
    WHEN 'tick' THEN 'set-tick'
    WHEN 'untick' THEN 'remove-tick'
    WHEN 'visit-link' THEN 'add-visit-link'
    WHEN 'end-visit-links' THEN 'remove-visit-links'
    WHEN 'assign' THEN 'assign-work'
    WHEN 'put-stock' THEN 'set-stock'
    WHEN 'put-house' THEN 'set-knowledge'
    WHEN 'drop-house' THEN 'remove-knowledge'
    WHEN 'put-user' THEN 'set-user'
    WHEN 'change-password' THEN 'set-password'
    WHEN 'put-settings' THEN 'set-settings'
    WHEN 'delete-token' THEN 'remove-token'
    WHEN 'set-places' THEN 'set-sites'
    WHEN 'put-hook' THEN 'set-webhook'
    WHEN 'remove-hook' THEN 'remove-webhook'
    WHEN 'put-wave' THEN 'set-wave'
    WHEN 'fill-wave' THEN 'add-wave-machines'
    WHEN 'drop-wave-machine' THEN 'remove-wave-machine'
    WHEN 'handed' THEN 'record-hand-off'
    WHEN 'outcomes' THEN 'set-outcomes'
    WHEN 'outcomes-file' THEN 'import-outcomes'
    ELSE what END;
