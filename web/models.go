package web

import (
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"path"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/quotes"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// soon is how long a request waits for a job before it shows how far it is.
const soon = 700 * time.Millisecond

func (s *Server) modelRoutes(r chi.Router) {
	r.Get("/models", s.shelf)
	r.Get("/models/{id}", s.model)
	r.Get("/models/{id}/still.png", s.still)
	r.Get("/models/{id}/view", s.view)
	r.Get("/models/{id}/as/{format}", s.download)
	r.Get("/models/{id}/layers", s.layers)
	r.Get("/models/{id}/prints", s.prints)
	r.Get("/jobs/{of}/{key}", s.jobs)
}

func (s *Server) ownerModelRoutes(r chi.Router) {
	r.Post("/models", s.addModels)
	r.Post("/models/{id}/make/{kind}", s.remake)
	r.Post("/models/{id}/revise", s.revise)
	r.Post("/models/{id}/licence", s.saveLicence)
	r.Post("/models/{id}/use", s.useVersion)
	r.Post("/models/{id}/orientation", s.chooseOrientation)
	r.Post("/models/{id}/calibrate", s.calibrate)
	r.Post("/jobs/{id}/cancel", s.cancelJob)
	r.Get("/orders/{no}/items/{item}/size", s.size)
	r.Post("/orders/{no}/items/{item}/size", s.takeSize)
}

// shelf is all models by picture.
func (s *Server) shelf(w http.ResponseWriter, r *http.Request) {
	letters := r.FormValue("q")
	list, err := s.App.Models.Shelf(r.Context(), letters)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	jobs, err := s.App.Jobs.JobsOfShelf(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := Page{Title: "Models", Sheet: "Models", Active: "/models", D: map[string]any{"List": list, "Q": letters, "Jobs": jobsView{jobs, "/jobs/shelf/all", "/models", isOwner(r)}},
		Block: []Field{{"Designs", fmt.Sprint(len(list))}}, Keys: []Key{{"S", "search"}, {"A", "add files"}, {"↑ ↓", "move"}, {"Enter", "open"}}}
	if byHTMX(r) {
		s.fragment(w, r, "models", "shelf", p)
		return
	}
	s.show(w, r, "models", p)
}

// modelView is a model's sheet with what its drawing needs.
type modelView struct {
	models.ModelSheet
	Uses     []quotes.UsePrice
	DataJSON template.JS // for the canvas
	Licences []string
	Running  jobsView
	Guess    *mesh.UnitGuess // a unit to take the file in
}

// Tenth is what a sculpt is usually reduced to.
func (v modelView) Tenth() int { return max(4, v.Model.Measures.Triangles/10) }

// Bodies is how many bodies the analysis told apart.
func (v modelView) Bodies() int {
	if v.Analysis == nil {
		return 0
	}
	return len(v.Analysis.Bodies)
}

// Solid is the volume with what bodies share counted once.
func (v modelView) Solid() float64 {
	if v.Analysis == nil || v.Analysis.Overlap.Overlapped == 0 {
		return v.Model.Measures.VolumeMM3
	}
	return v.Analysis.Overlap.SolidMM3
}

// Working tells where the volume came from.
func (v modelView) Working() rates.Working {
	in := []rates.Figure{rates.Of("volume of all shells, cavities taken off", v.Model.Measures.VolumeMM3/1000, "cm³", rates.Mesh)}
	formula := "signed tetrahedra over all facets"
	if v.Analysis != nil && v.Analysis.Overlap.Overlapped > 0 {
		formula += ", less what bodies share"
		in = append(in, rates.Of("shared, counted twice in it", v.Analysis.Overlap.Overlapped/1000, "cm³", rates.Mesh),
			rates.Of("give or take", v.Analysis.Overlap.ErrorMM3/1000, "cm³", rates.Derived))
	}
	if v.Analysis != nil && v.Analysis.HullMM3 > 0 {
		in = append(in, rates.Of("its convex hull", v.Analysis.HullMM3/1000, "cm³", rates.Mesh))
	}
	return rates.Working{Formula: formula, Inputs: in, Result: rates.Of("volume", v.Solid()/1000, "cm³", rates.Derived)}
}

func (s *Server) model(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Models.ModelSheet(r.Context(), pathID(r, "id"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	uses, err := s.App.Quotes.UsePrices(r.Context(), sheet)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v := modelView{ModelSheet: sheet, Uses: uses, Licences: studio.Licences(), Running: jobsView{sheet.Jobs, fmt.Sprintf("/jobs/model/%d", sheet.Model.ID), fmt.Sprintf("/models/%d", sheet.Model.ID), isOwner(r)}}
	if g, needed := sheet.Model.UnitGuess(); needed {
		v.Guess = &g
	}
	data := map[string]any{"size": sheet.Model.Measures.SizeMM, "least": map[string]float64{"resin": sheet.Shop.Book.V("wall.resin"), "filament": sheet.Shop.Book.V("wall.filament")}}
	inside := !sheet.Model.Measures.Watertight || sheet.Model.Measures.InvertedShells > 0
	var spots []map[string]any
	for i, a := range sheet.Advice {
		inside = inside || a.Kind == mesh.FaultFlipped
		for _, p := range a.Spots[:min(len(a.Spots), shownSpots)] {
			spots = append(spots, map[string]any{"advice": i, "at": p.At, "size": p.SizeMM, "quiet": !a.Grave})
		}
	}
	data["spots"], data["inside"], data["id"] = spots, inside, sheet.Model.ID
	if len(sheet.Orientations) > 0 {
		f := sheet.Orientations[0].Facts
		data["held"], data["down"] = f.Contacts, f.Down
		var places [][3]float64
		for _, c := range f.Cups {
			places = append(places, [3]float64{c.At.X, c.At.Y, c.At.Z})
		}
		for _, o := range f.Out {
			places = append(places, [3]float64{o.At.X, o.At.Y, o.At.Z})
		}
		data["places"] = places
	}
	encoded, err := json.Marshal(data)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	v.DataJSON = template.JS(encoded) //nolint:gosec // json.Marshal escapes what could end the element
	s.show(w, r, "model", Page{Title: sheet.Design.Name, Sheet: "Model", Active: "/models", D: v,
		Block: []Field{{"Version", fmt.Sprintf("%d of %d", s.number(sheet), len(sheet.Versions))}, {"Format", sheet.Model.Measures.Format}},
		Keys:  []Key{{"V", "the view"}, {"O", "overhang"}, {"W", "walls"}, {"B", "bodies"}, {"M", "mend"}}})
}

// number is the place of the shown version among all, the first one 1.
func (s *Server) number(sheet models.ModelSheet) int {
	for i, v := range sheet.Versions {
		if v.ID == sheet.Model.ID {
			return len(sheet.Versions) - i
		}
	}
	return 0
}

// forever tells browsers that what they got never changes.
func forever(w http.ResponseWriter) {
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
}

func (s *Server) still(w http.ResponseWriter, r *http.Request) {
	m, err := s.App.Models.Model(r.Context(), pathID(r, "id"))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.sendStill(w, r, m.SHA)
}

func (s *Server) sendStill(w http.ResponseWriter, r *http.Request, sha string) {
	picture, err := s.App.Models.Still(r.Context(), sha)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	forever(w)
	w.Header().Set("Content-Type", "image/png")
	w.Write(picture) //nolint:errcheck // the reader has gone
}

// clientStill is the picture of an item of a sent quote, by the item.
func (s *Server) clientStill(w http.ResponseWriter, r *http.Request) {
	q, ok := s.clientSheet(w, r)
	if !ok {
		return
	}
	id := pathID(r, "item")
	for _, it := range append(q.Quote.Taken().Specs(), q.Quote.Document.Specs()...) {
		if it.ID == id && len(it.Parts) > 0 {
			s.sendStill(w, r, it.Parts[0].Model.SHA)
			return
		}
	}
	s.errorPage(w, r, http.StatusNotFound, "There is no such picture.", "")
}

func (s *Server) view(w http.ResponseWriter, r *http.Request) {
	_, _, analysis, err := s.App.Models.Design(r.Context(), pathID(r, "id"))
	if err == nil && (analysis == nil || analysis.ViewSHA == "") {
		err = store.ErrNotFound
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	f, _, err := s.App.Models.File(r.Context(), analysis.ViewSHA)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer f.Close()
	forever(w)
	w.Header().Set("Content-Type", "application/octet-stream")
	http.ServeContent(w, r, "", time.Time{}, f)
}

// download gives a version in a format; a file as it came is at /files.
func (s *Server) download(w http.ResponseWriter, r *http.Request) {
	m, err := s.App.Models.Model(r.Context(), pathID(r, "id"))
	format := chi.URLParam(r, "format")
	if err == nil && !studio.OneOf(format, "stl", "obj", "3mf") {
		err = store.ErrNotFound
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	name := strings.TrimSuffix(m.Name, path.Ext(m.Name)) + "." + format
	w.Header().Set("Content-Type", map[string]string{"stl": "model/stl", "obj": "model/obj", "3mf": "model/3mf"}[format])
	w.Header().Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(name))
	if err := s.App.Models.Download(r.Context(), m.ID, format, w); err != nil {
		s.Log.Error("download", "id", requestID(r.Context()), "err", err)
		panic(http.ErrAbortHandler) // what was sent is not whole: break off, so that nobody takes it for the file
	}
}

func (s *Server) revise(w http.ResponseWriter, r *http.Request) {
	id := pathID(r, "id")
	s.takeFiles(w, r, fmt.Sprintf("/models/%d", id), func(files []models.Kept, _ url.Values) (string, error) {
		if len(files) > 1 {
			s.App.Models.LetGo(r.Context(), files)
			return "", &change.Refusal{Text: "One file takes the place of one version."}
		}
		return s.App.Models.Revise(r.Context(), owner(r), id, files[0])
	})
}

func (s *Server) remake(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	var o studio.JobOptions
	kind := chi.URLParam(r, "kind")
	switch kind {
	case studio.JobReduce:
		if f.Text("how") == "deviation" {
			o.DeviationMM = f.Number("deviation", "How far the surface may move")
		} else {
			o.Triangles = f.Whole("triangles", "Triangles to leave")
		}
	case studio.JobUnit:
		o.Unit = f.Text("unit")
	default:
		o = printOptions(f, kind)
	}
	id := pathID(r, "id")
	batch, err := "", f.Err
	if err == nil {
		batch, err = s.App.Models.Remake(r.Context(), owner(r), id, kind, o)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	jobs, err := s.App.Jobs.Await(r.Context(), batch, soon)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	to := fmt.Sprintf("/models/%d", id)
	if studio.OneOf(kind, studio.JobOrient, studio.JobHollow, studio.JobCut) {
		to += "/prints?process=" + processOr(f.Text("process"))
	}
	for _, j := range jobs {
		switch j.State {
		case studio.JobFailed:
			if err = s.App.Jobs.CancelJob(r.Context(), j.ID); err == nil {
				err = &change.Refusal{Text: j.Note}
			}
			s.fail(w, r, err)
			return
		case studio.JobDone:
			if kind == studio.JobOrient {
				s.done(w, r, to, "These are the best ways it can stand.")
				return
			}
			if kind == studio.JobCut {
				s.done(w, r, fmt.Sprintf("/models/%d", j.MadeID), "Each piece is a model of its own now; below they can become the parts of an order.")
				return
			}
			if kind == studio.JobBodies {
				s.done(w, r, to, "Each body is a model of its own now; below they can become the parts of an order.")
				return
			}
			s.done(w, r, fmt.Sprintf("/models/%d", j.MadeID), "This is the new version; the one before is kept.")
			return
		}
	}
	s.done(w, r, to, "It goes on by itself; what comes of it will stand here.")
}

func (s *Server) saveLicence(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	form := models.LicenceForm{Name: f.Text("name"), Licence: f.Text("licence"), Fee: f.Text("fee"), Source: f.Text("source"), Terms: f.Text("terms"), Rights: f.Text("rights"),
		Until: f.Moment("until", "Until", h.Studio.Zone()), Got: f.Moment("got", "Got on", h.Studio.Zone())}
	if !form.Until.IsZero() { // until the end of that day
		form.Until = form.Until.AddDate(0, 0, 1).Add(-time.Millisecond)
	}
	if err = f.Err; err == nil {
		err = s.App.Models.SaveLicence(r.Context(), owner(r), pathID(r, "id"), form)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, fmt.Sprintf("/models/%d", pathID(r, "id")), "The licence is noted.")
}

func (s *Server) useVersion(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	id, number := pathID(r, "id"), f.Text("order")
	var err error
	told := "Order " + number + " prints this version now; what is printed already stays as it is."
	if f.Checked("bodies") {
		err = s.App.Orders.UseBodies(r.Context(), owner(r), number, f.ID("part"), id)
		told = "Each body is a part of order " + number + " now."
	} else {
		err = s.App.Orders.UseVersion(r.Context(), owner(r), number, f.ID("part"), id)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, fmt.Sprintf("/models/%d", id), told)
}

func isOwner(r *http.Request) bool {
	person, _ := r.Context().Value(KeyPerson).(studio.Person)
	return person.Role == studio.Owner
}

// shownSpots is how many places of one fault are marked.
const shownSpots = 8

func processOr(name string) string {
	if name == process.Filament {
		return name
	}
	return process.Resin
}
