package server_test

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// An address is told what changed, signed, in order, again until it takes it, and
// after a new start of the sender nothing twice that was taken.
func TestWebhooks(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	type message struct {
		header http.Header
		body   []byte
		url    string
	}
	got, fail := make(chan message, 10), make(chan int, 10)
	to := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b, _ := io.ReadAll(r.Body)
		select {
		case status := <-fail:
			w.WriteHeader(status)
		default:
			got <- message{r.Header, b, "http://" + r.Host + r.URL.Path}
		}
	}))
	defer to.Close()
	s.AllowPrivateWebhooks(t)
	h, err := s.Client.SetWebhook(ctx, "desk", api.SetWebhook{URL: to.URL + "/changes"})
	if err != nil || h.Secret == "" {
		t.Fatalf("%+v %v", h, err)
	}
	_, err = s.Client.SetWebhook(ctx, "bad", api.SetWebhook{URL: "ftp://somewhere"})
	refused(t, "an address", err, "is not a webhook address")
	for _, name := range []string{"a b", `a"b`, "a%0Ab", "-a"} {
		if status, _, body := call(t, "PUT", s.URL+"/api/v1/webhooks/"+strings.ReplaceAll(name, " ", "%20"), s.Token,
			"application/json", `{"url":"https://192.0.2.1/"}`); status != 422 ||
			!strings.Contains(body, "letters, digits") {
			t.Errorf("a webhook called %q: %d %s", name, status, body)
		}
	}
	running, stop := context.WithCancel(ctx)
	defer stop()
	go s.Upkeep.Run(running)
	fail <- 500
	// A machine loses its memory: it is not ready any more.
	l, err := s.Client.Machines(ctx, "disposition=ready class=pc", "name", 1, 1)
	if err != nil {
		t.Fatal(err)
	}
	key := l.Machines[0].Key
	if _, err := s.Client.Submit(ctx, like(t, s, key, func(d *inventory.Document) {
		d.Memory.Installed = inventory.Some(int64(2 << 30))
		d.Memory.Visible = inventory.Opt[int64]{}
		d.Memory.Modules = nil
		d.TakenAt = d.TakenAt.Add(time.Minute)
	})); err != nil {
		t.Fatal(err)
	}
	var m message
	select {
	case m = <-got:
	case <-time.After(30 * time.Second):
		list, _ := s.Client.Webhooks(ctx)
		t.Fatalf("nothing was told: %+v", list)
	}
	var flips api.ChangeMessage
	err = json.Unmarshal(m.body, &flips)
	expect.NoError(t, err)
	expect.Same(t, "flips.Format", flips.Format, "rolltop-changes/1")
	expect.Same(t, "len(flips.Changes)", len(flips.Changes), 1)
	expect.Same(t, "flips.Changes[0].Machine", flips.Changes[0].Machine, key)
	expect.Same(t, "flips.Changes[0].Was", flips.Changes[0].Was, "ready")
	expect.That(t, `flips.Changes[0].Becomes != "ready"`, flips.Changes[0].Becomes != "ready")
	expect.Same(t, "flips.Changes[0].Cause", flips.Changes[0].Cause, "inventory")
	// The signature, as RFC 9421 has whoever receives it work it out.
	sum := sha256.Sum256(m.body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	params := strings.TrimPrefix(m.header.Get("Signature-Input"), "rolltop=")
	mac := hmac.New(sha256.New, []byte(h.Secret))
	fmt.Fprintf(
		mac,
		"\"@method\": POST\n\"@target-uri\": %s\n\"content-digest\": %s\n\"@signature-params\": %s",
		m.url,
		digest,
		params,
	)
	if want := "rolltop=:" + base64.StdEncoding.EncodeToString(mac.Sum(nil)) + ":"; m.header.Get(
		"Signature",
	) != want ||
		m.header.Get("Content-Digest") != digest {
		t.Errorf("signed %s, want %s", m.header.Get("Signature"), want)
	}
	list, err := s.Client.Webhooks(ctx)
	for try := 0; err == nil && try < 50 && list.Webhooks[0].Waiting > 0; try++ { // the answer to it is noted after it
		time.Sleep(50 * time.Millisecond)
		list, err = s.Client.Webhooks(ctx)
	}
	expect.NoError(t, err)
	expect.Same(t, "list.Webhooks[0].Waiting", list.Webhooks[0].Waiting, 0)
	expect.That(t, "list.Webhooks[0].SentAt != nil", list.Webhooks[0].SentAt != nil)
	expect.Same(t, "list.Webhooks[0].Tries", list.Webhooks[0].Tries, 0)
	if err := s.Client.RemoveWebhook(ctx, "desk"); err != nil {
		t.Error(err)
	}
}

// A page hears of a change soon after it.
func TestEvents(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	within, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	req, _ := http.NewRequestWithContext(within, "GET", s.URL+"/api/v1/events", nil)
	req.Header.Set("Authorization", "Bearer "+s.Token)
	res, err := http.DefaultClient.Do(req)
	if err != nil || res.Header.Get("Content-Type") != "text/event-stream" {
		t.Fatalf("%v %v", res, err)
	}
	defer res.Body.Close()
	scan := bufio.NewScanner(res.Body)
	scan.Scan() // it has begun
	if _, err := s.Client.Change(ctx, api.MachineChanges{Keys: []string{"gull-001"}, Tag: []string{"x"}}); err != nil {
		t.Fatal(err)
	}
	for scan.Scan() {
		if scan.Text() == "event: changed" {
			s.Stop() // and it ends when the service does
			for scan.Scan() {
			}
			return
		}
	}
	t.Errorf("nothing was heard: %v", scan.Err())
}

// Good lines are kept whatever stands between them.
func TestLines(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	var lines []string
	for i := range 40 {
		lines = append(lines, string(like(t, s, "gull-003", func(d *inventory.Document) {
			d.Device.Name = inventory.Some(fmt.Sprintf("LINE-%02d", i))
			d.Device.Serial = inventory.Some(fmt.Sprintf("L%02d", i))
			d.Device.UUID = unknown
		})))
	}
	lines[7], lines[20] = `{"format":"rolltop-inventory/1","memry":{}}`, "not a document"
	text := strings.Join(lines, "\n") + "\n\n"
	check := func(name string, from io.Reader) {
		n, bad := 0, []int{}
		err := s.Client.Lines(ctx, from, func(l *api.SubmittedLine) {
			if n++; l.Line != n {
				t.Errorf("%s: line %d is answered as the %dth", name, l.Line, n)
			}
			if l.Problem != "" {
				bad = append(bad, l.Line)
			}
		})
		expect.NoError(t, err)
		expect.Same(t, "n", n, 40)
		expect.Same(t, "fmt.Sprint(bad)", fmt.Sprint(bad), "[8 21]")
	}
	check("new ones", strings.NewReader(text))
	check("the same again", strings.NewReader(text))
	if n := total(t, s.Client, "line-"); n != 38 {
		t.Errorf("%d machines", n)
	}
	post := func(kind, encoding string, body io.Reader) (int, string) {
		req, _ := http.NewRequest("POST", s.URL+"/api/v1/inventories/lines", body)
		req.Header.Set("Content-Type", kind)
		req.Header.Set("Content-Encoding", encoding)
		req.Header.Set("Authorization", "Bearer "+s.Token)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		b, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(b)
	}
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, _ = z.Write([]byte(text))
	_ = z.Close()
	whole := packed.Bytes()
	if status, body := post("application/x-ndjson", "gzip", bytes.NewReader(whole)); status != 200 ||
		strings.Count(body, "\n") != 40 {
		t.Errorf("packed: %d, %d lines", status, strings.Count(body, "\n"))
	}
	if _, body := post("application/x-ndjson", "gzip", bytes.NewReader(whole[:len(whole)/2])); !strings.Contains(body,
		"truncated or damaged") {
		t.Errorf("cut off: %.300s", body)
	}
	if _, body := post("application/x-ndjson", "gzip", strings.NewReader("plain")); !strings.Contains(body,
		"not compressed with gzip") {
		t.Errorf("not packed: %s", body)
	}
	if status, _ := post("application/json", "", strings.NewReader("{}")); status != 415 {
		t.Errorf("another type: %d", status)
	}
	if status, _ := post("application/x-ndjson", "br", strings.NewReader("{}")); status != 415 {
		t.Errorf("another encoding: %d", status)
	}
	// A bomb: far more than a line may hold, packed into little.
	packed.Reset()
	z = gzip.NewWriter(&packed)
	zeros := bytes.Repeat([]byte(" "), 1<<20)
	for range 64 {
		_, _ = z.Write(zeros)
	}
	_ = z.Close()
	if _, body := post("application/x-ndjson", "gzip", &packed); !strings.Contains(body, "the line is larger than") {
		t.Errorf("a bomb: %.300s", body)
	}
}

func TestSheet(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	csv := []byte(
		"Name;Serial;Model;RAM;Disk\nSHEET-1;S1;Slipway 14;8;256\nSHEET-2;S2;Slipway 14;sixteen;256\n;;;;\n",
	)
	got, err := s.Client.ImportSheet(ctx,
		api.ImportSheet{Name: "machines.csv", Content: csv, Fixed: map[string]string{"os.platform": "windows"}})
	expect.NoError(t, err)
	expect.That(t, "!got.Settled", !got.Settled)
	expect.That(t, `got.Columns[3].Problem != ""`, got.Columns[3].Problem != "")
	expect.Same(t, "rows that would be imported", len(got.Imported), 0)
	in := api.ImportSheet{Name: "machines.csv", Content: csv, Fixed: map[string]string{"os.platform": "windows"},
		Columns: map[string]sheet.Choice{
			"RAM":  {Fact: "memory.installed_bytes", Unit: "GiB"},
			"Disk": {Fact: "storage.system.disk_bytes", Unit: "GB"},
		}}
	got, err = s.Client.ImportSheet(ctx, in)
	expect.NoError(t, err)
	expect.That(t, "got.Settled", got.Settled)
	expect.Same(t, "got.Machines", got.Machines, 2)
	expect.Same(t, "got.Rows[0].Facts[3]", got.Rows[0].Facts[3], "8 GiB")
	expect.Same(t, "len(got.Rows[1].Left)", len(got.Rows[1].Left), 1)
	expect.Same(
		t,
		"in a preview",
		fmt.Sprint(got.Counts, got.Applied, total(t, s.Client, "sheet-1")),
		"map[new:2] false 0",
	)
	in.Apply = true
	got, err = s.Client.ImportSheet(ctx, in)
	expect.NoError(t, err)
	expect.Same(t, "imported", fmt.Sprint(got.Counts, got.Applied), "map[new:2] true")
	d, err := s.Client.Machine(ctx, "sheet-1")
	if err != nil || d.Disposition != "undetermined" {
		t.Errorf("%s %v", d.Disposition, err)
	}
	if n := total(t, s.Client, "cause=not-asked sheet"); n == 0 {
		t.Error("nothing says why it is undetermined")
	}
}

// A row of a spreadsheet never replaces what was read: it fills gaps, and what differs becomes a conflict that keeps
// both values. The preview says what each row would do; the import is one entry, and is undone whole.
func TestRowsNeverReplaceReadings(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	c := s.Client
	const key = "gull-024"
	before, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	inv, err := c.Inventory(ctx, key, 0)
	expect.NoError(t, err)
	known, err := inventory.Read("it", inv)
	expect.NoError(t, err)
	serial, maker := known.Device.Serial.Or(""), known.Device.Manufacturer.Or("")
	gib := known.Memory.Installed.Or(0) >> 30
	rows := fmt.Sprintf("Computer,S/N,Mfr,Model,Installed RAM (GiB),Location,Desk\n"+
		"GULL-024,%s,%s,%s,%d,Gull Quay,counter 7\nSHEET-9,S9,Fennick,Tern 2,8,Gull Quay,\n", serial, maker,
		known.Device.Model.Or(""), gib+4)
	in := api.ImportSheet{Name: "assets.csv", Content: []byte(rows), Fixed: map[string]string{"os.platform": "macos"}}
	try, err := c.ImportSheet(ctx, in)
	expect.NoError(t, err)
	expect.Same(
		t,
		"questions",
		fmt.Sprint(try.Settled, try.Problems, try.Columns),
		fmt.Sprint(true, []string(nil), try.Columns),
	)
	expect.Same(t, "a preview", fmt.Sprint(try.Counts, try.Applied), "map[conflict:1 new:1] false")
	expect.Contains(t, try.Imported[0].Says, fmt.Sprintf("known %d GiB, row %d GiB", gib, gib+4))
	same := func(what string) {
		t.Helper()
		now, err := c.Machine(ctx, key)
		expect.NoError(t, err)
		expect.Same(
			t,
			what,
			fmt.Sprint(now.Disposition, now.TakenAt, now.Desk, len(now.Hand), total(t, c, "sheet-9")),
			fmt.Sprint(before.Disposition, before.TakenAt, "", len(before.Hand), 0),
		)
	}
	same("after a preview")

	in.Apply = true
	got, err := c.ImportSheet(ctx, in)
	expect.NoError(t, err)
	now, err := c.Machine(ctx, key)
	expect.NoError(t, err)
	expect.Same(t, "the reading stays the latest", now.TakenAt, before.TakenAt)
	expect.Same(t, "read facts", now.Check.Coverage.Read, before.Check.Coverage.Read-1) // one is in conflict
	expect.Same(t, "the desk", now.Desk, "counter 7")
	expect.Same(t, "machines that the row made", total(t, c, `sheet-9 site="Gull Quay"`), 1)
	again, err := c.ImportSheet(ctx, in)
	expect.NoError(t, err)
	expect.Same(t, "the same file again", fmt.Sprint(again.Counts, again.Change), "map[conflict:1 nothing-new:1] 0")

	undone, err := c.Undo(ctx, got.Change, false)
	expect.NoError(t, err)
	expect.Same(t, "undone", fmt.Sprint(undone.Undone, undone.Kept), "2 0")
	same("after it was undone")
}

// A token for machines gives them a tag and a site, and adds no more than it may;
// those that are known can always send.
func TestTokenForMachines(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	m, err := s.Client.AddToken(ctx,
		api.NewToken{Name: "counters", Scope: "submit", Machines: 2, Tag: "counter", Site: "Gull Quay"})
	expect.NoError(t, err)
	expect.That(t, "m.Machines != nil", m.Machines != nil)
	expect.Same(t, "*m.Machines", *m.Machines, 2)
	c := s.As(t, m.Secret)
	send := func(n int) error {
		_, err := c.Submit(ctx, machine(t, func(d *inventory.Document) {
			d.Device.Name = inventory.Some(fmt.Sprintf("C%d", n))
			d.Device.Serial = inventory.Some(fmt.Sprintf("C%d", n))
			d.Device.UUID = unknown
		}))
		return err
	}
	for _, n := range []int{1, 2, 1, 2} {
		if err := send(n); err != nil {
			t.Errorf("machine %d: %v", n, err)
		}
	}
	refused(t, "a third machine", send(3), "cannot add more machines")
	if n := total(t, s.Client, `tag=counter site="Gull Quay"`); n != 2 || total(t, s.Client, "") != 2 {
		t.Errorf("%d machines", n)
	}
	for want, n := range map[string]api.NewToken{
		"apply only to the permission submit": {Name: "a", Scope: "read", Tag: "x"},
		"sites apply only":                    {Name: "b", Scope: "submit", Sites: []string{"x"}},
		"is not a tag":                        {Name: "c", Scope: "submit", Tag: "a b"},
	} {
		t.Run(want, func(t *testing.T) {
			_, err := s.Client.AddToken(ctx, n)
			refused(t, want, err, want)
		})
	}
}

// The list of expected machines says which never reported, and why.
func TestExpected(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	d, err := s.Client.Inventory(ctx, "gull-001", 0)
	if err != nil {
		t.Fatal(err)
	}
	inv, _ := inventory.Read("x", d)
	l, err := s.Client.SetExpected(ctx,
		[]api.Expected{
			{Name: "OTHER-NAME", Serial: inv.Device.Serial.Or("")}, {Name: "HOLM-999"},
			{Name: "GULL-998", Reason: "in-repair"},
		})
	expect.NoError(t, err)
	expect.Same(t, "l.Missing", l.Missing, 2)
	expect.Same(t, "l.Reported", l.Reported, 1)
	expect.Same(t, "l.Machines[2].Machine", l.Machines[2].Machine, "gull-001")
	expect.That(t, `!(l.Machines[0].Site != "Gull Quay" && l.Machines[1].Site != "Gull Quay")`,
		!(l.Machines[0].Site != "Gull Quay" && l.Machines[1].Site != "Gull Quay"))
	var holm int64
	for _, e := range l.Machines {
		if e.Name == "HOLM-999" {
			holm = e.ID
		}
	}
	if err := s.Client.SetReason(ctx, holm, api.SetReason{Reason: "off", Note: "in the store room"}); err != nil {
		t.Fatal(err)
	}
	_, err = s.Client.SetExpected(ctx, []api.Expected{{Name: "HOLM-999"}})
	expect.Error(t, err, "after you read it") // the reason is part of the list
	_, err = s.Client.Expected(ctx)
	expect.NoError(t, err)
	l, err = s.Client.SetExpected(ctx, []api.Expected{{Name: "HOLM-999"}, {Name: "GULL-997"}})
	if err != nil || len(l.Machines) != 2 {
		t.Fatalf("%+v %v", l, err)
	}
	for _, e := range l.Machines {
		if (e.Name == "HOLM-999") != (e.Reason == "off") {
			t.Errorf("%+v", e)
		}
	}
	_, err = s.Client.SetExpected(ctx, []api.Expected{{Name: "A"}, {Name: "B"}, {Name: "A"}})
	refused(t, "one twice", err, "machine 3 of the list is the same as machine 1")
	if l, err := s.Client.Expected(ctx); err != nil || len(l.Machines) != 2 {
		t.Errorf("a refused list changed something: %+v %v", l, err)
	}
}

// Each day's counts are kept, and what is old is thinned out.
func TestProgressAndHistory(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	now := time.Now()
	for day := range 3 {
		s.Upkeep.Round(ctx, now.AddDate(0, 0, day-2), false)
	}
	p, err := s.Client.Progress(ctx, 30)
	expect.NoError(t, err)
	expect.Same(t, "len(p.Days)", len(p.Days), 3)
	two, err := s.Client.Progress(ctx, 2)
	expect.NoError(t, err)
	expect.Same(t, "two days, today included", len(two.Days), 2)
	expect.Same(t, "p.Days[2].Total", p.Days[2].Total, 284)
	expect.Same(t, `p.Days[2].Dispositions["refit"]`, p.Days[2].Dispositions["refit"], 30)
	// Seven inventories in two quarters of long ago, and today's.
	for i, days := range []int{900, 899, 898, 700, 699, 600, 100} {
		if _, err := s.Client.Submit(ctx, like(t, s, "gull-020", func(d *inventory.Document) {
			d.OS.Build, d.TakenAt = inventory.Some(fmt.Sprint(i)), now.UTC().AddDate(0, 0, -days)
		})); err != nil {
			t.Fatal(err)
		}
	}
	before, _ := s.Client.Machine(ctx, "gull-020")
	yes := true
	if _, err := s.Client.Change(ctx, api.MachineChanges{Keys: []string{"gull-021"}, Retire: &yes}); err != nil {
		t.Fatal(err)
	}
	s.Upkeep.Round(ctx, now.AddDate(0, 0, 1), true)
	d, err := s.Client.Machine(ctx, "gull-020")
	expect.NoError(t, err)
	expect.That(t, "len(d.History) < len(before.History)-1", len(d.History) < len(before.History)-1)
	expect.That(t, "len(d.History) >= 5", len(d.History) >= 5)
	quarters := map[string]int{}
	for _, h := range d.History {
		if now.Sub(h.LastSeen) > 400*24*time.Hour {
			quarters[fmt.Sprint(h.LastSeen.Year(), (h.LastSeen.Month()-1)/3)]++
		}
	}
	for q, n := range quarters {
		if n != 1 {
			t.Errorf("%d of %s are left", n, q)
		}
	}
	if total(t, s.Client, "retired=yes") != 1 {
		t.Error("a machine that was retired yesterday is gone")
	}
	s.Upkeep.Round(ctx, now.AddDate(0, 0, 91), true)
	if _, err := s.Client.Machine(ctx, "gull-021"); err == nil || total(t, s.Client, "retired=yes") != 0 {
		t.Error("a machine that was retired 91 days ago is still there")
	}
}
