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
	Raised  []solid.Cup     // cups when it hangs on supports
	Flat    []solid.Cup     // and when it lies flat on the plate
	Rings   []solid.Outline // of each layer, from the lower left of its box; none where they are too many to keep
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
	drawn := math.Hypot(m.Measures.SizeMM[0], m.Measures.SizeMM[1]) / drawnTo
	cut, err := jobs.Ask(ctx, &a.answers, key, upTo, func(ctx context.Context) (*Layers, error) {
		from, err := a.source(m.SHA, m.Name)
		if err != nil {
			return nil, err
		}
		l, err := layering.Run(ctx, a.queue.Apart, apart.LimitsFor(from.Bytes, readTime), m.Name, slicing{from, orientation.Facts.Matrix, layerMM, drawn}, silently)
		return &l, err
	})
	if err != nil {
		return nil, err
	}
	out := *cut // what was cut is shared; whose it is, is not
	out.Model, out.Turned = m, orientation.ID != 0
	return &out, nil
}

// drawnTo is what part of the diagonal of a layer its drawing may be off by: less than a pen's
// width on the sheet.
const drawnTo = 2000

// Bounds of what is kept of layers. Source: from memory.
const (
	mostCorners = 2_000_000
	mostIslands = 10_000
)

// slicing is the cutting of a model into layers.
type slicing struct {
	Source           source
	Turn             [9]float64 // how it stands; none for as the file does
	LayerMM, DrawnMM float64
}

func cutLayers(ctx context.Context, t slicing, _ apart.Told) (l Layers, err error) {
	soup, err := t.Source.soup()
	if err != nil {
		return l, err
	}
	m := solid.Whole(soup.Weld())
	if t.Turn != [9]float64{} {
		m = solid.Turned(m, t.Turn)
	}
	l.LayerMM = t.LayerMM
	for _, part := range []func(){
		func() { l.Figures, l.Rings = solid.NewSlicer(m, t.LayerMM).Drawn(t.DrawnMM) },
		func() { l.Raised = solid.Cups(m, false) },
		func() { l.Flat = solid.Cups(m, true) },
	} {
		if err := ctx.Err(); err != nil { // nobody looks any more
			return l, err
		}
		part()
	}
	corners := 0
	for _, o := range l.Rings {
		for _, r := range o {
			corners += len(r)
		}
	}
	if corners > mostCorners {
		l.Rings = nil
	}
	l.summarise()
	return l, nil
}

// summarise finds the layers that matter and the islands, and lets go of what they were found
// by.
func (l *Layers) summarise() {
	for i, f := range l.Figures {
		if f.AreaMM2 > l.Figures[l.Largest].AreaMM2 {
			l.Largest = i
		}
		if f.LargestRegionMM2 > l.Figures[l.Region].LargestRegionMM2 {
			l.Region = i
		}
		l.Gaps += f.Gaps
		for _, at := range f.Loose {
			if len(l.Islands) < mostIslands && !slices.ContainsFunc(l.Islands, func(o Island) bool { return near(o.At, at) }) {
				l.Islands = append(l.Islands, Island{i, at})
			}
		}
		l.Figures[i].Loose = nil
	}
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
