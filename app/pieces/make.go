package pieces

import (
	"errors"
	"slices"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// Make brings an order's pieces in line with what was accepted; studio.Fit says how. What is
// joined becomes a tree for each copy: an assembly, and the prints it is made of.
func Make(c change.Change, o studio.Order, items []studio.Item) (err error) {
	m := maker{c: c, o: o, plans: map[int64][]studio.Stage{}}
	if m.h, err = setup.Load(c.Tx); err != nil {
		return err
	}
	if m.items, err = WithModels(c.Tx, items); err != nil {
		return err
	}
	if m.pieces, err = c.PiecesOf(o.ID); err != nil {
		return err
	}
	if m.codes, err = c.Codes(o.ID); err != nil {
		return err
	}
	for _, it := range m.items {
		make := m.flat
		switch {
		case !route.Printed(it.Tier):
			make = func(studio.Item) error { return nil }
		case it.Cast:
			make = m.casts
		case it.Joined():
			make = m.trees
		}
		if err := errors.Join(make(it), m.extras(it)); err != nil {
			return err
		}
	}
	if len(m.pieces) > 0 { // what was there before may be stray, or made of what is there now
		if err := errors.Join(m.strays(), gather(c, o.ID)); err != nil {
			return err
		}
	}
	if m.added == 0 {
		return nil
	}
	return c.Note("pieces made", change.About{Order: o.ID}, "%s for a plate", studio.Say(m.added, "piece")+map[bool]string{true: " waits", false: " wait"}[m.added == 1])
}

// maker is an order whose pieces are being made.
type maker struct {
	c        change.Change
	h        studio.Shop
	o        studio.Order
	items    []studio.Item
	pieces   []studio.Piece // as they were
	codes    []string
	numbered int                      // the highest number that a label of the order carries; 0: not looked yet
	plans    map[int64][]studio.Stage // of the prints of a part
	added    int                      // prints
}

// flat makes the pieces of an item that are handed over as they are.
func (m *maker) flat(it studio.Item) error {
	for _, part := range it.Parts {
		if err := m.prints(it, part, m.pieces, studio.Piece{}, nil); err != nil {
			return err
		}
	}
	return nil
}

// plan is the strip of a print of a part, worked out once.
func (m *maker) plan(part studio.Part, it studio.Item) []studio.Stage {
	if m.plans[part.ID] == nil {
		m.plans[part.ID] = m.h.StagesFor(part, it, m.items)
	}
	return slices.Clone(m.plans[part.ID])
}

// prints brings the prints of a part in line: all of them, or those of an assembly. spare are
// prints of the part that belong to no assembly yet.
func (m *maker) prints(it studio.Item, part studio.Part, own []studio.Piece, assembly studio.Piece, spare *[]studio.Piece) error {
	want := it
	if assembly.ID != 0 {
		want.Copies = 1
	}
	f := studio.Fit(own, part, want)
	for _, off := range f.CallOff {
		if err := CallOff(m.c, off.Piece, off.Why); err != nil {
			return err
		}
	}
	refit := func(p studio.Piece) error {
		p.ParentID = assembly.ID
		return m.refit(&p, it, part, m.plan(part, it))
	}
	for _, p := range f.Keep {
		keep := func(p studio.Piece) error { return m.replan(p, m.plan(part, it)) }
		if p.ParentID != assembly.ID { // what was part of an assembly stands alone now
			keep = refit
		}
		if err := keep(p); err != nil {
			return err
		}
	}
	for _, p := range f.Refit {
		if err := refit(p); err != nil {
			return err
		}
	}
	for range f.Missing {
		if k := adoptable(spare, part, it); k >= 0 {
			p := (*spare)[k]
			*spare = slices.Delete(*spare, k, k+1)
			if err := refit(p); err != nil {
				return err
			}
			continue
		}
		code := m.nextCode()
		if assembly.ID != 0 {
			code = studio.ChildCode(assembly.Code, m.codes)
		}
		p := studio.NewPiece(studio.KindPrint, code, m.o, it, part, m.plan(part, it))
		p.ParentID = assembly.ID
		if err := m.c.AddPiece(&p); err != nil {
			return err
		}
		m.codes = append(m.codes, p.Code)
		m.added++
	}
	return nil
}

// adoptable is where a spare print of a part stands that was printed as an item asks; −1 where
// there is none. One that only waits gives way to one with a label of its assembly's.
func adoptable(spare *[]studio.Piece, part studio.Part, it studio.Item) int {
	if spare == nil {
		return -1
	}
	return slices.IndexFunc(*spare, func(p studio.Piece) bool {
		return p.PartID == part.ID && p.Begun() && p.SameSpec(part, it)
	})
}

// trees makes an assembly for each copy of an item, over its prints.
func (m *maker) trees(it studio.Item) error {
	assemblies, err := m.assemblies(it)
	if err != nil {
		return err
	}
	var spare []studio.Piece
	for _, p := range m.pieces {
		if p.ItemID == it.ID && p.Live() && !studio.OneOf(p.Kind, studio.KindAssembly, studio.KindSpare) && p.ParentID == 0 {
			spare = append(spare, p)
		}
	}
	for _, a := range assemblies {
		for _, part := range it.Parts {
			if err := m.prints(it, part, a.PartsOf(m.pieces), a, &spare); err != nil {
				return err
			}
		}
	}
	return nil
}

// assemblies brings the assemblies of an item in line: one for each copy.
func (m *maker) assemblies(it studio.Item) (list []studio.Piece, err error) {
	for _, p := range m.pieces {
		if p.ItemID == it.ID && p.Live() && p.Kind == studio.KindAssembly {
			list = append(list, p)
		}
	}
	if list, err = m.atMost(list, it.Copies); err != nil {
		return nil, err
	}
	plan := m.h.AssemblyStages(it, m.items)
	for k := range list {
		a := &list[k]
		if a.AsAsked(it.Principal(), it) {
			err = m.replan(*a, plan)
		} else {
			err = m.refit(a, it, it.Principal(), plan)
		}
		if err != nil {
			return nil, err
		}
	}
	for len(list) < it.Copies {
		a := studio.NewPiece(studio.KindAssembly, m.nextCode(), m.o, it, it.Principal(), slices.Clone(plan))
		if err := m.c.AddPiece(&a); err != nil {
			return nil, err
		}
		m.codes, list = append(m.codes, a.Code), append(list, a)
	}
	return list, nil
}

// nextCode is the label of the order's next piece.
func (m *maker) nextCode() string {
	if m.numbered == 0 {
		m.numbered = studio.HighestCode(m.o.Number, m.codes)
	}
	m.numbered++
	return studio.CodeOf(m.o.Number, m.numbered)
}

// refit makes a piece what is asked of it now.
func (m *maker) refit(p *studio.Piece, it studio.Item, part studio.Part, plan []studio.Stage) error {
	var e studio.Entry
	*p, e = p.Refit(m.c.Act(), it, part, slices.Clone(plan))
	return save(m.c, *p, e)
}

// replan gives a piece that stays as it is the plan of today.
func (m *maker) replan(p studio.Piece, plan []studio.Stage) error {
	p, changed := p.Replan(slices.Clone(plan))
	if !changed {
		return nil
	}
	return errors.Join(m.c.SavePiece(p), m.c.SaveStages(&p))
}

// atMost calls off the pieces beyond a number with what they are made of, those that are the
// least far.
func (m *maker) atMost(list []studio.Piece, n int) ([]studio.Piece, error) {
	done := func(p studio.Piece) (n int) {
		for _, c := range append(p.PartsOf(m.pieces), p) {
			for _, s := range c.Stages {
				if s.Mark == route.Done {
					n++
				}
			}
		}
		return n
	}
	slices.SortStableFunc(list, func(a, b studio.Piece) int { return done(b) - done(a) })
	for ; len(list) > n; list = list[:len(list)-1] {
		last := list[len(list)-1]
		for _, p := range append(last.PartsOf(m.pieces), last) {
			if err := m.callOff(p, "the order wants fewer"); err != nil {
				return nil, err
			}
		}
	}
	return list, nil
}

// callOff takes a piece off the order, if it is not off already.
func (m *maker) callOff(p studio.Piece, why string) error {
	if !p.Live() {
		return nil
	}
	if at := slices.IndexFunc(m.pieces, func(o studio.Piece) bool { return o.ID == p.ID }); at >= 0 {
		m.pieces[at].State = studio.PieceOff
	}
	return CallOff(m.c, p, why)
}

// strays calls off what no item wants any more: prints of parts that were taken off, prints
// that no assembly took, assemblies of what is not joined any more.
func (m *maker) strays() error {
	now, err := m.c.PiecesOf(m.o.ID)
	if err != nil {
		return err
	}
	items, wanted := map[int64]studio.Item{}, map[int64]bool{}
	for _, it := range m.items {
		items[it.ID] = it
		for _, part := range it.Parts {
			wanted[part.ID] = true
		}
	}
	for _, p := range now {
		it, kept := items[p.ItemID]
		switch {
		case studio.OneOf(p.Kind, studio.ExtraKinds()...):
		case kept && !route.Printed(it.Tier):
			kept = false
		case !kept || !wanted[p.PartID]:
			kept = kept && p.Kind == studio.KindAssembly && it.Joined() // it may stand on other parts now
		case p.Kind == studio.KindSpare:
		case p.Kind == studio.KindAssembly:
			kept = it.Joined()
		case p.Kind == studio.KindPrint && it.Cast:
			kept = p.State != studio.Waiting && p.ParentID == 0
		case p.Kind == studio.KindPrint:
			kept = it.Joined() == (p.ParentID != 0)
		default:
			kept = it.Cast
		}
		if !p.Live() || kept {
			continue
		}
		if err := CallOff(m.c, p, "its item was taken off the order, or is made otherwise now"); err != nil {
			return err
		}
	}
	return nil
}

// gather brings the pieces of an order that are made of others in line with them.
func gather(c change.Change, orderID int64) error {
	all, err := c.PiecesOf(orderID)
	if err != nil {
		return err
	}
	for _, p := range all {
		if p, changed := p.Gather(all); changed {
			if err := c.SavePiece(p); err != nil {
				return err
			}
		}
	}
	return nil
}

// gatherOn does so where something is made of a piece.
func gatherOn(c change.Change, p studio.Piece) error {
	if feeds, err := feeds(c, p); err != nil || !feeds {
		return err
	}
	return gather(c, p.OrderID)
}

// feeds reports whether something may be made of a piece, or of what it replaces.
func feeds(c change.Change, p studio.Piece) (bool, error) {
	if p.ParentID != 0 || p.ReplacesID != 0 {
		return true, nil
	}
	return c.MadeOf(p.ID)
}

// WithModels gives each part its model, as it stands.
func WithModels(tx *store.Tx, items []studio.Item) ([]studio.Item, error) {
	items = slices.Clone(items)
	for i := range items {
		items[i].Parts = slices.Clone(items[i].Parts)
		for k := range items[i].Parts {
			p := &items[i].Parts[k]
			var err error
			if p.Model, err = tx.ModelOriented(p.ModelID, p.OrientationID); err != nil {
				return nil, err
			}
		}
	}
	return items, nil
}

// save writes a piece with its strip, and what happened to it.
func save(c change.Change, p studio.Piece, e studio.Entry) error {
	err := errors.Join(c.SavePiece(p), c.SaveStages(&p), c.Log(e))
	if err == nil && p.State != studio.AtBench { // nobody works on it any more
		err = stopAll(c, p.ID, c.Now)
	}
	return err
}

// CallOff takes a piece off its order; laid on a plate that has not started, it is lifted off
// first.
func CallOff(c change.Change, p studio.Piece, why string) error {
	if p.State == studio.OnPlate {
		pl, err := c.PlateOfPiece(p.ID)
		if err != nil {
			return err
		}
		if pl.State == studio.PlateLaid {
			var e studio.Entry
			if pl, p, e, err = pl.Lift(c.Act(), p); err != nil {
				return change.Refused(err)
			}
			if err := errors.Join(c.SavePlate(pl), c.Log(e)); err != nil {
				return err
			}
		}
	}
	p, e, err := p.CallOff(c.Act(), why)
	if err != nil {
		return change.Refused(err)
	}
	return errors.Join(c.SavePiece(p), c.Log(e))
}
