package setup

import (
	"net/http"
	"strconv"
	"strings"

	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/web/kit"
)

// finishRoutesView is how the studio smooths and paints.
type finishRoutesView struct {
	Routes  []finish.Route
	Edit    finish.Route // in the form: a copy, or one of our own
	Steps   []string     // that a route can be written in
	Schools []finish.School
	Chosen  finish.Schools
}

// Own reports whether a finish route is the studio's.
func (v finishRoutesView) Own(key string) bool { return strings.HasPrefix(key, finish.OwnRoute) }

// Lines are the steps in the form, one to a line.
func (v finishRoutesView) Lines() string { return strings.Join(v.Edit.FinishRoute.Steps, "\n") }

// Name is what the route in the form is called: a copy wants a name of its own.
func (v finishRoutesView) Name() string {
	if v.Edit.Key == "" || v.Own(v.Edit.Key) {
		return v.Edit.Name
	}
	return "our " + v.Edit.Name
}

func (s *Room) finishRoutes(w http.ResponseWriter, r *http.Request) {
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := finishRoutesView{Routes: finish.Routes(h.Book), Steps: finish.StepNames(), Schools: finish.AllSchools(), Chosen: h.Studio.Defaults.Schools}
	v.Edit, _ = finish.RouteOf(h.Book, r.FormValue("from"))
	s.Show(w, r, "finish-routes", kit.Page{Title: "How we finish", Sheet: "Finish routes", Active: "/rates", D: v, Block: kit.Block("Routes", strconv.Itoa(len(v.Routes))), Keys: kit.Keys("S", "save", "R", "the rate book", "F", "find")})
}

func (s *Room) saveRoute(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name  string    `form:"name" label:"Name"`
		How   string    `form:"how" validate:"max=400"`
		Suits string    `form:"suits" validate:"max=200"`
		Thick rates.Key `form:"thick"`
		Steps string    `form:"steps" validate:"max=4000"`
	}](r)
	if err == nil {
		err = s.App.Setup.SaveRoute(r.Context(), kit.Owner(r), rates.FinishRoute{Name: f.Name, How: f.How, Suits: f.Suits, Thick: f.Thick, Steps: strings.Split(strings.ReplaceAll(f.Steps, "\r", ""), "\n")})
	}
	s.routesDone(w, r, err, "The finish route is kept. Quotes already sent stay as they are.")
}

func (s *Room) dropRoute(w http.ResponseWriter, r *http.Request) {
	s.routesDone(w, r, s.App.Setup.DropRoute(r.Context(), kit.Owner(r), kit.Word(r, "key")), "It is gone; what was to be smoothed so goes by the usual route.")
}

func (s *Room) saveSchools(w http.ResponseWriter, r *http.Request) {
	schools := finish.SchoolsOf(func(key string) bool { return kit.Word(r, key) == "1" })
	s.routesDone(w, r, s.App.Setup.SaveSchools(r.Context(), kit.Owner(r), schools), "Kept: pieces and prices made from now on follow.")
}

func (s *Room) routesDone(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/rates/routes", told)
}
