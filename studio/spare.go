package studio

import (
	"fmt"
	"slices"

	"sakuji/core/route"
)

// spared are the stages that a spare passes: it is made fit to lie on the shelf.
var spared = []route.StageKind{route.Print, route.Wash, route.Cure, route.RemoveSupports}

// Spare is another print of a piece beside it, under a label of its own, in case the piece fails.
func (p Piece) Spare(a Act, code string) (Piece, Entry, error) {
	if p.Kind != KindPrint || !OneOf(p.State, Waiting, OnPlate) {
		return p, Entry{}, fmt.Errorf("%s is %s: no spare is printed of it", p.Code, p.StateText())
	}
	spare := p
	spare.ID, spare.Code, spare.Kind, spare.FromID, spare.ParentID, spare.ReplacesID, spare.Beside = 0, code, KindSpare, p.ID, 0, 0, false
	spare.Name, spare.State, spare.Attempt = p.Name+", spare", Waiting, 1
	spare.Stages = stagesOf(slices.DeleteFunc(p.Strip().Planned(), func(s route.Stage) bool { return !OneOf(s.Kind, spared...) })).numbered()
	return spare, a.entry("spare made", "%s, in case %s fails", code, p.Code).of(p.OrderID, 0, 0), nil
}

// SpareOf is a print that may stand in for a piece which failed or was scrapped: its own spare, or one
// of the same part, printed alike, that is off its plate.
func (p Piece) SpareOf(all []Piece) (spare Piece, ok bool) {
	if p.Kind != KindPrint || !(p.State == Waiting && p.Attempt > 1 || p.Short(all)) {
		return spare, false
	}
	for _, o := range all {
		alike := o.PartID == p.PartID && o.ModelID == p.ModelID && o.Process == p.Process && o.MaterialID == p.MaterialID && o.Scale == p.Scale && o.WallMM == p.WallMM
		if o.Kind != KindSpare || !OneOf(o.State, AtBench, PieceDone) || o.FromID != p.ID && !alike {
			continue
		}
		if !ok || o.FromID == p.ID {
			spare, ok = o, true
		}
	}
	return spare, ok
}

// StandIn puts a spare in the place of a piece: it goes on as the piece would have, and the piece that
// waited for another print is called off.
func (p Piece) StandIn(a Act, spare Piece) (lost, fresh Piece, e Entry) {
	spare.Stages = Retier(spare.Stages, stagesOf(p.Strip().Planned()).numbered())
	spare.Kind, spare.Name, spare.ReplacesID, spare.FromID, spare.ParentID, spare.Beside, spare.Tier = KindPrint, p.Name, p.ID, 0, p.ParentID, p.Beside, p.Tier
	spare.resume()
	if p.State == Waiting {
		p.State = PieceOff
	}
	return p, spare, a.entry("spare taken", "%s in place of %s", spare.Code, p.Code).of(p.OrderID, spare.ID, 0)
}
