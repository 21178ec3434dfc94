package server

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
	"rolltop.example/rolltop/internal/tables"
)

// Several inventories at once: one a line, or the rows of a spreadsheet that become
// such lines.

const (
	linesAtOnce = 256              // that are read and wait for their commit
	linesSilent = 30 * time.Second // within which the next line must come, and be taken
	linesMost   = 8 << 30          // bytes, unpacked, of one request
	lineRetries = 50               // times that a line waits for a busy store
)

func (s *Server) many(a huma.API) {
	tag := []string{"Inventories"}
	op := huma.Operation{OperationID: "submit-lines", Method: http.MethodPost, Path: "/inventories/lines", Summary: "Hand in several inventories, one a line", Tags: tag,
		Description: "NDJSON, which may be packed with gzip. A line that is refused takes nothing from the others; each is answered by a line, in their order, once it is kept.",
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/x-ndjson": {}}},
		Responses:   map[string]*huma.Response{"200": {Description: "A line for each line", Content: map[string]*huma.MediaType{"application/x-ndjson": {Schema: a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[api.SubmittedLine](), true, "")}}}},
		Errors:      []int{http.StatusUnsupportedMediaType}}
	huma.Register(a, s.taking(a, secured(op, ScopeSubmit), linesWeight, false), s.submitLines)
	sheetOp := huma.Operation{OperationID: "read-sheet", Method: http.MethodPost, Path: "/sheets/read", Summary: "Make inventories of the rows of a spreadsheet, and keep nothing", Tags: tag, MaxBodyBytes: tables.MaxBytes * 2, Errors: []int{http.StatusUnprocessableEntity},
		Description: "What a heading does not say is asked. The lines of the answer are what POST /inventories/lines takes."}
	huma.Register(a, secured(sheetOp, ScopeManage), s.readSheet)
}

func (s *Server) submitLines(ctx context.Context, in *struct {
	ContentType string `header:"Content-Type"`
	Encoding    string `header:"Content-Encoding"`
}) (*huma.StreamResponse, error) {
	kind, _, _ := strings.Cut(in.ContentType, ";")
	if strings.TrimSpace(kind) != "application/x-ndjson" {
		return nil, &api.Problem{Status: http.StatusUnsupportedMediaType, Title: "Unsupported media type", Detail: fmt.Sprintf("the Content-Type is %q; send application/x-ndjson, a document a line", in.ContentType)}
	}
	if in.Encoding != "" && in.Encoding != "gzip" {
		return nil, &api.Problem{Status: http.StatusUnsupportedMediaType, Title: "Unsupported encoding", Detail: fmt.Sprintf("the Content-Encoding is %q; send the lines as they are, or packed with gzip", in.Encoding)}
	}
	e, name := entry(ctx), callerName(callerOf(ctx))
	return &huma.StreamResponse{Body: func(c huma.Context) {
		c.SetHeader("Content-Type", "application/x-ndjson")
		body, w := c.BodyReader(), c.BodyWriter()
		sent := &patient{from: body}
		if rw, ok := w.(http.ResponseWriter); ok {
			sent.control = http.NewResponseController(rw)
			_ = sent.control.EnableFullDuplex()
		}
		defer sent.finish()
		var from io.Reader = sent
		if in.Encoding == "gzip" {
			z, err := gzip.NewReader(sent)
			if err != nil {
				answerLine(w, sent, &api.SubmittedLine{Line: 1, Problem: "this is not packed with gzip"})
				return
			}
			from = z
		}
		s.takeLines(ctx, io.LimitReader(from, linesMost), e, name, func(l *api.SubmittedLine) bool { return answerLine(w, sent, l) })
	}}, nil
}

// patient gives whoever sends some time for each piece, and no more.
type patient struct {
	from    io.Reader
	control *http.ResponseController
}

func (p *patient) Read(b []byte) (int, error) {
	if p.control != nil {
		_ = p.control.SetReadDeadline(time.Now().Add(linesSilent))
	}
	return p.from.Read(b)
}

// linesRest is how much of a request is read after its answer, so that the connection
// can be used again; one with more is cut.
const linesRest = 1 << 20

func (p *patient) finish() {
	if n, err := io.CopyN(io.Discard, p, linesRest); n == linesRest || err != nil && !errors.Is(err, io.EOF) {
		panic(http.ErrAbortHandler) // what was answered has been sent
	}
}

func answerLine(w io.Writer, p *patient, l *api.SubmittedLine) bool {
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

// takeLines keeps line after line. Many are under way at once, so that they share
// commits; they are answered in their order.
func (s *Server) takeLines(ctx context.Context, from io.Reader, e store.Entry, caller string, answer func(*api.SubmittedLine) bool) {
	ctx, cancel := context.WithCancel(ctx)
	waiting := make(chan chan *api.SubmittedLine, linesAtOnce)
	defer func() { // nobody reads on behind the request's back
		cancel()
		for range waiting {
		}
	}()
	go func() {
		defer close(waiting)
		scan := bufio.NewScanner(from)
		scan.Buffer(make([]byte, 64<<10), inventory.MaxBytes+1)
		bounds, done := s.flow.of(caller)
		defer done()
		put := func(c chan *api.SubmittedLine) bool {
			select {
			case waiting <- c:
				return true
			case <-ctx.Done():
				return false
			}
		}
		n := 0
		for scan.Scan() {
			n++
			line := bytes.Clone(bytes.TrimSpace(scan.Bytes()))
			if len(line) == 0 {
				continue
			}
			c, at := make(chan *api.SubmittedLine, 1), n
			if !put(c) {
				return
			}
			leave, err := s.roomForLine(ctx, bounds, len(line))
			if err != nil {
				c <- &api.SubmittedLine{Line: at, Problem: s.detail(err)}
				continue
			}
			go func() {
				defer leave()
				c <- s.takeLine(ctx, line, at, e)
			}()
		}
		if err := scan.Err(); err != nil && ctx.Err() == nil {
			c := make(chan *api.SubmittedLine, 1)
			c <- &api.SubmittedLine{Line: n + 1, Problem: lineTrouble(err)}
			put(c)
		}
	}()
	for c := range waiting {
		if !answer(<-c) {
			return
		}
	}
}

func lineTrouble(err error) string {
	switch {
	case errors.Is(err, bufio.ErrTooLong):
		return fmt.Sprintf("the line is larger than %d MiB; nothing from here on was read", inventory.MaxBytes>>20)
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, gzip.ErrChecksum), errors.Is(err, gzip.ErrHeader):
		return "what was sent ends in the middle, or is damaged; nothing from here on was kept"
	}
	return "what was sent could not be read further: " + err.Error()
}

func (s *Server) takeLine(ctx context.Context, line []byte, at int, e store.Entry) *api.SubmittedLine {
	out := &api.SubmittedLine{Line: at}
	d, err := s.readInventory(line)
	e.Text = line
	for try := 0; err == nil; try++ {
		var got api.Submitted
		if got, err = s.keep(ctx, d, e); err == nil {
			out.Submitted = &got
			return out
		}
		if !errors.Is(err, store.ErrBusy) || try == lineRetries {
			break
		}
		err = nil
		pause(ctx, 20*time.Millisecond)
	}
	out.Problem = s.detail(err)
	return out
}

// roomForLine waits until there is room for a line, as long as whoever sends it does.
func (s *Server) roomForLine(ctx context.Context, bounds *callerFlow, bytes int) (leave func(), err error) {
	if err := s.roomOnDisk(); err != nil {
		return nil, err
	}
	for try := 0; ; try++ {
		leave, err := s.flow.enter(ctx, bounds, int64(bytes))
		if err == nil || try == 5 || ctx.Err() != nil {
			return leave, err
		}
	}
}

// detail says an error as the answer to a line.
func (s *Server) detail(err error) string {
	var mistakes *doc.Mistakes
	var p *api.Problem
	switch {
	case errors.As(err, &mistakes):
		return err.Error()
	case errors.As(s.problem(err, ""), &p):
		return p.Detail
	}
	return err.Error()
}

// readInventory reads a document that is handed in.
func (s *Server) readInventory(src []byte) (*inventory.Document, error) {
	return inventory.Read("the inventory", src)
}

// sheetShown are the rows of a sheet that an answer says in words.
const sheetShown = 20

func (s *Server) readSheet(_ context.Context, in *struct{ Body api.ReadSheet }) (*struct{ Body api.SheetRead }, error) {
	const title = "The sheet cannot be used"
	sheets, err := tables.Read(in.Body.Name, in.Body.Content)
	if err != nil {
		return nil, refuse(title, "%s", err)
	}
	if len(sheets) == 0 {
		return nil, refuse(title, "%s has no table in it", in.Body.Name)
	}
	got, err := sheet.Sheet(sheets[0].Heads, sheets[0].Rows, sheet.Options{Name: in.Body.Name, TakenAt: s.now().Truncate(time.Second), Columns: in.Body.Columns, Fixed: in.Body.Fixed})
	if err != nil {
		return nil, refuse(title, "%s", err)
	}
	out := api.SheetRead{Columns: got.Columns, Problems: got.Problems, Total: len(sheets[0].Rows), Settled: got.Settled(), Rows: []api.SheetRow{}, Refused: []api.SheetRow{}}
	var lines strings.Builder
	for i := range got.Rows {
		r := &got.Rows[i]
		row := api.SheetRow{Row: r.Line, Left: r.Left, Problem: r.Problem}
		if r.Document == nil {
			out.Refused = append(out.Refused, row)
			continue
		}
		b, err := json.Marshal(r.Document)
		if err != nil {
			return nil, s.problem(err, "")
		}
		lines.Write(append(b, '\n'))
		out.Machines++
		row.Name = r.Document.Device.Name.Or(r.Document.Device.Serial.Or(""))
		if len(out.Rows) < sheetShown {
			f := fact.Read(r.Document)
			for _, c := range got.Columns {
				text := ""
				if def := fact.ByName(c.Fact); def != nil && f.Value(def.ID).Known() {
					text = say.Value(def, f.Value(def.ID))
				}
				row.Facts = append(row.Facts, text)
			}
			out.Rows = append(out.Rows, row)
		} else if len(r.Left) > 0 {
			out.Refused = append(out.Refused, row)
		}
	}
	out.Lines = lines.String()
	return &struct{ Body api.SheetRead }{out}, nil
}
