package server

import (
	"regexp"
	"strings"
)

// plainly puts what the library says of a wrong value into words that say what would be
// right. What it has no words for is said as a whole.
func plainly(message string) string {
	for _, p := range phrases {
		if m := p.says.FindStringSubmatchIndex(message); m != nil {
			return string(p.says.ExpandString(nil, p.better, message, m))
		}
	}
	return "is not a valid value"
}

// unknownKey is said of a key that the body of a call does not have.
const unknownKey = "is an unknown key"

var phrases = []struct {
	says   *regexp.Regexp
	better string
}{
	{regexp.MustCompile(`^expected number >= (.+)$`), "must be at least $1"},
	{regexp.MustCompile(`^expected number <= (.+)$`), "must be at most $1"},
	{regexp.MustCompile(`^expected number > (.+)$`), "must be more than $1"},
	{regexp.MustCompile(`^expected number < (.+)$`), "must be less than $1"},
	{regexp.MustCompile(`^expected length >= 1$`), "must not be empty"},
	{regexp.MustCompile(`^expected length >= (\d+)$`), "must have at least $1 characters"},
	{regexp.MustCompile(`^expected length <= (\d+)$`), "must have at most $1 characters"},
	{regexp.MustCompile(`^expected array (?:length|items) >= (\d+)$`), "must have at least $1 entries"},
	{regexp.MustCompile(`^expected array (?:length|items) <= (\d+)$`), "must have at most $1 entries"},
	{regexp.MustCompile(`^expected value to be one of "(.*)"$`), "must be one of: $1"},
	{regexp.MustCompile(`^expected string to be base64 encoded`),
		"must be the content of a non-empty file, in base64"},
	{regexp.MustCompile(`^expected string to be RFC 3339 date(?:-time)?$`),
		"must be a time such as 2026-11-29T08:00:00Z"},
	{regexp.MustCompile(`^expected string to match pattern`), "has the wrong form"},
	{regexp.MustCompile(`^expected required property (\S+) to be present$`), "$1 is missing"},
	{regexp.MustCompile(`^unexpected property$`), unknownKey},
	{regexp.MustCompile(`^required (\w+) parameter is missing$`), "is missing"},
	{regexp.MustCompile(`^(?:expected|invalid) (?:integer|int)`), "must be a whole number"},
	{regexp.MustCompile(`^(?:expected|invalid) (?:number|float)`), "must be a number"},
	{regexp.MustCompile(`^(?:expected|invalid) bool(?:ean)?`), "must be true or false"},
	{regexp.MustCompile(`^expected string`), "must be text"},
	{regexp.MustCompile(`^expected object`), "must be an object: {…}"},
	{regexp.MustCompile(`^expected array`), "must be a list: […]"},
	{regexp.MustCompile(`^request body is required$`), "the body is missing"},
	{regexp.MustCompile(`^(?:invalid character|unexpected end|json:|not YAML)`),
		"the body is not valid JSON"},
	{regexp.MustCompile(`^invalid (?:date|time)`), "must be a time such as 2026-11-29T08:00:00Z"},
}

// fieldOf is a place as whoever wrote it knows it: body.scope is scope, query.size is size.
func fieldOf(location string) string {
	for _, part := range []string{"body", "query", "path", "header", "cookie"} {
		if rest, ok := strings.CutPrefix(location, part+"."); ok {
			return rest
		}
		if location == part {
			return ""
		}
	}
	return location
}
