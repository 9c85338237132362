package bench

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/johnfercher/maroto/v2/pkg/consts/fontstyle"

	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/papers"
)

// traveller is a piece's strip on paper, to go along with it: what is done, and room for initials and minutes at what
// is not.
func (s *Room) traveller(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Pieces.Piece(r.Context(), chi.URLParam(r, "code"))
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	h, err := s.App.Setup.Shop(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	p := papers.New(h.Studio, v.Code+", "+v.Name, "Order "+v.Order.Number, v.Now)
	var still []byte
	if v.Model.ID != 0 {
		still = s.Stills(r)(v.Model.SHA)
	}
	p.Scanned(still, h.Studio.ScanOf(v.Code), 34, v.Code+"  "+v.Name, v.What()+", for "+v.Order.Client, "As of "+v.Now.In(v.Zone).Format("2 January 2006, 15:04")+"; what is stamped since then is on its sheet.")
	p.Rule()
	for _, st := range v.Stages {
		p.Two(doneBefore(st, v.Zone)+sentence(st), room(st), 10, fontstyle.Normal)
		if caution := process.Of(v.Process).Caution(st.Kind); caution != "" && st.Mark == route.Todo {
			p.Row("      "+caution, 7, fontstyle.Normal)
		}
	}
	s.SendPDF(w, r, p, "strip-"+v.Code+".pdf")
}

// sentence is what is done at a stage, with what, and what is waited for afterwards.
func sentence(s studio.Stage) string {
	m := s.Kind.Traits()
	out := m.Do
	if s.How != "" {
		out += ": " + s.How
	}
	if s.Mark == route.Todo && s.WaitS > 0 && m.Dry != "" {
		out += "; then " + m.Dry + " after " + studio.Hours(float64(s.WaitS)/60)
	}
	return out
}

// doneBefore says who did it, and when; empty: nobody has.
func doneBefore(s studio.Stage, zone *time.Location) string {
	switch s.Mark {
	case route.Done:
		return strings.TrimSpace("done "+s.Initials) + " " + s.Done.In(zone).Format("2 Jan 15:04") + ": "
	case route.SentBack:
		return "sent back: "
	}
	return ""
}

// room is what it took, or room to write it.
func room(s studio.Stage) string {
	switch s.Mark {
	case route.Done:
		return fmt.Sprintf("%.0f min", s.Minutes)
	case route.SentBack:
		return ""
	}
	return fmt.Sprintf("of %.0f min: ______ by ______", s.PlannedMin)
}
