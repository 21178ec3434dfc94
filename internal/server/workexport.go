package server

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/internal/api"
)

// WorkLists are the lists of the fleet's work that are exported.
var WorkLists = []string{
	"visits", "batches", "parts", "questions", "watch", "wins", "messages", "decisions", "waves",
	"applications",
}

// grid is a table.
type matrix struct {
	heads []string
	rows  [][]string
}

func (g *matrix) row(cells ...string) { g.rows = append(g.rows, cells) }

func (s exportAPI) exportWork(ctx context.Context, in *struct {
	List   string `query:"list" required:"true" enum:"visits,batches,parts,questions,watch,wins,messages,decisions,waves,applications"`
	Where  string `query:"where" maxLength:"2000"`
	Order  string `query:"order" enum:"machines,time" default:"machines" doc:"For wins"`
	Format string `query:"format" enum:"csv,json,ndjson" default:"csv"`
}) (*exportOutput, error) {
	var g *matrix
	var err error
	switch in.List {
	case "wins":
		g, err = s.winsTable(ctx, in.Where, in.Order)
	case "messages":
		g, err = s.messagesTable(ctx, in.Where)
	case "applications":
		g, err = s.applicationsTable(ctx, in.Where)
	case "decisions":
		g, err = s.decisionsTable(ctx)
	case "waves":
		g, err = s.wavesTable(ctx)
	default:
		g, err = s.workTable(ctx, in.List, in.Where)
	}
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	kind, ending := "text/csv; charset=utf-8", "csv"
	switch in.Format {
	case "json":
		kind, ending = "application/json", "json"
		err = json.NewEncoder(&b).Encode(api.WorkTable{Format: "rolltop-table/1", List: in.List, Rows: g.objects()})
	case "ndjson":
		kind, ending = "application/x-ndjson", "ndjson"
		enc := json.NewEncoder(&b)
		for _, o := range g.objects() {
			err = errors.Join(err, enc.Encode(o))
		}
	default:
		err = writeTable(&b, g.heads, g.rows)
	}
	if err != nil {
		return nil, err
	}
	return &exportOutput{
		ContentType: kind,
		Disposition: fmt.Sprintf(`attachment; filename="%s.%s"`, in.List, ending),
		Body:        b.Bytes(),
	}, nil
}

// exportOutput is a file to keep.
type exportOutput struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (g *matrix) objects() []map[string]string {
	out := make([]map[string]string, len(g.rows))
	for i, row := range g.rows {
		out[i] = make(map[string]string, len(row))
		for j, cell := range row {
			out[i][g.heads[j]] = cell
		}
	}
	return out
}

func stepTitles(steps []api.StepRef) string {
	out := make([]string, len(steps))
	for i, s := range steps {
		out[i] = s.Title
	}
	return strings.Join(out, "; ")
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func dayOf(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.DateOnly)
}

// cents writes hundredths.
func cents(n int64) string { return fmt.Sprintf("%d.%02d", n/100, n%100) }

func (s exportAPI) workTable(ctx context.Context, list, where string) (*matrix, error) {
	got, err := workAPI(s).showWork(ctx, &workInput{Where: where})
	if err != nil {
		return nil, err
	}
	w, n := &got, strconv.Itoa
	g := &matrix{}
	switch list {
	case "visits":
		g.heads = []string{
			"site", "machine", "key", "model", "disposition", "steps", "minutes_least", "minutes_most", "restarts",
			"firmware", "parts", "said_done", "who", "not_before", "note",
		}
		for _, stop := range w.Stops {
			for _, v := range stop.Visits {
				g.row(v.Site, v.Name, v.Key, v.Model, v.Disposition, stepTitles(v.Steps), n(v.Minutes.Least),
					n(v.Minutes.Most), n(v.Restarts), yesNo(v.Firmware), yesNo(v.Parts), strings.Join(v.Ticked, "; "),
					v.Who, dayOf(v.NotBefore), v.Note)
			}
		}
	case "batches":
		g.heads = []string{
			"step", "title", "by", "machines", "expected", "left_alone", "minutes_least", "minutes_most", "first_on",
			"required", "recommended", "optional", "filter",
		}
		for _, b := range slices.Concat(w.Batches, w.Further) {
			weights := []string{"", "", ""}
			if b.Weights != nil {
				weights = []string{n(b.Weights.Required), n(b.Weights.Advised), n(b.Weights.Optional)}
			}
			var pilot []string
			for _, m := range b.Pilot {
				pilot = append(pilot, m.Name)
			}
			g.row(b.Step, b.Title, b.By, n(b.Machines), n(b.Expected), n(b.Waiting), n(b.Minutes.Least),
				n(b.Minutes.Most), strings.Join(pilot, " "), weights[0], weights[1], weights[2], b.Where)
		}
	case "parts":
		g.heads = []string{
			"part", "needed", "on_hand", "to_order", "price_least", "price_most", "currency", "without_price",
			"lead_days", "confirm_in_manual", "ends_warranty", "machines",
		}
		for _, l := range w.Order {
			g.row(l.Part, n(l.Quantity), n(l.OnHand), n(l.ToOrder), cents(l.Price.Least), cents(l.Price.Most),
				l.Price.Currency, n(l.Price.Unpriced), n(l.LeadDays), n(l.Confirm), n(l.Voids), n(l.Machines))
		}
	case "questions":
		g.heads = []string{"question", "about", "fact", "cause", "machines", "answer", "filter"}
		for _, q := range w.Questions {
			g.row(q.Says, q.About, q.Fact, q.Cause, n(q.Machines), q.Answer, q.Where)
		}
	case "watch":
		g.heads = []string{"kind", "machine", "site", "says"}
		for _, x := range w.Watch {
			g.row(x.Kind, x.Machine.Name, x.Machine.Site, x.Says)
		}
	}
	return g, nil
}

func (s exportAPI) winsTable(ctx context.Context, where, order string) (*matrix, error) {
	got, err := workAPI(s).showWins(ctx, &winsInput{Where: where, Order: order})
	if err != nil {
		return nil, err
	}
	n := strconv.Itoa
	g := &matrix{heads: []string{
		"order", "remedies", "gain", "expected", "ready", "minutes_least", "minutes_most", "price_least", "price_most",
		"currency",
	}}
	for i, k := range got.Picks {
		g.row(n(i+1), stepTitles(k.Steps), n(k.Gain), n(k.Expected), n(k.Ready), n(k.Minutes.Least), n(k.Minutes.Most),
			cents(k.Cost.Least), cents(k.Cost.Most), k.Cost.Currency)
	}
	return g, nil
}

func (s exportAPI) messagesTable(ctx context.Context, where string) (*matrix, error) {
	got, err := workAPI(s).messages(ctx, &workInput{Where: where})
	if err != nil {
		return nil, err
	}
	g := &matrix{heads: []string{"site", "machine", "key", "subject", "text"}}
	for _, m := range got.Messages {
		g.row(m.Site, m.Name, m.Key, m.Subject, strings.Join(m.Text, "\n\n"))
	}
	return g, nil
}

func (s exportAPI) decisionsTable(ctx context.Context) (*matrix, error) {
	list, err := s.Decisions.List(ctx)
	if err != nil {
		return nil, err
	}
	g := &matrix{heads: []string{
		"number", "kind", "requirement", "release", "filter", "machines", "reason", "by", "at", "last_day", "counts",
	}}
	for i := range list {
		d := &list[i]
		g.row(strconv.FormatInt(d.ID, 10), d.Kind, d.Requirement, d.Release, d.Scope, strconv.Itoa(d.Machines),
			d.Reason, d.By, dayOf(d.At), dayOf(d.Until.Add(-time.Second)), yesNo(d.Counts))
	}
	return g, nil
}

func (s exportAPI) wavesTable(ctx context.Context) (*matrix, error) {
	got, err := wavesAPI(s).listWaves(ctx, nil)
	if err != nil {
		return nil, err
	}
	n := strconv.Itoa
	g := &matrix{heads: []string{
		"number", "name", "release", "pilot", "rule", "starts", "ends", "most", "machines", "ended", "waiting",
		"handed-off", "arrived", "failed", "back",
	}}
	for _, w := range got.Waves {
		g.row(strconv.FormatInt(w.ID, 10), w.Name, w.Release, yesNo(w.Pilot), w.Rule, w.Starts, w.Ends, n(w.Most),
			n(w.Machines), yesNo(w.Ended), n(w.Outcomes["waiting"]), n(w.Outcomes["handed-off"]),
			n(w.Outcomes["arrived"]),
			n(w.Outcomes["failed"]), n(w.Outcomes["back"]))
	}
	return g, nil
}
