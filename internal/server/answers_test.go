package server_test

import (
	"strconv"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// Each answer about the fleet names as many machines as its filter lists, and its command and place.
func TestFleetAnswers(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for _, where := range []string{"", `site="Gull Quay"`} {
		t.Run(where, func(t *testing.T) {
			got, err := s.Client.FleetAnswers(ctx, where)
			expect.NoError(t, err)
			expect.Same(t, "questions", len(got.Answers), 6)
			for _, a := range got.Answers {
				expect.That(t, a.Asks+" has an answer, a command and a place", a.Says != "" && a.Command != "")
				if a.Where == "" {
					expect.That(t, a.Asks+" is not a list of machines", a.Place != "machines")
					continue
				}
				n := total(t, s.Client, a.Where)
				words := map[int]string{0: "no", 1: "one", 2: "two", 3: "three", 4: "four", 5: "five", 6: "six",
					7: "seven", 8: "eight", 9: "nine", 10: "ten", 11: "eleven", 12: "twelve"}
				count := words[n]
				if count == "" {
					count = strings.Fields(a.Says)[0]
					expect.That(t, a.Says+" begins with the count", count == strconv.Itoa(n))
				}
				expect.That(t, a.Says+" counts its machines", strings.HasPrefix(strings.ToLower(a.Says), count+" "))
			}
		})
	}
	late, err := s.Client.FleetAnswers(ctx, "")
	expect.NoError(t, err)
	expect.Contains(t, late.Answers[1].Says, "Remove Lampwright")
	expect.That(t, "some lose support first", total(t, s.Client, "offer=late") > 0)
	all := total(t, s.Client, "class=pc disposition!=done offer=now,later,unknown")
	expect.Same(t, "every PC has an offer, or it is unknown", all, total(t, s.Client, "class=pc disposition!=done"))
	_, err = s.Client.FleetAnswers(ctx, "offer=soon")
	expect.Error(t, err, "offer=soon")
}
