package studio

import (
	"fmt"

	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Load is pieces that a station takes at once, side by side.
type Load struct {
	Room     plate.Bed
	Pieces   []LaidPiece
	Laid     []plate.Laid // where each lies; none of a piece that is too big
	TooBig   string       // how its only piece passes, turned end for end; empty: all fit
	HandsMin float64
	WaitMin  float64 // by the clock after it
	AreaMM2  float64 // of surface, that carries resin into a bath
}

// Loading are the stages that a station takes in loads.
func Loading() []route.StageKind { return []route.StageKind{route.Wash, route.Cure} }

// station is the room of a stage's station, and its name; empty where it has none.
func (h Shop) station(kind route.StageKind) (plate.Bed, string) {
	key, name := map[route.StageKind]string{route.Wash: "wash", route.Cure: "cure"}[kind], map[route.StageKind]string{route.Wash: "washing tank", route.Cure: "cure station"}[kind]
	if key == "" {
		return plate.Bed{}, ""
	}
	return plate.Bed{WidthMM: h.Book.V(rates.K("station", key, "width")), DepthMM: h.Book.V(rates.K("station", key, "depth")),
		HeightMM: h.Book.V(rates.K("station", key, "height"))}, name
}

// How many pieces are tried in a station, and what is left between them, in millimetres. Source: from
// memory.
const (
	mostAtOnce   = 30
	stationGapMM = 8.0
)

// inStation is a piece as it stands in a station.
func inStation(code string, lp LaidPiece) plate.Part {
	return plate.Part{ID: code, Outline: lp.Model.Shape.Plan.Scaled(lp.Piece.Scale), HeightMM: lp.Model.PrintHeightMM() * lp.Piece.Scale}
}

// AtOnce says how many pieces like one the station of a stage takes at a time, side by side; empty for
// stages without one, and where not even one fits.
func (h Shop) AtOnce(kind route.StageKind, m Model, p Piece) string {
	room, name := h.station(kind)
	if name == "" || !process.Of(p.Process).Wet {
		return ""
	}
	var parts []plate.Part
	for k := range mostAtOnce {
		parts = append(parts, inStation(fmt.Sprint(k), LaidPiece{p, m}))
	}
	placed, _ := plate.Fill(room, stationGapMM, 90, nil, parts)
	switch n := len(placed); {
	case n == 0:
		return ""
	case n == mostAtOnce:
		return fmt.Sprintf("%d and more like it fit the %s at once.", n, name)
	default:
		return fmt.Sprintf("%s like it fit the %s at once.", Say(n, "piece"), name)
	}
}

// Loads shares pieces that are ready for a stage out among as few loads of its station as they fill,
// the soonest wanted first; one that is too big is a load by itself, in two turns.
func (h Shop) Loads(kind route.StageKind, pieces []LaidPiece) (out []Load) {
	room, _ := h.station(kind)
	byCode, left := map[string]LaidPiece{}, []plate.Part{}
	var big []Load
	for _, lp := range pieces {
		part := inStation(lp.Piece.Code, lp)
		if plate.Fits(room, part, 90) != "" {
			l := Load{Room: room}
			l.TooBig = h.Fits(kind, lp.Model, lp.Piece)
			if l.TooBig == "" {
				l.TooBig = "It does not stand in it as it was printed: lay it down, or turn it end for end."
			}
			l.take(lp)
			big = append(big, l)
			continue
		}
		byCode[part.ID], left = lp, append(left, part)
	}
	for len(left) > 0 {
		placed, over := plate.Fill(room, stationGapMM, 90, nil, left)
		if len(placed) == 0 {
			break
		}
		l, parts := Load{Room: room}, map[string]plate.Part{}
		for _, p := range left {
			parts[p.ID] = p
		}
		for _, at := range placed {
			l.take(byCode[at.ID])
			l.Laid = append(l.Laid, plate.Laid{Part: parts[at.ID], Placed: at})
		}
		out = append(out, l)
		left = left[:0]
		for _, o := range over {
			left = append(left, parts[o.ID])
		}
	}
	return append(out, big...)
}

// take puts a piece into a load.
func (l *Load) take(lp LaidPiece) {
	l.Pieces = append(l.Pieces, lp)
	l.AreaMM2 += lp.Model.Measures.AreaMM2 * lp.Piece.Scale * lp.Piece.Scale
	if now := lp.Piece.Now(); now != nil {
		l.HandsMin += now.PlannedMin
		l.WaitMin = max(l.WaitMin, float64(now.WaitS)/60)
	}
}
