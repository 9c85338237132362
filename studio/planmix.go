package studio

import (
	"fmt"
	"math"

	"sakuji/core/route"
	"sakuji/core/schedule"
)

// setUp lets a stage that is mixed for, or for which a gun is filled, be the shorter where that is done already,
// and have all of it alone where it is not: the minutes it is planned for have their share of a session of as many
// pieces as there are.
func (b *planner) setUp(t *schedule.Task, s Stage, p Piece, pieces int) {
	minutes := b.h.SetUpMin(s.Kind)
	if minutes == 0 {
		return
	}
	if len(b.together) == 0 {
		for _, p := range b.Pieces {
			for _, s := range p.Stages {
				b.together[sharedBy(p, s.Kind)]++
			}
		}
	}
	all := float64(max(pieces, b.together[sharedBy(p, s.Kind)]))
	sessions := math.Ceil(all / max(1, b.h.Book.V("batch.pieces")))
	alone := int64(60 * minutes * max(0, 1-sessions*float64(pieces)/all))
	for i := range t.On {
		t.On[i].S += alone
	}
	key := string(s.Kind) + " " + s.How + b.colours(p, s.Kind)
	if b.mixes[key] == 0 {
		b.mixes[key] = len(b.mixes) + 1
	}
	t.Mix = schedule.Mix{ID: b.mixes[key], SavesS: min(int64(60*minutes), t.Shortest()), LastsS: int64(3600 * b.h.Book.V("mix.lasts"))}
}

// colours are the recipes that a stage of a piece lays, where its paint plan says so: what is mixed for others is mixed for
// it only where they are the same.
func (b *planner) colours(p Piece, kind route.StageKind) (key string) {
	if b.paint == nil {
		b.paint = map[int64][]Region{}
		for _, r := range b.Paint {
			b.paint[r.ItemID] = append(b.paint[r.ItemID], r)
		}
	}
	for _, r := range b.paint[p.ItemID] {
		if r.Stage == kind && r.Of(p) {
			key += fmt.Sprint(" ", RecipeMark, r.RecipeNumber)
		}
	}
	return key
}

// sharedBy names what a piece's stage shares its setting up by, as it is priced: coats of all that an order has,
// colours of an item.
func sharedBy(p Piece, kind route.StageKind) string {
	if kind.Traits().Shared == route.ByOrder {
		return fmt.Sprint(kind, " of ", p.OrderID)
	}
	return fmt.Sprint(kind, " of item ", p.ItemID)
}

// SetUpMin is how long it takes to mix a coat, or to fill and clean a gun; 0: a stage is no coat.
func (h Shop) SetUpMin(kind route.StageKind) float64 {
	if t := kind.Traits(); t.Mixed {
		return h.Book.V(t.SetUp)
	}
	return 0
}

// Surrounded sets what a stage does to the air, and for how long it keeps its station; which that is, it says.
func Surrounded(t *schedule.Task, kind route.StageKind) (station string) {
	dry := min(t.WaitS, dustFreeMin*60)
	switch kind.Traits().Air {
	case route.Wet:
		t.Air, t.DustS = schedule.Wet, dry
	case route.Dusty:
		t.Air = schedule.Dusty
	}
	if station = kind.Traits().Station; station != "" {
		if t.KeepS = dry; kind == route.Cure {
			t.KeepS = t.WaitS
		}
	}
	return station
}
