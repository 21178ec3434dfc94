package client_test

import (
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// TestOwnChanges replaces what a client read, twice and after it was removed: the changes of the client itself
// are none that somebody else made.
func TestOwnChanges(t *testing.T) {
	s := servertest.Start(t, nil)
	mine, err := client.New(s.URL, s.Token)
	expect.NoError(t, err)
	theirs, err := client.New(s.URL, s.Token)
	expect.NoError(t, err)
	ctx := t.Context()
	for _, role := range []string{"viewer", "technician", "viewer"} {
		_, err = mine.SetUser(ctx, "clerk", api.SetUser{Role: role})
		expect.NoError(t, err)
		_, err = mine.User(ctx, "clerk")
		expect.NoError(t, err)
		_, err = mine.SetUser(ctx, "clerk", api.SetUser{Role: "technician"})
		expect.NoError(t, err)
	}
	_, err = mine.SetFilter(ctx, "parts", api.SetFilter{Filter: "class=pc"})
	expect.NoError(t, err)
	expect.NoError(t, mine.RemoveFilter(ctx, "parts"))
	_, err = mine.SetFilter(ctx, "parts", api.SetFilter{Filter: "class=mac"})
	expect.NoError(t, err)
	_, err = theirs.SetFilter(ctx, "parts", api.SetFilter{Filter: "class=pc name=A*"})
	expect.NoError(t, err)
	_, err = mine.SetFilter(ctx, "parts", api.SetFilter{Filter: "class=mac"})
	expect.Error(t, err, "somebody else changed it after you read it")
}
