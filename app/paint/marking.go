package paint

import (
	"context"
	"io"
	"slices"
	"sync"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/core/surface"
	"sakuji/store"
	"sakuji/studio"
)

// surfaces are those of the models that were marked last, by the file that is turned.
type surfaces struct {
	mu   sync.Mutex
	list []namedSurface
}

type namedSurface struct {
	sha string
	*surface.Surface
}

// mostSurfaces is how many are kept ready.
const mostSurfaces = 3

// of is the surface of a file, made ready once.
func (s *surfaces) of(sha string, read func() ([]byte, error)) (*surface.Surface, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, n := range s.list {
		if n.sha == sha {
			return n.Surface, nil
		}
	}
	data, err := read()
	if err != nil {
		return nil, err
	}
	m, err := models.MeshOfView(data)
	if err != nil {
		return nil, change.Refuse("%s", studio.UpperFirst(err.Error()))
	}
	fresh := namedSurface{sha, surface.Of(m)}
	s.list = append([]namedSurface{fresh}, s.list[:min(len(s.list), mostSurfaces-1)]...)
	return fresh.Surface, nil
}

// MarkSheet is a region with the model on which it is marked.
type MarkSheet struct {
	Order  studio.Order
	Item   studio.Item
	Part   studio.Part
	Region studio.Region
	Recipe studio.Recipe
	View   string // what a browser turns; empty: nobody has looked closely at the model yet
}

// MarkSheet returns it; of an item in several parts, the region says on which it is, else it is on the first.
func (a *Room) MarkSheet(ctx context.Context, number string, id int64) (s MarkSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Order, err = tx.Order(number); err != nil {
			return err
		}
		regions, err := tx.RegionsOf(s.Order.ID)
		if err != nil {
			return err
		}
		items, err := tx.Items(s.Order.ID)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(regions, func(r studio.Region) bool { return r.ID == id })
		if at < 0 {
			return store.ErrNotFound
		}
		s.Region = regions[at]
		for _, it := range items {
			if it.ID == s.Region.ItemID {
				s.Item = it
			}
		}
		for _, p := range s.Item.Parts {
			if p.ID == s.Region.PartID || s.Region.PartID == 0 && s.Part.ID == 0 {
				s.Part = p
			}
		}
		if s.Part.ID == 0 {
			return change.Refuse("%s has no model to be marked on. Say how much of it the region is.", s.Item.Title)
		}
		recipes, err := tx.Recipes()
		if err != nil {
			return err
		}
		s.Recipe, _ = studio.RecipeOf(recipes, s.Region.RecipeNumber)
		analysis, err := tx.Analysis(s.Part.ModelID)
		if change.NotFound(err) {
			return nil
		}
		s.View = analysis.ViewSHA
		return err
	})
	return s, err
}

// Try says what marks have of the model of a region.
func (a *Room) Try(ctx context.Context, number string, id int64, marks []surface.Mark, mirror string) (studio.Marking, error) {
	s, err := a.MarkSheet(ctx, number, id)
	if err != nil {
		return studio.Marking{}, err
	}
	m, _, err := a.marked(s, marks, mirror)
	return m, err
}

func (a *Room) marked(s MarkSheet, marks []surface.Mark, mirror string) (studio.Marking, *surface.Surface, error) {
	if s.View == "" {
		return studio.Marking{}, nil, change.Refuse("%s is still being looked at closely: come back in a moment.", s.Part.Name)
	}
	on, err := a.surfaces.of(s.View, func() ([]byte, error) {
		f, err := a.Store.File(s.View)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return io.ReadAll(f)
	})
	if err != nil {
		return studio.Marking{}, nil, err
	}
	m, err := studio.Marked(on, marks, mirror)
	return m, on, change.Refused(err)
}

// MarkRegion keeps how a region is marked on its model; no marks: it goes by its share again.
func (a *Room) MarkRegion(ctx context.Context, who change.Actor, number string, id int64, marks []surface.Mark, mirror string) error {
	s, err := a.MarkSheet(ctx, number, id)
	if err != nil {
		return err
	}
	m, _, err := a.marked(s, marks, mirror)
	if err != nil {
		return err
	}
	return a.onRegion(ctx, who, number, s.Item.ID, id, func(c change.Change, it studio.Item, regions []studio.Region, at int) error {
		r := regions[at]
		r.PartID, r.Marks, r.Mirror, r.AreaMM2, r.EdgeMM = s.Part.ID, marks, mirror, m.AreaMM2, m.EdgeMM
		if m.Triangles == 0 {
			r.Marks, r.Mirror, r.AreaMM2 = nil, "", 0
		}
		if err := c.SaveRegion(&r); err != nil {
			return err
		}
		return c.Note("paint planned", change.About{Order: it.OrderID}, "%s, %s: marked on the model. %s", it.Title, r.Name, m.Text())
	})
}

// Masks are the patterns of a region to cut from tape, at the item's size: each as it lies on the model, the largest
// first.
func (a *Room) Masks(ctx context.Context, number string, id int64) (s MarkSheet, patterns []surface.Pattern, err error) {
	if s, err = a.MarkSheet(ctx, number, id); err != nil {
		return s, nil, err
	}
	if len(s.Region.Marks) == 0 {
		return s, nil, change.Refuse("%s is not marked on its model yet: mark it, then its masks can be cut.", studio.UpperFirst(s.Region.Name))
	}
	m, on, err := a.marked(s, s.Region.Marks, s.Region.Mirror)
	if err != nil {
		return s, nil, err
	}
	patterns, err = on.Flatten(m.In)
	if err != nil {
		return s, nil, change.Refuse("%s: %s. No pattern was drawn.", studio.UpperFirst(s.Region.Name), err)
	}
	for k := range patterns {
		patterns[k] = patterns[k].Scaled(s.Item.Scale)
	}
	return s, patterns, nil
}
