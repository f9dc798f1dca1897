package app

import (
	"context"

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/mend"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/mend/roommatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/core/scene/edit"
	"blendseam/media/scenefile"
	"blendseam/store"
	"blendseam/workspace"
)

// A Project is a scene that is open, from a file or from the database.
type Project interface {
	// Scene is the scene as the last edit left it.
	Scene() *scene.Scene
	// Plans measures that scene, and plans what would make it better.
	Plans() Plans
	// Edit applies an edit, and keeps it.
	Edit(ctx context.Context, e edit.Edit) error
	// Admit refuses an edit from outside that brings what is not there, and fills in what is known of recordings.
	Admit(ctx context.Context, e edit.Edit) error
	// Revision counts the edits that are kept.
	Revision() int64
}

// Plans are what is measured of a scene, and what would make it better. Nothing is changed by them.
type Plans interface {
	All(ctx context.Context) ([]audit.Result, error)
	Loud(ctx context.Context) ([]overs.Place, error)
	Mend(ctx context.Context, o mend.MendOptions) (*mend.Mending, error)
	MatchRooms(ctx context.Context, o roommatch.Options) (*roommatch.Plan, error)
	MatchLevels(ctx context.Context, o levelmatch.Options) (*levelmatch.Plan, error)
	Intelligibility(ctx context.Context, o intelligibility.Options) (*intelligibility.Plan, error)
}

// apply does a planned edit; nil is nothing to do.
func apply(ctx context.Context, p Project, planned edit.Edit) error {
	if planned == nil {
		return nil
	}
	return p.Edit(ctx, planned)
}

// perform does an edit, and says what it did.
func perform(ctx context.Context, p Project, e edit.Edit) (*Done, error) {
	before := p.Scene()
	if err := p.Edit(ctx, e); err != nil {
		return nil, err
	}
	return &Done{p.Revision(), edit.Describe(before, p.Scene(), e)}, nil
}

// A fileProject is a scene file. What is done to it is written by whoever opened it.
type fileProject struct {
	file  *scenefile.File
	plans *filePlans // of the scene as it is
	done  int64
}

// OfFile returns the project of a scene file.
func OfFile(f *scenefile.File) Project { return &fileProject{file: f, plans: plansOf(f)} }

func (p *fileProject) Scene() *scene.Scene { return p.file.Scene }
func (p *fileProject) Plans() Plans        { return p.plans }
func (p *fileProject) Revision() int64     { return p.done }

func (p *fileProject) Edit(_ context.Context, e edit.Edit) error {
	next, err := edit.Apply(p.file.Scene, e)
	if err == nil {
		p.file.Scene, p.done = next, p.done+1
		p.plans = plansOf(p.file)
	}
	return err
}

func (p *fileProject) Admit(_ context.Context, e edit.Edit) error {
	return edit.MapSources(e, func(src scene.Source) (scene.Source, error) {
		return src, refuse.Errorf("A scene file takes no recording by an edit. Bring %s in with blendseam import.", src.Name)
	})
}

// A keptProject is a scene of the database.
type keptProject struct {
	app  *App
	open *workspace.Scene
	page string // that asks, "" if none does
}

// OpenProject opens a scene of the database as a project. page is the page that asks, "" for a script.
func (a *App) OpenProject(ctx context.Context, id, page string) (Project, error) {
	sc, err := a.Open(ctx, id)
	if err != nil {
		return nil, err
	}
	return &keptProject{a, sc, page}, nil
}

func (p *keptProject) Scene() *scene.Scene { return p.open.Scene }
func (p *keptProject) Plans() Plans        { return p.open }
func (p *keptProject) Revision() int64     { return p.open.Revision }

func (p *keptProject) Admit(ctx context.Context, e edit.Edit) error {
	return p.app.Admit(ctx, p.open.Key.Scene, e)
}

func (p *keptProject) Edit(ctx context.Context, e edit.Edit) error {
	e, err := p.open.Knowing(ctx, e)
	if err != nil {
		return err
	}
	c, err := p.app.Store.Edit(ctx, p.open.Key.Scene, p.open.Revision, e)
	if err != nil {
		return err
	}
	return p.edited(ctx, c)
}

// edited tells the pages of an edit, and opens the scene that it left.
func (p *keptProject) edited(ctx context.Context, c store.Change) error {
	p.app.TellEdited(ctx, p.open.Key.Scene, p.page, c)
	return p.reopen(ctx)
}

func (p *keptProject) reopen(ctx context.Context) error {
	now, err := p.app.Open(ctx, p.open.Key.Scene)
	if err == nil {
		p.open = now
	}
	return err
}

// TellEdited tells the pages of a scene of what was done; page is the one that asked.
func (a *App) TellEdited(ctx context.Context, id, page string, c store.Change) {
	who := ""
	if p := store.CallerOf(ctx); p != nil {
		who = p.Name
	}
	a.Hub.Edited(id, c.Revision, c.Words, who, page)
}
