package foam

import (
	"math"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/solid"
)

// Name is a process that the program does not bring: a hot wire cuts slabs of foam, layer by layer, which are stacked.
const Name = "foam"

// cutter is all of it: a block is cut slab by slab, along the rim of each, and put together by hand.
var cutter = process.Kind{
	Name:        Name,
	After:       []route.StageKind{route.CutOut, route.Glue},
	LayerMM:     [2]float64{5, 60},
	ClearanceMM: [2]float64{0.5, 1},
	CutGapMM:    0.8,
	Wishes:      solid.Wishes{Time: 1},
	Smooth:      "putty",
	FirstPaper:  80,

	Failure: "failure.foam", LeastWall: "wall.foam", MostHours: "foam.hours",
	Before:  "Wire taut, block square on the table, extraction on. Fumes: air.",
	AtPlate: "The wire burns and its fumes harm: extraction on, let it cool.",
	Checks:  []process.Check{{Key: "wire", Text: "wire taut"}, {Key: "block", Text: "%s g of foam on the table"}},
	Faults: []process.Fault{{Sign: "wire broke", Do: "Put a new wire in, and slow it down.",
		Changes: []string{"new wire", "slower cut"}, Loses: "the slab", Whose: process.Machines}},

	Print: func(j process.Job) process.Print {
		slabs := math.Ceil(j.Shape.HeightMM / j.Machine.V("slab"))
		rimMM := 0.0
		for i := range int(slabs) {
			rimMM += j.Shape.Profile.At((float64(i) + 0.5) * j.Shape.HeightMM / slabs).PerimeterMM
		}
		grams := process.Grams(j.Shape.VolumeMM3, j.Material.V("density"))
		return process.Print{Grams: grams, Minutes: slabs*j.Machine.V("change") + rimMM/j.Machine.V("wire_speed")/60,
			HeightMM: j.Shape.HeightMM,
			Inputs:   []rates.Figure{rates.Of("slabs", slabs, "slabs", rates.Derived), j.Material["density"]}}
	},
	Run: func(rates.Set) func([]process.Print) float64 { return sum },
	Working: func(machine rates.Set, prints []process.Print) rates.Working {
		return rates.Working{Formula: "each piece, slab by slab: change + rim ÷ speed of the wire",
			Inputs: []rates.Figure{machine["change"], machine["wire_speed"]},
			Result: rates.Of("run", sum(prints), "min", rates.Derived)}
	},
	Each: func(_ rates.Set, p process.Print, _ float64) (float64, []rates.Figure) { return p.Minutes, nil },
	Layers: func(machine rates.Set, tallestMM float64) int {
		return int(math.Ceil(tallestMM / machine.V("slab")))
	},
}

func sum(prints []process.Print) (minutes float64) {
	for _, p := range prints {
		minutes += p.Minutes
	}
	return minutes
}

// brings is what it has in the rate book.
var brings = rates.Book{
	Rates: []rates.Entry{
		{Key: "failure.foam", Group: "Machines", Figure: rates.Of("foam cuts that fail, per hour of run", 0.02, "1/h", rates.Memory),
			Max: 1},
		{Key: "wall.foam", Group: "Machines", Figure: rates.Of("least wall that foam cuts well", 4, "mm", rates.Memory)},
		{Key: "foam.hours", Group: "Machines", Figure: rates.Of("hours of foam on one table at most", 10, "h", rates.Memory)},
	},
	Machines: []rates.Template{{Name: "Hot wire table", Process: Name, Figures: rates.Set{
		"width": rates.Of("width", 600, "mm", rates.Memory), "depth": rates.Of("depth", 400, "mm", rates.Memory),
		"height": rates.Of("height", 300, "mm", rates.Memory),
		"margin": rates.Of("margin", 5, "mm", rates.Memory), "slab": rates.Of("slab", 10, "mm", rates.Memory),
		"change":     rates.Of("change of a slab", 2, "min", rates.Memory),
		"wire_speed": rates.Of("speed of the wire", 8, "mm/s", rates.Memory), "price": rates.Of("price", 900, "¤", rates.Memory),
		"life": rates.Of("life", 4000, "h", rates.Memory), "watts": rates.Of("power", 120, "W", rates.Memory),
		"upkeep": rates.Of("upkeep", 5, "%", rates.Memory), "loss": rates.Of("loss of a run", 20, "g", rates.Memory),
	}}},
	Materials: []rates.Template{{Name: "Blue foam", Process: Name, Figures: rates.Set{
		"density": rates.Of("density", 0.035, "g/cm³", rates.Memory), "price": rates.Of("price", 60, "¤/kg", rates.Memory),
		"lot": rates.Of("a block", 900, "g", rates.Memory),
	}}},
}

func init() { process.Add(cutter, brings) }
