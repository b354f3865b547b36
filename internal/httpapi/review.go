package httpapi

import (
	"context"
	"net/http"
	"time"

	"aftergust/core/review"
	"aftergust/internal/account"
)

type tickView struct {
	Item string    `json:"item" doc:"id of the sheet in the package"`
	Task string    `json:"task" doc:"its key"`
	Who  string    `json:"who"`
	At   time.Time `json:"at"`
}

func (a *API) reviewOperations() {
	add(a, studioOp(http.MethodGet, "/packages/{id}/notes", "notes", "All notes of a package"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[[]noteView], error) {
			notes, err := a.Review.Notes(ctx, m, in.ID)
			return &body[[]noteView]{viewNotes(notes, m.ID)}, err
		}))
	add(a, studioOp(http.MethodGet, "/packages/{id}/ticks", "package-ticks", "What everybody has ticked in the sheets of a package"), asMember(
		func(ctx context.Context, m account.Member, in *ByID) (*body[[]tickView], error) {
			ticks, err := a.Review.Ticks(ctx, m, in.ID)
			out := make([]tickView, len(ticks))
			for i, t := range ticks {
				out[i] = tickView{t.ContentID, t.Task, t.Who, t.At}
			}
			return &body[[]tickView]{out}, err
		}))
	add(a, studioOp(http.MethodPost, "/items/{id}/notes", "write-note", "Leave a note on an item"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body noteInput
		}) (*body[noteView], error) {
			n, err := a.Review.WriteStudioNote(ctx, m, in.ID, in.Body.Anchor, in.Body.Text)
			return &body[noteView]{viewNote(n, m.ID)}, err
		}))
	add(a, studioOp(http.MethodPost, "/notes/{id}/answers", "answer-note", "Answer a note"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body answerInput
		}) (*body[noteView], error) {
			n, err := a.Review.StudioAnswer(ctx, m, in.ID, in.Body.Text)
			return &body[noteView]{viewNote(n, m.ID)}, err
		}))
	add(a, studioOp(http.MethodPut, "/notes/{id}/done", "set-note-done", "Tick a note as done, or take the tick back"), asMember(
		func(ctx context.Context, m account.Member, in *struct {
			ByID
			Body struct {
				Done bool `json:"done"`
			}
		}) (*none, error) {
			return nil, a.Review.SetDone(ctx, m, in.ID, in.Body.Done)
		}))
}

type noteInput struct {
	Anchor review.Anchor `json:"anchor"`
	Text   string        `json:"text" maxLength:"8000"`
}

type answerInput struct {
	Text string `json:"text" maxLength:"8000"`
}
