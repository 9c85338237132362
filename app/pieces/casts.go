package pieces

import (
	"slices"

	"sakuji/studio"
)

// casts makes what the copies of an item are cast in: one print of each part, moulds of it, and
// the castings in their rounds, under their assemblies where they are joined. Copies that were
// printed before stay.
func (m *maker) casts(it studio.Item) error {
	under := func(studio.Part, int) studio.Piece { return studio.Piece{} }
	if it.Joined() {
		assemblies, err := m.assemblies(it)
		if err != nil {
			return err
		}
		under = func(part studio.Part, k int) studio.Piece { return assemblies[min(k/part.Copies, len(assemblies)-1)] }
	}
	none := func(int) studio.Piece { return studio.Piece{} }
	for _, part := range it.Parts {
		plan := m.h.CastPlan(part, it, m.items)
		own, want, err := m.castOf(part, it)
		if err != nil {
			return err
		}
		masters := own[studio.KindMaster]
		if len(masters) > 0 || want > 0 {
			if masters, err = m.round(studio.KindMaster, it, part, masters, 1, plan.Master, func(int) int64 { return 0 }, none); err != nil {
				return err
			}
		}
		moulds, err := m.round(studio.KindMould, it, part, own[studio.KindMould], (want+plan.Life-1)/plan.Life, plan.Mould, func(int) int64 { return masters[0].ID }, none)
		if err != nil {
			return err
		}
		if _, err := m.round(studio.KindCast, it, part, own[studio.KindCast], want, plan.Copy, func(k int) int64 { return moulds[k/plan.Life].ID }, func(k int) studio.Piece { return under(part, k) }); err != nil {
			return err
		}
	}
	return nil
}

// castOf is what there is of a part that is cast, and how many castings it wants. What was made
// as the item was ordered before is called off; a print to cast that is lost stays the one until
// that is settled.
func (m *maker) castOf(part studio.Part, it studio.Item) (own map[studio.PieceKind][]studio.Piece, want int, err error) {
	own, want = map[studio.PieceKind][]studio.Piece{}, part.Copies*it.Copies
	for _, p := range m.pieces {
		switch {
		case p.PartID != part.ID || p.Kind == studio.KindAssembly || p.ParentID != 0 && p.Kind != studio.KindCast:
		case p.Live() && p.Begun() && !p.SameSpec(part, it):
			if err := m.callOff(p, "it was made as it was ordered before"); err != nil {
				return nil, 0, err
			}
		case p.Kind == studio.KindPrint && (p.Live() && p.State != studio.Waiting || p.State == studio.LeftOut || p.Short(m.pieces)):
			want--
		case p.Live(), p.Kind == studio.KindMaster && p.Short(m.pieces):
			own[p.Kind] = append(own[p.Kind], p)
		}
	}
	return own, max(0, want), nil
}

// round brings what a part is cast in and of to a number, as it is asked for now; from says what
// each is made of, and under what it becomes part of.
func (m *maker) round(kind studio.PieceKind, it studio.Item, part studio.Part, own []studio.Piece, n int, plan []studio.Stage, from func(k int) int64, under func(k int) studio.Piece) ([]studio.Piece, error) {
	own, err := m.atMost(own, n)
	if err != nil {
		return nil, err
	}
	for k := range own {
		p := &own[k]
		lost := p.Sourceless(m.pieces)
		if lost {
			p.FromID = from(k)
		}
		moved := p.ParentID != under(k).ID
		p.ParentID = under(k).ID
		if p.Live() && (lost || moved || !p.AsAsked(part, it)) {
			if err := m.refit(p, it, part, plan); err != nil {
				return nil, err
			}
		} else if err := m.replan(*p, plan); err != nil {
			return nil, err
		}
	}
	for k := len(own); k < n; k++ {
		code := ""
		if a := under(k); a.ID != 0 {
			code = studio.ChildCode(a.Code, m.codes)
		} else {
			code = m.nextCode()
		}
		p := studio.NewPiece(kind, code, m.o, it, part, slices.Clone(plan))
		p.FromID, p.ParentID = from(k), under(k).ID
		if err := m.c.AddPiece(&p); err != nil {
			return nil, err
		}
		m.codes, own = append(m.codes, p.Code), append(own, p)
		if kind == studio.KindMaster {
			m.added++
		}
	}
	return own, nil
}
