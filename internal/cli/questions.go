package cli

import (
	"archive/zip"
	"bytes"
	"crypto/rand"
	"strconv"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
)

// askOptions are those of a question that is put to somebody.
type askOptions struct {
	Due  string `option:"due" usage:"day by which an answer is expected, such as 2026-12-03"`
	Note string `option:"note" usage:"how it was asked, such as the number of the ticket"`
	serviceOptions
}

func askQuestion(c *call[askOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	q := api.AskQuestion{Who: c.args[1], Due: c.o.Due, Note: c.o.Note}
	if err := s.AskQuestion(c.ctx(), c.args[0], q); err != nil {
		return asUsage(err)
	}
	c.done("The question is recorded as put to %s.", q.Who)
	return nil
}

// answerOptions are those of an answer to an open question.
type answerOptions struct {
	TreatAs string `option:"treat-as" usage:"nobody answered, and this value counts instead; --note says why"`
	Note    string `option:"note" usage:"where the answer is from, or why this counts"`
	DryRun  bool   `option:"dry-run" usage:"show what would be recorded, and record nothing"`
	serviceOptions
}

func answerQuestion(c *call[answerOptions]) error {
	a := api.AnswerQuestion{TreatAs: c.o.TreatAs, Note: c.o.Note, DryRun: c.o.DryRun}
	if len(c.args) > 1 {
		a.Value = c.args[1]
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	got, err := s.AnswerQuestion(c.ctx(), c.args[0], a)
	if err != nil {
		return asUsage(err)
	}
	if got.DryRun {
		c.done("Nothing is recorded yet. %s", got.Says)
	} else {
		c.done("%s", got.Says)
	}
	c.done("%s", namesText(got.Machines, got.Count))
	if got.Proposed != "" && !got.DryRun {
		c.done("To see what it changes: rolltop releases what-if %s", got.Proposed)
	}
	return nil
}

func listAnswers(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.QuestionAnswers(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.QuestionEnded]{format: "rolltop-question-answers/1", none: "No question was answered yet.",
		columns: []column[api.QuestionEnded]{
			{name: "question", head: "Question", value: func(q *api.QuestionEnded) string { return q.Says }},
			{name: "id", only: true, value: func(q *api.QuestionEnded) string { return q.Question }},
			{name: "asked", head: "Asked", value: func(q *api.QuestionEnded) string { return q.Asked }},
			{name: "answer", head: "Answer", value: func(q *api.QuestionEnded) string { return q.Answer }},
			{name: "by", head: "By", value: func(q *api.QuestionEnded) string { return q.By }},
			{
				name:  "ended",
				head:  "On",
				value: func(q *api.QuestionEnded) string { return q.Ended.Format("2006-01-02") },
			},
		}}
	return table.print(c.place, form, l, l.Answers)
}

// bundleOptions are those of a case bundle.
type bundleOptions struct {
	Redact  bool   `option:"redact" usage:"leave out serial numbers, titles, notes, names and contacts"`
	Capture string `option:"capture" usage:"add the raw readings of this file, as rolltop-collect --save-capture writes them" complete:"file"`
	output
	serviceOptions
}

func bundleCase(c *call[bundleOptions]) error {
	var raw []byte
	if c.o.Capture != "" {
		src, err := readFile(c.cmd, c.o.Capture)
		if err != nil {
			return err
		}
		doc, err := capture.Read(c.o.Capture, src)
		if err != nil {
			return err
		}
		if c.o.Redact {
			doc = redact.Capture(doc, []byte(rand.Text())) // with a key that nobody keeps, nothing can be guessed
		}
		var b bytes.Buffer
		if err := printJSON(&b, doc); err != nil {
			return err
		}
		raw = b.Bytes()
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	body, err := s.Case(c.ctx(), c.args[0], c.o.Redact)
	if err != nil {
		return err
	}
	if raw != nil {
		if body, err = withFile(body, "capture.json", raw); err != nil {
			return err
		}
	}
	if _, err := c.out().Write(body); err != nil {
		return err
	}
	if c.o.Output != "" && c.o.Output != "-" {
		c.note("%s has everything about %s.", c.o.Output, c.args[0])
	}
	return nil
}

// withFile adds a file to a ZIP archive.
func withFile(archive []byte, name string, body []byte) ([]byte, error) {
	from, err := zip.NewReader(bytes.NewReader(archive), int64(len(archive)))
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	to := zip.NewWriter(&out)
	for _, f := range from.File {
		if err := to.Copy(f); err != nil {
			return nil, err
		}
	}
	w, err := to.Create(name)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(body); err != nil {
		return nil, err
	}
	return out.Bytes(), to.Close()
}

// briefingOptions are those of the briefing.
type briefingOptions struct {
	Format string `option:"format" forms:"text,json,html"`
	output
	serviceOptions
}

func showBriefing(c *call[briefingOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	b, err := s.Briefing(c.ctx())
	if err != nil {
		return err
	}
	switch form {
	case "json":
		return printDocument(c.out(), "rolltop-briefing/1", b)
	case "html":
		return report.Briefing(c.out(), &b)
	}
	p := c.paper()
	p.text("", p.style(bold, b.Headline))
	rows := make([][]string, len(b.Classes))
	for i := range b.Classes {
		k := &b.Classes[i]
		rows[i] = []string{
			k.Release,
			strconv.Itoa(k.Machines),
			strconv.Itoa(k.Done.Count),
			strconv.Itoa(k.OnTheWay.Count),
			strconv.Itoa(k.Ready.Count),
			strconv.Itoa(k.Blocked.Count),
			strconv.Itoa(k.Unknown.Count),
			strconv.Itoa(k.AtRisk),
			k.End,
		}
	}
	p.block([]string{"Release", "Machines", "Done", "On the way", "Could go", "Need work", "Unknown", "At risk",
		"Support ends"}, rows)
	for i := range b.Classes {
		p.line("")
		for _, one := range b.Classes[i].Says {
			p.text("", one)
		}
	}
	p.line("")
	p.text("", b.Money.Says+" Labour of the visits: "+b.Money.Labour.Says+". Extended support: "+
		b.Money.Extended.Says+".")
	p.text("", say.Capital(say.Count(b.Visits, "visit is", "visits are"))+" left: "+b.Time+".")
	if len(b.Decisions) > 0 {
		p.line("")
		p.text("", p.style(bold, "Decided"))
		for i := range b.Decisions {
			d := &b.Decisions[i]
			p.text("  ", d.Says+" ("+say.Day(d.At)+")")
		}
	}
	p.line("")
	p.text("", p.style(bold, "Since "+say.PlainDay(b.Since)))
	for _, one := range b.Week {
		p.text("  ", one)
	}
	return nil
}
