package server

import (
	"rolltop.example/rolltop/internal/service"
)

// ListInput asks for a page of machines.
type ListInput struct {
	Where  string `query:"where" maxLength:"2000" doc:"A filter"`
	Sort   string `query:"sort" default:"name" maxLength:"100" doc:"name, site, disposition, model, installed, fails, taken, a fact, or needs.ID for machines that fail a requirement; prefix with - for descending order"`
	Page   int    `query:"page" default:"1" minimum:"1" maximum:"1000000"`
	Cursor string `query:"cursor" maxLength:"1000" doc:"The value of next from the previous page, instead of a page number"`
	Size   int    `query:"size" default:"50" minimum:"1" maximum:"1000"`
}

func (in *ListInput) query() *service.Query {
	return &service.Query{Where: in.Where, Sort: in.Sort, Page: in.Page, Cursor: in.Cursor, Size: in.Size}
}

// whereInput asks about the machines of a filter.
type whereInput struct {
	Where string `query:"where" maxLength:"2000" doc:"A filter"`
}

// keyInput names a machine.
type keyInput struct {
	Key string `path:"key" maxLength:"80"`
}

// raw is an answer that is a document as it is kept.
type raw struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}

// page is an answer that is a page of its own.
type page struct {
	ContentType string `header:"Content-Type"`
	Policy      string `header:"Content-Security-Policy"`
	Body        []byte
}

const htmlType = "text/html; charset=utf-8"
