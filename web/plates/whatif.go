package plates

import (
	"fmt"
	"html/template"
	"math"
	"net/http"
	"strings"

	"sakuji/app/plates"
	"sakuji/core/plate"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/studio"
	"sakuji/web/kit"
)

// whatIfView is the sheet of the ways to print what waits for a material.
type whatIfView struct {
	plates.WhatIf
	best plates.Way
}

// IsBest reports whether a way is the one of the studio's own that ends first.
func (v whatIfView) IsBest(w plates.Way) bool { return w.Owned && w.Name == v.best.Name }

// Compared says what a way with another machine brings against the best without it, and its price.
func (v whatIfView) Compared(w plates.Way) string {
	text := v.Than(w, v.best)
	if len(w.Runs) > 0 {
		grams := 0.0
		for _, r := range w.Runs {
			grams += r.Grams
		}
		if tries := w.Machines[len(w.Machines)-1].TriesText(w.Minutes/float64(len(w.Runs)), grams/float64(len(w.Runs))); tries != "" {
			text += "; " + tries
		}
	}
	if v.Other.Price > 0 {
		text += fmt.Sprintf(", for a price of %s", v.Money(v.Other.Price))
	}
	return text
}

// Field writes a number for a field; 0 is empty.
func (v whatIfView) Field(x float64) string {
	if x == 0 {
		return ""
	}
	return rates.Number(x)
}

// Money is an amount of the studio's currency.
func (v whatIfView) Money(amount float64) studio.Money {
	return v.Shop.Studio.Money(quote.Minor(amount, studio.Digits(v.Shop.Studio.Currency)))
}

// Budgets are for how many seconds a plan may be looked for.
func (v whatIfView) Budgets() []int { return []int{10, 30, plates.MostSeconds} }

// byForm is what of a profile a plate must be of.
type byForm struct {
	LayerMM  float64 `form:"layer" label:"Layer"`
	NozzleMM float64 `form:"nozzle" label:"Nozzle"`
}

func (f byForm) profile() studio.PrintProfile {
	return studio.PrintProfile{LayerMM: f.LayerMM, NozzleMM: f.NozzleMM}
}

// otherForm is another machine as people say it.
type otherForm struct {
	Process  string  `form:"process"`
	Material int64   `form:"material"`
	Like     int64   `form:"like"`
	Percent  float64 `form:"percent" label:"Its time" validate:"gte=0"`
	WideMM   float64 `form:"wide" label:"Its width" validate:"gte=0"`
	DeepMM   float64 `form:"deep" label:"Its depth" validate:"gte=0"`
	HighMM   float64 `form:"high" label:"Its height" validate:"gte=0"`
	byForm
	Seconds int     `form:"seconds" label:"Seconds" validate:"gte=0"`
	Price   float64 `form:"price" label:"Its price" validate:"gte=0"`
}

func (s *Room) whatIf(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[otherForm](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	other := studio.OtherMachine{LikeID: f.Like, TimePercent: f.Percent, WidthMM: f.WideMM, DepthMM: f.DeepMM, HeightMM: f.HighMM, Price: f.Price}
	v := whatIfView{}
	if v.WhatIf, err = s.App.Plates.WhatIf(r.Context(), f.Process, f.Material, f.profile(), other, f.Seconds); err != nil {
		s.Fail(w, r, err)
		return
	}
	v.best, _ = v.Best()
	s.Show(w, r, "whatif", kit.Page{Title: "Plates for " + v.Material.Name, Sheet: "What if", Active: "/plates", D: v,
		Block: kit.Block("Pieces", fmt.Sprint(len(v.Pieces)), "Machines", fmt.Sprint(len(v.Machines))), Keys: kit.Keys("L", "lay the soonest", "W", "with another", "↑ ↓", "move", "F", "find")})
}

// layWay makes all plates of a way as it was shown.
func (s *Room) layWay(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Process  string `form:"process"`
		Material int64  `form:"material"`
		Machine  int64  `form:"machine"` // 0: all side by side
		Seconds  int    `form:"seconds"`
		byForm
	}](r)
	var numbers []int
	var left []plate.Left
	if err == nil {
		numbers, left, err = s.App.Plates.LayWay(r.Context(), s.Hand(r), f.Process, f.Material, f.profile(), f.Machine, f.Seconds)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	told := fmt.Sprintf("%s laid: %s.", studio.Say(len(numbers), "plate"), strings.Trim(strings.ReplaceAll(fmt.Sprint(numbers), " ", ", "), "[]"))
	if len(left) > 0 {
		told += " " + leftText(left)
	}
	s.Done(w, r, "/plates", told)
}

// Bed draws a run's bed from above, its tallest piece marked.
func (v whatIfView) Bed(run plates.WayRun) template.HTML {
	bed := run.Machine.Bed()
	const wide, most = 132.0, 120.0
	k := math.Min(wide/bed.WidthMM, most/bed.DepthMM)
	w, h := bed.WidthMM*k, bed.DepthMM*k
	tallest := 0.0
	for _, l := range run.Laid {
		tallest = math.Max(tallest, l.HeightMM)
	}
	var parts strings.Builder
	for _, l := range run.Laid {
		d := kit.Path2D(l.On(), func(q solid.Point) solid.Point { return solid.Point{X: q.X * k, Y: h - q.Y*k} })
		fill, stroke := "var(--paper2)", "var(--ink)"
		if l.HeightMM == tallest {
			fill, stroke = "url(#h4)", "var(--persimmon)"
		}
		fmt.Fprintf(&parts, `<path d="%s" fill="%s" fill-rule="evenodd" stroke="%s"><title>%s, %.0f mm</title></path>`, d, fill, stroke, template.HTMLEscapeString(l.Part.ID), l.HeightMM)
	}
	return template.HTML(fmt.Sprintf(`<svg width="%.0f" height="%.0f" viewBox="-1 -1 %.1f %.1f" role="img" aria-label="bed of %s from above, %s"><rect width="%.1f" height="%.1f" fill="none" stroke="var(--ink)"/>%s</svg>`, //nolint:gosec // numbers, and names that are escaped
		w+2, h+2, w+2, h+2, template.HTMLEscapeString(run.Machine.Name), studio.Say(len(run.Laid), "piece"), w, h, &parts))
}
