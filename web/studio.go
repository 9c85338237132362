package web

import (
	"net/http"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/studio"
)

// step is a thing a new studio still needs.
type step struct {
	Done       bool
	Text, Link string
}

func (s *Server) studio(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	people, err := s.App.Setup.People(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	steps := []step{
		{h.Studio.Name != "", "Name the studio, its currency and its tax.", "#house"},
		{len(h.Machines) > 0, "Add the machines that print.", "/studio/machines/new"},
		{len(h.Materials) > 0, "Add the materials they print with.", "/studio/materials/new"},
		{false, "Look through the rate book: above all your wage.", "/rates"},
		{false, "Take in the first order.", "/orders/new"},
	}
	ready := steps[0].Done && steps[1].Done && steps[2].Done
	s.show(w, r, "studio", Page{Title: "Studio", Sheet: "Studio", Active: "/studio", D: map[string]any{"H": h, "People": people, "Steps": steps, "Ready": ready},
		Keys: []Key{{"M", "new machine"}, {"P", "new person"}, {"F", "find"}}})
}

func (s *Server) saveStudio(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	st := studio.Studio{Name: f.Text("name"), Address: f.Text("address"), Email: f.Text("email"), TaxNumber: f.Text("tax_number"), Currency: f.Text("currency"),
		TaxPercent: f.Number("tax", "Tax"), TimeZone: f.Text("zone"), PublicURL: f.Text("public_url")}
	if f.Checked("first_order") {
		st.FirstOrder = f.Whole("first_order", "Order numbers go on from")
	}
	err := f.Err
	if err == nil {
		err = s.App.Setup.SaveStudio(r.Context(), owner(r), st)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/studio", "The studio is saved.")
}

// gearView is a machine or a material to change or to add.
type gearView struct {
	ID      int64
	What    string // machine or material
	Name    string
	Process string
	Active  bool
	Figures []gearFigure
	Starts  []rates.Template
	From    string
}

type gearFigure struct {
	Key string
	rates.Figure
}

// figureOrder is the order in which figures are asked for.
var figureOrder = []string{"width", "depth", "height", "margin", "layer", "exposure", "bottom_exposure", "bottom_layers", "lift", "lift_speed", "retract_speed", "rest", "raft", "stand",
	"line", "walls", "skin", "infill", "wall_speed", "infill_speed", "travel_speed", "melt", "layer_time", "preparation", "loss", "density", "diameter", "price", "lot", "life", "watts", "upkeep"}

func figuresOf(set rates.Set) (out []gearFigure) {
	for key, f := range set {
		out = append(out, gearFigure{key, f})
	}
	slices.SortFunc(out, func(a, b gearFigure) int {
		return slices.Index(figureOrder, a.Key) - slices.Index(figureOrder, b.Key)
	})
	return out
}

// starting picks the kind to start from: the one asked for, else the first.
func starting(v *gearView, r *http.Request) {
	v.From = r.FormValue("from")
	at := slices.IndexFunc(v.Starts, func(k rates.Template) bool { return k.Name == v.From })
	if at < 0 {
		at = 0
	}
	k := v.Starts[at]
	v.From, v.Process, v.Figures, v.Active = k.Name, k.Process, figuresOf(k.Figures), true
}

func (s *Server) machine(w http.ResponseWriter, r *http.Request) {
	v := gearView{What: "machine", ID: pathID(r, "id"), Starts: rates.Starting().Machines}
	if v.ID == 0 {
		starting(&v, r)
	} else {
		h, err := s.App.Setup.Shop(r.Context())
		m, ok := h.Machine(v.ID)
		if err != nil || !ok {
			s.errorPage(w, r, http.StatusNotFound, "There is no such machine.", "")
			return
		}
		v.Name, v.Process, v.Active, v.Figures = m.Name, m.Process, m.Active, figuresOf(m.Figures)
	}
	s.showKind(w, r, v)
}

func (s *Server) material(w http.ResponseWriter, r *http.Request) {
	v := gearView{What: "material", ID: pathID(r, "id"), Starts: rates.Starting().Materials}
	if v.ID == 0 {
		starting(&v, r)
		v.Name = v.From
	} else {
		h, err := s.App.Setup.Shop(r.Context())
		at := slices.IndexFunc(h.Materials, func(m studio.Material) bool { return m.ID == v.ID })
		if err != nil || at < 0 {
			s.errorPage(w, r, http.StatusNotFound, "There is no such material.", "")
			return
		}
		m := h.Materials[at]
		v.Name, v.Process, v.Active, v.Figures = m.Name, m.Process, m.Active, figuresOf(m.Figures)
	}
	s.showKind(w, r, v)
}

func (s *Server) showKind(w http.ResponseWriter, r *http.Request, v gearView) {
	title := v.Name
	if v.ID == 0 {
		title = "New " + v.What
	}
	s.show(w, r, "kind", Page{Title: title, Sheet: strings.ToUpper(v.What[:1]) + v.What[1:], Active: "/studio", D: v})
}

func gearForm(r *http.Request) (setup.GearForm, error) {
	f := formOf(r)
	if err := r.ParseForm(); err != nil {
		return setup.GearForm{}, &change.Refusal{Text: "The form did not arrive whole."}
	}
	form := setup.GearForm{Name: f.Text("name"), Process: f.Text("process"), Active: f.Checked("active"), From: f.Text("from"), Figures: map[string]float64{}}
	for key := range r.PostForm {
		if figure, ok := strings.CutPrefix(key, "f-"); ok {
			form.Figures[figure] = f.Number(key, strings.ReplaceAll(figure, "_", " "))
		}
	}
	return form, f.Err
}

func (s *Server) saveMachine(w http.ResponseWriter, r *http.Request) {
	form, err := gearForm(r)
	if err == nil {
		_, err = s.App.Setup.SaveMachine(r.Context(), owner(r), pathID(r, "id"), form)
	}
	s.studioDone(w, r, err, form.Name+" is saved.")
}

func (s *Server) saveMaterial(w http.ResponseWriter, r *http.Request) {
	form, err := gearForm(r)
	if err == nil {
		_, err = s.App.Setup.SaveMaterial(r.Context(), owner(r), pathID(r, "id"), form)
	}
	s.studioDone(w, r, err, form.Name+" is saved.")
}

func (s *Server) studioDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.done(w, r, "/studio", told)
}

func (s *Server) person(w http.ResponseWriter, r *http.Request) {
	p := studio.Person{Role: studio.Bench, Active: true}
	if id := pathID(r, "id"); id != 0 {
		var err error
		if p, err = s.App.Setup.Person(r.Context(), id); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	title := p.Name
	if p.ID == 0 {
		title = "New person"
	}
	s.show(w, r, "person", Page{Title: title, Sheet: "Person", Active: "/studio", D: map[string]any{"P": p, "Min": setup.MinPassword}})
}

func (s *Server) savePerson(w http.ResponseWriter, r *http.Request) {
	f := formOf(r)
	_, err := s.App.Setup.SavePerson(r.Context(), owner(r), pathID(r, "id"), setup.PersonForm{Name: f.Text("name"), Initials: f.Text("initials"), Role: f.Text("role"),
		Password: r.PostFormValue("password"), Active: f.Checked("active"), Wage: f.Text("wage")})
	s.studioDone(w, r, err, f.Text("name")+" is saved.")
}
