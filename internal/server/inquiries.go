package server

import (
	"context"
	"fmt"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/service"
)

// inquiriesAPI has the operations on whom open questions were put to, and on their answers.
type inquiriesAPI struct{ *Server }

func (s inquiriesAPI) ask(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"40"`
	Body api.AskQuestion
}) error {
	return s.Inquiries.Ask(ctx, in.ID, in.Body.Who, in.Body.Due, in.Body.Note)
}

func (s inquiriesAPI) answer(ctx context.Context, in *struct {
	ID   string `path:"id" maxLength:"40"`
	Body api.AnswerQuestion
}) (out api.QuestionAnswered, err error) {
	b := &in.Body
	got, err := s.Inquiries.Answer(ctx, in.ID,
		&service.Reply{Value: b.Value, TreatAs: b.TreatAs, Note: b.Note, Trial: b.DryRun})
	if err != nil {
		return out, err
	}
	out = api.QuestionAnswered{Says: got.Says, Count: got.Count, Machines: append([]api.MachineRef{}, got.Machines...),
		DryRun: b.DryRun}
	if p := got.Proposed; p != nil {
		out.Proposed = fmt.Sprintf("%s@%d", p.ID, p.Revision)
	}
	return out, nil
}

func (s inquiriesAPI) answers(ctx context.Context, _ *struct{}) (api.AnswerList, error) {
	list, err := s.Inquiries.Answers(ctx)
	out := api.AnswerList{Answers: []api.QuestionEnded{}}
	for i := range list {
		q := &list[i]
		out.Answers = append(out.Answers, api.QuestionEnded{Question: q.Question, Says: q.Says, Asked: q.Asked,
			At: time.UnixMilli(q.Millis).
				UTC(),
			Answer: q.Answer, Ended: time.UnixMilli(q.EndedAt).UTC(), By: q.EndedBy})
	}
	return out, err
}
