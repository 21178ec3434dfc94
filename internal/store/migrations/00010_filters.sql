-- +goose Up

-- Filters became a language. A parenthesis or a star outside quotes, and a word that is an operator now, were parts of
-- texts to search for; in quotes they stay so.
UPDATE saved_filter SET filter = (
    WITH RECURSIVE walk(at, quoted, done) AS (
        SELECT 0, 0, ''
        UNION ALL
        SELECT at + 1,
            CASE WHEN substr(saved_filter.filter, at + 1, 1) = '"' THEN 1 - quoted ELSE quoted END,
            done || CASE WHEN quoted = 0 AND substr(saved_filter.filter, at + 1, 1) IN ('(', ')', '*')
                THEN '"' || substr(saved_filter.filter, at + 1, 1) || '"' ELSE substr(saved_filter.filter, at + 1, 1) END
        FROM walk WHERE at < length(saved_filter.filter)
    )
    SELECT done FROM walk ORDER BY at DESC LIMIT 1);
UPDATE saved_filter SET filter = trim(replace(replace(replace(replace(replace(replace(' ' || filter || ' ',
    ' or ', ' "or" '), ' OR ', ' "OR" '), ' not ', ' "not" '), ' NOT ', ' "NOT" '), ' and ', ' "and" '), ' AND ', ' "AND" '));
UPDATE decision SET scope = (
    WITH RECURSIVE walk(at, quoted, done) AS (
        SELECT 0, 0, ''
        UNION ALL
        SELECT at + 1,
            CASE WHEN substr(decision.scope, at + 1, 1) = '"' THEN 1 - quoted ELSE quoted END,
            done || CASE WHEN quoted = 0 AND substr(decision.scope, at + 1, 1) IN ('(', ')', '*')
                THEN '"' || substr(decision.scope, at + 1, 1) || '"' ELSE substr(decision.scope, at + 1, 1) END
        FROM walk WHERE at < length(decision.scope)
    )
    SELECT done FROM walk ORDER BY at DESC LIMIT 1);
UPDATE decision SET scope = trim(replace(replace(replace(replace(replace(replace(' ' || scope || ' ',
    ' or ', ' "or" '), ' OR ', ' "OR" '), ' not ', ' "not" '), ' NOT ', ' "NOT" '), ' and ', ' "and" '), ' AND ', ' "AND" '));
UPDATE wave SET rule = (
    WITH RECURSIVE walk(at, quoted, done) AS (
        SELECT 0, 0, ''
        UNION ALL
        SELECT at + 1,
            CASE WHEN substr(wave.rule, at + 1, 1) = '"' THEN 1 - quoted ELSE quoted END,
            done || CASE WHEN quoted = 0 AND substr(wave.rule, at + 1, 1) IN ('(', ')', '*')
                THEN '"' || substr(wave.rule, at + 1, 1) || '"' ELSE substr(wave.rule, at + 1, 1) END
        FROM walk WHERE at < length(wave.rule)
    )
    SELECT done FROM walk ORDER BY at DESC LIMIT 1);
UPDATE wave SET rule = trim(replace(replace(replace(replace(replace(replace(' ' || rule || ' ',
    ' or ', ' "or" '), ' OR ', ' "OR" '), ' not ', ' "not" '), ' NOT ', ' "NOT" '), ' and ', ' "and" '), ' AND ', ' "AND" '));
