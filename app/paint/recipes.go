package paint

import (
	"context"
	"errors"
	"image"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// mostLaid is how many coats a sheet lists at the most.
const mostLaid = 60

// RecipesSheet is every recipe, and what was laid where.
type RecipesSheet struct {
	Recipes []RecipeRow
	Known   []string // paints that the studio has named
	Letters string
	Was     []store.Was // what has these letters; empty letters: the last
}

// RecipeRow is a recipe on the list.
type RecipeRow struct {
	studio.Recipe
	LeftML float64 // mixed, and not used up
	Signed int     // orders for which it is signed off
	Asked  int     // swatches of which nobody has said anything
}

// Recipes returns them; letters are looked for in what was laid.
func (a *Room) Recipes(ctx context.Context, letters string) (s RecipesSheet, err error) {
	s.Letters = strings.TrimSpace(letters)
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		all, err := tx.Recipes()
		if err != nil {
			return err
		}
		swatches, err := tx.Swatches()
		if err != nil {
			return err
		}
		mixes, err := tx.Mixes()
		if err != nil {
			return err
		}
		s.Known = known(all)
		for _, r := range studio.NewestRecipes(all) {
			row := RecipeRow{Recipe: r}
			orders := map[int64]bool{}
			for _, w := range swatches {
				if w.RecipeID != r.ID {
					continue
				}
				if w.Verdict == "" {
					row.Asked++
				}
				if _, ok := studio.Signed(swatches, r.ID, w.OrderID); ok && w.OrderID != 0 && !orders[w.OrderID] {
					orders[w.OrderID] = true
					row.Signed++
				}
			}
			for _, m := range mixes {
				if m.RecipeID == r.ID {
					row.LeftML += m.LeftML
				}
			}
			s.Recipes = append(s.Recipes, row)
		}
		s.Was, err = tx.WasLaid(s.Letters, 0, mostLaid)
		return err
	})
	return s, err
}

// RecipeSheet is one recipe: what it is, what to mix of it, its swatches and where it was laid.
type RecipeSheet struct {
	studio.Recipe
	Versions []studio.Recipe // the newest first
	Wanted   []WantedMix
	ToMix    rates.Working // for all that is wanted
	LeftML   float64
	Mixes    []studio.Mix
	Swatches []SwatchRow
	Was      []store.Was
	Orders   []studio.Order // for which a swatch may be laid
	Known    []string       // paints that the studio has named
}

// WantedMix is what an order still takes of a recipe.
type WantedMix struct {
	Order  studio.Order
	Item   studio.Item
	Region studio.Region
	Pieces int
	MM2    float64 // of all of them
	ML     float64 // without what stays in the pot
}

// SwatchRow is a swatch with the order it is for.
type SwatchRow struct {
	studio.Swatch
	Version int
	Order   studio.Order
}

// Recipe returns one by its number.
func (a *Room) Recipe(ctx context.Context, number int) (s RecipeSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		all, err := tx.Recipes()
		if err != nil {
			return err
		}
		var ok bool
		if s.Recipe, ok = studio.RecipeOf(all, number); !ok {
			return store.ErrNotFound
		}
		s.Known = known(all)
		for _, r := range slices.Backward(all) {
			if r.Number == number {
				s.Versions = append(s.Versions, r)
			}
		}
		if s.Orders, err = tx.Orders(studio.OpenOrders()...); err != nil {
			return err
		}
		if s.Was, err = tx.WasLaid("", number, mostLaid); err != nil {
			return err
		}
		if err := s.tried(tx); err != nil {
			return err
		}
		return s.wanted(tx)
	})
	return s, err
}

// known are the paints and thinners that recipes name.
func known(all []studio.Recipe) (out []string) {
	for _, r := range all {
		for _, p := range r.Paints {
			out = append(out, p.Paint)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// tried finds the swatches and the mixes of a recipe.
func (s *RecipeSheet) tried(tx *store.Tx) error {
	swatches, err := tx.Swatches()
	if err != nil {
		return err
	}
	for _, w := range slices.Backward(swatches) {
		for _, v := range s.Versions {
			if w.RecipeID != v.ID {
				continue
			}
			row := SwatchRow{Swatch: w, Version: v.Version}
			if w.OrderID != 0 {
				if row.Order, err = tx.OrderByID(w.OrderID); err != nil {
					return err
				}
			}
			s.Swatches = append(s.Swatches, row)
		}
	}
	mixes, err := tx.Mixes()
	for _, m := range mixes {
		if slices.ContainsFunc(s.Versions, func(v studio.Recipe) bool { return v.ID == m.RecipeID }) {
			s.Mixes, s.LeftML = append(s.Mixes, m), s.LeftML+m.LeftML
		}
	}
	return err
}

// wanted works out how much of a recipe the pieces still take that are in work.
func (s *RecipeSheet) wanted(tx *store.Tx) error {
	h, err := setup.Load(tx)
	if err != nil {
		return err
	}
	regions, err := tx.RegionsOfRecipe(s.Number, studio.Accepted)
	if err != nil {
		return err
	}
	for _, r := range regions {
		items, err := tx.Items(r.OrderID)
		if err != nil {
			return err
		}
		pieces, err := tx.PiecesOf(r.OrderID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(items, func(it studio.Item) bool { return it.ID == r.ItemID })
		if at < 0 {
			continue
		}
		w := WantedMix{Region: r, Item: items[at]}
		for _, p := range pieces {
			if r.Of(p) && p.Live() && p.Wants(r.Stage) {
				w.Pieces, w.MM2 = w.Pieces+1, w.MM2+h.RegionOnMM2(w.Item, r, p)
			}
		}
		if w.Pieces == 0 {
			continue
		}
		if w.Order, err = tx.OrderByID(r.OrderID); err != nil {
			return err
		}
		w.ML = finish.CoatsML(h.Book, s.Laying(r.Coats), w.MM2)
		s.Wanted = append(s.Wanted, w)
	}
	s.ToMix = s.mixOf(h.Book)
	return nil
}

// mixOf is what all takes that is wanted, in one mix.
func (s *RecipeSheet) mixOf(b rates.Book) rates.Working {
	sum := 0.0
	w := rates.Working{Formula: "the sum of what each takes"}
	for _, x := range s.Wanted {
		sum += x.ML
		w.Inputs = append(w.Inputs, rates.Of(x.Region.Name+", "+x.Order.Title, x.ML, "ml", rates.Derived))
	}
	if pot := finish.PotML(b, s.Laying(1)); sum > 0 && pot > 0 {
		sum += pot
		w.Formula += " + what stays in pot and tool"
		w.Inputs = append(w.Inputs, b.Get("mix.pot"))
	}
	w.Result = rates.Of("to mix", sum, "ml", rates.Derived)
	return w
}

// SaveRecipe keeps a recipe; one that was laid, tried or mixed is kept as it was, and what is new of it is its next version. Number
// 0: a new one. Its At, where that is given, is when the sheet had it changed last.
func (a *Room) SaveRecipe(ctx context.Context, who change.Actor, r studio.Recipe) (studio.Recipe, error) {
	seen := r.At
	err := a.Do(ctx, who, func(c change.Change) error {
		if err := r.Check(); err != nil {
			return change.Refused(err)
		}
		all, err := c.Recipes()
		if err != nil {
			return err
		}
		what := "recipe changed"
		r.At, r.ByID = c.Now, who.ID
		if r.Number == 0 {
			what, r.ID, r.Version = "recipe made", 0, 1
			for _, o := range all {
				r.Number = max(r.Number, o.Number)
			}
			r.Number++
		} else {
			was, ok := studio.RecipeOf(all, r.Number)
			if !ok {
				return store.ErrNotFound
			}
			if !seen.IsZero() && !seen.Equal(was.At) {
				return change.Refuse("Somebody has changed %s meanwhile. Look at it again; what you typed is still on this sheet.",
					was.Name)
			}
			used, err := c.RecipeUsed(was.ID)
			if err != nil {
				return err
			}
			if r.ID, r.Version = was.ID, was.Version; used {
				r.ID, r.Version = 0, was.Version+1
			}
		}
		if err := c.SaveRecipe(&r); err != nil {
			return err
		}
		return c.Note(what, change.About{}, "%s, %s, version %d: %s", r.Code(), r.Name, r.Version, r.Text())
	})
	return r, err
}

// AddSwatch notes that a recipe was laid to be looked at, with a photograph that was kept, or none. Where nobody says its
// colour, the middle of the photograph does.
func (a *Room) AddSwatch(ctx context.Context, who change.Actor, number int, s studio.Swatch) (err error) {
	if s.PhotoSHA != "" && s.Colour == "" {
		if s.Colour, err = a.colourOf(s.PhotoSHA); err != nil {
			return err
		}
	}
	return a.Do(ctx, who, func(c change.Change) error {
		r, err := recipeOf(c.Tx, number)
		if err != nil {
			return err
		}
		s.RecipeID, s.At, s.ByID = r.ID, c.Now, who.ID
		if s.Over == "" {
			s.Over, s.OverColour = r.Over, r.OverColour
		}
		if err := change.Refused(s.Check()); err != nil {
			return err
		}
		if s.OrderID != 0 {
			if _, err := c.OrderByID(s.OrderID); err != nil {
				return err
			}
		}
		if s.PhotoSHA != "" {
			if _, err := a.NoteFile(c, s.PhotoSHA); err != nil {
				return err
			}
		}
		if err := c.SaveSwatch(&s); err != nil {
			return err
		}
		return c.Note("swatch laid", change.About{Order: s.OrderID}, "%s, %s, %s%s%s", r.Code(), r.Name, studio.Say(s.Coats, "coat"), over(s.Over), studio.Dash(s.Note))
	})
}

// recipeOf is the last version of a recipe.
func recipeOf(tx *store.Tx, number int) (studio.Recipe, error) {
	all, err := tx.Recipes()
	if err != nil {
		return studio.Recipe{}, err
	}
	if r, ok := studio.RecipeOf(all, number); ok {
		return r, nil
	}
	return studio.Recipe{}, store.ErrNotFound
}

// colourOf is the colour in the middle of a photograph that was kept.
func (a *Room) colourOf(sha string) (string, error) {
	f, err := a.Store.File(sha)
	if err != nil {
		return "", err
	}
	defer f.Close()
	picture, _, err := image.Decode(f)
	if err != nil {
		return "", err
	}
	return finish.MiddleOf(picture).Text(), nil
}

// over says what something lies on.
func over(ground string) string {
	if ground == "" {
		return ""
	}
	return " over " + ground
}

// JudgeSwatch notes what somebody said of a swatch.
func (a *Room) JudgeSwatch(ctx context.Context, who change.Actor, id int64, verdict, by, note string) error {
	return a.Do(ctx, who, func(c change.Change) error {
		s, err := c.Swatch(id)
		if err != nil {
			return err
		}
		if s, err = s.Judge(verdict, by, note, c.Now); err != nil {
			return change.Refused(err)
		}
		if err := c.SaveSwatch(&s); err != nil {
			return err
		}
		what := "swatch signed off"
		if verdict == studio.VerdictNo {
			what = "swatch refused"
		}
		all, err := c.Recipes()
		if err != nil {
			return err
		}
		at := slices.IndexFunc(all, func(r studio.Recipe) bool { return r.ID == s.RecipeID })
		return c.Note(what, change.About{Order: s.OrderID}, "%s, %s, by %s%s", all[at].Code(), all[at].Name, s.JudgedBy, studio.Dash(s.JudgedNote))
	})
}

// MixRecipe notes that so much of a recipe was mixed.
func (a *Room) MixRecipe(ctx context.Context, who change.Actor, number int, ml float64) error {
	return a.Do(ctx, who, func(c change.Change) error {
		r, err := recipeOf(c.Tx, number)
		if err != nil {
			return err
		}
		m := studio.Mix{RecipeID: r.ID, ML: ml, LeftML: ml, At: c.Now, ByID: who.ID}
		if err := change.Refused(m.Check()); err != nil {
			return err
		}
		return errors.Join(c.SaveMix(&m), c.Note("mixed", change.About{}, "%s, %s: %s ml", r.Code(), r.Name, rates.Number(ml)))
	})
}

// NoteMixLeft notes what is left of a mix; nothing: it is used up, dried or thrown away.
func (a *Room) NoteMixLeft(ctx context.Context, who change.Actor, id int64, leftML float64) error {
	return a.Do(ctx, who, func(c change.Change) error {
		m, err := c.Mix(id)
		if err != nil {
			return err
		}
		m.LeftML, m.Ended = leftML, leftML == 0
		if err := change.Refused(m.Check()); err != nil {
			return err
		}
		return errors.Join(c.SaveMix(&m), c.Note("mix measured", change.About{}, "%s ml left", rates.Number(leftML)))
	})
}
