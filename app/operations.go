package app

import (
	"context"
	"encoding/json"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/core/mend/roommatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/core/scene/phrase"
	"blendseam/core/sound/pcm"
	"blendseam/interchange/report"
)

// Operations is the table of all operations on a scene.
var Operations = []Operation{
	query("audit", "Measure every seam, and find what is too loud.", auditScene),
	change("mend", "Apply what the audit recommends, and say what was changed and what is left.", mendScene),
	change("room", "Bring all takes of dialogue to one room.", matchRooms),
	change("level", "Bring voices to one loudness, and let music and effects make way for words.", level),
	change("edit", "Do one edit, as the scene's log keeps it: {\"edit\":\"trim\",...}.", doEdit),
	change("undo", "Take back the newest edit of whoever asks.", undo),
	change("redo", "Do again what was taken back last.", redo),
	change("lay-out", "Put a whole recording at the end of the first track of a purpose.", layOut),
	query("state", "Return the scene as it is: its tracks, clips, recordings and revision.", state),
	work[Result, MixdownRequest](mixdownKind, "Make mixdowns and stems of the scene, or of its ranges."),
	work[Result, PackRequest]("package", "Put the scene, and what it needs of its recordings, into a ZIP file."),
	work[Result, ListRequest]("list", "Write a cut list, with recordings of what its format cannot carry."),
	work[Result, PiecesRequest]("pieces", "Write marked stretches of recordings, or clips, as files."),
	work[JoinResult, JoinRequest]("join", "Render clips and their fades into one new recording."),
}

// Nothing is a request that asks for nothing more than the operation.
type Nothing struct{}

// An Audit is every seam, measured, and what is too loud.
type Audit struct {
	Loud  []report.LoudRow `json:"loud"`
	Seams []report.Row     `json:"seams"`

	Results []audit.Result `json:"-"`
}

// Rough returns how many seams are rough and not accepted.
func (a Audit) Rough() (n int) {
	for _, r := range a.Seams {
		if r.Verdict == audit.Rough && r.Accepted == nil {
			n++
		}
	}
	return n
}

func auditScene(ctx context.Context, p Project, _ *Nothing) (*Audit, error) {
	s := p.Scene()
	all, err := p.Plans().All(ctx)
	if err != nil {
		return nil, err
	}
	a := &Audit{Seams: []report.Row{}, Results: all}
	for _, r := range all {
		a.Seams = append(a.Seams, report.RowOf(s, r))
	}
	places, err := p.Plans().Loud(ctx)
	if err != nil {
		return nil, err
	}
	a.Loud = report.LoudRows(s, places)
	return a, nil
}

// A MendRequest says how a scene is mended.
type MendRequest struct {
	Room    bool `json:"room,omitempty" doc:"Bring all takes of dialogue to one room first."`
	TakeOut bool `json:"take_out,omitempty" doc:"Also take out bumps and clicks in pauses, softly."`
}

// A Mended says what mending changed, and what it left.
type Mended struct {
	Changes []report.Change `json:"changes"`
	Left    []report.Stay   `json:"left"`
	Room    *roommatch.Plan `json:"room,omitempty"`

	Before []audit.Result `json:"-"` // of the scene with its rooms matched, if that was asked for
	From   *scene.Scene   `json:"-"` // that scene
}

func mendScene(ctx context.Context, p Project, q *MendRequest) (*Mended, error) {
	done := &Mended{Changes: []report.Change{}, Left: []report.Stay{}}
	if q.Room {
		plan, err := matchRooms(ctx, p, &RoomRequest{})
		if err != nil {
			return nil, err
		}
		done.Room = plan
	}
	done.From = p.Scene()
	var err error
	if done.Before, err = p.Plans().All(ctx); err != nil {
		return nil, err
	}
	mended, err := p.Plans().Mend(ctx, mend.MendOptions{TakeOut: q.TakeOut})
	if err != nil {
		return nil, err
	}
	var edits []edit.Edit
	for _, c := range mended.Changes {
		edits = append(edits, c.Edit)
	}
	if len(edits) > 0 {
		words := phrase.Count(len(edits), "seam") + " mended"
		if err := p.Edit(ctx, edit.NewBatch(words, edits...)); err != nil {
			return nil, err
		}
	}
	for _, c := range mended.Changes {
		done.Changes = append(done.Changes, report.ChangeOf(done.From, p.Scene(), c))
	}
	for _, l := range mended.Left {
		done.Left = append(done.Left, report.Stay{Row: report.RowOf(done.From, l.Before), Left: l.Left})
	}
	return done, nil
}

// A RoomRequest says to which room takes are brought.
type RoomRequest struct {
	Target string   `json:"target,omitempty" doc:"natural, quiet, or the name of a clip."`
	HushDB *float64 `json:"hush_db,omitempty" doc:"Turn backgrounds down by so many dB at most; as needed if not given."`
	Voices bool     `json:"voices,omitempty" doc:"Give drier voices the reverberation of the wettest one's room."`
	Range
}

// A Range is a stretch of a scene by timecodes; all of it, where none is given.
type Range struct {
	From string `json:"from,omitempty" doc:"Timecode to begin at."`
	To   string `json:"to,omitempty" doc:"Timecode to end at."`
}

func matchRooms(ctx context.Context, p Project, q *RoomRequest) (*roommatch.Plan, error) {
	o := roommatch.Options{Target: q.Target, HushDB: roommatch.AsNeeded, Voices: q.Voices}
	if o.Target == "" {
		o.Target = roommatch.Natural
	}
	if q.HushDB != nil {
		o.HushDB = *q.HushDB
	}
	var err error
	if o.Span, err = spanOf(p.Scene(), q.Range); err != nil {
		return nil, err
	}
	plan, err := p.Plans().MatchRooms(ctx, o)
	if err == nil {
		err = apply(ctx, p, plan.Edit)
	}
	if err != nil {
		return nil, err
	}
	return plan, nil
}

// An EditRequest is one edit at a revision.
type EditRequest struct {
	Edit json.RawMessage `json:"edit" doc:"The edit, by its name and fields."`
}

// A Done says what an edit did.
type Done struct {
	Revision int64  `json:"revision"`
	Words    string `json:"words"`
}

// spanOf returns the span of a range; empty, which is all of the scene, where neither end is given.
func spanOf(s *scene.Scene, r Range) (span pcm.Span, err error) {
	if r.From+r.To == "" {
		return span, nil
	}
	if span, err = s.Stretch(r.From, r.To); err != nil {
		return span, refuse.Because(err)
	}
	return span, nil
}

func doEdit(ctx context.Context, p Project, q *EditRequest) (*Done, error) {
	if len(q.Edit) == 0 {
		return nil, refuse.Errorf(`The request has no edit. Send {"edit":{"edit":"trim",...}}.`)
	}
	e, err := edit.Parse(q.Edit)
	if err != nil {
		return nil, refuse.Because(err)
	}
	if err := p.Admit(ctx, e); err != nil {
		return nil, err
	}
	return perform(ctx, p, e)
}

// A State is a scene with its revision.
type State struct {
	Revision int64        `json:"revision"`
	LengthS  float64      `json:"length_s"`
	Scene    *scene.Scene `json:"scene"`
}

func state(_ context.Context, p Project, _ *Nothing) (*State, error) {
	s := p.Scene()
	return &State{p.Revision(), float64(s.Length()) / float64(s.SampleRate), s}, nil
}
