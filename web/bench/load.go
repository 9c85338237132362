package bench

import (
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"sakuji/app/pieces"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/studio"
	"sakuji/web/kit"
)

// loadView is a station's loads.
type loadView struct {
	pieces.LoadSheet
}

// Room draws a load in its station from above.
func (v loadView) Room(l studio.Load) template.HTML {
	const wide, most = 240.0, 190.0
	k := min(wide/l.Room.WidthMM, most/l.Room.DepthMM)
	w, h := l.Room.WidthMM*k, l.Room.DepthMM*k
	var parts strings.Builder
	for _, p := range l.Laid {
		low, high := p.On().Size()
		fmt.Fprintf(&parts, `<path d="%s" fill="var(--paper2)" fill-rule="evenodd" stroke="var(--ink)"><title>%s</title></path>`, kit.Path2D(p.On(), func(q solid.Point) solid.Point { return solid.Point{X: q.X * k, Y: h - q.Y*k} }), template.HTMLEscapeString(p.Part.ID))
		if (high.X-low.X)*k > 34 {
			fmt.Fprintf(&parts, `<text x="%.1f" y="%.1f" text-anchor="middle" font-size="10" class="fig">%s</text>`, (low.X+high.X)/2*k, h-(low.Y+high.Y)/2*k+3, template.HTMLEscapeString(p.Part.ID[strings.LastIndex(p.Part.ID, "-")+1:]))
		}
	}
	return template.HTML(fmt.Sprintf(`<svg width="%.0f" height="%.0f" viewBox="-1 -1 %.1f %.1f" role="img" aria-label="station from above, %.0f by %.0f mm, %s"><rect width="%.1f" height="%.1f" fill="none" stroke="var(--ink)"/>%s</svg>`, //nolint:gosec // numbers, and labels that are escaped
		w+2, h+2, w+2, h+2, l.Room.WidthMM, l.Room.DepthMM, studio.Say(len(l.Laid), "piece"), w, h, &parts))
}

// After says how much of what a bath takes has gone through it when a load has, too.
func (v loadView) After(b studio.Bath, l studio.Load) float64 {
	b.AreaMM2 += l.AreaMM2
	return b.Used(v.Shop.Book)
}

func (s *Room) loads(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Pieces.LoadSheet(r.Context(), route.StageKind(chi.URLParam(r, "kind")))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	name := studio.UpperFirst(sheet.Kind.Traits().Name)
	s.Show(w, r, "loads", kit.Page{Title: name + ", load by load", Sheet: name, Active: "/bench", Bench: true, D: loadView{sheet},
		Block: kit.Block("Loads", fmt.Sprint(len(sheet.Loads))), Keys: kit.Keys("S", "stamp the first load", "↑ ↓", "move", "F", "find")})
}

// stampLoad stamps all that was in a load.
func (s *Room) stampLoad(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		In      map[string]string `form:"in"` // what each sheet showed, by label
		Minutes kit.Optional      `form:"minutes" label:"Minutes" validate:"gte=0"`
		Bath    int64             `form:"bath"`
		Note    string            `form:"note"`
		At      kit.Moment        `form:"at" label:"Done at"`
		Queued  kit.Queued        `form:"queued"`
	}](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	st := studio.Stamp{Minutes: -1, Note: f.Note, Bath: f.Bath, At: s.When(r, f.At, f.Queued)}
	if f.Minutes.Given {
		st.Minutes = f.Minutes.Value
	}
	n, err := s.App.Pieces.StampTogether(r.Context(), s.Hand(r), f.In, st)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, "/bench/loads/"+chi.URLParam(r, "kind"), studio.UpperFirst(studio.Say(n, "piece"))+" stamped.")
}
