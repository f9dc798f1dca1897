package ingest

import (
	"context"

	"blendseam/core/audit/notes"
	"blendseam/core/scene"
	"blendseam/store"
)

// create keeps a new scene of a production; remarks that its markers carry are its notes.
func (in Ingester) create(ctx context.Context, s *scene.Scene, production string) (id string, err error) {
	s, list := notes.TakeMarkers(s)
	if id, err = in.Store.Create(ctx, s, production); err != nil {
		return "", err
	}
	for _, r := range list {
		if err := in.note(ctx, id, "", r); err != nil {
			return id, err
		}
	}
	return id, nil
}

func (in Ingester) note(ctx context.Context, id, of string, r notes.Remark) error {
	n := store.Note{Of: of, Place: r.Place, Text: r.Text, Who: r.Who, Approves: r.Approves}
	if !r.Open {
		n.SettledBy = &r.Settled
	}
	note, err := in.Store.AddNote(ctx, id, n)
	if err != nil {
		return err
	}
	for _, a := range r.Answers {
		if err := in.note(ctx, id, note, a); err != nil {
			return err
		}
	}
	return nil
}

// Noted is a scene with its notes as markers that carry them, for a scene file.
func (in Ingester) Noted(ctx context.Context, id string, s *scene.Scene) (*scene.Scene, error) {
	list, err := in.Store.Notes(ctx, id)
	if err != nil {
		return nil, err
	}
	var remarks []notes.Remark
	number := map[string]int{}
	for _, n := range list {
		r := notes.Remark{Place: n.Place, Text: n.Text, Who: n.Who, Made: n.Made.Format("2006-01-02T15:04:05Z"),
			Approves: n.Approves, Open: n.SettledBy == nil}
		if n.SettledBy != nil {
			r.Settled = *n.SettledBy
		}
		if i, is := number[n.Of]; is {
			remarks[i].Answers = append(remarks[i].Answers, r)
		} else if n.Of == "" {
			number[n.ID] = len(remarks)
			remarks = append(remarks, r)
		}
	}
	return notes.WithMarkers(s, remarks)
}
