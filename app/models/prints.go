package models

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/setup"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// axes are the directions that a model is cut across or looked at from.
var axes = map[string]mesh.Vec{"x": {X: 1}, "y": {Y: 1}, "z": {Z: 1}}

// seenFrom are the sides that holes may keep off.
var seenFrom = map[string]mesh.Vec{"": {}, "front": {Y: -1}, "back": {Y: 1}, "left": {X: -1}, "right": {X: 1}, "above": {Z: 1}}

// SeenFrom names the side of a direction.
func SeenFrom(v mesh.Vec) string {
	for name, way := range seenFrom {
		if way == v {
			return name
		}
	}
	return ""
}

// checkPrint says what is wrong with a wish to stand, hollow or cut.
func checkPrint(kind string, o studio.JobOptions) error {
	switch kind {
	case studio.JobOrient:
		if !process.Known(o.Process) {
			return change.Refuse("A part is printed in %s.", process.OrOf())
		}
		w := o.Wishes
		for _, v := range []float64{w.Time, w.Support, w.Scar, w.Layer, w.Drain, w.Strength} {
			if !(v >= 0 && v <= 10) {
				return change.Refuse("How much a thing matters is between 0 and 10.")
			}
		}
		by := studio.PrintProfile{LayerMM: o.LayerMM, SupportDeg: o.SupportDeg}
		if err := by.Check(o.Process, "it", func(field string) string { return field }).Err(); err != nil {
			return change.Refused(err)
		}
		if _, side := seenFrom[o.Seen]; !side {
			return change.Refuse("It is seen from the front, the back, the left, the right or above.")
		}
		if w.Time+w.Support+w.Scar+w.Layer+w.Drain+w.Strength <= 0 {
			return change.Refuse("Say what matters: all of it at 0 leaves nothing to choose by.")
		}
	case studio.JobHollow:
		_, side := seenFrom[o.Seen]
		switch {
		case !(o.WallMM >= 0.5 && o.WallMM <= studio.MaxWallMM):
			return change.Refuse("A wall is between 0.5 and %v mm thick.", studio.MaxWallMM)
		case o.Holes < 0 || o.Holes > 12 || o.Holes > 0 && !(o.HoleMM >= 1 && o.HoleMM <= 50):
			return change.Refuse("Up to 12 holes for each hollow, of 1 to 50 mm.")
		case !side:
			return change.Refuse("It is seen from the front, the back, the left, the right or above.")
		}
	case studio.JobCut:
		switch {
		case axes[o.Axis] == mesh.Vec{}:
			return change.Refuse("Say across which way it is cut.")
		case len(o.At) == 0 || len(o.At) >= process.MostParts:
			return change.Refuse("Between 1 and %d cuts.", process.MostParts-1)
		case o.Pegs < 0 || o.Pegs > 12 || o.Pegs > 0 && (!(o.PegMM >= 1 && o.PegMM <= 50) || !(o.ClearanceMM >= 0 && o.ClearanceMM <= 2)):
			return change.Refuse("Up to 12 dowels at a seam, of 1 to 50 mm, with up to 2 mm of play.")
		}
		for _, at := range o.At {
			if !(at > 0 && at < 1e5) {
				return change.Refuse("Where to cut: a number of millimetres over 0.")
			}
		}
	}
	return nil
}

// orient is the job that looks for orientations.
func (a *Room) orient(ctx context.Context, j studio.Job, told jobs.Progress) error {
	if err := told(0.05, "reading"); err != nil {
		return err
	}
	from, err := a.source(j.SHA, j.Name)
	if err != nil {
		return err
	}
	h, err := a.shop(ctx)
	if err != nil {
		return err
	}
	wishes := j.Options.Wishes
	wishes.Seen = seenFrom[j.Options.Seen]
	list, err := orienting.Run(ctx, a.queue.Apart, apart.LimitsFor(from.Bytes, makeTime), j.Name, turning{from, h.Orienting(j.Options.Process, wishes, studio.PrintProfile{LayerMM: j.Options.LayerMM, SupportDeg: j.Options.SupportDeg})}, told)
	if err != nil {
		return err
	}
	now := a.Clock.Now()
	for i := range list {
		list[i].At = now
	}
	return a.queue.Save(ctx, j, func(c change.Change) error {
		if err := c.SaveOrientations(j.ModelID, j.Options.Process, list); err != nil {
			return err
		}
		return jobs.Done(c, j, j.ModelID, "")
	})
}

// hollowed makes a hollowed version, and its plug where it has holes.
func hollowed(soup *mesh.Soup, base string, o studio.JobOptions) ([]version, error) {
	m, seen := soup.Weld(), seenFrom[o.Seen]
	turned := o.Turn != [9]float64{}
	if turned {
		m, seen = solid.Turned(m, o.Turn), solid.TurnedVec(seen, o.Turn)
	}
	h, err := solid.Hollow(m, o.WallMM, solid.Drains{Count: o.Holes, DiameterMM: o.HoleMM, Seen: seen})
	if err != nil {
		return nil, change.Refuse("%s cannot be hollowed to %s mm: %s.", base, rates.Number(o.WallMM), err)
	}
	if turned {
		h.Mesh = solid.Turned(h.Mesh, solid.Transposed(o.Turn))
	}
	did := []mesh.Done{
		{What: fmt.Sprintf("hollowed to a wall of %s mm, give or take %.2f mm; %s of %s left, %s saved", rates.Number(o.WallMM), h.ErrorMM, studio.VolumeText(h.VolumeMM3), studio.VolumeText(h.SolidMM3), studio.VolumeText(h.SolidMM3-h.VolumeMM3))},
	}
	if h.SlitMM > 0 {
		did = append(did, mesh.Done{What: fmt.Sprintf("where the hollow would be narrower than about %.1f mm it stays filled", 2*h.SlitMM)})
	}
	if len(h.Bores) > 0 {
		bored := mesh.Done{What: fmt.Sprintf("holes of %s mm", rates.Number(o.HoleMM)), Count: len(h.Bores)}
		for _, b := range h.Bores {
			if turned {
				b.At = solid.TurnedBack(b.At, o.Turn)
			}
			bored.Spots = append(bored.Spots, mesh.Spot{At: b.At, SizeMM: b.DiameterMM})
		}
		did = append(did, bored)
	}
	for _, w := range h.Warnings(o.Holes) {
		did = append(did, mesh.Done{What: w})
	}
	var held []mesh.Spot
	for _, c := range h.Cavities {
		if c.HeldMM3 > 0 {
			at := c.HeldAt
			if turned {
				at = solid.TurnedBack(at, o.Turn)
			}
			held = append(held, mesh.Spot{At: at, SizeMM: math.Cbrt(c.HeldMM3)})
		}
	}
	if len(held) > 0 {
		did = append(did, mesh.Done{What: "places where resin stays as it hangs", Count: len(held), Spots: held})
	}
	name := fmt.Sprintf("hollow %s mm.stl", rates.Number(o.WallMM))
	if n := len(h.Bores); n > 0 {
		name = fmt.Sprintf("hollow %s mm, %d holes.stl", rates.Number(o.WallMM), n)
	}
	out := []version{{model: studio.Model{Name: base + ", " + name, How: studio.Hollow, Did: did}, soup: h.Mesh.Soup("stl")}}
	if len(h.Bores) > 0 {
		out = append(out, version{model: studio.Model{Name: fmt.Sprintf("%s, plug %s mm.stl", base, rates.Number(o.HoleMM)), How: studio.Peg, Did: []mesh.Done{{What: "holes to close", Count: len(h.Bores)}}}, soup: h.Bores[0].Plug().Soup("stl")})
	}
	return out, nil
}

// cutUp makes a version of each piece, and its dowel.
func cutUp(soup *mesh.Soup, base string, o studio.JobOptions) ([]version, error) {
	m := soup.Weld()
	axis := axes[o.Axis]
	low := m.Box.Min.Dot(axis)
	at, cuts := make([]float64, len(o.At)), make([]solid.Plane, len(o.At))
	for i, mm := range o.At {
		at[i] = low + mm
		cuts[i] = solid.Plane{Normal: axis, D: at[i]}
	}
	pegs := solid.Pegs{Count: o.Pegs, DiameterMM: o.PegMM, ClearanceMM: o.ClearanceMM}
	pieces, dowels, err := solid.SplitAll(m, axis, at, pegs)
	if err != nil {
		return nil, change.Refuse("%s cannot be cut there: %s.", base, err)
	}
	did := []mesh.Done{{What: fmt.Sprintf("cut at %s mm", joinMM(o.At)), Count: len(o.At)}}
	if asked := o.Pegs * len(cuts); len(dowels) < asked {
		did = append(did, mesh.Done{What: fmt.Sprintf("room for %d of %d dowels of %s mm: where there is none, line the seam up by its edge", len(dowels), asked, rates.Number(o.PegMM))})
	}
	var out []version
	for i, p := range pieces {
		out = append(out, version{studio.Model{Name: fmt.Sprintf("%s, piece %d of %d.stl", base, i+1, len(pieces)), How: studio.Cut, Did: did}, p, cuts})
	}
	// One dowel stands for all that are as long.
	for len(dowels) > 0 {
		long := dowels[0].Box.Size().Z
		n := len(dowels)
		dowels = slices.DeleteFunc(dowels, func(d *mesh.Mesh) bool { return d != dowels[0] && math.Abs(d.Box.Size().Z-long) < 0.05 })
		n -= len(dowels) - 1
		out = append(out, version{model: studio.Model{Name: fmt.Sprintf("%s, dowel %s × %s mm.stl", base, rates.Number(o.PegMM), rates.Number(math.Round(10*long)/10)), How: studio.Peg,
			Did: []mesh.Done{{What: "sockets to join", Count: n}}}, soup: dowels[0].Soup("stl")})
		dowels = dowels[1:]
	}
	return out, nil
}

func joinMM(list []float64) (s string) {
	for i, v := range list {
		if i > 0 {
			s += ", "
		}
		s += rates.Number(v)
	}
	return s
}

// PrintSheet is how a model may be printed in a process.
type PrintSheet struct {
	Shop         studio.Shop
	Model        studio.Model // as its file stands
	Design       studio.Design
	Analysis     *studio.Analysis
	Process      string
	Orientations []studio.Orientation // the best first; none until they were looked for
	Taken        *studio.Orientation  // how new parts stand; nil for as the file stands
	Jobs         []studio.Job
	Tier         string
	Scale        float64
	Choices      []studio.Choice
	Why          string
	Machine      studio.Machine  // the one its print is thought of on
	Least        int             // pieces, so that each fits
	Curve        []process.Split // what the whole item costs in 1, 2, … pieces
	Best         int
	Cuts         []solid.Cuts // for the number of pieces asked for
	Pieces       int
	Other        int64 // versions made of it: a hollowed one, or 0
}

// PrintSheet returns how a model may be printed. Pieces is for how many cuts are
// suggested; 0 for the best number, two at least.
func (a *Room) PrintSheet(ctx context.Context, id int64, processName, tier string, scale float64, pieces int) (s PrintSheet, err error) {
	switch {
	case !process.Known(processName):
		return s, change.Refuse("A part is printed in %s.", process.OrOf())
	case !(scale >= studio.MinScale && scale <= studio.MaxScale):
		return s, change.Refuse("Scale: between %v and %v times the file’s size.", studio.MinScale, studio.MaxScale)
	case pieces < 0 || pieces > process.MostParts:
		return s, change.Refuse("Between 2 and %d pieces.", process.MostParts)
	case route.TierName(tier) == "":
		tier = route.Painted
	}
	s.Process, s.Tier, s.Scale, s.Pieces = processName, tier, scale, pieces
	s.Model, s.Design, s.Analysis, err = a.Design(ctx, id)
	if err != nil {
		return s, err
	}
	stood := map[string]studio.Model{}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		if s.Orientations, err = tx.Orientations(id, processName); err != nil {
			return err
		}
		for _, p := range process.Names() {
			taken, err := tx.ChosenOrientation(id, p)
			if err != nil {
				return err
			}
			if stood[p], err = tx.ModelOriented(id, taken); err != nil {
				return err
			}
		}
		s.Jobs, err = tx.OpenJobs(0, s.Design.ID, id)
		return err
	})
	if err != nil {
		return s, err
	}
	for i := range s.Orientations {
		if s.Orientations[i].Taken {
			s.Taken = &s.Orientations[i]
		}
	}
	part := studio.Part{Name: s.Design.Name, Model: s.Model, Copies: 1}
	if s.Model.How != studio.Hollow && s.Model.UsualWallMM() > 0 {
		part.WallMM = 2
	}
	s.Choices, s.Why = s.Shop.Choose(part, studio.Item{Scale: scale, Tier: tier, Copies: 1}, func(p string) studio.Model { return stood[p] })
	part.Process, part.Model = processName, stood[processName]
	if !process.Of(processName).Hollow {
		part.WallMM = 0
	}
	s.split(studio.Item{Scale: scale, Tier: tier, Copies: 1, Parts: []studio.Part{part}})
	return s, nil
}

// split works out whether the print is worth cutting, on the first machine of its process,
// and into how many pieces, unless somebody has said.
func (s *PrintSheet) split(it studio.Item) {
	least := 2
	if at := slices.IndexFunc(s.Choices, func(c studio.Choice) bool { return c.Machine.Process == s.Process }); at >= 0 {
		c := s.Choices[at]
		s.Machine, s.Least = c.Machine, c.Pieces
		s.Curve, s.Best = s.Shop.Cuts(it, 0, c.Machine, c.Pieces)
		least = max(least, c.Pieces)
	}
	if s.Pieces == 0 {
		s.Pieces = max(least, s.Best+1)
	}
}

// SuggestCuts looks where a model is best cut into pieces for a machine. It waits for no
// longer than upTo; the looking goes on by itself, and jobs.ErrUnderway says so.
func (a *Room) SuggestCuts(ctx context.Context, m studio.Model, machine studio.Machine, scale float64, pieces int, upTo time.Duration) ([]solid.Cuts, error) {
	bed := machine.Usable()
	for k := range bed {
		bed[k] /= scale
	}
	key := fmt.Sprintf("cuts %s %v %d", m.SHA, bed, pieces)
	return jobs.Ask(ctx, &a.answers, key, upTo, func(ctx context.Context) ([]solid.Cuts, error) {
		from, err := a.source(m.SHA, m.Name)
		if err != nil {
			return nil, err
		}
		return cutting.Run(ctx, a.queue.Apart, apart.LimitsFor(from.Bytes, readTime), m.Name, parting{from, pieces, bed}, silently)
	})
}
