package server_test

import (
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// Wherever a machine is asked for, its key, its name and its serial number mean it, in any case. Nobody finds
// a machine by what they cannot see.
func TestMachinesByName(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	text, err := s.Client.Inventory(ctx, "gull-014", 0)
	expect.NoError(t, err)
	inv, err := inventory.Read("gull-014.json", text)
	expect.NoError(t, err)
	serial := inv.Device.Serial.Or("")
	expect.That(t, "it has a serial number", serial != "")
	viewer := s.NewToken(t, "viewer", server.ScopeRead)
	for _, name := range []string{"gull-014", "GULL-014", "Gull-014", serial, strings.ToLower(serial)} {
		at := s.URL + "/api/v1/machines/" + url.PathEscape(name)
		status, _, body := call(t, "GET", at+"/check?release=skerry-12", s.Token, "", "")
		if status != 200 {
			t.Error(name, body)
		}
		expect.Contains(t, body, `"GULL-014"`)
		compared, err := s.Client.Compare(ctx, name, "GULL-002")
		expect.NoError(t, err)
		expect.Same(t, "compared", compared.A.Name, "GULL-014")
		want := 200
		if strings.EqualFold(name, serial) {
			want = 404 // viewers do not see serial numbers
		}
		status, _, _ = call(t, "GET", at, viewer, "", "")
		expect.Same(t, "for a viewer, "+name, status, want)
	}
	got, err := s.Client.Change(
		ctx,
		api.MachineChanges{Keys: []string{"GULL-014", "gull-002", serial}, Tag: []string{"x"}},
	)
	expect.NoError(t, err)
	expect.Same(t, "changed", got.Changed, 2)

	_, err = s.Client.Machine(ctx, "gul-014")
	expect.Error(t, err, `there is no machine "gul-014"; did you mean "GULL-014"?`)
	_, err = s.Client.Machine(ctx, "no-such-desk-anywhere")
	expect.Error(t, err, "rolltop machines lists all")

	limited, err := s.Client.AddToken(ctx, api.NewToken{Name: "tern", Scope: "work", Sites: []string{"Tern Yard"}})
	expect.NoError(t, err)
	status, _, body := call(t, http.MethodGet, s.URL+"/api/v1/machines/GULL-01", limited.Secret, "", "")
	expect.Same(t, "of another site", status, 404)
	expect.Lacks(t, body, "GULL-014")
}

// A name that two machines have is refused, with their keys: neither is changed.
func TestMachinesOfOneName(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	for _, serial := range []string{"SER-1", "SER-2"} {
		_, err := s.Client.Submit(ctx, []byte(`{"format":"rolltop-inventory/1","taken_at":"2026-11-01T08:00:00Z",`+
			`"device":{"class":"pc","name":"DESK","serial":"`+serial+`"}}`))
		expect.NoError(t, err)
	}
	l, err := s.Client.Machines(ctx, "", "", 1, 10)
	expect.NoError(t, err)
	expect.Same(t, "machines", l.Total, 2)
	for _, m := range l.Machines {
		got, err := s.Client.Machine(ctx, m.Key)
		expect.NoError(t, err)
		expect.Same(t, "by key", got.Key, m.Key)
	}
	for _, name := range []string{"DESK", "Desk"} {
		expect.Error(t, s.Client.RemoveMachine(ctx, name), `2 machines are called "`+name+`"; use the key: `)
	}
	for _, serial := range []string{"ser-1", "SER-2"} {
		got, err := s.Client.Machine(ctx, serial)
		expect.NoError(t, err)
		expect.That(t, serial, slices.ContainsFunc(got.Facts, func(g api.FactGroup) bool {
			return slices.ContainsFunc(g.Facts, func(f api.FactRow) bool { return f.Value == strings.ToUpper(serial) })
		}))
	}
}
