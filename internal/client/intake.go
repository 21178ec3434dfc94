package client

import (
	"bufio"
	"context"
	"crypto/ed25519"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/signature"
)

// intake is the operations that take inventories and lists of expected machines.
type intake struct{ *conn }

// Submit hands in an inventory document (JSON or YAML).
func (c intake) Submit(ctx context.Context, document []byte) (s api.Submitted, err error) {
	err = c.call(ctx, http.MethodPost, "inventories", "application/json", document, &s)
	return s, err
}

// SubmitSigned hands in an inventory document that the machine signs with its key; nil
// signs nothing.
func (c intake) SubmitSigned(
	ctx context.Context, document []byte, key ed25519.PrivateKey,
) (s api.Submitted, err error) {
	var extra http.Header
	if key != nil {
		extra = http.Header{}
		signature.Sign(http.MethodPost, document, key, time.Now()).Set(extra)
	}
	err = c.callWith(ctx, http.MethodPost, "inventories", "application/json", document, extra, &s)
	return s, err
}

// Attest hands in a proof by the machine's TPM, signed with the machine's key.
func (c intake) Attest(
	ctx context.Context, proof *api.Evidence, key ed25519.PrivateKey,
) (api.AttestAnswer, error) {
	return c.signed(ctx, "attestations", proof, key)
}

// OpenSecret hands in the secret that the machine's TPM opened.
func (c intake) OpenSecret(
	ctx context.Context, opened *api.OpenedSecret, key ed25519.PrivateKey,
) (api.AttestAnswer, error) {
	return c.signed(ctx, "attestations/secret", opened, key)
}

// signed posts a value that the machine signs with its key.
func (c intake) signed(
	ctx context.Context, path string, value any, key ed25519.PrivateKey,
) (out api.AttestAnswer, err error) {
	body, err := json.Marshal(value)
	if err != nil {
		return out, err
	}
	extra := http.Header{}
	signature.Sign(http.MethodPost, body, key, time.Now()).Set(extra)
	err = c.callWith(ctx, http.MethodPost, path, "application/json", body, extra, &out)
	return out, err
}

// Titles are what a collector should look for.
func (c intake) Titles(ctx context.Context) (api.Titles, error) {
	return get[api.Titles](ctx, c.conn, "titles", nil)
}

// Expected lists the machines that should be here.
func (c intake) Expected(ctx context.Context) (api.ExpectedList, error) {
	return get[api.ExpectedList](ctx, c.conn, "expected", nil)
}

// SetExpected replaces the list of them.
func (c intake) SetExpected(ctx context.Context, list []api.Expected) (api.ExpectedList, error) {
	return send[api.ExpectedList](ctx, c.conn, http.MethodPut, "expected", api.SetExpected{Machines: list})
}

// SetReason says why an expected machine does not report.
func (c intake) SetReason(ctx context.Context, id int64, why api.SetReason) error {
	return c.send(ctx, http.MethodPut, "expected/"+strconv.FormatInt(id, 10)+"/reason", why)
}

// ImportSheet imports the rows of a spreadsheet, or shows what they would do.
func (c intake) ImportSheet(ctx context.Context, in api.ImportSheet) (api.SheetRead, error) {
	return send[api.SheetRead](ctx, c.conn, http.MethodPost, "sheets", in)
}

// Lines hands in several inventories, one a line, and calls each for every answer,
// in their order, while they are still being sent.
func (c intake) Lines(ctx context.Context, lines io.Reader, each func(*api.SubmittedLine)) error {
	res, err := c.open(ctx, http.MethodPost, "inventories/lines", "application/x-ndjson", lines, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	scan := bufio.NewScanner(res.Body)
	scan.Buffer(nil, 1<<20)
	for scan.Scan() {
		l := new(api.SubmittedLine)
		if err := json.Unmarshal(scan.Bytes(), l); err != nil {
			return fmt.Errorf("the answer of %s cannot be read; check that it is a Rolltop service: %w", c.base, err)
		}
		each(l)
	}
	if err := scan.Err(); err != nil {
		return fmt.Errorf("the connection to %s was interrupted; lines that were answered are saved: %w", c.base, err)
	}
	return nil
}
