package app

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"

	"blendseam/core/limit"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/sound/pcm"
	"blendseam/core/sound/pcm/wav"
	"blendseam/export"
	"blendseam/media"
	"blendseam/scratch"
	"blendseam/store"
	"blendseam/workspace"
)

// A JoinRequest says which clips become one recording, and its name.
type JoinRequest struct {
	Clips []scene.ClipID `json:"clips"`
	Name  string         `json:"name"`
	Page  string         `json:"page"` // that asks
}

// JoinResult is the joined clip, once it lies in the scene.
type JoinResult struct {
	Clip  scene.ClipID `json:"clip"`
	Words string       `json:"words"`
}

func (q *JoinRequest) work(
	a *App, st *workspace.Scene, _ time.Time,
) (kind, words string, do workspace.Work, err error) {
	if q.Name, _ = limit.Cut(strings.TrimSpace(q.Name), limit.Names); q.Name == "" {
		return "", "", nil, refuse.Errorf("what is joined needs a name of at least one letter")
	}
	plan, err := edit.PlanJoin(st.Scene, q.Clips)
	if err != nil {
		return "", "", nil, err
	}
	id := st.Key.Scene
	return "join", q.Name, func(ctx context.Context, _ string, done func(float64)) (any, error) {
		info, err := a.makeJoined(ctx, st, plan, q.Name, done)
		if err != nil {
			return nil, err
		}
		c, err := a.putJoined(ctx, id, plan, *q, info)
		if err != nil {
			_ = a.Remove(ctx, info.ID) // unless somebody uses the same
			return nil, err
		}
		a.TellEdited(ctx, id, q.Page, c)
		a.Returned()
		return JoinResult{joinedClip(c), c.Words}, a.Analyse(ctx, id, info, st.Scene.SampleRate)
	}, nil
}

// makeJoined renders what is joined into the library: 32-bit float, with the time at which it lies in the scene.
func (a *App) makeJoined(
	ctx context.Context, st *workspace.Scene, plan *edit.Joining, name string, done func(float64),
) (info media.Info, err error) {
	m, err := st.Joined(plan)
	if err != nil {
		return info, err
	}
	dir, err := scratch.Dir()
	if err != nil {
		return info, err
	}
	defer os.RemoveAll(dir)
	span, sc := plan.Sounding(), st.Scene
	e := pcm.Encoder{Format: pcm.Format{Rate: int(sc.SampleRate), Channels: plan.Channels(), Bits: 32, Float: true}}
	// it is copied into the library
	if err := media.Space(dir, limit.ReserveBytes+2*int64(e.Size(1))*span.Len()); err != nil {
		return info, err
	}
	now := time.Now()
	file := filepath.Join(dir, export.FileName(name)+".wav")
	out, err := media.CreateBWF(file, e, &wav.Bext{
		Description: "Joined from " + strings.Join(plan.Names(), ", "),
		Originator:  "Blend Seam",
		// Two joins of the same sound in one second are two recordings: a clip of the first can be joined again.
		OriginatorReference: "BS" + strings.ReplaceAll(uuid.NewString(), "-", "")[:30],
		Date:                now.Format("2006-01-02"),
		Time:                now.Format("15:04:05"),
		TimeReference:       max(0, sc.Rate.SampleOf(sc.StartFrame, sc.SampleRate)+span.From),
	})
	if err != nil {
		return info, err
	}
	defer out.Discard()
	_, err = m.Export(ctx, span, e, out, func(n int64) { done(0.9 * float64(n) / float64(span.Len())) })
	if err != nil {
		return info, err
	}
	if err := out.Close(); err != nil {
		return info, err
	}
	return a.Ingester.Joined(ctx, file, sc, plan.Names())
}

// putJoined puts the joined clip in the place of its parts, in the scene as it is now.
func (a *App) putJoined(
	ctx context.Context, id string, plan *edit.Joining, q JoinRequest, info media.Info,
) (c store.Change, err error) {
	for {
		st, err := a.Store.Scene(ctx, id)
		if err != nil {
			return c, err
		}
		now, err := edit.PlanJoin(st.Scene, q.Clips)
		if err != nil {
			return c, err
		}
		if !now.Same(plan) {
			return c, errors.New("What is to be joined was changed while it was rendered. Join it again.")
		}
		src, err := a.Source(info, st.Scene)
		if err == nil {
			err = a.Store.Grant(ctx, id, info.ID)
		}
		if err != nil {
			return c, err
		}
		src.Name = q.Name
		c, err = a.Store.Edit(ctx, id, st.Revision, &edit.Join{Clips: q.Clips, Source: src})
		if stale := (*store.Stale)(nil); errors.As(err, &stale) {
			continue
		}
		return c, err
	}
}

// joinedClip is the clip that an edit brought.
func joinedClip(c store.Change) (id scene.ClipID) {
	for _, t := range c.Scene.Tracks {
		for _, clip := range t.Clips {
			if _, was := c.Before.Clip(clip.ID); was == nil {
				id = clip.ID
			}
		}
	}
	return id
}
