package app

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

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

// cutModels remembers the last models that were cut: moving along the layers asks for
// one again and again.
type cutModels struct {
	mu   sync.Mutex
	list []*cutModel // the latest first
}

// cutModel is a model cut, or being cut until done is closed.
type cutModel struct {
	key    string
	done   chan struct{}
	layers *Layers
	err    error
}

// cutsKept is how many are remembered.
const cutsKept = 3

// ErrCutting says that a model is still being cut; ask again.
var ErrCutting = errors.New("it is being cut into layers")

// Layers cuts a model; without a thickness it takes that of the studio's first resin
// machine, 0.05 mm when there is none. Where that would be over 4,000 layers they are
// cut thicker. It waits for no longer than upTo; the cutting goes on by itself.
func (a *App) Layers(ctx context.Context, modelID int64, layerMM float64, upTo time.Duration) (*Layers, error) {
	h, err := a.Shop(ctx)
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
		return nil, refuse("A layer is between 0.01 and 5 mm thick.")
	}
	layerMM = max(layerMM, m.PrintHeightMM()/4000)
	c := a.cuts.take(fmt.Sprintf("%s %d %g", m.SHA, orientation.ID, layerMM), func() (*Layers, error) {
		soup, err := a.soupOf(m.SHA)
		if err != nil {
			return nil, err
		}
		whole := soup.Weld()
		if orientation.ID != 0 {
			whole = solid.Turned(whole, orientation.Facts.Matrix)
		}
		l := cutLayers(whole, layerMM)
		l.Model, l.Turned = m, orientation.ID != 0
		return l, nil
	})
	select {
	case <-c.done:
		return c.layers, c.err
	case <-time.After(upTo):
		return nil, ErrCutting
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// take finds a cut by its key, or begins it.
func (l *cutModels) take(key string, cut func() (*Layers, error)) *cutModel {
	l.mu.Lock()
	defer l.mu.Unlock()
	for i, c := range l.list {
		if c.key == key {
			l.list = append([]*cutModel{c}, slices.Delete(slices.Clone(l.list), i, i+1)...)
			return c
		}
	}
	c := &cutModel{key: key, done: make(chan struct{})}
	l.list = append([]*cutModel{c}, l.list[:min(len(l.list), cutsKept-1)]...)
	go func() {
		defer close(c.done)
		defer func() {
			if p := recover(); p != nil { // a broken model stops no other page
				c.err = fmt.Errorf("cutting: %v", p)
			}
		}()
		c.layers, c.err = cut()
	}()
	return c
}

func cutLayers(m *mesh.Mesh, layerMM float64) *Layers {
	s := solid.NewSlicer(m, layerMM)
	l := &Layers{LayerMM: layerMM, Figures: s.Figures(), Slicer: s, Raised: solid.Cups(m, false), Flat: solid.Cups(m, true)}
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
	return l
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
