// Package app holds the use cases: each once, as an operation that is declared in one table. The command line runs
// them on scene files, the pages and the HTTP API on scenes of the database; both only parse, call and answer.
package app

import (
	"context"
	"encoding/json"
	"reflect"
	"slices"

	"blendseam/core/refuse"
	"blendseam/store"
	"blendseam/workspace"
)

// An App runs operations on scenes of the database.
type App struct {
	*workspace.Workspace
	Made string // folder of what jobs made
}

// A Kind says what an operation does to a scene.
type Kind string

const (
	Query Kind = "query" // it only reads
	Edit  Kind = "edit"  // it edits, and is in the scene's history
	Job   Kind = "job"   // it takes long: it is begun, and its result comes later
)

// An Operation is one use case.
type Operation struct {
	Name    string // in an address, such as "mend"
	Summary string // one sentence
	Kind    Kind
	Role    store.Role // that is needed in the scene's production
	Request reflect.Type
	Result  reflect.Type // of a job: what it gives in the end
	run     func(ctx context.Context, p Project, request any) (any, error)
	job     func() JobRequest // of a job
}

// query declares an operation that reads.
func query[Q, R any](name, summary string, run func(context.Context, Project, *Q) (R, error)) Operation {
	return declare(Operation{Name: name, Summary: summary, Kind: Query, Role: store.Listener}, run)
}

// change declares an operation that edits.
func change[Q, R any](name, summary string, run func(context.Context, Project, *Q) (R, error)) Operation {
	return declare(Operation{Name: name, Summary: summary, Kind: Edit, Role: store.Editor}, run)
}

func declare[Q, R any](o Operation, run func(context.Context, Project, *Q) (R, error)) Operation {
	o.Request, o.Result = reflect.TypeFor[Q](), reflect.TypeFor[R]()
	o.run = func(ctx context.Context, p Project, request any) (any, error) { return run(ctx, p, request.(*Q)) }
	return o
}

// work declares an operation that is a job.
func work[R any, Q any, P interface {
	*Q
	JobRequest
}](name, summary string) Operation {
	return Operation{Name: name, Summary: summary, Kind: Job, Role: store.Editor,
		Request: reflect.TypeFor[Q](), Result: reflect.TypeFor[R](), job: func() JobRequest { return P(new(Q)) }}
}

// Named returns the operation of a name.
func Named(name string) (Operation, bool) {
	i := slices.IndexFunc(Operations, func(o Operation) bool { return o.Name == name })
	if i < 0 {
		return Operation{}, false
	}
	return Operations[i], true
}

// Must returns the operation of a name; it panics if there is none.
func Must(name string) Operation {
	o, ok := Named(name)
	if !ok {
		panic("no operation is named " + name)
	}
	return o
}

// NewRequest returns an empty request, to be filled in.
func (o Operation) NewRequest() any { return reflect.New(o.Request).Interface() }

// Run runs a query or an edit on a project. The request is one of NewRequest.
func (o Operation) Run(ctx context.Context, p Project, request any) (any, error) {
	return o.run(ctx, p, request)
}

// Begin begins the job that a request of NewRequest asks for, as the account that asks.
func (o Operation) Begin(ctx context.Context, a *App, sceneID string, request any) (store.Job, error) {
	q, ok := request.(JobRequest)
	if !ok {
		return store.Job{}, refuse.Errorf("%s is no job", o.Name)
	}
	return a.begin(ctx, sceneID, q)
}

// jobOf returns an empty request of a kind of job: that of the operation of its name, or of one that has several.
func jobOf(kind string) (JobRequest, bool) {
	if kind == lookKind {
		kind = mixdownKind
	}
	o, ok := Named(kind)
	if !ok || o.job == nil {
		return nil, false
	}
	return o.job(), true
}

// askedJob is what a job is begun again by, if the process that does it ends.
type askedJob struct {
	Node     int64           `json:"node"` // the state of the scene
	Revision int64           `json:"revision"`
	Request  json.RawMessage `json:"request"`
}
