package stock

import (
	"fmt"
	"net/http"
	"strings"

	"sakuji/app/stock"
	"sakuji/studio"
	"sakuji/web/kit"
)

// sheetView is the stock with what is short.
type sheetView struct {
	stock.Sheet
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

// Share is how full a lot is, of 100.
func (v sheetView) Share(l studio.Lot) float64 { return 100 * l.LeftG() / l.Grams }

func (s *Room) sheet(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Stock.Sheet(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "stock", kit.Page{Title: "Stock", Sheet: "Stock", Active: "/plates", D: sheetView{sheet}, Keys: kit.Keys("↑ ↓", "move", "F", "find")})
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
		Left float64 `form:"left" label:"What is left"`
	}](r)
	if err == nil {
		err = s.App.Stock.Weigh(r.Context(), s.Hand(r), kit.PathID(r, "id"), f.Left)
	}
	s.done(w, r, err, "Weighed: the stock goes on from there.")
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
	s.Show(w, r, "made", kit.Page{Title: title, Sheet: "Stock", Active: "/plates", D: list, Block: kit.Block("Pieces", fmt.Sprint(len(list)))})
}

func (s *Room) done(w http.ResponseWriter, r *http.Request, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/stock", told)
}
