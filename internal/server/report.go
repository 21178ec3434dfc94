package server

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/report"
)

type reportInput struct {
	Key      string `path:"key" maxLength:"80"`
	Format   string `query:"format" default:"html" enum:"html,markdown"`
	For      string `query:"for" default:"technician" enum:"technician,user,visit" doc:"Whom it is for: a technician, the machine's user, or whoever is at the machine while it is in its firmware; the text for a ticket is for technicians"`
	Redact   bool   `query:"redact" doc:"Shorten serial numbers"`
	Release  string `query:"release" maxLength:"64" doc:"Id of a release that the service has; the target where it is not given"`
	Revision int    `query:"revision" minimum:"0" doc:"The latest where it is not given"`
}

type reportOutput struct {
	ContentType string `header:"Content-Type"`
	Policy      string `header:"Content-Security-Policy"`
	Body        []byte
}

func (s *Server) reports(a huma.API) {
	text := func(what string) *huma.MediaType {
		return &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Description: what}}
	}
	huma.Register(a, secured(huma.Operation{OperationID: "report", Method: http.MethodGet, Path: "/devices/{key}/report", Summary: "The check of one machine, to hand over",
		Description: "A page that needs nothing beside it, or a text of at most 4,000 characters for a ticket.", Tags: []string{"Devices"}, Errors: []int{http.StatusNotFound, http.StatusUnprocessableEntity},
		Responses: map[string]*huma.Response{"200": {Description: "The report", Content: map[string]*huma.MediaType{"text/html": text("A page"), "text/plain": text("A text in Markdown")}}}}, ScopeRead), s.report)
}

func (s *Server) report(ctx context.Context, in *reportInput) (*reportOutput, error) {
	if in.Revision > 0 && in.Release == "" {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "A revision of which release", Detail: "revision= counts the revisions of one release; name it with release="}
	}
	d, err := s.store.DeviceByKey(ctx, in.Key)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	inv, _, _, err := s.whole(ctx, d, d.InventoryID)
	if err != nil {
		return nil, s.problem(err, noDevice(in.Key))
	}
	t, ok := s.target(d.Class)
	if in.Release != "" {
		rel, err := s.release(ctx, in.Release, in.Revision)
		if err != nil {
			return nil, s.problem(err, noRelease(in.Release))
		}
		t, ok = target{release: rel}, true
	}
	if !ok {
		return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "Nothing to check against", Detail: "no target release is chosen for this class of hardware; name one with release="}
	}
	waivers, err := s.waiversOn(ctx, in.Key, t)
	if err != nil {
		return nil, s.problem(err, "")
	}
	got, err := s.checked(ctx, t, inv, waivers...)
	if err != nil {
		return nil, err
	}
	ticks, err := s.store.Ticks(ctx, d.ID)
	if err != nil {
		return nil, s.problem(err, "")
	}
	got.Apply(ticks)
	who := callerOf(ctx)
	m := report.Of(got, who.show(inv))
	if in.Redact || !who.Plain {
		m = m.Shortened()
	}
	if in.Format == "markdown" {
		if in.For != report.Technician {
			return nil, &api.Problem{Status: http.StatusUnprocessableEntity, Title: "No such report", Detail: "a ticket is for technicians; for the machine's user ask for format=html"}
		}
		return &reportOutput{ContentType: "text/plain; charset=utf-8", Policy: report.Policy, Body: []byte(report.Markdown(m))}, nil
	}
	var b bytes.Buffer
	if err := report.HTML(&b, in.For, m); err != nil {
		return nil, s.problem(err, "")
	}
	return &reportOutput{ContentType: "text/html; charset=utf-8", Policy: report.Policy, Body: b.Bytes()}, nil
}
