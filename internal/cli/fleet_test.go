package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/servertest"
)

// What the console does with many machines, the commands do, too.
func TestFleetCommands(t *testing.T) {
	s := servertest.Demo(t, nil)
	dir := t.TempDir()
	file := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	sheet := file("machines.csv",
		"Name,Serial,Maker,Model,RAM\nIMP-1,I1,Ostrel,Slipway 14,8\nIMP-2,I2,Ostrel,Slipway 14,lots\n,,,,\n")
	lines := file(
		"machines.ndjson",
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-01T00:00:00Z","device":{"name":"NDJ-1","serial":"N1"},"os":{"platform":"windows"}}`+"\n{}\n",
	)
	for _, c := range []struct {
		args string
		code int
		says string
	}{
		{"fleet", 0, "9 of 251 PCs run Skerry 12; 92 more can take it now"},
		{"fleet --where class=mac", 0, "of 33 Macs"},
		{"fleet --where clas=mac", 2, "class"},
		{"fleet --format html", 0, "<h2>Failing requirements</h2>"},
		{"fleet --format json", 0, `"obstacles"`},
		{"fleet matrix --sort -needs.memory --size 5", 0, "1–5 of 251 machines, target Skerry 12"},
		{"fleet matrix --class mac --format csv --size 3", 0, "machine,site,disposition,"},
		{"fleet matrix --class boat", 2, `must be one of: pc, mac; it is "boat"`},
		{"fleet progress", 0, "2026-"},
		{"machines set --where name=nowhere --tag x", 0, "No machine matches; nothing was changed."},
		{"machines set --where disposition=refit --tag order-parts", 0, "30 machines were changed."},
		{"machines set --where disposition=refit", 2, "the change is missing"},
		{"machines set --machine gull-001 --retire --unretire", 2, "exclude each other"},
		{"machines --where tag=order-parts --size 2 --facts memory.installed_bytes", 0, "2 of 30 machines"},
		{"machines --where tag=order-parts --format csv --facts tpm.state", 0, "tpm.state,tags"},
		{"machines --facts tpm.sate", 2, "tpm.state"},
		{"filters set parts tag=order-parts --sort -fails --facts tpm.state", 0,
			"The filter parts is saved; rolltop machines --filter \"parts\" uses it.\n"},
		{"filters set parts tag=order-parts -q", 0, ""},
		{"filters set borrowed class=mac", 0, ""},
		{"filters set borrowed class=pc", 0, `It replaces "class=mac", saved by everything.`},
		{"filters remove borrowed --yes", 0, ""},
		{"filters", 0, "tag=order-parts"},
		{"machines --filter parts --size 1", 0, "1 of 30 machines"},
		{"machines --filter prats", 2, "the saved filter"},
		{"filters remove parts", 2, "give --yes"},
		{"filters remove parts --yes", 0, "is removed"},
		{"duplicates", 0, "No duplicates to resolve."},
		{"duplicates resolve 7 same", 1, "there is no unresolved duplicate 7"},
		{"duplicates resolve x same", 2, "is not the number of a duplicate"},
		{"machines models set Ostrel Slipway_99 tpm.header=true", 1, "no machine has the model"},
		{"machines models set Ostrel Slipway_99 tpm.header", 2, "has no value"},
		{"machines models", 0, "No facts of models."},
		{"import " + sheet, 2, "Two rows. Answer the questions above"},
		{"import " + sheet + " --every os.platform=windows", 2, "--column 'RAM=memory.installed_bytes'"},
		{"import " + sheet + " --every os.platform=windows --column RAM=memory.installed_bytes", 2,
			"choose their unit"},
		{"import " + sheet + " --every os.platform=windows --column RAM=memory.installed_bytes:GiB", 0,
			"Nothing was changed; --apply imports them."},
		{"import " + sheet + " --every os.platform=windows --column RAM=memory.installed_bytes:GiB --apply", 0,
			"2 of 2 rows are machines.\nTo undo this: rolltop audit undo "},
		{"import " + sheet + " --column RAM", 2, "names no fact"},
		{"import " + lines, 2, "give --apply"},
		{"import " + lines + " --apply", 1, "One inventory is imported, 1 of them new; 1 refused."},
		{"expected import " + file("expected.csv", "name,serial,site\nIMP-1,I1,\nIMP-9,,Gull Quay\n"), 0,
			"Two machines are expected; 1 of them never reported."},
		{"expected import " + file("again.csv", "name,serial,site\nIMP-1,I1,\nIMP-9,,Gull Quay\n"), 0,
			"The file changes nothing."},
		{"expected import " + file("less.csv", "name,serial,site\nIMP-9,,Holm Ferry\n") + " --dry-run --replace", 0,
			"One machine is changed: IMP-9. One machine is removed: IMP-1."},
		{"expected import " + file("wrong.csv", "nmae\nx\n"), 1, "did you mean \"name\"?"},
		{"expected", 0, "1 of 2 expected machines never reported."},
		{"expected set 99 off", 1, "there is no expected machine 99"},
		{"expected set 2 lost", 2, "no-network"},
		{"webhooks set desk http://127.0.0.1:9/changes", 2, "settings set --webhooks-private"},
		{"webhooks set desk http://169.254.1.1/changes", 2, "link-local"},
		{"settings set --webhooks-private", 0, "Changed: webhooks-private true."},
		{"settings", 0, "to private networks and to this host as well"},
		{"webhooks set desk http://127.0.0.1:9/changes", 0, ""},
		{"webhooks", 0, "nothing sent yet"},
		{"webhooks remove desk --yes", 0, "is removed"},
		{"settings set --stale-days 14", 0, "Changed: stale-days 14."},
		{"settings set", 2, "give at least one option"},
		{"settings set --stale-days 0", 2, "--stale-days"},
		{"tokens add reader --scope read --only Gull_Quay", 0, "rlt_"},
		{"tokens add counters --machines 5 --tag counter", 0, "rlt_"},
		{"tokens", 0, "may add 5 more machines"},
		{"users set clerk --role viewer --only Gull_Quay", 0, "clerk is a viewer now. The password"},
		{"users set clerk --role technician --only Gull_Quay", 0, "clerk was a viewer and is a technician now; the"},
		{"users", 0, "Gull Quay"},
		{"users set boss --role administrator --only Gull_Quay", 1, "an administrator cannot be limited"},
		{"completion bash", 0, "rolltop"},
	} {
		t.Run(c.args, func(t *testing.T) {
			args := strings.Fields(c.args)
			for i := range args {
				args[i] = strings.ReplaceAll(args[i], "Gull_Quay", "Gull Quay")
			}
			if args[0] != "completion" {
				args = append(args, "--server", s.URL, "--token", s.Token)
			}
			if c.args == "fleet progress" {
				s.Upkeep.Round(t.Context(), s.Now(), false)
			}
			code, out, errOut := rolltop(t, args...)
			if code != c.code || !strings.Contains(out+errOut, c.says) {
				t.Errorf("rolltop %s: status %d, want %d with %q\n%.600s%s", c.args, code, c.code, c.says, out, errOut)
			}
		})
	}
}
