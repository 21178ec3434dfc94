package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rolltop.example/rolltop/internal/api"
)

// releases are the operations on release documents and targets.
type releases struct{ *conn }

// ReleaseDifference says how a release differs from another, or from its
// revision before where against is empty.
func (c releases) ReleaseDifference(ctx context.Context, id, against string) (api.ReleaseDifference, error) {
	return get[api.ReleaseDifference](
		ctx,
		c.conn,
		"releases/"+url.PathEscape(id)+"/difference",
		url.Values{"against": {against}},
	)
}

// ValidateRelease reads a release document without keeping it.
func (c releases) ValidateRelease(ctx context.Context, document []byte) (v api.Validated, err error) {
	err = c.call(ctx, http.MethodPost, "releases/validate", "application/yaml", document, &v)
	return v, err
}

// ImportList makes a list from a file, without keeping it.
func (c releases) ImportList(ctx context.Context, l api.ImportList) (api.ImportedList, error) {
	return send[api.ImportedList](ctx, c.conn, http.MethodPost, "lists/import", l)
}

// ImportApplications makes entries of applications from a file, without keeping them.
func (c releases) ImportApplications(ctx context.Context, l api.ImportApplications) (api.ImportedApplications, error) {
	return send[api.ImportedApplications](ctx, c.conn, http.MethodPost, "applications/import", l)
}

// ComparePage compares a newer page of the publisher with the one that a release keeps.
func (c releases) ComparePage(ctx context.Context, id string, p api.ComparePage) (api.PageComparison, error) {
	return send[api.PageComparison](ctx, c.conn, http.MethodPost, "releases/"+url.PathEscape(id)+"/compare-page", p)
}

// Releases lists release documents.
func (c releases) Releases(ctx context.Context) (api.ReleaseList, error) {
	return get[api.ReleaseList](ctx, c.conn, "releases", nil)
}

// Release shows the latest revision in sentences.
func (c releases) Release(ctx context.Context, id string) (api.Release, error) {
	return get[api.Release](ctx, c.conn, "releases/"+url.PathEscape(id), nil)
}

// ReleaseDocument returns a revision as it was given, with the files it names;
// 0 is the latest.
func (c releases) ReleaseDocument(ctx context.Context, id string, revision int) ([]byte, error) {
	return get[[]byte](
		ctx,
		c.conn,
		"releases/"+url.PathEscape(id)+"/document",
		url.Values{"revision": {strconv.Itoa(revision)}},
	)
}

// AddRelease hands in a release document (YAML or JSON).
func (c releases) AddRelease(ctx context.Context, document []byte) (r api.ReleaseAdded, err error) {
	err = c.call(ctx, http.MethodPost, "releases", "application/yaml", document, &r)
	return r, err
}

// Targets are the target releases, by their ids.
func (c releases) Targets(ctx context.Context) (api.TargetSet, error) {
	return get[api.TargetSet](ctx, c.conn, "targets", nil)
}

// Activate puts a revision of a release in force.
func (c releases) Activate(ctx context.Context, id string, a api.Activate) (api.Activated, error) {
	return send[api.Activated](ctx, c.conn, http.MethodPost, "releases/"+url.PathEscape(id)+"/activate", a)
}

// SetTargets chooses target releases; the fleet is judged again.
func (c releases) SetTargets(ctx context.Context, t api.TargetSet) (api.TargetSet, error) {
	return send[api.TargetSet](ctx, c.conn, http.MethodPut, "targets", t)
}

// WhatIf is who would change disposition.
func (c releases) WhatIf(ctx context.Context, ask api.AskWhatIf) (api.WhatIf, error) {
	return send[api.WhatIf](ctx, c.conn, http.MethodPost, "what-if", ask)
}

// RuleChanges are the rules that were put in force, the latest first.
func (c releases) RuleChanges(ctx context.Context) (api.RuleChangeList, error) {
	return get[api.RuleChangeList](ctx, c.conn, "rule-changes", nil)
}

// RuleChange is one of them with the machines that changed.
func (c releases) RuleChange(ctx context.Context, id int64) (api.RuleChange, error) {
	return get[api.RuleChange](ctx, c.conn, "rule-changes/"+strconv.FormatInt(id, 10), nil)
}

// Judging is how far the judging of the fleet has come.
func (c releases) Judging(ctx context.Context) (api.Judging, error) {
	return get[api.Judging](ctx, c.conn, "judging", nil)
}
