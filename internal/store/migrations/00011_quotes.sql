-- +goose Up

-- Schema 10 put each parenthesis of a filter in quotes of its own, also one that stood within quotes, where that ended
-- the quotes early; and it left the stars, which stand for any characters now. Filters of before schema 10 are mended
-- here: a parenthesis or a star outside quotes gets quotes, one within quotes stays as it was written.
CREATE TEMP TABLE old_filter (origin TEXT, id, filter TEXT);
INSERT INTO old_filter
    WITH ten AS (
        SELECT CAST(strftime('%s', max(tstamp)) AS INTEGER) * 1000 AS at FROM goose_db_version WHERE version_id = 10
    )
    SELECT 'saved_filter', name, filter FROM saved_filter, ten WHERE saved_filter.at < ten.at
    UNION ALL
    SELECT 'decision', decision.id, scope FROM decision, ten WHERE decision.at < ten.at
    UNION ALL
    -- The rule of a wave may have been changed since, which its time does not tell.
    SELECT 'wave', wave.id, rule FROM wave, ten WHERE wave.at < ten.at AND (rule LIKE '%"("%' OR rule LIKE '%")"%');
UPDATE old_filter SET filter = replace(replace(filter, '"("', '('), '")"', ')');
UPDATE old_filter SET filter = (
    WITH RECURSIVE walk(at, quoted, done) AS (
        SELECT 0, 0, ''
        UNION ALL
        SELECT at + 1,
            CASE WHEN substr(old_filter.filter, at + 1, 1) = '"' THEN 1 - quoted ELSE quoted END,
            done || CASE WHEN quoted = 0 AND substr(old_filter.filter, at + 1, 1) IN ('(', ')', '*')
                THEN '"' || substr(old_filter.filter, at + 1, 1) || '"' ELSE substr(old_filter.filter, at + 1, 1) END
        FROM walk WHERE at < length(old_filter.filter)
    )
    SELECT done FROM walk ORDER BY at DESC LIMIT 1);
UPDATE saved_filter SET filter = old_filter.filter FROM old_filter
    WHERE origin = 'saved_filter' AND id = saved_filter.name;
UPDATE decision SET scope = old_filter.filter FROM old_filter WHERE origin = 'decision' AND old_filter.id = decision.id;
UPDATE wave SET rule = old_filter.filter FROM old_filter WHERE origin = 'wave' AND old_filter.id = wave.id;
DROP TABLE old_filter;
