package web

import (
	"net/http"

	"github.com/go-chi/chi/v5"

	"blendseam/core/scene"
	"blendseam/export"
	"blendseam/media"
)

func (s *Server) handOverPage(w http.ResponseWriter, r *http.Request) error {
	id := chi.URLParam(r, "scene")
	st, err := s.Store.Scene(r.Context(), id)
	if err != nil {
		return err
	}
	list, err := s.MadeList(r.Context(), id)
	if err != nil {
		return err
	}
	sc := st.Scene
	tracks := []StemTrack{}
	for _, t := range sc.Tracks {
		if t.Kind == scene.Sound {
			tracks = append(tracks, StemTrack{t.ID, t.Name})
		}
	}
	ranges := []string{}
	for _, m := range sc.Markers {
		if m.Length > 0 {
			ranges = append(ranges, m.Name)
		}
	}
	return s.page(
		w, r,
		"hand-over",
		view{Title: "Hand over " + sc.Name, Scene: id, Name: sc.Name, Data: map[string]any{
			"id":       id,
			"from":     sc.Timecode(0),
			"to":       sc.Timecode(sc.Length()),
			"empty":    sc.Length() == 0,
			"length_s": float64(sc.Length()) / float64(sc.SampleRate),
			"rate":     sc.SampleRate,
			"channels": sc.Channels,
			"kinds":    kinds(),
			"tracks":   tracks,
			"ranges":   ranges,
			"pattern":  export.DefaultPattern,
			"formats":  formats(sc),
			"made":     list,
		}},
	)
}

// A StemTrack is a track that a stem may hold.
type StemTrack struct {
	ID   scene.TrackID `json:"id"`
	Name string        `json:"name"`
}

// A KindView is a kind of sound file that can be made.
type KindView struct {
	Ending string   `json:"ending"`
	Name   string   `json:"name"`
	Depths []string `json:"depths"`
	Rates  []int    `json:"rates"` // none: any
	KBits  []int    `json:"kbits"`
}

func kinds() (list []KindView) {
	for _, k := range media.Kinds {
		list = append(list, KindView{k.Ending, k.Name, append([]string{}, k.Depths...), append([]int{}, k.Rates...),
			append([]int{}, k.KBits...)})
	}
	return list
}

func (s *Server) mixdowns(w http.ResponseWriter, r *http.Request) error {
	list, err := s.MadeList(r.Context(), chi.URLParam(r, "scene"))
	if err != nil {
		return err
	}
	return s.answer(w, http.StatusOK, list)
}

// fileName makes a scene's name fit for a file.
func fileName(name string) string { return export.FileName(name) }
