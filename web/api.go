package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"path"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"blendseam/app"
	"blendseam/core/limit"
	"blendseam/core/mend/intelligibility"
	"blendseam/core/mend/levelmatch"
	"blendseam/core/refuse"
	"blendseam/core/scene"
	"blendseam/store"
	"blendseam/web/access"
	"blendseam/workspace"
)

// An apiRow is one address of the HTTP API that is not an operation on a scene.
type apiRow struct {
	method, pattern, summary string
	need                     access.Need
	do                       func(*Server, http.ResponseWriter, *http.Request) error
	body                     reflect.Type // of JSON; nil: none, or a file
	result                   reflect.Type // of JSON; nil: a file
	status                   int
	file                     bool // the body is a file, its name in the header Blendseam-Name
}

// SceneRow is a scene in a list.
type SceneRow struct {
	ID       string        `json:"id"`
	Name     string        `json:"name"`
	Revision int64         `json:"revision"`
	Summary  store.Summary `json:"summary"`
}

// SceneMade names a scene that was made.
type SceneMade struct {
	ID string `json:"id"`
}

// apiRows are the addresses of the API beside the operations.
func apiRows() []apiRow {
	listens, edits := access.Listens("scene"), access.Edit("scene")
	return []apiRow{
		{method: "GET", pattern: "/api/scenes", summary: "List the scenes.", need: access.Person, do: (*Server).sceneRows,
			result: reflect.TypeFor[[]SceneRow](), status: 200},
		{method: "POST", pattern: "/api/scenes", summary: "Make a scene.", need: access.Edits, do: (*Server).newScene,
			body: reflect.TypeFor[NewScene](), result: reflect.TypeFor[SceneMade](), status: 201},
		{method: "DELETE", pattern: "/api/scenes/{scene}", summary: "Remove a scene.", need: edits, do: (*Server).deleteScene,
			status: 204},
		{method: "POST", pattern: "/api/scenes/{scene}/sources", need: edits, do: (*Server).upload, file: true, status: 202,
			summary: "Bring a recording in: the file is the body, its name in the header Blendseam-Name. A job.",
			result:  reflect.TypeFor[workspace.Progress]()},
		{method: "GET", pattern: "/api/scenes/{scene}/scene.{format}", summary: "Fetch the scene file, or a cut list.",
			need: listens, do: (*Server).sceneFile, status: 200},
		{
			method:  "GET",
			pattern: "/api/jobs/{job}",
			summary: "Return how far a job is, and its result once it is done. ?wait=30 waits for its end.",
			need:    access.Listens("job"),
			do:      (*Server).jobState,
			result:  reflect.TypeFor[workspace.Progress](),
			status:  200,
		},
		{
			method:  "POST",
			pattern: "/api/jobs/{job}/stop",
			summary: "Stop a job.",
			need:    access.Edit("job"),
			do:      (*Server).stopJob,
			status:  204,
		},
		{method: "GET", pattern: "/api/made/{job}/{n}", summary: "Fetch a file that a job made, by its number from 0.",
			need: access.Listens("job"), do: (*Server).made, status: 200},
	}
}

// scripts are the routes of the API.
func (s *Server) scripts() (list []access.Route) {
	for _, x := range apiRows() {
		list = append(list, access.Route{Method: x.method, Pattern: x.pattern, Need: x.need,
			Handler: s.handle(func(w http.ResponseWriter, r *http.Request) error { return x.do(s, w, r) })})
	}
	for _, o := range app.Operations {
		list = append(list, access.Route{Method: methodOf(o), Pattern: patternOf(o), Handler: s.handle(s.operate(o)),
			Need: access.Need{Role: o.Role, Of: "scene"}})
	}
	return append(list, access.Route{Method: "GET", Pattern: "/api/openapi.json", Need: access.Person,
		Handler: s.handle(s.openAPI)})
}

func methodOf(o app.Operation) string {
	if o.Kind == app.Query && o.Request.NumField() == 0 {
		return http.MethodGet
	}
	return http.MethodPost
}

func patternOf(o app.Operation) string { return "/api" + ofScene + "/" + o.Name }

// operate answers with what an operation does.
func (s *Server) operate(o app.Operation) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		ctx, id := r.Context(), chi.URLParam(r, "scene")
		request := o.NewRequest()
		if r.Method == http.MethodPost {
			if err := readRequest(w, r, o.Request, request); err != nil {
				return err
			}
		}
		if o.Kind == app.Job {
			job, err := o.Begin(ctx, s.App, id, request)
			if err != nil {
				return err
			}
			return s.answer(w, http.StatusAccepted, s.Jobs.Progress(job))
		}
		p, err := s.OpenProject(ctx, id, "")
		if err != nil {
			return err
		}
		result, err := o.Run(ctx, p, request)
		if err != nil {
			return err
		}
		w.Header().Set("Blendseam-Revision", strconv.FormatInt(p.Revision(), 10))
		return s.answer(w, http.StatusOK, result)
	}
}

// mostWrong is how many fields are named of a request that does not fit.
const mostWrong = 3

// readRequest reads the JSON body of a request, if it has one, and says what of it does not fit its description.
func readRequest(w http.ResponseWriter, r *http.Request, t reflect.Type, to any) error {
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, limit.RequestBytes))
	if err != nil {
		return refuse.Errorf("the request cannot be read: %w", err)
	}
	if len(bytes.TrimSpace(raw)) == 0 {
		raw = []byte("{}")
	}
	var value any
	if err := json.Unmarshal(raw, &value); err != nil {
		return refuse.Errorf("the request is no JSON: %w", err)
	}
	registry := described().Components.Schemas
	wrong := &huma.ValidateResult{}
	at := huma.NewPathBuffer([]byte{}, 0)
	huma.Validate(registry, registry.Schema(t, true, ""), at, huma.ModeWriteToServer, value, wrong)
	if len(wrong.Errors) > 0 {
		var why []string
		for _, e := range wrong.Errors[:min(mostWrong, len(wrong.Errors))] {
			if d := (*huma.ErrorDetail)(nil); errors.As(e, &d) {
				name, _ := limit.Cut(d.Location, limit.Names)
				why = append(why, name+": "+d.Message)
			}
		}
		slices.Sort(why)
		return refuse.Errorf("The request does not fit its description: %s. See /api.", strings.Join(why, "; "))
	}
	if err := json.Unmarshal(raw, to); err != nil {
		return refuse.Errorf("the request cannot be read: %w", err)
	}
	return nil
}

// sceneRows answers with a list of the scenes.
func (s *Server) sceneRows(w http.ResponseWriter, r *http.Request) error {
	all, err := s.Store.Scenes(r.Context())
	if err != nil {
		return err
	}
	list := []SceneRow{}
	for _, x := range all {
		list = append(list, SceneRow{x.ID, x.Name, x.Revision, x.Summary})
	}
	return s.answer(w, http.StatusOK, list)
}

// A job is looked at so often while a script waits for its end, and no longer than mostWaitS, in seconds.
const (
	lookEvery = 100 * time.Millisecond
	mostWaitS = 60
)

// jobState answers with how far a job is; with wait, once it has ended or so many seconds have passed.
func (s *Server) jobState(w http.ResponseWriter, r *http.Request) error {
	seconds := int64(0)
	if r.URL.Query().Has("wait") {
		var err error
		if seconds, err = number(r, "wait", 0, mostWaitS); err != nil {
			return err
		}
	}
	ctx, cancel := context.WithTimeout(r.Context(), time.Duration(seconds)*time.Second)
	defer cancel()
	every := time.NewTicker(lookEvery)
	defer every.Stop()
	for {
		job, err := s.Store.Job(r.Context(), chi.URLParam(r, "job"))
		if err != nil {
			return err
		}
		if job.State != "running" || ctx.Err() != nil {
			return s.answer(w, http.StatusOK, s.Jobs.Progress(job))
		}
		select {
		case <-every.C:
		case <-ctx.Done():
		}
	}
}

// unmounted is an adapter that mounts nothing: the routes are ours, each behind what it needs.
type unmounted struct{}

func (unmounted) Handle(*huma.Operation, func(huma.Context))   {}
func (unmounted) ServeHTTP(http.ResponseWriter, *http.Request) {}

// levelledFields are the fields of app.Levelled as it is written.
type levelledFields struct {
	levelmatch.Plan
	Phrases []intelligibility.Phrase   `json:"phrases"`
	Ducks   []intelligibility.Proposal `json:"ducks"`
}

// sceneFields are those of a scene that a description lists; what lies in them is the scene file's affair.
type sceneFields struct {
	Name       string           `json:"name"`
	SampleRate int64            `json:"sample_rate"`
	Channels   int              `json:"channels"`
	Tracks     []map[string]any `json:"tracks"`
	Sources    map[string]any   `json:"sources"`
}

// described is the description of the API in the form of OpenAPI 3.1.
var described = sync.OnceValue(func() *huma.OpenAPI {
	config := huma.DefaultConfig("Blend Seam", "1")
	config.FieldsOptionalByDefault = true
	config.CreateHooks, config.Transformers = nil, nil // no links to schemas within answers
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer", Description: "A token of blendseam token add."},
	}
	config.Security = []map[string][]string{{"token": {}}}
	doc := huma.NewAPI(config, unmounted{}).OpenAPI()
	registry := doc.Components.Schemas
	registry.RegisterTypeAlias(reflect.TypeFor[app.Levelled](), reflect.TypeFor[levelledFields]())
	registry.RegisterTypeAlias(reflect.TypeFor[scene.Scene](), reflect.TypeFor[sceneFields]())
	for _, x := range apiRows() {
		o := &huma.Operation{Method: x.method, Path: x.pattern, Summary: x.summary, DefaultStatus: x.status}
		if x.file {
			o.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
				"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}
			o.Parameters = append(o.Parameters, &huma.Param{Name: "Blendseam-Name", In: "header", Required: true,
				Description: "The file's name, percent-encoded.", Schema: &huma.Schema{Type: "string"}})
		}
		describe(doc, o, x.body, x.result)
	}
	for _, x := range app.Operations {
		o := &huma.Operation{OperationID: x.Name, Method: methodOf(x), Path: patternOf(x), Summary: x.Summary,
			Tags: []string{string(x.Kind)}, Description: "Needs the role " + string(x.Role) + ".", DefaultStatus: 200}
		result := x.Result
		if x.Kind == app.Job {
			o.DefaultStatus, result = http.StatusAccepted, reflect.TypeFor[workspace.Progress]()
		}
		body := x.Request
		if o.Method == http.MethodGet {
			body = nil
		}
		describe(doc, o, body, result)
	}
	return doc
})

// schemaName names a schema by its package and type, as several packages have a type Plan.
func schemaName(t reflect.Type, hint string) string {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t.Name() == "" || t.PkgPath() == "" {
		return huma.DefaultSchemaNamer(t, hint)
	}
	return path.Base(t.PkgPath()) + "." + t.Name()
}

// describe adds an address to a description.
func describe(doc *huma.OpenAPI, o *huma.Operation, body, result reflect.Type) {
	registry := doc.Components.Schemas
	for part := range strings.SplitSeq(o.Path, "/") {
		from, to := strings.Index(part, "{"), strings.Index(part, "}")
		if from >= 0 {
			o.Parameters = append(o.Parameters, &huma.Param{Name: part[from+1 : to], In: "path", Required: true,
				Schema: &huma.Schema{Type: "string"}})
		}
	}
	if body != nil {
		o.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{
			"application/json": {Schema: registry.Schema(body, true, "")}}}
	}
	good := &huma.Response{Description: "It is done."}
	switch {
	case result != nil:
		good.Content = map[string]*huma.MediaType{"application/json": {Schema: registry.Schema(result, true, "")}}
	case o.DefaultStatus == http.StatusOK:
		good.Content = map[string]*huma.MediaType{
			"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}
	}
	bad := &huma.Response{Description: "It cannot be done: why, and what would work.",
		Content: map[string]*huma.MediaType{"application/json": {Schema: &huma.Schema{Type: "object",
			Properties: map[string]*huma.Schema{
				"message": {Type: "string", Description: "One line: what, where, what to do."},
				"alternatives": {
					Type:        "array",
					Items:       &huma.Schema{Type: "object"},
					Description: "Edits that would work.",
				},
			}}}}}
	o.Responses = map[string]*huma.Response{strconv.Itoa(o.DefaultStatus): good, "default": bad}
	doc.AddOperation(o)
}

// openAPI answers with the description.
func (s *Server) openAPI(w http.ResponseWriter, _ *http.Request) error {
	return s.answer(w, http.StatusOK, described())
}

// An APIView is one address on the page of the API.
type APIView struct {
	Method, Path, Summary, Role string
	Fields                      []APIField
}

// An APIField is one field of a request.
type APIField struct{ Name, Type, Words string }

// apiViews are the addresses as the page shows them.
func apiViews() (list []APIView) {
	for _, x := range apiRows() {
		list = append(list, APIView{x.method, x.pattern, x.summary, string(x.need.Role), fieldsOf(x.body)})
	}
	for _, o := range app.Operations {
		list = append(list, APIView{methodOf(o), patternOf(o), o.Summary, string(o.Role), fieldsOf(o.Request)})
	}
	return list
}

// fieldsOf lists the fields of a request, as its description has them.
func fieldsOf(t reflect.Type) (list []APIField) {
	if t == nil {
		return nil
	}
	registry := described().Components.Schemas
	schema := registry.Schema(t, false, "")
	for name, p := range schema.Properties {
		of := p
		if p.Ref != "" {
			of = registry.SchemaFromRef(p.Ref)
		}
		list = append(list, APIField{name, typeWords(of), p.Description})
	}
	slices.SortFunc(list, func(a, b APIField) int { return strings.Compare(a.Name, b.Name) })
	return list
}

func typeWords(s *huma.Schema) string {
	switch {
	case s.Type == "array" && s.Items != nil && s.Items.Type != "":
		return "array of " + s.Items.Type
	case s.Type == "":
		return "any"
	}
	return s.Type
}

// apiPage shows the API, for whoever writes scripts.
func (s *Server) apiPage(w http.ResponseWriter, r *http.Request) error {
	return s.page(w, r, "api", view{Title: "The HTTP API", List: apiViews()})
}
