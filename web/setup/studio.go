package setup

import (
	"net/http"
	"slices"
	"strings"
	"time"

	"sakuji/app/setup"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// step is a thing a new studio still needs.
type step struct {
	Done       bool
	Text, Link string
}

func (s *Room) studio(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	people, err := s.App.Setup.People(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	copies, err := s.App.Backups.State()
	if err != nil {
		copies.Trouble = err.Error()
	}
	steps := []step{
		{h.Studio.Name != "", "Name the studio, its currency and its tax.", "#house"},
		{len(h.Machines) > 0, "Add the machines that print.", "/studio/machines/new"},
		{len(h.Materials) > 0, "Add the materials they print with.", "/studio/materials/new"},
		{false, "Look through the rate book: above all your wage.", "/rates"},
		{false, "Take in the first order.", "/orders/new"},
	}
	ready := steps[0].Done && steps[1].Done && steps[2].Done
	s.Show(w, r, "studio", kit.Page{Title: "Studio", Sheet: "Studio", Active: "/studio", D: map[string]any{"H": h, "People": people, "Steps": steps, "Ready": ready, "Backups": copies},
		Keys: kit.Keys("M", "new machine", "P", "new person", "F", "find")})
}

func (s *Room) backup(w http.ResponseWriter, r *http.Request) {
	s.App.Backups.Ask()
	s.Done(w, r, "/studio#backups", "A backup is being made; this sheet shows it when it is whole.")
}

func (s *Room) saveStudio(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name       string  `form:"name" validate:"max=200"`
		Address    string  `form:"address"`
		Email      string  `form:"email"`
		TaxNumber  string  `form:"tax_number"`
		Currency   string  `form:"currency"`
		TaxPercent float64 `form:"tax" label:"Tax"`
		TimeZone   string  `form:"zone"`
		PublicURL  string  `form:"public_url"`
		FirstOrder int     `form:"first_order" label:"Order numbers from"`
	}](r)
	if err == nil {
		err = s.App.Setup.SaveStudio(r.Context(), kit.Owner(r), studio.Studio{Name: f.Name, Address: f.Address, Email: f.Email, TaxNumber: f.TaxNumber, Currency: f.Currency,
			TaxPercent: f.TaxPercent, TimeZone: f.TimeZone, PublicURL: f.PublicURL, FirstOrder: f.FirstOrder})
	}
	s.studioDone(w, r, err, "The studio is saved.")
}

func (s *Room) setDevices(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Scale  string `form:"scale"`
		Sensor string `form:"sensor"`
		Labels string `form:"labels"`
	}](r)
	if err == nil {
		err = s.App.Setup.SetDevices(r.Context(), kit.Owner(r), setup.Devices{Scale: f.Scale, Sensor: f.Sensor, Labels: f.Labels})
	}
	s.studioDone(w, r, err, "Kept.")
}

// gearView is a machine or a material to change or to add.
type gearView struct {
	ID      int64
	What    string // machine or material
	Name    string
	Process string
	Active  bool
	Link    string // of a machine: where it answers
	KeepOut string // and what of its bed is kept free

	Machine   studio.Machine
	Materials []studio.Material // of its process
	Figures   []gearFigure
	Starts    []rates.Template
	From      string
}

type gearFigure struct {
	Key rates.FigureKey
	rates.Figure
}

// figureOrder is the order in which figures are asked for.
var figureOrder = []rates.FigureKey{"width", "depth", "height", "margin", "layer", "exposure", "bottom_exposure", "bottom_layers",
	"lift", "lift_speed", "retract_speed", "rest", "raft", "raft_edge", "stand",
	"line", "walls", "skin", "infill", "flow", "wall_speed", "infill_speed", "travel_speed", "melt", "accel", "retract", "layer_time", "preparation", "loss", "density", "diameter", "price", "lot", "life", "watts", "upkeep",
	"tries", "noticed", "occupied", "film", "film_plates", "screen", "screen_hours", "nozzle", "nozzle_kg"}

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

func (s *Room) machine(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := gearView{What: "machine", ID: kit.PathID(r, "id"), Starts: slices.Concat(rates.Starting().Machines, setup.Templates(h.Machines))}
	if v.ID == 0 {
		starting(&v, r)
	} else {
		m, ok := h.Machine(v.ID)
		if !ok {
			s.ErrorPage(w, r, http.StatusNotFound, "There is no such machine.", "")
			return
		}
		v.Machine = m
		v.Materials = slices.DeleteFunc(slices.Clone(h.Materials), func(o studio.Material) bool { return !o.Active || o.Process != m.Process })
		v.Name, v.Process, v.Active, v.Figures, v.Link, v.KeepOut = m.Name, m.Process, m.Active, figuresOf(m.Figures), m.Link, studio.KeepOutText(m.KeepOut)
	}
	s.showKind(w, r, v)
}

// saveReach keeps what is said of a machine beside its figures.
func (s *Room) saveReach(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Link      string  `form:"link"`
		KeepOut   string  `form:"keep_out"`
		Takes     []int64 `form:"takes"`
		QuietFrom string  `form:"quiet_from"`
		QuietTo   string  `form:"quiet_to"`
	}](r)
	if err == nil {
		err = s.App.Setup.SaveReach(r.Context(), kit.Owner(r), kit.PathID(r, "id"), studio.Reach{Link: f.Link, KeepOut: f.KeepOut, Takes: f.Takes, QuietFrom: f.QuietFrom, QuietTo: f.QuietTo})
	}
	s.studioDone(w, r, err, "Its bed, its hours, its materials and its address are saved.")
}

func (s *Room) material(w http.ResponseWriter, r *http.Request) {
	v := gearView{What: "material", ID: kit.PathID(r, "id"), Starts: rates.Starting().Materials}
	if v.ID == 0 {
		starting(&v, r)
		v.Name = v.From
	} else {
		h, err := s.App.Setup.Shop(r.Context())
		at := slices.IndexFunc(h.Materials, func(m studio.Material) bool { return m.ID == v.ID })
		if err != nil || at < 0 {
			s.ErrorPage(w, r, http.StatusNotFound, "There is no such material.", "")
			return
		}
		m := h.Materials[at]
		v.Name, v.Process, v.Active, v.Figures = m.Name, m.Process, m.Active, figuresOf(m.Figures)
	}
	s.showKind(w, r, v)
}

func (s *Room) showKind(w http.ResponseWriter, r *http.Request, v gearView) {
	title := v.Name
	if v.ID == 0 {
		title = "New " + v.What
	}
	s.Show(w, r, "kind", kit.Page{Title: title, Sheet: strings.ToUpper(v.What[:1]) + v.What[1:], Active: "/studio", D: v})
}

func gearForm(r *http.Request) (setup.GearForm, error) {
	f, err := kit.Decode[struct {
		Name    string                      `form:"name" validate:"max=200"`
		Process string                      `form:"process"`
		Active  bool                        `form:"active"`
		From    string                      `form:"from"`
		Figures map[rates.FigureKey]float64 `form:"figures"`
	}](r)
	return setup.GearForm{Name: f.Name, Process: f.Process, Active: f.Active, From: f.From, Figures: f.Figures}, err
}

func (s *Room) saveMachine(w http.ResponseWriter, r *http.Request) {
	form, err := gearForm(r)
	if err == nil {
		_, err = s.App.Setup.SaveMachine(r.Context(), kit.Owner(r), kit.PathID(r, "id"), form)
	}
	s.studioDone(w, r, err, form.Name+" is saved.")
}

func (s *Room) saveMaterial(w http.ResponseWriter, r *http.Request) {
	form, err := gearForm(r)
	if err == nil {
		_, err = s.App.Setup.SaveMaterial(r.Context(), kit.Owner(r), kit.PathID(r, "id"), form)
	}
	s.studioDone(w, r, err, form.Name+" is saved.")
}

func (s *Room) studioDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/studio", told)
}

func (s *Room) person(w http.ResponseWriter, r *http.Request) {
	p := studio.Person{Role: studio.Bench, Active: true}
	if id := kit.PathID(r, "id"); id != 0 {
		var err error
		if p, err = s.App.Setup.Person(r.Context(), id); err != nil {
			s.Fail(w, r, err)
			return
		}
	}
	title := p.Name
	if p.ID == 0 {
		title = "New person"
	}
	s.Show(w, r, "person", kit.Page{Title: title, Sheet: "Person", Active: "/studio",
		D: map[string]any{"P": p, "Min": setup.MinPassword, "Crafts": route.Crafts(),
			"Week": []time.Weekday{time.Monday, time.Tuesday, time.Wednesday, time.Thursday, time.Friday, time.Saturday, time.Sunday}}})
}

func (s *Room) savePerson(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name     string        `form:"name" validate:"max=200"`
		Initials string        `form:"initials"`
		Role     string        `form:"role"`
		Active   bool          `form:"active"`
		Wage     string        `form:"wage"`
		Crafts   []route.Craft `form:"crafts"`
		Days     []int         `form:"days"`
		From     string        `form:"from"`
		To       string        `form:"to"`
	}](r)
	if err == nil { // a password is taken as it was typed, spaces and all
		var p studio.Person
		p, err = s.App.Setup.SavePerson(r.Context(), kit.Owner(r), kit.PathID(r, "id"), setup.PersonForm{Name: f.Name, Initials: f.Initials, Role: f.Role, Password: r.PostFormValue("password"), Active: f.Active, Wage: f.Wage,
			Crafts: f.Crafts, Days: f.Days, From: f.From, To: f.To})
		if err == nil && p.ID == kit.PersonOf(r).ID { // this session goes on
			s.Sessions.Put(r.Context(), "seal", kit.Seal(p))
		}
	}
	s.studioDone(w, r, err, f.Name+" is saved.")
}
