package cli_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// The work of the fleet, decisions, waves and changed rules have their commands.
func TestFleetWorkCommands(t *testing.T) {
	s := servertest.Demo(t, nil)
	if err := standin.Furnish(t.Context(), s, time.Now()); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	file := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	day := func(n int) string { return time.Now().UTC().AddDate(0, 0, n).Format(time.DateOnly) }
	next, err := os.ReadFile("../standin/releases/skerry-12.yaml")
	if err != nil {
		t.Fatal(err)
	}
	list, err := os.ReadFile("../standin/releases/skerry-12-processors.csv")
	if err != nil {
		t.Fatal(err)
	}
	file("skerry-12-processors.csv", string(list))
	page, err := os.ReadFile("../standin/releases/skerry-12-requirements.txt")
	expect.NoError(t, err)
	file("skerry-12-requirements.txt", string(page))
	draft := file("draft.yaml",
		strings.NewReplacer("revision: 5", "revision: 6", "need: {fact: storage.system.free_bytes, at_least: 30 GB}",
			"need: {fact: storage.system.free_bytes, at_least: 80 GB}").Replace(string(next)))
	outcomes := file("outcomes.csv", "machine,outcome,reason\nHOLM-009,failed,no mains\nHOLM-010,gone,\n")
	for _, c := range []struct {
		args string
		code int
		says string
	}{
		{"work", 0, "68 visits at nine sites"},
		{"work", 0, "Visits at"},
		{"work --where plaice=x", 2, "unknown key"},
		{"work --where name=nowhere", 0, "Nothing is left to do."},
		{"work --format csv", 0, "site,machine,key,model"},
		{"work --format json", 0, `"batches"`},
		{"work wins", 0, "102 of 265 machines are ready now."},
		{"work wins --order time", 0, "Ready afterwards"},
		{"work wins --order luck", 2, "luck"},
		{"work wins --format csv", 0, "order,remedies,gain"},
		{"work parts", 0, "confirm in the manual first"},
		{"work parts --format csv", 0, "ends_warranty"},
		{"work batches", 0, "First on"},
		{"work batches --format csv --where class=pc", 0, "step,title"},
		{"work batches --where key=holm-002", 0, "No remote work."},
		{"work questions", 0, "Open question"},
		{"work questions --format json", 0, "rolltop-questions/1"},
		{"work questions --where disposition=ready", 0, "No open questions."},
		{"work watch", 0, "paused"},
		{"work watch --format csv", 0, "kind,machine,site,says"},
		{"work watch --where key=gull-001", 0, "Nothing to watch."},
		{"work stock new_tablet --on-hand 2 --lead-days 9", 0, "new tablet: 2 on hand."},
		{"work stock new_tablet --on-hand -2", 2, ""},
		{"work messages --where key=nslip-003", 0, "A technician will come to your desk"},
		{"work sheet --where key=nslip-003", 0, "NSLIP-003"},
		{"work sheet --where key=lant-004", 2, "has a visit"},
		{"technicians set ada", 0, "ada can be assigned visits."},
		{"work assign ada nslip-003 --note stairs", 2, "overwrite this"},
		{"work assign ada nslip-003 --note stairs --overwrite --dry-run", 0, "One machine would be changed."},
		{"work assign ada nslip-003 --note stairs --overwrite", 0, "To undo this: rolltop audit undo "},
		{"machines --where assigned=ada", 0, "NSLIP-003"},
		{"work assign ada", 2, "the machines are missing"},
		{"work parts --machines", 0, "GULL-002"},
		{"orders", 0, "Slip Road Parts"},
		{"orders show t-101", 0, "LANT-030"},
		{"orders show T-1", 1, "there is no order"},
		{"orders add T-101 --part new_desktop", 2, "the order T-101 of"},
		{"orders add T-104 --part new_desktop --price 5x", 2, "is not a price"},
		{"orders add T-104 --part new_desktop --price 5", 2, "is far from that"},
		{"orders add T-104 --part new_desktop --price 590.50 --dry-run", 0, "would be recorded as ordered"},
		{"orders show T-104", 1, "there is no order"},
		{"orders add T-104 --part new_desktop --price 590.50 --supplier quay", 0, "is recorded as ordered"},
		{"orders set T-104 arived", 2, "did you mean"},
		{"orders set T-104 arrived --dry-run", 0, "would be recorded as arrived"},
		{"orders remove T-104", 2, "give --yes"},
		{"orders remove T-104 --yes", 0, "The order T-104 is removed."},
		{"replacements", 0, "GULL-041 takes its place; it has not reported yet"},
		{"replacements show gull-002", 0, "leave/data-moved"},
		{"replacements set gull-008 gull-041", 2, "takes the place of another machine already"},
		{"replacements set gull-008 GULL-043 --note door", 0, "GULL-043 takes its place"},
		{"replacements remove gull-008 --yes", 0, "The replacement of gull-008 is removed."},
		{"work ask q-3e451c00 maker --due " + day(-1), 2, "is in the past"},
		{"work ask q-3e451c00 maker --due " + day(5), 0, "The question is recorded as put to maker."},
		{"work questions", 0, "Asked maker on"},
		{"work answer q-3e451c00", 2, "give either the answer"},
		{"work answer q-3e451c00 true --dry-run", 0, "Nothing is recorded yet."},
		{"work answer q-3e451c00 --treat-as true --note silence", 0, "for the model"},
		{"work answers --format csv", 0, "no answer; treated as true"},
		{"fleet briefing", 0, "Spent EUR 29"},
		{"machines bundle gull-014 --redact --output " + filepath.Join(dir, "case.zip"), 0, "case.zip"},
		{"machines bundle gull-014 --capture " + draft, 1, "capture"},
		{"releases what-if skerry-13 --effort", 0, "machines are replaced"},
		{"machines tick gull-014 after/files-there", 1, "does not run its target yet"},
		{"decisions", 0, "Stays on its release until"},
		{"decisions add waive --where key=gull-001 --requirement memory --until " + day(9) + " --reason x", 2,
			"cannot be waived"},
		{"decisions add waive --where key=gull-013 --requirement graphics --reason x", 2, "the last day is missing"},
		{"decisions add later --where key=gull-013 --until " + day(-9) + " --reason x", 2, day(-9) + " is in the past"},
		{"decisions add perhaps --where key=gull-013 --until " + day(9) + " --reason x", 2, "waive, stay, hold, later"},
		{"decisions add waive --where key=gull-013 --requirement graphics --until " + day(9) + " --reason sign", 0,
			"Decision 6, for one machine."},
		{"machines show gull-013", 0, "Not met, waived"},
		{"decisions end 6", 0, "has ended"},
		{"decisions end 6", 1, "decision 6 does not exist or has ended"},
		{"decisions --format csv", 0, "number,kind"},
		{"waves", 0, "machines lose support before they arrive"},
		{"waves --format csv", 0, "number,name,release"},
		{"waves show 2", 0, "the battery ran empty"},
		{"waves show x", 2, "is not a wave number"},
		{"waves add Lights --rule name=x --most 3 --starts " + day(-1) + " --ends " + day(3), 2,
			"is in the past"},
		{"waves add Lights --rule site=\"Outer_Light\" --most 3 --starts " + day(1) + " --ends " + day(3), 0,
			"Wave 4, Lights"},
		{"waves set 4 --most 2", 0, "Wave 4, Lights"},
		{"waves machines add 4", 0, "to wave 4."},
		{"waves machines add 4 gull-001", 1, "the machine does not match the rule of the wave"},
		{"waves hand-off 4 --format csv", 0, "machine,key,site"},
		{"waves hand-off 4 --output " + filepath.Join(dir, "off.json"), 0, "off.json written"},
		{"waves handed-off 4", 2, "starts on"},
		{"waves outcomes 2 " + outcomes, 1, "unknown outcome"},
		{"waves show 2", 0, "no mains"},
		{"waves end 4", 0, "Wave 4 has ended."},
		{"waves blackout", 0, "turn of the year"},
		{"waves blackout add " + day(60) + " " + day(62) + " --reason stocktaking", 0, "Two ranges"},
		{"waves blackout remove " + day(61), 2, "no blackout days begin on"},
		{"waves blackout remove --yes " + day(60), 0, "One range"},
		{"releases what-if " + draft, 0, "fewer would be ready"},
		{"releases what-if skerry-13 --format csv", 0, "machine,key,site,model,was,becomes,by"},
		{"releases what-if skerry-12@5 --against skerry-12@4", 0, "Six machines of 251 would change"},
		{"releases what-if skerry-99", 1, "there is no release"},
		{"releases changes", 0, "Skerry 12, revision 5: six machines changed"},
		{"releases changes 1", 0, "Graphics driver"},
		{"releases changes 9", 1, "there is no change of rules 9"},
		{"releases add " + draft, 0, "added; it is not in force"},
		{"releases activate skerry-12 --dry-run", 0, "Nothing was changed."},
		{"releases activate skerry-12", 2, "--yes"},
		{"releases activate skerry-12 --yes", 0, "rolltop releases changes 2 lists them."},
		{"machines --where rule_change=2 --size 1", 0, "1 of "},
		{"prices history", 0, "your own"},
		{"prices get --number 1", 0, "rolltop-prices/1"},
		{"prices get --number 9", 1, "the history of the prices has no number 9"},
		{"prices get --number 1 --shipped", 2, "exclude each other"},
		{"prices activate 1 --yes", 2, "in force already"},
		{"prices activate one --yes", 2, "rolltop prices history lists all"},
		{"prices activate 1", 2, "give --yes"},
		{"prices remove --yes", 0, "yours are kept in the history"},
		{"prices activate 1 --yes", 0, "Your prices of number 1 are in force again, as number 3."},
		{"prices activate 2 --yes", 0, "The program's prices of number 2 are in force again, as number 4."},
		{"steps history --format json", 0, "rolltop-knowledge-history/1"},
		{"work answer q-6158e152 yes", 0, "rolltop releases what-if skerry-12@7"},
		{"machines tick gull-001 leave/disk-wiped --note shredded", 0, "leave/disk-wiped: Done"},
		{"machines tick gull-001 leave/record-closed", 1, "the record cannot be closed"},
	} {
		t.Run(c.args, func(t *testing.T) {
			args := strings.Fields(c.args)
			for i := range args {
				args[i] = strings.ReplaceAll(strings.ReplaceAll(args[i], "new_", "new "), "Outer_Light", "Outer Light")
			}
			code, out, errs := rolltop(t, append(args, "--server", s.URL, "--token", s.Token)...)
			if code != c.code || !strings.Contains(out+errs, c.says) {
				t.Errorf("rolltop %s: %d, want %d with %q\n%.900s%s", c.args, code, c.code, c.says, out, errs)
			}
		})
	}
	if b, err := os.ReadFile(filepath.Join(dir, "off.json")); err != nil ||
		!strings.Contains(string(b), `"rolltop-handoff/1"`) {
		t.Error(fmt.Sprint(string(b), err))
	}
}
