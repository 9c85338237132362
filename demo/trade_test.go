package demo

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/finish"
	"sakuji/core/mesh"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
	"sakuji/studio"
)

var update = flag.Bool("update", false, "write the README’s table of the trade again")

// commissioned is a commission of the trade's table, with what practice says of it.
type commissioned struct {
	Name, Asked, Like string
	Copies            int
	Tier, Route       string
	Standard          string
	Cast, Worn        bool
	Features          finish.Features
	Parts             []struct {
		Model   string
		Scale   float64
		Process string
		WallMM  float64 `json:"wall_mm"`
		CutInto int     `json:"cut_into"`
	}
	Expects []struct {
		Figure, Unit, Practice, Source string
		Low, High                      float64
	}
}

// shell is a shape as a wall of a thickness, its outside where the shape's is.
func shell(s shape, wall float64) shape {
	return func(p mesh.Vec) float64 { d := s(p); return math.Max(d, -d-wall) }
}

// tradeModels are what the trade's table is computed from, made here.
var tradeModels = map[string]func() *mesh.Soup{
	"gardener": func() *mesh.Soup { return carve(gardenerTorso(), torso.low, torso.high, 1.6) },
	"heron":    func() *mesh.Soup { return carve(heronBust(), heron.low, heron.high, heron.cell) },
	"snail":    func() *mesh.Soup { return carve(snailCourier(), snail.low, snail.high, snail.cell) },
	"horn": func() *mesh.Soup {
		horn := path(9, 1.5, v(0, 0, 2), v(0, 4, 25), v(3, 14, 50), v(8, 30, 70), v(10, 48, 80))
		return carve(orientation(horn), v(-12, -12, -1), v(16, 54, 86), 0.9)
	},
	"helmet": func() *mesh.Soup {
		dome := join(8, egg(v(0, 0, 150), v(112, 128, 130)), egg(v(0, -20, 80), v(96, 100, 95)))
		visor := block(v(0, -125, 130), v(70, 50, 22), 8)
		crest := join(2, block(v(0, 20, 272), v(5, 80, 14), 3))
		h := cut(join(3, cut(shell(dome, 3.2), visor), crest), drum(v(0, 0, -40), 300, 48))
		return carve(h, v(-125, -140, -2), v(125, 140, 292), 2.6)
	},
	"dagger": func() *mesh.Soup {
		d := join(1, block(v(0, 0, 145), v(13, 3, 95), 2), block(v(0, 0, 48), v(34, 7, 7), 3), limb(v(0, 0, 4), v(0, 0, 44), 9, 8), ball(v(0, 0, 2), 11))
		return carve(d, v(-38, -14, -12), v(38, 14, 244), 1.3)
	},
	"sword": func() *mesh.Soup {
		d := join(2, block(v(0, 0, 600), v(24, 6, 400), 4), block(v(0, 0, 190), v(90, 12, 14), 6), limb(v(0, 0, 20), v(0, 0, 180), 15, 13), ball(v(0, 0, 16), 24))
		return carve(d, v(-96, -28, -12), v(96, 28, 1004), 3)
	},
	"vehicle": func() *mesh.Soup {
		body := join(3, block(v(0, 0, 26), v(125, 50, 18), 5), block(v(-10, 0, 54), v(70, 44, 16), 7))
		var windows, wheels []shape
		for i := range 4 {
			windows = append(windows, block(v(-55+30*float64(i), 0, 56), v(11, 60, 8), 2))
		}
		for _, x := range []float64{-78, -28, 28, 78} {
			wheels = append(wheels, mirroredY(func(p mesh.Vec) float64 { return drum(v(x, 16, 42), 15, 9)(v(p.X, p.Z, p.Y)) }))
		}
		trim := join(0.5, block(v(118, 0, 30), v(9, 40, 5), 1), block(v(-118, 0, 30), v(9, 40, 5), 1), mirroredY(block(v(0, 51, 30), v(110, 2, 2), 0.8)))
		return carve(orientation(join(0.8, cut(body, windows...), trim, join(1, wheels...))), v(-130, -56, -1), v(130, 56, 74), 1.8)
	},
	"plate": func() *mesh.Soup { // of a breast, a thigh, a shoulder: about 12 dm² outside
		dome := egg(v(0, 0, 0), v(150, 90, 210))
		return carve(cut(shell(dome, 3), block(v(0, 120, 0), v(300, 120, 300), 1), block(v(0, 0, -250), v(400, 400, 100), 1)), v(-156, -96, -152), v(156, 4, 216), 3.2)
	},
	"medallion": func() *mesh.Soup {
		m := cut(join(0.5, drum(v(0, 0, 0), 23, 4.2), ring(v(0, 0, 4.2), v(0, 0, 1), 21, 1.2), egg(v(0, 0, 4), v(11, 8, 1.6))), ring(v(0, 19, 2), v(0, 0, 1), 0.5, 1.6))
		return carve(m, v(-25, -25, -0.5), v(25, 25, 7), 0.45)
	},
}

// tradeModel makes and measures one; a hollowed one is hollowed by the studio's own means.
func tradeModel(t *testing.T, name string, known map[string]studio.Model) studio.Model {
	if m, ok := known[name]; ok {
		return m
	}
	base, hollow := strings.CutSuffix(name, ", hollow")
	carved, ok := tradeModels[base]
	require.True(t, ok, name)
	soup := carved()
	if hollow {
		h, err := solid.Hollow(soup.Weld(), 2/1.4, solid.Drains{Count: 2, DiameterMM: 4 / 1.4})
		require.NoError(t, err)
		soup = h.Mesh.Soup("stl")
	}
	m := studio.Model{ID: int64(len(known) + 1), Name: name}
	m.Measures, m.Shape = studio.MeasureModel(soup)
	require.True(t, m.Measures.Watertight, name)
	known[name] = m
	return m
}

// figure is what is looked at of an estimate.
func (c commissioned) figure(t *testing.T, what string, e, like studio.Estimated) float64 {
	minutes := func(of func(route.StageKind) bool) (sum float64) {
		for _, p := range e.Job.Parts {
			for _, w := range p.Work {
				if of(w.Kind) {
					sum += w.Minutes * float64(p.Copies)
				}
			}
		}
		return sum
	}
	kinds := func(list ...route.StageKind) func(route.StageKind) bool {
		return func(k route.StageKind) bool { return studio.OneOf(k, list...) }
	}
	supply := func(key string) (amount float64) {
		for _, p := range e.Job.Parts {
			for _, s := range p.Supplies {
				if s.Key == key {
					amount += s.Amount * float64(p.Copies)
				}
			}
		}
		return amount
	}
	switch what {
	case "paint":
		return minutes(func(k route.StageKind) bool { return k.Traits().Wage == "wage.paint" }) / 60
	case "sanding":
		return minutes(kinds(route.Sand))
	case "smoothing":
		return minutes(kinds(route.Sand, route.Fill, route.Prime)) / 60
	case "washing and stripping":
		return minutes(kinds(route.Wash, route.RemoveSupports))
	case "brushing the skin":
		return minutes(kinds(route.Skin))
	case "resin of the skin":
		return supply("skin")
	case "putty":
		return supply("putty") / 200
	case "hands":
		if c.Like != "" {
			return e.HandsMinutes / like.HandsMinutes
		}
		return e.HandsMinutes / 60
	case "machine":
		return e.MachineMinutes / 60
	case "run":
		return e.Job.Parts[0].RunMinutes / 60
	}
	t.Fatalf("%s: no figure %q", c.Name, what)
	return 0
}

// The trade's table: commissions computed end to end from meshes, by the book a new studio
// starts with, each within what practice says (TRADE.md; "memory" is our own range).
func TestTradesTable(t *testing.T) {
	data, err := os.ReadFile("../core/quote/testdata/trade.json")
	require.NoError(t, err)
	var list []commissioned
	require.NoError(t, json.Unmarshal(data, &list))
	h := studio.Shop{Book: rates.Starting(), Studio: studio.Studio{Currency: "EUR"}}
	for i, k := range h.Book.Machines {
		h.Machines = append(h.Machines, studio.Machine{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	for i, k := range h.Book.Materials {
		h.Materials = append(h.Materials, studio.Material{ID: int64(i + 1), Name: k.Name, Process: k.Process, Figures: k.Figures, Active: true})
	}
	models, done := map[string]studio.Model{}, map[string]studio.Estimated{}
	table := "| commission | asked | we say | practice says | the test holds it within |\n|---|---|---|---|---|\n"
	for _, c := range list {
		it := studio.Item{ID: 1, Title: c.Name, Tier: c.Tier, Copies: max(1, c.Copies), Scale: 1}
		it.FinishRoute, it.Features, it.Standard, it.Cast = c.Route, c.Features, c.Standard, c.Cast
		if c.Worn {
			it.Rule.By = studio.ByHead
		}
		for k, p := range c.Parts {
			m := tradeModel(t, p.Model, models)
			if p.Scale > 0 {
				it.Scale = p.Scale
			}
			it.Parts = append(it.Parts, studio.Part{ID: int64(k + 1), Name: p.Model, ModelID: m.ID, Model: m, Copies: 1, Process: p.Process, WallMM: p.WallMM, CutInto: p.CutInto})
		}
		require.NoError(t, it.Check(), c.Name)
		e := h.Estimate(it)
		done[c.Name] = e
		for _, x := range c.Expects {
			var got float64
			if x.Figure == "cheaper to cast from" {
				got = float64(h.CastFrom(it, 0))
			} else {
				got = c.figure(t, x.Figure, e, done[c.Like])
			}
			assert.True(t, got >= x.Low && got <= x.High, "%s, %s: %.3g %s; practice says %s (%g–%g)", c.Name, x.Figure, got, x.Unit, x.Practice, x.Low, x.High)
			table += fmt.Sprintf("| %s | %s | %s: %s %s; costs %s | %s `[%s]` | %g–%g %s |\n", c.Name, c.Asked, x.Figure, rates.Number(math.Round(got*100)/100), x.Unit, h.Studio.Money(e.CostMinor), x.Practice, x.Source, x.Low, x.High, x.Unit)
		}
	}
	inReadme(t, table)
}

// inReadme checks that the README shows the table as it is, or writes it there.
func inReadme(t *testing.T, table string) {
	const begin, end = "<!-- the trade’s table -->\n", "<!-- to here -->\n"
	data, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	before, rest, found := strings.Cut(string(data), begin)
	_, after, closed := strings.Cut(rest, end)
	require.True(t, found && closed, "the README has a place for the table")
	want := before + begin + table + end + after
	if *update {
		require.NoError(t, os.WriteFile("../README.md", []byte(want), 0o644))
		return
	}
	assert.Equal(t, want, string(data), "go test ./demo -run TradesTable -update writes it again")
}
