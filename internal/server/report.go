package server

import (
	"bytes"
	"context"

	"rolltop.example/rolltop/internal/report"
	"rolltop.example/rolltop/internal/service"
)

// reportAPI has the operation that hands a check over.
type reportAPI struct{ *Server }

type reportInput struct {
	Key      string `path:"key" maxLength:"80"`
	Format   string `query:"format" default:"html" enum:"html,markdown"`
	For      string `query:"for" default:"technician" enum:"technician,user,visit" doc:"Audience: technician, the machine's user, or visit (a one-page sheet); the text for a ticket is for technicians"`
	Redact   bool   `query:"redact" doc:"Shorten serial numbers"`
	Release  string `query:"release" maxLength:"64" doc:"Id of a release of the service (default: the target)"`
	Revision int    `query:"revision" minimum:"0" doc:"Default: the latest"`
}

func (s reportAPI) report(ctx context.Context, in *reportInput) (*page, error) {
	if in.Revision > 0 && in.Release == "" {
		return nil, refuse("Release is missing",
			"revision= needs a release; add release=")
	}
	if in.Format == "markdown" && in.For != report.Technician {
		return nil, refuse("No such report", "a ticket is for technicians; for the machine's user use format=html")
	}
	got, err := s.Machines.Ticked(ctx, in.Key, service.Against{Release: in.Release, Revision: in.Revision})
	if err != nil {
		return nil, err
	}
	who := callerOf(ctx)
	got.Check.Vouched = vouched(got.Machine, &got.Facts)
	m := report.Of(got.Check, who.show(got.Facts.Inventory))
	if in.Redact || !who.Plain {
		m = m.Shortened()
	}
	out := &page{ContentType: htmlType, Policy: report.Policy}
	if in.Format == "markdown" {
		out.ContentType, out.Body = "text/plain; charset=utf-8", []byte(report.Markdown(m))
		return out, nil
	}
	var b bytes.Buffer
	err = report.HTML(&b, in.For, m)
	out.Body = b.Bytes()
	return out, err
}
