package models

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
	"sakuji/web/kit"
)

// shelf is all models by picture.
func (s *Room) shelf(w http.ResponseWriter, r *http.Request) {
	letters := r.FormValue("q")
	list, err := s.App.Models.Shelf(r.Context(), letters)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	jobs, err := s.App.Jobs.JobsOfShelf(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := kit.Page{Title: "Models", Sheet: "Models", Active: "/models", D: map[string]any{"List": list, "Q": letters, "Jobs": kit.JobsView{List: jobs, Stream: "/jobs/shelf/all", Back: "/models", Owner: kit.IsOwner(r)}},
		Block: kit.Block("Designs", fmt.Sprint(len(list))), Keys: kit.Keys("S", "search", "A", "add files", "↑ ↓", "move", "Enter", "open")}
	if kit.ByHTMX(r) {
		s.Fragment(w, r, "models", "shelf", p)
		return
	}
	s.Show(w, r, "models", p)
}

// modelView is a model's sheet with what its drawing needs.
type modelView struct {
	models.ModelSheet
	Uses     []quotes.UsePrice
	DataJSON template.JS // for the canvas
	Licences []string
	Running  kit.JobsView
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

// Working tells where the volume came from.
func (v modelView) Working() rates.Working {
	result := rates.Of("volume", v.Model.Measures.VolumeMM3/1000, "cm³", rates.Derived)
	in := []rates.Figure{rates.Of("volume of all shells, cavities taken off", result.Value, "cm³", rates.Mesh)}
	formula := "signed tetrahedra over all facets"
	if v.Analysis != nil && v.Analysis.Overlap.Overlapped > 0 {
		o := v.Analysis.Overlap
		formula += ", less what bodies share"
		in = []rates.Figure{rates.Of("volume of all shells, cavities taken off", (o.SolidMM3+o.Overlapped)/1000, "cm³", rates.Mesh),
			rates.Of("shared, counted twice in it", o.Overlapped/1000, "cm³", rates.Mesh), rates.Of("give or take", o.ErrorMM3/1000, "cm³", rates.Derived)}
	}
	if v.Analysis != nil && v.Analysis.HullMM3 > 0 {
		in = append(in, rates.Of("its convex hull", v.Analysis.HullMM3/1000, "cm³", rates.Mesh))
	}
	return rates.Working{Formula: formula, Inputs: in, Result: result}
}

func (s *Room) model(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Models.ModelSheet(r.Context(), kit.PathID(r, "id"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	uses, err := s.App.Quotes.UsePrices(r.Context(), sheet)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := modelView{ModelSheet: sheet, Uses: uses, Licences: studio.Licences(), Running: kit.JobsView{List: sheet.Jobs, Stream: fmt.Sprintf("/jobs/model/%d", sheet.Model.ID), Back: fmt.Sprintf("/models/%d", sheet.Model.ID), Owner: kit.IsOwner(r)}}
	if g, needed := sheet.Model.UnitGuess(); needed {
		v.Guess = &g
	}
	data := map[string]any{"size": sheet.Model.Measures.SizeMM, "least": sheet.Shop.LeastWalls()}
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
		s.Fail(w, r, err)
		return
	}
	v.DataJSON = template.JS(encoded) //nolint:gosec // json.Marshal escapes what could end the element
	s.Show(w, r, "model", kit.Page{Title: sheet.Design.Name, Sheet: "Model", Active: "/models", D: v,
		Block: kit.Block("Version", fmt.Sprintf("%d of %d", s.number(sheet), len(sheet.Versions)), "Format", sheet.Model.Measures.Format),
		Keys:  kit.Keys("V", "the view", "O", "overhang", "W", "walls", "I", "finished", "B", "bodies", "M", "mend")})
}

// number is the place of the shown version among all, the first one 1.
func (s *Room) number(sheet models.ModelSheet) int {
	for i, v := range sheet.Versions {
		if v.ID == sheet.Model.ID {
			return len(sheet.Versions) - i
		}
	}
	return 0
}

func (s *Room) still(w http.ResponseWriter, r *http.Request) {
	m, err := s.App.Models.Model(r.Context(), kit.PathID(r, "id"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.SendStill(w, r, m.SHA)
}

func (s *Room) view(w http.ResponseWriter, r *http.Request) {
	_, _, analysis, err := s.App.Models.Design(r.Context(), kit.PathID(r, "id"))
	if err == nil && (analysis == nil || analysis.ViewSHA == "") {
		err = store.ErrNotFound
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	f, _, err := s.App.Models.File(r.Context(), analysis.ViewSHA)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	defer f.Close()
	kit.Forever(w)
	w.Header().Set("Content-Type", "application/octet-stream")
	http.ServeContent(w, r, "", time.Time{}, f)
}

// download gives a version in a format; a file as it came is at /files.
func (s *Room) download(w http.ResponseWriter, r *http.Request) {
	m, err := s.App.Models.Model(r.Context(), kit.PathID(r, "id"))
	format := chi.URLParam(r, "format")
	if err == nil && !studio.OneOf(format, "stl", "obj", "3mf") {
		err = store.ErrNotFound
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	name := strings.TrimSuffix(m.Name, path.Ext(m.Name)) + "." + format
	w.Header().Set("Content-Type", map[string]string{"stl": "model/stl", "obj": "model/obj", "3mf": "model/3mf"}[format])
	w.Header().Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(name))
	if err := s.App.Models.Download(r.Context(), m.ID, format, w); err != nil {
		s.Log.Error("download", "id", kit.RequestID(r.Context()), "err", err)
		panic(http.ErrAbortHandler) // what was sent is not whole: break off, so that nobody takes it for the file
	}
}

func (s *Room) revise(w http.ResponseWriter, r *http.Request) {
	id := kit.PathID(r, "id")
	s.TakeFiles(w, r, fmt.Sprintf("/models/%d", id), func(files []models.Kept, _ url.Values) (string, error) {
		if len(files) > 1 {
			s.App.Models.Forget(r.Context(), files...)
			return "", &change.Refusal{Text: "One file takes the place of one version."}
		}
		return s.App.Models.Revise(r.Context(), kit.Owner(r), id, files[0])
	})
}

func (s *Room) remake(w http.ResponseWriter, r *http.Request) {
	kind, id, batch := chi.URLParam(r, "kind"), kit.PathID(r, "id"), ""
	f, err := kit.Decode[remakeForm](r)
	var o studio.JobOptions
	if err == nil {
		o, err = f.options(kind)
	}
	if err == nil {
		batch, err = s.App.Models.Remake(r.Context(), kit.Owner(r), id, kind, o)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	to := fmt.Sprintf("/models/%d", id)
	if studio.OneOf(kind, studio.JobOrient, studio.JobHollow, studio.JobCut) {
		to += "/prints?process=" + processOr(f.Process)
	}
	s.Follow(w, r, batch, to, "It goes on by itself; what comes of it will stand here.", func(j studio.Job) (where, told string) { return remade(kind, to, j) })
}

// remade says where the work of a job stands, and what it is.
func remade(kind, to string, j studio.Job) (where, told string) {
	made := fmt.Sprintf("/models/%d", j.MadeID)
	switch kind {
	case studio.JobOrient:
		return to, "These are the best orientations."
	case studio.JobCut:
		return made, "Each piece is a model of its own now; below they can become the parts of an order."
	case studio.JobBodies:
		return to, "Each body is a model of its own now; below they can become the parts of an order."
	}
	return made, "This is the new version; the one before is kept."
}

func (s *Room) saveLicence(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name    string     `form:"name" validate:"max=200"`
		Licence string     `form:"licence"`
		Fee     string     `form:"fee"`
		Source  string     `form:"source"`
		Terms   string     `form:"terms"`
		Rights  string     `form:"rights"`
		Until   kit.Moment `form:"until"`
		Got     kit.Moment `form:"got" label:"Got on"`
	}](r)
	zone := s.Zone(r)
	form := models.LicenceForm{Name: f.Name, Licence: f.Licence, Fee: f.Fee, Source: f.Source, Terms: f.Terms, Rights: f.Rights, Until: f.Until.In(zone), Got: f.Got.In(zone)}
	if !form.Until.IsZero() { // until the end of that day
		form.Until = form.Until.AddDate(0, 0, 1).Add(-time.Millisecond)
	}
	if err == nil {
		err = s.App.Models.SaveLicence(r.Context(), kit.Owner(r), kit.PathID(r, "id"), form)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/models/%d", kit.PathID(r, "id")), "The licence is noted.")
}

func (s *Room) useVersion(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Order  string `form:"order"`
		Part   int64  `form:"part"`
		Bodies bool   `form:"bodies"`
	}](r)
	id := kit.PathID(r, "id")
	told := "Order " + f.Order + " prints this version now; what is printed already stays as it is."
	switch {
	case err != nil:
	case f.Bodies:
		err = s.App.Quotes.UseBodies(r.Context(), kit.Owner(r), f.Order, f.Part, id)
		told = "Each body is a part of order " + f.Order + " now."
	default:
		err = s.App.Orders.UseVersion(r.Context(), kit.Owner(r), f.Order, f.Part, id)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/models/%d", id), told)
}

// shownSpots is how many places of one fault are marked.
const shownSpots = 8

func processOr(name string) string {
	if process.Known(name) {
		return name
	}
	return process.Names()[0]
}
