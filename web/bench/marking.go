package bench

import (
	"encoding/json"
	"net/http"

	"github.com/go-chi/chi/v5"

	"sakuji/app/change"
	"sakuji/app/paint"
	"sakuji/core/surface"
	"sakuji/web/kit"
	"sakuji/web/papers"
)

// markView is a region with the model on which it is marked.
type markView struct {
	paint.MarkSheet
	Usual float64 // the angle of an edge
}

// MarksJSON are its marks, for the browser.
func (v markView) MarksJSON() string {
	data, err := json.Marshal(v.Region.Marks)
	if err != nil || len(v.Region.Marks) == 0 {
		return "[]"
	}
	return string(data)
}

func (s *Room) marking(w http.ResponseWriter, r *http.Request) {
	sheet, err := s.App.Paint.MarkSheet(r.Context(), chi.URLParam(r, "order"), kit.PathID(r, "region"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "marking", kit.Page{Title: "Mark " + sheet.Region.Name, Sheet: "Region", Active: "/bench", Bench: true, D: markView{sheet, surface.UsualEdgeDeg},
		Block: kit.Block("Order", sheet.Order.Number), Keys: kit.Keys("V", "the model", "Enter", "mark its middle", "F", "find")})
}

// marksOf are the marks of a form.
func marksOf(r *http.Request) (marks []surface.Mark, mirror string, err error) {
	f, err := kit.Decode[struct {
		Mirror string `form:"mirror"`
	}](r)
	if err == nil {
		err = json.Unmarshal([]byte(r.PostFormValue("marks")), &marks)
		if err != nil {
			err = change.Refuse("The marks did not arrive whole. Nothing was saved.")
		}
	}
	return marks, f.Mirror, err
}

// tryMarks answers with the facets that marks have, in runs, and how large that is.
func (s *Room) tryMarks(w http.ResponseWriter, r *http.Request) {
	marks, mirror, err := marksOf(r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	m, err := s.App.Paint.Try(r.Context(), chi.URLParam(r, "order"), kit.PathID(r, "region"), marks, mirror)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	runs := [][2]int{}
	for t, in := range m.In {
		if n := len(runs); in && n > 0 && runs[n-1][0]+runs[n-1][1] == t {
			runs[n-1][1]++
		} else if in {
			runs = append(runs, [2]int{t, 1})
		}
	}
	w.Header().Set("Content-Type", "application/json")
	json.NewEncoder(w).Encode(map[string]any{"runs": runs, "text": m.Text()}) //nolint:errcheck // the browser went away
}

func (s *Room) keepMarks(w http.ResponseWriter, r *http.Request) {
	marks, mirror, err := marksOf(r)
	if err == nil {
		err = s.App.Paint.MarkRegion(r.Context(), s.Hand(r), chi.URLParam(r, "order"), kit.PathID(r, "region"), marks, mirror)
	}
	s.Ended(w, r, err, paintSheet(r), "The region is marked.")
}

// masks are the patterns of a region to cut from tape.
func (s *Room) masks(w http.ResponseWriter, r *http.Request) {
	sheet, patterns, err := s.App.Paint.Masks(r.Context(), chi.URLParam(r, "order"), kit.PathID(r, "region"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	data, err := papers.Masks(papers.MasksOf(sheet.Order, sheet.Item, sheet.Region), patterns, sheet.Region.Mirror == "")
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, "application/pdf", "masks-"+sheet.Order.Number+".pdf", data)
}
