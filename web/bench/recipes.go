package bench

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"sakuji/app/paint"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// recipeForm is a recipe as it is written down.
type recipeForm struct {
	Name           string    `form:"name"`
	Medium         string    `form:"medium"`
	Coat           string    `form:"coat"`
	Colour         string    `form:"colour"`
	Paint          []string  `form:"paint"`
	Parts          []float64 `form:"parts" label:"Parts"`
	Thinner        string    `form:"thinner"`
	ThinnerPercent float64   `form:"thinner_percent" label:"Thinner"`
	Tool           string    `form:"tool"`
	Pressure       float64   `form:"pressure" label:"Pressure"`
	Coats          int       `form:"coats" label:"Coats"`
	Film           float64   `form:"film" label:"Film"`
	Solids         float64   `form:"solids" label:"Volume solids"`
	Over           string    `form:"over"`
	OverColour     string    `form:"over_colour"`
	Note           string    `form:"note"`
	Seen           string    `form:"seen"` // when it was changed last, in milliseconds
}

// recipe is the same as the studio knows it: a paint without a number is one part, lines without a paint are none.
func (f recipeForm) recipe(number int) studio.Recipe {
	r := studio.Recipe{Number: number, Name: f.Name, Medium: route.Medium(f.Medium), Coat: route.Coat(f.Coat), Colour: f.Colour,
		Thinner: f.Thinner, ThinnerPercent: f.ThinnerPercent, Tool: f.Tool,
		PressureBar: f.Pressure, Coats: f.Coats, FilmUM: f.Film, SolidsPercent: f.Solids, Over: f.Over, OverColour: f.OverColour, Note: f.Note}
	if ms, err := strconv.ParseInt(f.Seen, 10, 64); err == nil {
		r.At = time.UnixMilli(ms)
	}
	for k, name := range f.Paint {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		p := studio.PaintPart{Paint: name, Parts: 1}
		if k < len(f.Parts) && f.Parts[k] != 0 {
			p.Parts = f.Parts[k]
		}
		r.Paints = append(r.Paints, p)
	}
	return r
}

// recipeFields is what the form of a recipe shows.
type recipeFields struct {
	Recipe studio.Recipe
	Known  []string
}

// Lines are the lines for its paints, with some left to fill.
func (f recipeFields) Lines() []studio.PaintPart {
	return append(slices.Clone(f.Recipe.Paints), make([]studio.PaintPart, max(1, 3-len(f.Recipe.Paints)))...)
}

// Media are what a recipe may be of.
func (f recipeFields) Media() []route.Medium {
	return []route.Medium{route.AcrylicPaint, route.CanPaint, route.MirrorMetal, route.StainColour, route.SandOrWash, route.Primer,
		route.FillerPrimer, route.ClearCoat}
}

// Tools are what lays it.
func (f recipeFields) Tools() []string { return finish.Tools() }

// Coats are what it may be thinned with.
func (f recipeFields) Coats() []route.Coat { return route.Coats() }

// recipesView is the list, and a form for a new one.
type recipesView struct {
	paint.RecipesSheet
	New recipeFields
}

func (s *Room) recipes(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Paint.Recipes(r.Context(), r.FormValue("find"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := recipesView{sheet, recipeFields{Recipe: studio.Recipe{Medium: route.AcrylicPaint, Tool: finish.Brush, Coats: 2},
		Known: sheet.Known}}
	s.Show(w, r, "recipes", kit.Page{Title: "Recipes", Sheet: "Recipes", Active: "/bench", Bench: true, D: v,
		Block: kit.Block("Recipes", fmt.Sprint(len(sheet.Recipes))), Keys: kit.Keys("L", "look up what was used", "↑ ↓", "move", "Enter", "open it", "F", "find")})
}

// recipeView is one recipe with its form.
type recipeView struct {
	paint.RecipeSheet
	Form recipeFields
}

// Mixing is what the amount that is wanted is mixed of.
func (v recipeView) Mixing() []finish.Share {
	if v.ToMix.Result.Value <= 0 {
		return v.Split(100)
	}
	return v.Split(v.ToMix.Result.Value)
}

func (s *Room) recipe(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Paint.Recipe(r.Context(), number(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "recipe", kit.Page{Title: sheet.Name, Sheet: "Recipe " + sheet.Code(), Active: "/bench", Bench: true, D: recipeView{sheet, recipeFields{sheet.Recipe, sheet.Known}},
		Block: kit.Block("Version", fmt.Sprint(sheet.Version)), Keys: kit.Keys("M", "it is mixed", "↑ ↓", "move", "F", "find")})
}

// number is the recipe of an address.
func number(r *http.Request) int { return int(kit.PathID(r, "number")) }

func (s *Room) addRecipe(w http.ResponseWriter, r *http.Request) { s.saveRecipe(w, r, 0) }

func (s *Room) changeRecipe(w http.ResponseWriter, r *http.Request) {
	if number(r) == 0 {
		s.Fail(w, r, store.ErrNotFound)
		return
	}
	s.saveRecipe(w, r, number(r))
}

func (s *Room) saveRecipe(w http.ResponseWriter, r *http.Request, number int) {
	f, err := kit.Decode[recipeForm](r)
	var saved studio.Recipe
	if err == nil {
		saved, err = s.App.Paint.SaveRecipe(r.Context(), s.Hand(r), f.recipe(number))
	}
	told := fmt.Sprintf("%s is %s.", saved.Name, saved.Code())
	if saved.Version > 1 {
		told = fmt.Sprintf("%s, version %d. What was used stays as it was.", saved.Name, saved.Version)
	}
	s.Ended(w, r, err, fmt.Sprintf("/bench/recipes/%d", saved.Number), told)
}

// addSwatch keeps a patch that was laid, with its picture.
func (s *Room) addSwatch(w http.ResponseWriter, r *http.Request) {
	pictures, err := s.asSeen(w, r)
	f, e := kit.Decode[struct {
		Order      int64  `form:"order"`
		Over       string `form:"over"`
		OverColour string `form:"over_colour"`
		Coats      int    `form:"coats" label:"Coats"`
		Colour     string `form:"colour"`
		Picked     bool   `form:"picked"`
		Note       string `form:"note"`
	}](r)
	if err == nil {
		err = e
	}
	if err == nil {
		swatch := studio.Swatch{OrderID: f.Order, Over: f.Over, OverColour: f.OverColour, Coats: f.Coats, Note: f.Note}
		if f.Picked {
			swatch.Colour = f.Colour
		}
		if len(pictures) > 0 {
			swatch.PhotoSHA = pictures[0][0]
		}
		err = s.App.Paint.AddSwatch(r.Context(), s.Hand(r), number(r), swatch)
	}
	s.Ended(w, r, err, fmt.Sprintf("/bench/recipes/%d", number(r)), "The swatch is kept.")
}

func (s *Room) judgeSwatch(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Verdict string `form:"verdict"`
		By      string `form:"by"`
		Note    string `form:"note"`
	}](r)
	if err == nil {
		err = s.App.Paint.JudgeSwatch(r.Context(), s.Hand(r), kit.PathID(r, "swatch"), f.Verdict, f.By, f.Note)
	}
	told := "Signed off."
	if f.Verdict == studio.VerdictNo {
		told = "Not signed off: change the recipe, and lay another."
	}
	s.Ended(w, r, err, kit.Back(r, "/bench/recipes"), told)
}

func (s *Room) mixRecipe(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		ML float64 `form:"ml" label:"Millilitres"`
	}](r)
	if err == nil {
		err = s.App.Paint.MixRecipe(r.Context(), s.Hand(r), number(r), f.ML)
	}
	s.Ended(w, r, err, fmt.Sprintf("/bench/recipes/%d", number(r)), "It is mixed.")
}

func (s *Room) noteMixLeft(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Left kit.Optional `form:"left" label:"Left"`
	}](r)
	var left float64
	if err == nil {
		left, err = f.Left.Must("left", "Left")
	}
	if err == nil {
		err = s.App.Paint.NoteMixLeft(r.Context(), s.Hand(r), kit.PathID(r, "mix"), left)
	}
	s.Ended(w, r, err, kit.Back(r, "/bench/recipes"), "Noted.")
}

// potLabel is the label of a pot of a recipe.
func (s *Room) potLabel(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Paint.Recipe(r.Context(), number(r))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.SendLabels(w, r, []papers.Label{{Code: sheet.Code(), Name: sheet.Name + ": " + sheet.Text()}}, "label-"+sheet.Code()+".pdf")
}

// regionForm is a line of a paint plan as it is written down.
type regionForm struct {
	ID     int64   `form:"id"`
	Item   int64   `form:"item"`
	Part   int64   `form:"part"`
	Name   string  `form:"name"`
	Stage  string  `form:"stage"`
	Recipe int     `form:"recipe" label:"Recipe"`
	Over   int64   `form:"over"`
	Only   string  `form:"only"`
	Coats  int     `form:"coats" label:"Coats"`
	Share  float64 `form:"share" label:"Share"`
	Edge   float64 `form:"edge" label:"Edge"`
	Care   string  `form:"care"`
	Way    string  `form:"way"`
	Stop   string  `form:"stop"`
	Seen   string  `form:"seen"`
}

// paintView is the paint plan of an order.
type paintView struct {
	paint.Plan
	Stages []route.StageKind
}

// Fields are what the form of a region shows.
func (v paintView) Fields(it paint.ItemPlan, r studio.Region) map[string]any {
	if r.ID == 0 {
		r.Stage, r.SharePercent = route.Base, 100
	}
	return map[string]any{"V": v, "Item": it, "R": r}
}

// Sisters are the items whose plan another may copy.
func (v paintView) Sisters(it paint.ItemPlan) []store.Planned {
	return slices.DeleteFunc(slices.Clone(v.Others), func(o store.Planned) bool { return o.ItemID == it.Item.ID })
}

// None is a region that is still to be named.
func (v paintView) None() studio.Region { return studio.Region{} }

func (s *Room) paint(w http.ResponseWriter, r *http.Request) {
	plan, err := s.App.Paint.Plan(r.Context(), chi.URLParam(r, "order"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "paint", kit.Page{Title: "Paint plan, " + plan.Order.Title, Sheet: "Paint plan", Active: "/bench", Bench: true, D: paintView{plan, studio.PaintStages()},
		Block: kit.Block("Order", plan.Order.Number), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

func (s *Room) saveRegion(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[regionForm](r)
	if err == nil {
		err = s.App.Paint.SaveRegion(r.Context(), s.Hand(r), chi.URLParam(r, "order"), studio.Region{ID: f.ID, ItemID: f.Item, PartID: f.Part, Name: f.Name, Stage: route.StageKind(f.Stage), RecipeNumber: f.Recipe,
			OverID: f.Over, Only: f.Only, Coats: f.Coats, SharePercent: f.Share, EdgeMM: 10 * f.Edge, Care: f.Care, Way: f.Way, Stop: f.Stop}, f.Seen)
	}
	s.Ended(w, r, err, paintSheet(r), f.Name+" is in the plan.")
}

// paintSheet is the sheet of the plan that a form changed.
func paintSheet(r *http.Request) string { return "/bench/paint/" + chi.URLParam(r, "order") }

// ofItem is which item's plan a form is about, and which other one it copies.
type ofItem struct {
	Item int64 `form:"item"`
	From int64 `form:"from"`
}

func (s *Room) dropRegion(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[ofItem](r)
	if err == nil {
		err = s.App.Paint.DropRegion(r.Context(), s.Hand(r), chi.URLParam(r, "order"), f.Item, kit.PathID(r, "region"))
	}
	s.Ended(w, r, err, paintSheet(r), "It is taken out of the plan. What was laid of it stays in the record.")
}

func (s *Room) moveRegion(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[ofItem](r)
	if err == nil {
		err = s.App.Paint.MoveRegion(r.Context(), s.Hand(r), chi.URLParam(r, "order"), f.Item, kit.PathID(r, "region"))
	}
	s.Ended(w, r, err, paintSheet(r), "It is painted sooner.")
}

func (s *Room) copyPlan(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[ofItem](r)
	if err == nil {
		err = s.App.Paint.CopyPlan(r.Context(), s.Hand(r), chi.URLParam(r, "order"), f.Item, f.From)
	}
	s.Ended(w, r, err, paintSheet(r), "The plan is copied.")
}

func (s *Room) stopPicture(w http.ResponseWriter, r *http.Request) {
	pictures, err := s.asSeen(w, r)
	f, e := kit.Decode[ofItem](r)
	if err == nil {
		err = e
	}
	if err == nil && len(pictures) == 0 {
		err = noPhoto
	}
	if err == nil {
		err = s.App.Paint.StopPicture(r.Context(), s.Hand(r), chi.URLParam(r, "order"), f.Item, kit.PathID(r, "region"), pictures[0][0])
	}
	s.Ended(w, r, err, paintSheet(r), "The picture is kept.")
}
