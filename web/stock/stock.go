package stock

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/stock"
	"sakuji/core/rates"
	"sakuji/device"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// sheetView is the stock with what is short.
type sheetView struct {
	stock.Sheet
	Again studio.Lot        // a mix to be made once more; of id 0: none
	Take  map[int64]float64 // what it takes, by lot
}

// Buy lists what to buy, in words.
func (v sheetView) Buy() (out []string) {
	for _, s := range v.Stock {
		if g := s.BuyG(); g > 0 {
			out = append(out, fmt.Sprintf("%.0f g of %s", g, s.Material.Name))
		}
	}
	return out
}

// Mixable are the materials of which lots may be mixed: of a process that has two open or more.
func (v sheetView) Mixable() (out []studio.Stock) {
	lots := map[string]int{}
	for _, s := range v.Stock {
		lots[s.Material.Process] += len(s.Lots)
	}
	for _, s := range v.Stock {
		if lots[s.Material.Process] >= 2 {
			out = append(out, s)
		}
	}
	return out
}

// Share is how full a lot is, of 100.
func (v sheetView) Share(l studio.Lot) float64 { return 100 * l.LeftG() / l.Grams }

func (s *Room) sheet(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Stock.Sheet(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := sheetView{Sheet: sheet}
	f, err := kit.DecodeQuery[struct {
		Again int64 `form:"again"`
	}](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	var lots []studio.Lot
	for _, st := range sheet.Stock {
		lots = append(lots, st.Lots...)
	}
	if at := slices.IndexFunc(lots, func(l studio.Lot) bool { return l.ID == f.Again }); at >= 0 {
		v.Again, v.Take = lots[at], lots[at].Again(lots)
	}
	s.Show(w, r, "stock", kit.Page{Title: "Stock", Sheet: "Stock", Active: "/plates", D: v, Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

func (s *Room) received(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Material int64      `form:"material"`
		Label    string     `form:"label"`
		Grams    float64    `form:"grams" label:"What is in it"`
		Price    float64    `form:"price" label:"Its price"`
		Expires  kit.Moment `form:"expires"`
	}](r)
	if !kit.IsOwner(r) { // prices are the owner's
		f.Price = 0
	}
	if err == nil {
		l := studio.Lot{MaterialID: f.Material, Label: f.Label, Grams: f.Grams, PricePerKG: f.Price, Expires: s.JustNow(r, f.Expires)}
		err = s.App.Stock.Received(r.Context(), s.Hand(r), l)
	}
	s.done(w, r, err, f.Label+" is in stock.")
}

func (s *Room) weigh(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Left kit.Optional `form:"left" label:"What is left"`
	}](r)
	var left float64
	if err == nil {
		left, err = f.Left.Must("left", "What is left")
	}
	if err == nil {
		err = s.App.Stock.Weigh(r.Context(), s.Hand(r), kit.PathID(r, "id"), left)
	}
	s.done(w, r, err, "Weighed: the stock goes on from there.")
}

// scale weighs a lot with its bottle or spool on the studio's scale.
func (s *Room) scale(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Tare kit.Optional `form:"tare" label:"Its empty bottle or spool"`
	}](r)
	var grams, tare float64
	if err == nil {
		tare, err = f.Tare.Must("tare", "Its empty bottle or spool")
	}
	if err == nil {
		var h studio.Shop
		if h, err = s.App.Setup.Shop(r.Context()); err != nil {
			s.Fail(w, r, err)
			return
		}
		grams, err = device.Weigh(r.Context(), h.Studio.Defaults.Scale)
		if err != nil {
			err = change.Refuse("%s. Nothing was noted.", studio.UpperFirst(err.Error()))
		}
	}
	if err == nil {
		err = s.App.Stock.WeighFull(r.Context(), s.Hand(r), kit.PathID(r, "id"), grams, tare)
	}
	s.done(w, r, err, fmt.Sprintf("%.0f g on the scale, %.0f g of them the empty one.", grams, tare))
}

func (s *Room) mix(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Material int64             `form:"material"`
		Label    string            `form:"label"`
		Grams    map[int64]float64 `form:"grams" label:"Grams of a lot"`
	}](r)
	if err == nil {
		err = s.App.Stock.Mix(r.Context(), s.Hand(r), f.Material, f.Label, f.Grams)
	}
	s.done(w, r, err, f.Label+" is mixed, and open.")
}

func (s *Room) end(w http.ResponseWriter, r *http.Request) {
	s.done(w, r, s.App.Stock.End(r.Context(), s.Hand(r), kit.PathID(r, "id")), "It is out of the stock.")
}

func (s *Room) least(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Material int64   `form:"material"`
		Least    float64 `form:"least" label:"The least"`
	}](r)
	if err == nil {
		err = s.App.Stock.SetLeast(r.Context(), s.Hand(r), f.Material, f.Least)
	}
	s.done(w, r, err, "Kept.")
}

func (s *Room) filled(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Name     string  `form:"name"`
		Litres   float64 `form:"litres" label:"Litres"`
		Strength float64 `form:"strength" label:"Strength"`
	}](r)
	if err == nil {
		err = s.App.Stock.Filled(r.Context(), s.Hand(r), studio.Bath{Name: f.Name, Litres: f.Litres, StrengthPercent: f.Strength})
	}
	s.done(w, r, err, f.Name+" is filled.")
}

// made lists what was made from a lot, or washed in a bath.
func (s *Room) made(w http.ResponseWriter, r *http.Request) {
	id, bath := kit.PathID(r, "id"), strings.HasPrefix(r.URL.Path, "/stock/baths/")
	lot := id
	if bath {
		lot = 0
	} else {
		id = 0
	}
	list, err := s.App.Stock.Made(r.Context(), lot, id)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	title := "Printed from this lot"
	if bath {
		title = "Washed in this bath"
	}
	s.Show(w, r, "made", kit.Page{Title: title, Sheet: "Stock", Active: "/plates", D: map[string]any{"List": list, "Path": strings.TrimSuffix(r.URL.Path, "/")}, Block: kit.Block("Pieces", fmt.Sprint(len(list)))})
}

// label is the label of a lot or a bath.
func (s *Room) label(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Stock.Sheet(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	id, bath := kit.PathID(r, "id"), strings.HasPrefix(r.URL.Path, "/stock/baths/")
	for _, b := range sheet.Baths {
		if bath && b.ID == id {
			s.SendLabels(w, r, []papers.Label{{Code: b.Code(), Name: fmt.Sprintf("%s: %s l of %s %%, %s", b.Name, rates.Number(b.Litres), rates.Number(b.StrengthPercent), b.Filled.In(sheet.Shop.Studio.Zone()).Format("2 Jan 2006"))}}, "label-"+b.Code()+".pdf")
			return
		}
	}
	for _, m := range sheet.Stock {
		for _, l := range m.Lots {
			if !bath && l.ID == id {
				s.SendLabels(w, r, []papers.Label{{Code: l.Code(), Name: m.Material.Name + ", " + l.Label}}, "label-"+l.Code()+".pdf")
				return
			}
		}
	}
	s.Fail(w, r, store.ErrNotFound)
}

func (s *Room) done(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/stock", told)
}
