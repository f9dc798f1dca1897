package web

import (
	"errors"
	"fmt"
	"net/http"

	"blendseam/core/audit"
	"blendseam/core/audit/overs"
	"blendseam/core/scene"
	"blendseam/media"
	"blendseam/workspace"
)

// An OffView is something that is off about a scene, before it is handed over.
type OffView struct {
	What  string `json:"what"` // peak, seam, missing, silent
	Words string `json:"words"`
	Href  string `json:"href"` // where it is seen to
}

// off lists what is off: peaks over full scale, rough seams, recordings that are gone, tracks that are not heard.
func (s *Server) off(w http.ResponseWriter, r *http.Request) error {
	st, err := s.opened(r)
	if err != nil {
		return err
	}
	list := append([]OffView{}, s.missing(st)...)
	if len(list) == 0 { // else nothing can be listened to
		heard, err := overFull(r, st)
		if err != nil {
			return err
		}
		rough, err := roughSeams(r, st)
		if err != nil {
			return err
		}
		list = append(append(list, heard...), rough...)
	}
	return s.answer(w, http.StatusOK, append(list, silent(st)...))
}

// missing are recordings of clips that are not in the library any more.
func (s *Server) missing(st *workspace.Scene) (list []OffView) {
	seen := map[string]bool{}
	for _, t := range st.Scene.Tracks {
		for _, c := range t.Clips {
			for _, id := range scene.Recordings(st.Scene, c.Sources()...) {
				if seen[id] {
					continue
				}
				seen[id] = true
				var gone *media.MissingFile
				if _, err := s.Library.Original(id); errors.As(err, &gone) {
					list = append(list, OffView{"missing", fmt.Sprintf("The recording %s is missing; clips of it, such as %s, "+
						"cannot be heard.", st.Scene.Sources[id].Name, c.Name), "/scenes/" + st.Key.Scene + "/sources"})
				}
			}
		}
	}
	return list
}

func overFull(r *http.Request, st *workspace.Scene) (list []OffView, err error) {
	places, err := st.Loud(r.Context())
	if err != nil {
		return nil, err
	}
	var worst overs.Place
	n := 0
	for _, p := range places {
		if p.Kind != overs.OverFull {
			continue
		}
		if n++; n == 1 || p.OverDB > worst.OverDB {
			worst = p
		}
	}
	if n == 0 {
		return nil, nil
	}
	words := fmt.Sprintf("The mix passes full scale at %s by %.1f dB.", st.Scene.Timecode(worst.At), worst.OverDB)
	if n > 1 {
		words = fmt.Sprintf("The mix passes full scale at %d places, most at %s by %.1f dB.", n,
			st.Scene.Timecode(worst.At), worst.OverDB)
	}
	return []OffView{{"peak", words, "/scenes/" + st.Key.Scene + "/loud"}}, nil
}

func roughSeams(r *http.Request, st *workspace.Scene) (list []OffView, err error) {
	if _, err := st.All(r.Context()); err != nil { // measures what is not yet
		return nil, err
	}
	a, err := st.Seams(r.Context(), 0)
	if err != nil {
		return nil, err
	}
	n, first := 0, ""
	for _, v := range a.Set {
		if v.Verdict == audit.Rough && v.Accepted == nil {
			if n++; n == 1 {
				first = v.TC
			}
		}
	}
	page := "/scenes/" + st.Key.Scene
	if n > 0 {
		words := fmt.Sprintf("%d seams are rough and not accepted, the first at %s.", n, first)
		if n == 1 {
			words = fmt.Sprintf("One seam is rough and not accepted, at %s.", first)
		}
		list = append(list, OffView{"seam", words, page})
	}
	if a.Pending > 0 {
		list = append(list, OffView{"seam", fmt.Sprintf("%d seams are not measured yet.", a.Pending), page})
	}
	return list, nil
}

// silent are sound tracks that the mix does not have.
func silent(st *workspace.Scene) (list []OffView) {
	page := "/scenes/" + st.Key.Scene
	solo := ""
	for _, t := range st.Scene.Tracks {
		if t.Kind == scene.Sound && t.Solo {
			solo = t.Name
		}
	}
	for _, t := range st.Scene.Tracks {
		switch {
		case t.Kind != scene.Sound:
		case t.Mute:
			list = append(list, OffView{"silent", fmt.Sprintf("The track %s is muted.", t.Name), page})
		case solo != "" && !t.Solo:
			list = append(list, OffView{"silent", fmt.Sprintf("The track %s is not heard, for %s is soloed.", t.Name, solo),
				page})
		case len(t.Clips) == 0:
			list = append(list, OffView{"silent", fmt.Sprintf("The track %s is empty.", t.Name), page})
		}
	}
	return list
}
