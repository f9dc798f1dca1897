package web

import (
	"net/http"

	"blendseam/web/access"
)

// A row of the table is what is answered, to whom and by what.
type row struct {
	method, pattern string
	need            access.Need
	do              handler
}

// table is the table of routes, with errors answered.
func (s *Server) table() (list []access.Route) {
	for _, x := range s.rows() {
		list = append(list, access.Route{Method: x.method, Pattern: x.pattern, Need: x.need, Handler: s.handle(x.do)})
	}
	return list
}

// rows has every route with what it needs, but for the screens, which are a table of their own, and what ships with
// the program.
func (s *Server) rows() []row {
	listens, edits := access.Listens("scene"), access.Edit("scene")
	return []row{
		{http.MethodGet, access.Healthy, access.Open, always(health)},
		{http.MethodGet, access.Ready, access.Open, always(s.ready)},
		{http.MethodGet, access.Metrics, access.Owns, always(s.metrics().ServeHTTP)},

		{http.MethodPost, "/scenes", access.Edits, s.newScene},
		{http.MethodPost, "/scenes/demo", access.Edits, s.loadDemo},
		{http.MethodPost, "/scenes/file", access.Edits, s.bringSceneFile},
		{http.MethodGet, "/events", access.Person, s.events},
		{http.MethodPost, "/keys", access.Person, s.setKeys},
		{http.MethodDelete, "/keys", access.Person, s.resetKeys},
		{http.MethodGet, "/keys.json", access.Person, s.keyFile},
		{http.MethodGet, "/commands", access.Person, s.commandList},

		{http.MethodPost, "/password", access.Person, s.setPassword},
		{http.MethodPost, "/productions", access.Owns, s.newProduction},
		{http.MethodPost, "/productions/{production}", access.Own("production"), s.nameProduction},
		{http.MethodPost, "/productions/{production}/people", access.Own("production"), s.setMember},

		{http.MethodGet, "/tones", access.Person, s.toneList},
		{http.MethodPost, "/tones", access.Edits, s.bringTone},
		{http.MethodPost, "/tones/{tone}", access.Edit("tone"), s.setTone},
		{http.MethodDelete, "/tones/{tone}", access.Edit("tone"), s.dropTone},
		{http.MethodGet, "/tones/{tone}/sound.wav", access.Listens("tone"), s.toneSound},
		{http.MethodGet, "/blends", access.Person, s.blendList},
		{http.MethodPost, "/blends", access.Edits, s.setBlend},
		{http.MethodDelete, "/blends/{blend}", access.Edits, s.dropBlend},
		{http.MethodDelete, ofScene + "/", edits, s.deleteScene},
		{http.MethodPost, ofScene + "/copy", edits, s.copyScene},
		{http.MethodPost, ofScene + "/move", access.Own("scene"), s.moveScene},
		{http.MethodGet, ofScene + "/state", listens, s.state},
		{http.MethodPost, ofScene + "/edits", edits, s.edit},
		{http.MethodPost, ofScene + "/try", listens, s.try},
		{http.MethodGet, ofScene + "/reach", listens, s.reach},
		{http.MethodPost, ofScene + "/piece", listens, s.copied},
		{http.MethodPost, ofScene + "/copies", listens, s.copyPlan},
		{http.MethodPost, ofScene + "/undo", edits, s.undo},
		{http.MethodPost, ofScene + "/redo", edits, s.redo},
		{http.MethodGet, ofScene + "/scene.{format}", listens, s.sceneFile},
		{http.MethodGet, ofScene + "/notes", listens, s.notes},
		{http.MethodPost, ofScene + "/notes", listens, s.addNote},
		{http.MethodPost, ofScene + "/notes/{note}", listens, s.setNote},
		{http.MethodDelete, ofScene + "/notes/{note}", listens, s.dropNote},
		{http.MethodPost, ofScene + "/here", listens, s.here},
		{http.MethodGet, ofScene + "/history", listens, s.history},
		{http.MethodPost, ofScene + "/go", edits, s.goTo},
		{http.MethodPost, ofScene + "/versions", edits, s.keepVersion},
		{http.MethodDelete, ofScene + "/versions/{version}", edits, s.dropVersion},
		{http.MethodGet, ofScene + "/versions/compare", listens, s.compareVersions},
		{http.MethodGet, ofScene + "/seams", listens, s.seamList},
		{http.MethodGet, ofScene + "/bench", listens, s.bench},
		{http.MethodGet, ofScene + "/pcm", listens, s.pcm},
		{http.MethodGet, ofScene + "/proposal", listens, s.proposal},
		{http.MethodGet, ofScene + "/places", listens, s.places},
		{http.MethodPost, ofScene + "/mend", edits, s.mend},
		{http.MethodPost, ofScene + "/accept", edits, s.accept},
		{http.MethodGet, ofScene + "/blends", listens, s.sceneBlends},
		{http.MethodPost, ofScene + "/blends", edits, s.keepBlend},
		{http.MethodPost, ofScene + "/blends/plan", listens, s.plan},
		{http.MethodPost, ofScene + "/blends/across", listens, s.across},
		{http.MethodGet, ofScene + "/fill", listens, s.fill},
		{http.MethodGet, ofScene + "/loud/list", listens, s.loud},
		{http.MethodGet, ofScene + "/findings", listens, s.findings},
		{http.MethodGet, ofScene + "/finding", listens, s.finding},
		{http.MethodGet, ofScene + "/bed", listens, s.bed},
		{http.MethodGet, ofScene + "/evening", listens, s.evening},
		{http.MethodGet, ofScene + "/voices/list", listens, s.voices},
		{http.MethodGet, ofScene + "/margins", listens, s.margins},
		{http.MethodGet, ofScene + "/meters", listens, s.meters},
		{http.MethodGet, ofScene + "/loudness", listens, s.loudness},
		{http.MethodGet, ofScene + "/clips/{clip}/room", listens, s.clipRoom},
		{http.MethodGet, ofScene + "/clips/{clip}/voice", listens, s.clipVoice},
		{http.MethodGet, ofScene + "/clips/{clip}/likeness", listens, s.likeness},
		{http.MethodGet, ofScene + "/clips/{clip}/fit", listens, s.fit},
		{http.MethodGet, ofScene + "/clips/{clip}/takes", listens, s.takes},
		{http.MethodGet, ofScene + "/clips/{clip}/take", listens, s.take},
		{http.MethodGet, ofScene + "/clips/{clip}/curve", listens, s.curveOf},
		{http.MethodGet, ofScene + "/clips/{clip}/openings", listens, s.openings},
		{http.MethodGet, ofScene + "/tones/{source}/peaks/{step}/{tile}", listens, s.madePeaks},
		{http.MethodPost, ofScene + "/tone", edits, s.keepTone},
		{http.MethodGet, ofScene + "/report.csv", listens, s.reportCSV},
		{http.MethodPost, ofScene + "/sources", edits, s.upload},
		{http.MethodPost, ofScene + "/sources/{source}/lay", edits, s.layOut},
		{http.MethodPost, ofScene + "/sources/{source}/link", edits, s.linkSource},
		{http.MethodGet, ofScene + "/sources/{source}/state", edits, s.sourceState},
		{http.MethodGet, ofScene + "/sources/{source}/heard", listens, s.heard},
		{http.MethodPost, ofScene + "/sources/{source}/take", edits, s.takeOut},
		{http.MethodGet, ofScene + "/sources/{source}/stretch.wav", edits, s.stretchFile},
		{http.MethodPost, ofScene + "/recut", edits, s.recut},
		{http.MethodPost, ofScene + "/recut/sound.wav", listens, s.recutSound},
		{http.MethodPost, ofScene + "/recut/mend", edits, s.recutMend},
		{http.MethodPost, ofScene + "/merge", edits, s.compare},
		{http.MethodPost, ofScene + "/merge/sound.wav", listens, s.mergedSound},
		{http.MethodPost, ofScene + "/merge/take", edits, s.takeMerged},
		{http.MethodPost, ofScene + "/package", edits, s.job("package")},
		{http.MethodPost, ofScene + "/joins", edits, s.job("join")},
		{http.MethodPost, ofScene + "/pastes", edits, s.pasteInPauses},
		{http.MethodPost, ofScene + "/pieces", edits, s.job("pieces")},
		{http.MethodPost, ofScene + "/lists", edits, s.job("list")},
		{http.MethodPost, ofScene + "/mixdowns", edits, s.job("mixdown")},
		{http.MethodGet, ofScene + "/mixdowns", listens, s.mixdowns},
		{http.MethodGet, ofScene + "/off", listens, s.off},
		{http.MethodDelete, "/sources/{source}", access.Edit("source"), s.removeSource},
		{http.MethodPost, "/jobs/{job}/stop", access.Edit("job"), s.stopJob},
		{http.MethodDelete, "/made/{job}", access.Edit("job"), s.dropMade},
		{http.MethodGet, "/made/{job}", access.Listens("job"), s.made},
		{http.MethodGet, "/made/{job}/all.zip", access.Listens("job"), s.madeAll},
		{http.MethodGet, "/made/{job}/{n}", access.Listens("job"), s.made},
		{http.MethodGet, "/media/{source}/peaks/{rate}/{step}/{tile}", access.Listens("source"), s.peaks},
		{http.MethodGet, "/media/{source}/sound/{rate}", access.Listens("source"), s.sourceSound},
		{http.MethodGet, "/media/{source}/pictures/{num}/{den}/{sheet}", access.Listens("source"), s.pictures},
	}
}

// always is a handler that answers everything itself.
func always(h http.HandlerFunc) handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		h(w, r)
		return nil
	}
}
