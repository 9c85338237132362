package models

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// Layers is a model cut into layers as it stands.
type Layers struct {
	Model   studio.Model // as it stands
	Turned  bool         // it does not stand as its file does
	LayerMM float64
	Figures []solid.Figures
	Largest int // the layer that cures most at once
	Region  int // the layer with the largest single region
	Islands []Island
	Gaps    int
	Raised  []solid.Cup // cups when it hangs on supports
	Flat    []solid.Cup // and when it lies flat on the plate
	Slicer  *solid.Slicer
}

// Island is a region that begins in mid-air; of several within a millimetre the first.
type Island struct {
	Layer int
	At    solid.Spot
}

// Layers cuts a model; without a thickness it takes that of the studio's first resin
// machine, 0.05 mm when there is none. Where that would be over 4,000 layers they are
// cut thicker. It waits for no longer than upTo; the cutting goes on by itself.
func (a *Room) Layers(ctx context.Context, modelID int64, layerMM float64, upTo time.Duration) (*Layers, error) {
	h, err := a.shop(ctx)
	if err != nil {
		return nil, err
	}
	var m studio.Model
	var orientation studio.Orientation
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		taken, err := tx.ChosenOrientation(modelID, process.Resin)
		if err == nil && taken != 0 {
			orientation, err = tx.Orientation(taken)
		}
		if err == nil {
			m, err = tx.ModelOriented(modelID, taken)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if layerMM == 0 {
		layerMM = usualLayerMM(h)
	}
	if !(layerMM >= 0.01 && layerMM <= 5) {
		return nil, change.Refuse("A layer is between 0.01 and 5 mm thick.")
	}
	layerMM = max(layerMM, m.PrintHeightMM()/4000)
	key := fmt.Sprintf("layers %s %v %g", m.SHA, orientation.Facts.Matrix, layerMM)
	cut, err := jobs.Ask(ctx, &a.answers, key, upTo, func(ctx context.Context) (*Layers, error) {
		soup, err := a.soupOf(m)
		if err != nil {
			return nil, err
		}
		whole := soup.Weld()
		if orientation.ID != 0 {
			whole = solid.Turned(whole, orientation.Facts.Matrix)
		}
		return cutLayers(ctx, whole, layerMM)
	})
	if err != nil {
		return nil, err
	}
	out := *cut // what was cut is shared; whose it is, is not
	out.Model, out.Turned = m, orientation.ID != 0
	return &out, nil
}

func cutLayers(ctx context.Context, m *mesh.Mesh, layerMM float64) (*Layers, error) {
	s := solid.NewSlicer(m, layerMM)
	l := &Layers{LayerMM: layerMM, Slicer: s}
	for _, part := range []func(){
		func() { l.Figures = s.Figures() },
		func() { l.Raised = solid.Cups(m, false) },
		func() { l.Flat = solid.Cups(m, true) },
	} {
		if err := ctx.Err(); err != nil { // nobody looks any more
			return nil, err
		}
		part()
	}
	for i, f := range l.Figures {
		if f.AreaMM2 > l.Figures[l.Largest].AreaMM2 {
			l.Largest = i
		}
		if f.LargestRegionMM2 > l.Figures[l.Region].LargestRegionMM2 {
			l.Region = i
		}
		l.Gaps += f.Gaps
		for _, at := range f.Loose {
			if !slices.ContainsFunc(l.Islands, func(o Island) bool { return near(o.At, at) }) {
				l.Islands = append(l.Islands, Island{i, at})
			}
		}
	}
	return l, nil
}

// near reports two places that one support would hold.
func near(a, b solid.Spot) bool {
	const reachMM = 1.0
	return math.Hypot(math.Hypot(a.X-b.X, a.Y-b.Y), a.Z-b.Z) <= reachMM
}

func usualLayerMM(h studio.Shop) float64 {
	for _, m := range h.Machines {
		if m.Process == process.Resin && m.Active && m.Figures.V("layer") > 0 {
			return m.Figures.V("layer")
		}
	}
	return 0.05
}
