package server

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/signature"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

// intakeAPI has the operations that take inventories.
type intakeAPI struct{ *Server }

// document is a request whose body our own strict reader reads.
type document struct {
	ContentType string `header:"Content-Type"`
	RawBody     []byte
}

// signedDocument is one that the machine may have signed.
type signedDocument struct {
	ContentType string `header:"Content-Type"`
	RawBody     []byte
	Digest      string `header:"Content-Digest" doc:"Of the body (RFC 9530), with a signature"`
	Input       string `header:"Signature-Input" doc:"Of a signature with the machine's key (RFC 9421)"`
	Signature   string `header:"Signature"`
}

// typed refuses a body of no named type: what it is should not be guessed.
func typed(contentType string) error {
	kind, _, _ := strings.Cut(contentType, ";")
	switch strings.TrimSpace(kind) {
	case "application/json", "application/yaml":
		return nil
	}
	return unsupportedType("the Content-Type is %q; send application/json or application/yaml", contentType)
}

func unsupportedType(format string, args ...any) error {
	return &api.Problem{Status: unsupported, Title: "Unsupported media type", Detail: fmt.Sprintf(format, args...)}
}

func (s intakeAPI) submit(ctx context.Context, in *signedDocument) (out api.Submitted, err error) {
	if err := typed(in.ContentType); err != nil {
		return out, err
	}
	headers := signature.Headers{Digest: in.Digest, Input: in.Input, Signature: in.Signature}
	signed, err := signature.Verify(http.MethodPost, in.RawBody, headers)
	if err != nil {
		return out, refuse("Invalid signature", "%s; nothing was saved", err)
	}
	d, err := inventory.Read("the inventory", in.RawBody)
	if err != nil {
		return out, err
	}
	e := entry(ctx)
	e.Text, e.Signed = in.RawBody, signed
	kept, err := s.Intake.Keep(ctx, d, e)
	if err != nil {
		return out, err
	}
	out = submitted(&kept)
	if signed != nil {
		if nonce, until := s.Attesting.Invite(&kept, signed.Key); nonce != "" {
			out.Attest = &api.Attest{Nonce: nonce, Until: until}
		}
	}
	return out, nil
}

func submitted(k *service.Kept) api.Submitted {
	out := api.Submitted{
		Machine: k.Machine.Key,
		Name:    k.Machine.Name,
		Created: k.Created,
		Changed: k.Changed,
		Latest:  k.IsLatest,
		Beside:  k.Beside,
		Note:    k.Why,
		Release: k.Release,
		Answer:  k.Answer,
	}
	if k.Release != nil {
		out.Disposition = k.Disposition.String()
	}
	return out
}

// entry is how what a caller hands in comes in.
func entry(ctx context.Context) store.Entry {
	t := callerOf(ctx).token
	if t == nil || t.Scope == ScopeManage {
		return store.Entry{}
	}
	return store.Entry{Token: t.ID, Imported: t.Imported, Counts: t.UsesLeft >= 0, Tag: t.Tag, Site: t.Site}
}

const (
	linesSilent = 30 * time.Second // within which the next line must come, and be taken
	linesMax    = 8 << 30          // bytes, unpacked, of one request
	linesRest   = 1 << 20          // of a request that are read after its answer
	linesType   = "application/x-ndjson"
)

func (s intakeAPI) submitLines(ctx context.Context, in *struct {
	ContentType string `header:"Content-Type"`
	Encoding    string `header:"Content-Encoding"`
}) (*huma.StreamResponse, error) {
	kind, _, _ := strings.Cut(in.ContentType, ";")
	if strings.TrimSpace(kind) != linesType {
		return nil, unsupportedType(
			"the Content-Type is %q; send %s, one document per line",
			in.ContentType,
			linesType,
		)
	}
	if in.Encoding != "" && in.Encoding != "gzip" {
		return nil, &api.Problem{Status: unsupported, Title: "Unsupported encoding", Detail: fmt.Sprintf(
			"the Content-Encoding is %q; send the lines uncompressed or with gzip", in.Encoding)}
	}
	e, name := entry(ctx), callerOf(ctx).id()
	return &huma.StreamResponse{Body: func(c huma.Context) {
		c.SetHeader("Content-Type", linesType)
		body, w := c.BodyReader(), c.BodyWriter()
		sent := &deadlineReader{from: body}
		if rw, ok := w.(http.ResponseWriter); ok {
			sent.control = http.NewResponseController(rw)
			_ = sent.control.EnableFullDuplex()
		}
		defer sent.finish()
		var from io.Reader = sent
		if in.Encoding == "gzip" {
			z, err := gzip.NewReader(sent)
			if err != nil {
				answerLine(w, sent, &api.SubmittedLine{Line: 1, Problem: "the body is not compressed with gzip"})
				return
			}
			from = z
		}
		s.Intake.KeepLines(ctx, io.LimitReader(from, linesMax), e, name, func(l service.Line) bool {
			return answerLine(w, sent, s.line(&l))
		})
	}}, nil
}

func (s intakeAPI) line(l *service.Line) *api.SubmittedLine {
	out := &api.SubmittedLine{Line: l.Number}
	if l.Err != nil {
		out.Problem = s.detail(l.Err)
	} else {
		is := submitted(l.Kept)
		out.Submitted = &is
	}
	return out
}

// deadlineReader gives whoever sends some time for each piece, and no more.
type deadlineReader struct {
	from    io.Reader
	control *http.ResponseController
}

func (p *deadlineReader) Read(b []byte) (int, error) {
	if p.control != nil {
		_ = p.control.SetReadDeadline(time.Now().Add(linesSilent))
	}
	return p.from.Read(b)
}

// finish reads the rest of a request, so that the connection can be used again; one with more than
// a little is cut.
func (p *deadlineReader) finish() {
	if n, err := io.CopyN(io.Discard, p, linesRest); n == linesRest || err != nil && !errors.Is(err, io.EOF) {
		panic(http.ErrAbortHandler) // what was answered has been sent
	}
}

func answerLine(w io.Writer, p *deadlineReader, l *api.SubmittedLine) bool {
	b, err := json.Marshal(l)
	if err != nil {
		return false
	}
	if p.control != nil {
		_ = p.control.SetWriteDeadline(time.Now().Add(linesSilent))
	}
	if _, err := w.Write(append(b, '\n')); err != nil {
		return false
	}
	return p.control == nil || p.control.Flush() == nil
}

// sheetShown are the rows of a sheet that an answer says in words.
const sheetShown = 20

func (s intakeAPI) importSheet(
	ctx context.Context, in *struct{ Body api.ImportSheet },
) (out api.SheetRead, err error) {
	const title = "The sheet cannot be used"
	sheets, err := tables.Read(in.Body.Name, in.Body.Content)
	if err != nil {
		return out, refuse(title, "%s", err)
	}
	if len(sheets) == 0 {
		return out, refuse(title, "%s contains no table", in.Body.Name)
	}
	rows := sheets[0].Texts()
	got, err := sheet.Sheet(sheets[0].Heads, rows, sheet.Options{
		Name:    in.Body.Name,
		TakenAt: s.now().Truncate(time.Second),
		Columns: in.Body.Columns,
		Fixed:   in.Body.Fixed,
	})
	if err != nil {
		return out, refuse(title, "%s", err)
	}
	out = api.SheetRead{
		Columns:  got.Columns,
		Problems: got.Problems,
		Total:    len(rows),
		Settled:  got.Settled(),
		Rows:     []api.SheetRow{},
		Refused:  []api.SheetRow{},
	}
	var machines []sheet.Row
	for i := range got.Rows {
		r := &got.Rows[i]
		row := api.SheetRow{Row: r.Line, Left: r.Left, Problem: r.Problem}
		if r.Document == nil {
			out.Refused = append(out.Refused, row)
			continue
		}
		machines = append(machines, *r)
		out.Machines++
		row.Name = r.Document.Device.Name.Or(r.Document.Device.Serial.Or(""))
		switch {
		case len(out.Rows) < sheetShown:
			row.Facts = sheetFacts(r.Document, got.Columns)
			out.Rows = append(out.Rows, row)
		case len(r.Left) > 0:
			out.Refused = append(out.Refused, row)
		}
	}
	return out, s.importRows(ctx, &in.Body, machines, &out)
}

// maxImported is how many machines one import may have: all of them are kept in one write.
const maxImported = 10_000

// importRows imports the machines of a sheet, or says what each of them would do.
func (s intakeAPI) importRows(ctx context.Context, in *api.ImportSheet, rows []sheet.Row, out *api.SheetRead) error {
	out.Imported, out.Counts = []api.ImportedRow{}, map[string]int{}
	if !out.Settled || len(rows) == 0 {
		return nil
	}
	if len(rows) > maxImported {
		return refuse(
			"Too many rows",
			"%s has %d machines, more than %d; split the file",
			in.Name,
			len(rows),
			maxImported,
		)
	}
	got, err := s.Intake.Import(ctx, in.Name, rows, !in.Apply)
	if err != nil {
		return err
	}
	for i := range got.Rows {
		r := &got.Rows[i]
		out.Counts[r.State]++
		out.Imported = append(out.Imported, api.ImportedRow{
			Row: rows[i].Line, State: r.State, Machine: r.Key, Name: r.Name, Says: r.Says,
		})
	}
	out.Applied, out.Change = in.Apply, got.Change
	return nil
}

// sheetFacts are the facts of a row in words, by column.
func sheetFacts(d *inventory.Document, columns []sheet.Column) []string {
	out := make([]string, len(columns))
	f := fact.Read(d)
	for i, c := range columns {
		if def := fact.ByName(c.Fact); def != nil && f.Value(def.ID).Known() {
			out[i] = say.Value(def, f.Value(def.ID))
		}
	}
	return out
}
