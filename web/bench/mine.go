package bench

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/pieces"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
)

// next is what may be begun together: the same stage of several pieces.
type next struct {
	Kind     route.StageKind
	How      string
	Rows     []pieces.BenchRow
	At       time.Time // when the plan has the first of them; zero: it does not
	HandsMin float64   // as planned
	Mix      []pieces.MixLine
}

// inHand is what is in hand, with what it takes of each recipe.
type inHand struct {
	pieces.InHand
	Mix []pieces.MixLine
}

// mineView is what one person has in hand, and what is next for them.
type mineView struct {
	pieces.HandsSheet
	Groups []inHand
	Next   []next // by the plan for this person
	Others []next // for whoever has hands
}

// Cautions are those of everything in hand, each once.
func (v mineView) Cautions() (out []cautioned) {
	var rows []pieces.BenchRow
	for _, h := range v.InHand {
		rows = append(rows, h.Pieces...)
	}
	return benchView{BenchSheet: pieces.BenchSheet{Rows: rows}}.Cautions()
}

func (s *Room) mine(w http.ResponseWriter, r *http.Request) {
	who := s.Hand(r)
	sheet, err := s.App.Pieces.Hands(r.Context(), who.ID)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	v := mineView{HandsSheet: sheet}
	v.next(s, r)
	if err := v.mixed(s, r); err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Show(w, r, "mine", kit.Page{Title: "In hand", Sheet: "In hand", Active: "/bench", Bench: true, D: v,
		Block: kit.Block("In hand", fmt.Sprint(len(v.InHand))), Keys: kit.Keys("S", "stamp", "T", "start or pause", "↑ ↓", "move", "F", "find")})
}

// mixed finds what is to be mixed for what is in hand, and for what is next.
func (v *mineView) mixed(s *Room, r *http.Request) (err error) {
	for _, h := range v.InHand {
		g := inHand{InHand: h}
		if g.Mix, err = s.App.Pieces.ToMix(r.Context(), h.Pieces); err != nil {
			return err
		}
		v.Groups = append(v.Groups, g)
	}
	for _, list := range [][]next{v.Next, v.Others} {
		for k := range list {
			if list[k].Mix, err = s.App.Pieces.ToMix(r.Context(), list[k].Rows); err != nil {
				return err
			}
		}
	}
	return nil
}

// next puts what is ready in the order of the plan, the same stage of several pieces together: what is this
// person's, and what anybody's.
func (v *mineView) next(s *Room, r *http.Request) {
	b := benchView{BenchSheet: pieces.BenchSheet{Rows: v.Ready, Filter: pieces.BenchReady, Zone: v.Zone, Now: v.Now}}
	planned, ok := s.App.Plan.Latest(r.Context())
	if ok {
		b.planned(planned)
	}
	for _, row := range b.Rows {
		t, there := b.at(row)
		list := &v.Others
		if there && t.PersonID == v.Person {
			list = &v.Next
		}
		now := row.Now()
		at := slices.IndexFunc(*list, func(n next) bool { return n.Kind == now.Kind && n.How == now.How })
		if at < 0 {
			at = len(*list)
			*list = append(*list, next{Kind: now.Kind, How: now.How})
			if there {
				(*list)[at].At = t.From
			}
		}
		n := &(*list)[at]
		n.Rows, n.HandsMin = append(n.Rows, row), n.HandsMin+now.PlannedMin
	}
}

// What hands do with what is ticked.
const (
	doBegin = "begin"
	doPause = "pause"
	doStamp = "stamp"
)

// act begins, pauses or stamps what is ticked, as one.
func (s *Room) act(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Do   string            `form:"do"`
		In   map[string]string `form:"in"` // what each sheet showed, by label
		Note string            `form:"note"`
		At   kit.Moment        `form:"at" label:"Stopped at"`

		Queued kit.Queued `form:"queued"`
	}](r)
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	told, n, at := "", len(f.In), s.When(r, f.At, f.Queued)
	switch f.Do {
	case doBegin:
		told, err = "Begun: "+studio.Say(n, "piece")+".", s.App.Pieces.Begin(r.Context(), s.Hand(r), f.In, at)
	case doPause:
		told, err = "The clock stands.", s.App.Pieces.Pause(r.Context(), s.Hand(r), slices.Sorted(maps.Keys(f.In)), at)
	case doStamp:
		n, err = s.App.Pieces.StampTogether(r.Context(), s.Hand(r), f.In, studio.Stamp{Minutes: -1, Note: f.Note, At: at})
		told = studio.UpperFirst(studio.Say(n, "piece")) + " stamped."
	default:
		err = &change.Refusal{Text: "Begin, pause or stamp: nothing was done."}
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, kit.Back(r, "/bench/mine"), told)
}
