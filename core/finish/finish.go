// Package finish turns a part's area into the hands, waits and consumables that
// its finish tier asks for. It holds the first two finish routes, light sanding
// for resin and putty for filament; minutes and amounts are figures of the rate
// book, where each says its source.
package finish

import (
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Part is what of a part counts for hands, at the size it is printed.
type Part struct {
	Process       string
	Tier          string
	AreaMM2       float64
	OverhangMM2   float64 // projected area of faces that stood on supports
	PiecesOnPlate int     // how many share the set-up of a run; 1 when not known
}

// Work is one stage's hands and the wait after it, for one piece.
type Work struct {
	Kind    route.Kind
	Minutes float64
	WaitS   int64
	Working rates.Working
}

// per names the figures that make the minutes of a stage.
type per struct {
	piece, area, wait string
	waitS             float64 // seconds in a unit of the wait
}

const hour, minute = 3600, 60

func of(kind route.Kind, resin bool) per {
	byProcess := func(r, f string) string {
		if resin {
			return r
		}
		return f
	}
	switch kind {
	case route.Wash:
		return per{"wash.piece", "wash.area", "wash.dry", minute}
	case route.Strip:
		return per{"strip.piece", byProcess("strip.resin", "strip.filament"), "", 0}
	case route.Cure:
		return per{"cure.piece", "", "cure.wait", minute}
	case route.Sand:
		return per{"sand.piece", byProcess("sand.resin", "sand.filament"), "", 0}
	case route.Fill:
		return per{"fill.piece", byProcess("fill.resin", "fill.filament"), "fill.wait", hour}
	case route.Prime:
		return per{"prime.piece", "prime.area", "prime.wait", hour}
	case route.Look:
		return per{"look.piece", "", "", 0}
	case route.Base:
		return per{"base.piece", "base.area", "base.wait", hour}
	case route.Shade:
		return per{"shade.piece", "shade.area", "shade.wait", hour}
	case route.Clear:
		return per{"clear.piece", "clear.area", "clear.wait", hour}
	case route.Pack:
		return per{"pack.piece", "", "", 0}
	}
	return per{}
}

// Plan returns the work of every stage of the part's route, in order.
func Plan(b rates.Book, p Part) []Work {
	var out []Work
	for _, kind := range route.For(p.Process, p.Tier) {
		out = append(out, stage(b, p, kind))
	}
	return out
}

func stage(b rates.Book, p Part, kind route.Kind) Work {
	w := Work{Kind: kind}
	label := kind.Manner().Name
	if kind == route.Print {
		share := float64(max(1, p.PiecesOnPlate))
		w.Minutes = (b.V("plate.setup")+b.V("plate.empty"))/share + b.V("plate.piece")
		w.Working = rates.Working{
			Formula: "(set-up + emptying) ÷ pieces on the plate + taking one off",
			Inputs: []rates.Figure{b.Get("plate.setup"), b.Get("plate.empty"),
				rates.Of("pieces on the plate", share, "pieces", rates.Derived), b.Get("plate.piece")},
			Result: rates.Of(label, w.Minutes, "min", rates.Derived),
		}
		return w
	}
	f := of(kind, p.Process == process.Resin)
	w.Minutes = b.V(f.piece)
	w.Working = rates.Working{Formula: "a piece", Inputs: []rates.Figure{b.Get(f.piece)}}
	if f.area != "" {
		area := rates.Of("surface", p.AreaMM2/1e4, "dm²", rates.Mesh)
		if kind == route.Strip {
			area = rates.Of("overhanging area", p.OverhangMM2/1e4, "dm²", rates.Mesh)
		}
		w.Minutes += area.Value * b.V(f.area)
		w.Working.Formula = "a piece + area × speed"
		w.Working.Inputs = append(w.Working.Inputs, area, b.Get(f.area))
	}
	w.Working.Result = rates.Of(label, w.Minutes, "min", rates.Derived)
	if f.wait != "" {
		w.WaitS = int64(b.V(f.wait) * f.waitS)
	}
	return w
}

// Stuff is a consumable one piece uses up.
type Stuff struct {
	What    string
	Cost    float64 // in the studio's currency
	Working rates.Working
}

// Consumables returns what one piece of the part uses up besides its material.
func Consumables(b rates.Book, p Part) (out []Stuff) {
	dm2 := rates.Of("surface", p.AreaMM2/1e4, "dm²", rates.Mesh)
	resin := p.Process == process.Resin
	add := func(what, formula string, cost float64, inputs ...rates.Figure) {
		out = append(out, Stuff{what, cost, rates.Working{Formula: formula, Inputs: inputs,
			Result: rates.Of(what, cost, "¤", rates.Derived)}})
	}
	if resin {
		add("washing alcohol", "area × use × price", dm2.Value*b.V("alcohol.use")/1000*b.V("alcohol.price"),
			dm2, b.Get("alcohol.use"), b.Get("alcohol.price"))
		add("gloves and wipes", "a piece", b.V("gloves.price"), b.Get("gloves.price"))
	}
	if p.Tier == route.Raw {
		return out
	}
	paper, putty := "paper.filament", "putty.filament"
	if resin {
		paper, putty = "paper.resin", "putty.resin"
	}
	add("sandpaper", "area × price", dm2.Value*b.V(paper), dm2, b.Get(paper))
	add("putty", "area × use × price", dm2.Value*b.V(putty)/1000*b.V("putty.price"), dm2, b.Get(putty), b.Get("putty.price"))
	coats := []string{"primer"}
	if p.Tier == route.Painted {
		coats = append(coats, "paint", "shade", "clear")
	}
	for _, c := range coats {
		ml := dm2.Value * CoatMLPerDM2(b, c)
		add(b.Get(c+".price").Label, "area × coats × film ÷ solids ÷ transfer × price", ml/1000*b.V(c+".price"),
			dm2, b.Get(c+".coats"), b.Get(c+".film"), b.Get(c+".solids"), b.Get(c+".transfer"),
			rates.Of("amount", ml, "ml", rates.Derived), b.Get(c+".price"))
	}
	return out
}

// CoatMLPerDM2 is how many millilitres of a coating a square decimetre takes, all
// coats and losses together: the theoretical spreading rate in m²/l is 10 × volume
// solids (%) ÷ dry film (µm) [published: any coatings handbook], and only a share
// lands on the piece.
func CoatMLPerDM2(b rates.Book, coat string) float64 {
	spreadM2PerL := 10 * b.V(coat+".solids") / b.V(coat+".film")
	return 0.01 * 1000 / spreadM2PerL * b.V(coat+".coats") / (b.V(coat+".transfer") / 100)
}
