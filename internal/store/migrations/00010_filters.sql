-- +goose Up

-- Filters became a language: a word that is an operator now, and a parenthesis, were parts of texts to search for,
-- and stay so in quotes.
UPDATE saved_filter SET filter = trim(replace(replace(replace(replace(replace(replace(' ' || replace(replace(filter, '(', '"("'), ')', '")"') || ' ',
    ' or ', ' "or" '),
    ' OR ', ' "OR" '),
    ' not ', ' "not" '),
    ' NOT ', ' "NOT" '),
    ' and ', ' "and" '),
    ' AND ', ' "AND" '));
UPDATE decision SET scope = trim(replace(replace(replace(replace(replace(replace(' ' || replace(replace(scope, '(', '"("'), ')', '")"') || ' ',
    ' or ', ' "or" '),
    ' OR ', ' "OR" '),
    ' not ', ' "not" '),
    ' NOT ', ' "NOT" '),
    ' and ', ' "and" '),
    ' AND ', ' "AND" '));
UPDATE wave SET rule = trim(replace(replace(replace(replace(replace(replace(' ' || replace(replace(rule, '(', '"("'), ')', '")"') || ' ',
    ' or ', ' "or" '),
    ' OR ', ' "OR" '),
    ' not ', ' "not" '),
    ' NOT ', ' "NOT" '),
    ' and ', ' "and" '),
    ' AND ', ' "AND" '));
