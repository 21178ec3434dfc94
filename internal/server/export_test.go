package server_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

func TestExport(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	// A machine whose name a spreadsheet program would run.
	if _, err := s.Client.Submit(ctx,
		[]byte(`{"format":"rolltop-inventory/1","taken_at":"2026-11-01T10:00:00Z","device":{"name":"=HYPERLINK(\"x\")","serial":"S1","model":"-1+2"},"os":{"platform":"windows"},"memory":{"installed_bytes":8589934592}}`)); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := s.Client.Export(ctx, "", "csv", []string{"memory.installed_bytes", "tpm.state"}, &b); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil || len(rows) != 286 {
		t.Fatalf("%v, %d rows", err, len(rows))
	}
	head := strings.Join(rows[0], ",")
	if head != "key,name,site,class,manufacturer,model,installed,taken_at,release,"+
		"disposition,certainty,fails,answer,support_ends,memory.installed_bytes,tpm.state,tags" {
		t.Error(head)
	}
	found := false
	for _, r := range rows[1:] {
		for _, c := range r {
			if c != "" && strings.ContainsRune("=+-@", rune(c[0])) {
				t.Errorf("a spreadsheet program would run %q", c)
			}
		}
		if strings.Contains(r[1], "HYPERLINK") {
			found = r[1] == `'=HYPERLINK("x")` && r[5] == "'-1+2" && r[14] == "8 GiB" && r[15] == ""
		}
	}
	if !found {
		t.Error("the machine is not as it should be")
	}
	b.Reset()
	var whole api.Export
	err = s.Client.Export(ctx, "", "json", []string{"tpm.state"}, &b)
	expect.NoError(t, err)
	expect.NoError(t, json.Unmarshal(b.Bytes(), &whole))
	expect.Same(t, "len(whole.Machines)", len(whole.Machines), 285)
	b.Reset()
	err = s.Client.Export(ctx, "name=nowhere", "json", nil, &b)
	expect.NoError(t, err)
	expect.That(t, "json.Unmarshal(b.Bytes(), &whole) == nil", json.Unmarshal(b.Bytes(), &whole) == nil)
	expect.Same(t, "len(whole.Machines)", len(whole.Machines), 0)
	expect.Same(t, "whole.Format", whole.Format, "rolltop-export/1")
	// The same machines as the list has, with the same words.
	l, err := s.Client.Machines(ctx, "disposition=refit", "name", 1, 1000)
	if err != nil {
		t.Fatal(err)
	}
	b.Reset()
	if err := s.Client.Export(ctx, "disposition=refit", "ndjson", nil, &b); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(b.String()), "\n")
	if len(lines) != l.Total {
		t.Fatalf("%d lines, %d machines", len(lines), l.Total)
	}
	for i, line := range lines {
		var got struct{ Key, Answer, Disposition string }
		err := json.Unmarshal([]byte(line), &got)
		expect.NoError(t, err)
		expect.Same(t, "got.Key", got.Key, l.Machines[i].Key)
		expect.Same(t, "got.Answer", got.Answer, l.Machines[i].Answer)
		expect.Same(t, "got.Disposition", got.Disposition, "refit")
		if d, err := s.Client.Machine(ctx, got.Key); i%7 == 0 {
			if err != nil || d.Answer != got.Answer {
				t.Errorf("%s: its page says %q, the export %q", got.Key, d.Answer, got.Answer)
			}
		}
	}
	if err := s.Client.Export(ctx, "", "csv", []string{"tpm.sate"}, &b); err == nil ||
		!strings.Contains(err.Error(), `did you mean "tpm.state"`) {
		t.Errorf("%v", err)
	}
	if status, _, body := call(t, "GET", s.URL+"/readyz", "", "", ""); status != 200 || body != "ready\n" {
		t.Errorf("%d %s", status, body)
	}
}
