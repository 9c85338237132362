package pieces

import (
	"context"
	"slices"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// ToPaint is a region of a piece's paint plan, at the stage that is next.
type ToPaint struct {
	studio.Region
	Recipe studio.Recipe
	ML     float64 // that it takes here, without what stays in the pot
	LeftML float64 // of it that is mixed
	Laid   int     // coats that lie there already
	Warns  string  // what this pair of coats did before
}

// regionsAt are the regions of a piece that a stage paints.
func regionsAt(tx *store.Tx, p studio.Piece, kind route.StageKind) ([]studio.Region, error) {
	if !studio.OneOf(kind, studio.PaintStages()...) && kind != route.JoinAfter {
		return nil, nil
	}
	regions, err := tx.Regions(p.ItemID)
	return slices.DeleteFunc(regions, func(r studio.Region) bool { return !r.Of(p) || r.Stage != kind && kind != route.JoinAfter }), err
}

// painting finds what the next stage of a piece paints, with what was laid on it before.
func (s *PieceSheet) painting(tx *store.Tx, h studio.Shop) error {
	p, kind := s.Piece, s.Kind()
	if err := s.laid(tx); err != nil {
		return err
	}
	if p.State != studio.AtBench {
		return nil
	}
	if err := s.firstCoat(tx); err != nil {
		return err
	}
	regions, err := regionsAt(tx, p, kind)
	if err != nil || len(regions) == 0 || kind == route.JoinAfter {
		return err
	}
	items, err := tx.Items(p.OrderID)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == p.ItemID })
	if at < 0 {
		return nil
	}
	mixes, err := tx.Mixes()
	if err != nil {
		return err
	}
	bad, err := tx.BadPairs()
	for _, r := range regions {
		one := ToPaint{Region: r}
		one.Recipe, _ = studio.RecipeOf(s.Recipes, r.RecipeNumber)
		one.ML = finish.CoatsML(h.Book, one.Recipe.Laying(r.Coats), h.RegionOnMM2(items[at], r, p))
		for _, m := range mixes {
			if m.RecipeID == one.Recipe.ID {
				one.LeftML += m.LeftML
			}
		}
		for _, l := range s.Laid {
			if l.Region == r.Name {
				one.Laid += l.Coats
			}
			if one.Warns == "" {
				one.Warns = studio.Warns(bad, l.Number, r.RecipeNumber)
			}
		}
		s.ToPaint = append(s.ToPaint, one)
	}
	return err
}

// laid finds what was laid on a piece, and the recipes that can be laid.
func (s *PieceSheet) laid(tx *store.Tx) (err error) {
	all, err := tx.Recipes()
	if err != nil {
		return err
	}
	s.Recipes = studio.NewestRecipes(all)
	s.Laid, err = tx.LaidOn(s.Piece.ID)
	return err
}

// firstCoat finds what is still open before the first coat of colour: questions to the client.
func (s *PieceSheet) firstCoat(tx *store.Tx) (err error) {
	if kind := s.Kind(); kind != route.Base && kind != route.Spray {
		return nil
	}
	points, err := tx.Points(s.Piece.OrderID)
	for _, p := range points {
		if p.Open() && p.Kind == studio.Question {
			s.Questions = append(s.Questions, p)
		}
	}
	return err
}

// lay notes what was laid at a stage that has just been stamped, takes it from what is mixed, and says what of it dries
// the slowest, and how many times as thick as the rate book has it that is.
func lay(c change.Change, p studio.Piece, at int, st studio.Stamp) (medium route.Medium, film float64, err error) {
	if err := change.Refused(st.Also.Check()); err != nil {
		return "", 0, err
	}
	regions, err := regionsAt(c.Tx, p, p.Stages[at].Kind)
	if err != nil || p.Stages[at].Kind == route.JoinAfter || len(regions)+len(st.Laid) == 0 && st.Also.Number == 0 {
		return "", 0, err
	}
	for id, coats := range st.Laid {
		if coats > 0 && !slices.ContainsFunc(regions, func(r studio.Region) bool { return r.ID == id }) {
			return "", 0, change.Refuse("The paint plan of %s has changed meanwhile. Look at the sheet again; nothing was stamped.", p.Code)
		}
	}
	h, err := setup.Bare(c.Tx)
	if err != nil {
		return "", 0, err
	}
	l := laying{Change: c, piece: p, at: at, shop: h}
	if l.recipes, err = c.Recipes(); err != nil {
		return "", 0, err
	}
	for _, r := range regions {
		coats := r.Coats
		if st.Laid != nil {
			coats = st.Laid[r.ID]
		}
		if coats < 0 || coats > 30 {
			return "", 0, change.RefuseField("laid", "%s: between 0 and 30 coats. Nothing was stamped.", r.Name)
		}
		if err := l.region(r, coats); err != nil {
			return "", 0, err
		}
	}
	if st.Also.Number != 0 {
		recipe, ok := studio.RecipeOf(l.recipes, st.Also.Number)
		if !ok {
			return "", 0, change.RefuseField("also", "There is no such recipe. Nothing was stamped.")
		}
		if err := l.coat(recipe, st.Also.Region, st.Also.Coats, 0); err != nil {
			return "", 0, err
		}
	}
	medium, film = studio.SlowestOf(h.Book, l.laid)
	return medium, film, nil
}

// laying is what is laid on a piece at a stage.
type laying struct {
	change.Change
	piece   studio.Piece
	at      int
	shop    studio.Shop
	recipes []studio.Recipe
	items   []studio.Item
	laid    []studio.Recipe
}

// region notes coats of a region.
func (l *laying) region(r studio.Region, coats int) (err error) {
	recipe, ok := studio.RecipeOf(l.recipes, r.RecipeNumber)
	if !ok || coats == 0 {
		return nil
	}
	if l.items == nil {
		if l.items, err = l.Items(l.piece.OrderID); err != nil {
			return err
		}
	}
	mm2 := 0.0
	for _, it := range l.items {
		if it.ID == r.ItemID {
			mm2 = l.shop.RegionOnMM2(it, r, l.piece)
		}
	}
	return l.coat(recipe, r.Name, coats, mm2)
}

// coat notes coats of a recipe.
func (l *laying) coat(r studio.Recipe, region string, coats int, mm2 float64) error {
	l.laid = append(l.laid, r)
	one := studio.Laid{PieceID: l.piece.ID, Position: l.at, RecipeID: r.ID, Region: region, Coats: coats, ML: finish.CoatsML(l.shop.Book, r.Laying(coats), mm2), At: l.piece.Stages[l.at].Done, ByID: l.Act().PersonID}
	if err := takeMixed(l.Change, &one); err != nil {
		return err
	}
	return l.AddLaid(&one)
}

// takeMixed takes what was laid from the oldest pot of it that has some; where none has, nobody mixed it here.
func takeMixed(c change.Change, l *studio.Laid) error {
	mixes, err := c.Mixes()
	for _, m := range slices.Backward(mixes) {
		if err == nil && l.ML > 0 && m.RecipeID == l.RecipeID && m.LeftML > 0 {
			l.MixID = m.ID
			m.LeftML = max(0, m.LeftML-l.ML)
			return c.SaveMix(&m)
		}
	}
	return err
}

// unlay takes back what was laid from a stage on that is open again; what was taken of a pot that is still there goes
// back.
func unlay(c change.Change, p studio.Piece, from int) error {
	laid, err := c.Laid(p.ID)
	if err != nil {
		return err
	}
	for _, l := range laid {
		if l.Position < from || l.MixID == 0 {
			continue
		}
		m, err := c.Mix(l.MixID)
		if err != nil {
			return err
		}
		if m.LeftML = min(m.ML, m.LeftML+l.ML); m.Ended {
			continue
		}
		if err := c.SaveMix(&m); err != nil {
			return err
		}
	}
	return c.DropLaid(p.ID, from)
}

// MixLine is what pieces that are painted together take of a recipe.
type MixLine struct {
	Recipe studio.Recipe
	ML     float64 // with what stays in pot and tool
	LeftML float64 // that is mixed
	Pieces int
}

// ToMix is what the next stage of pieces takes, recipe by recipe, mixed once for all of them.
func (a *Room) ToMix(ctx context.Context, rows []BenchRow) (out []MixLine, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		recipes, err := tx.Recipes()
		if err != nil || len(recipes) == 0 {
			return err
		}
		h, err := setup.Load(tx)
		if err != nil {
			return err
		}
		mixes, err := tx.Mixes()
		if err != nil {
			return err
		}
		for _, row := range rows {
			now := row.Now()
			if now == nil || now.Kind == route.JoinAfter {
				continue
			}
			regions, err := regionsAt(tx, row.Piece, now.Kind)
			if err != nil || len(regions) == 0 {
				continue
			}
			items, err := tx.Items(row.OrderID)
			if err != nil {
				return err
			}
			item := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == row.ItemID })
			for _, r := range regions {
				own, ok := studio.RecipeOf(recipes, r.RecipeNumber)
				if !ok || item < 0 {
					continue
				}
				at := slices.IndexFunc(out, func(m MixLine) bool { return m.Recipe.ID == own.ID })
				if at < 0 {
					at = len(out)
					out = append(out, MixLine{Recipe: own})
					out[at].ML = finish.PotML(h.Book, own.Laying(1))
					for _, m := range mixes {
						if m.RecipeID == own.ID {
							out[at].LeftML += m.LeftML
						}
					}
				}
				out[at].ML += finish.CoatsML(h.Book, own.Laying(r.Coats), h.RegionOnMM2(items[item], r, row.Piece))
				out[at].Pieces++
			}
		}
		return nil
	})
	return out, err
}
