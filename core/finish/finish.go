// Package finish turns a part's area, creases and counted features into the hands, waits
// and amounts that its finish asks for. It holds the finish routes and the
// painting after them; minutes and amounts are figures of the rate book, where each says
// its source. What it plans for one piece already holds what many in one go save, and
// what the logbook learned.
package finish

import (
	"math"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Part is what of a part counts for hands, at the size it is printed.
type Part struct {
	Process       string
	Tier          string
	Route         string // empty: the usual one
	AreaMM2       float64
	OverhangMM2   float64 // projected area of faces that stood on supports
	Tips          float64 // that hold it, where an orientation was worked out; 0: not known
	Measured      bool    // the creases are known
	RaisedMM      float64 // length of creases that stand out
	HollowMM      float64 // of those that go in
	DetailFactor  float64 // in place of what the creases say; 0: they say it
	PiecesOnPlate int     // how many share the set-up of a run; 1 when not known
	Copies        int     // made together; 1 when not known
	Features      Features
	Practice      Practice
	Logged        map[route.StageKind]Logged
}

// Features are counted on one copy, or asked for.
type Features struct {
	Eyes     int     `json:"eyes,omitempty"`
	Faces    int     `json:"faces,omitempty"`
	Letters  int     `json:"letters,omitempty"`
	Small    int     `json:"small,omitempty"` // buckles, window frames
	Colours  int     `json:"colours,omitempty"`
	MaskMM   float64 `json:"mask_mm,omitempty"` // length of edge to be masked
	Weather  bool    `json:"weather,omitempty"`
	FitHours float64 `json:"fit_hours,omitempty"` // straps, lights, magnets
}

// Fine reports whether anything is to be painted by eye and steady hand.
func (f Features) Fine() bool { return f.Eyes+f.Faces+f.Letters+f.Small > 0 }

// Practice is how often the person who will do the work has stamped each kind of stage;
// nil when nobody is named.
type Practice map[route.StageKind]int

// Logged is what stamps say of a kind of stage: minutes taken over minutes by the book.
type Logged struct {
	Count int
	Mean  float64
	Var   float64
}

// Work is one stage's hands and the wait after it, for one piece.
type Work struct {
	Kind    route.StageKind
	Minutes float64 // expected
	BookMin float64 // by the book, before what the logbook and the spread add
	WaitS   int64
	Working rates.Working
	Effort  Effort
}

// Detail is how many times as long paper, brush and putty take on a part as on a plain
// one, and how that came about.
func (p Part) Detail(b rates.Book) (factor float64, w rates.Working) {
	dm2 := max(1e-6, p.AreaMM2/1e4)
	switch {
	case p.DetailFactor > 0:
		f := rates.Of("detail, set by hand", p.DetailFactor, "×", rates.Ours)
		return p.DetailFactor, rates.Working{Formula: "set by hand", Inputs: []rates.Figure{f}, Result: f}
	case !p.Measured:
		f := rates.Of("detail, not measured", 1, "×", rates.Derived)
		return 1, rates.Working{Formula: "1", Inputs: []rates.Figure{f}, Result: f}
	}
	crease := rates.Of("creases on a dm²", (p.RaisedMM+p.HollowMM)/100/dm2, "dm/dm²", rates.Mesh)
	hollow := rates.Of("of them go in", 100*p.HollowMM/max(1e-9, p.RaisedMM+p.HollowMM), "%", rates.Mesh)
	slow, concave, most := b.Get("detail.crease"), b.Get("detail.concave"), b.Get("detail.most")
	factor = min(most.Value, 1+crease.Value*slow.Value*(1+concave.Value*hollow.Value/100))
	return factor, rates.Working{Formula: "1 + creases × slower × (1 + slower for hollow × share that goes in), at most " + rates.Number(most.Value),
		Inputs: []rates.Figure{crease, hollow, slow, concave, most}, Result: rates.Of("detail", factor, "×", rates.Derived)}
}

// finish route is the part's, or the usual one.
func (p Part) finishRoute() Route {
	if s, ok := RouteOf(p.Route); ok {
		return s
	}
	s, _ := RouteOf(Usual(p.Process, p.Tier))
	return s
}

// Course is what a piece of the part passes.
func (p Part) Course() route.Course {
	return route.Course{Process: p.Process, Tier: p.Tier, Smooth: p.finishRoute().Smooth(),
		Mask: p.Features.MaskMM > 0, Detail: p.Features.Fine(), Weather: p.Features.Weather, Fit: p.Features.FitHours > 0}
}

// Plan returns the work of every stage of a piece, in order.
func Plan(b rates.Book, p Part) []Work {
	var out []Work
	smooth := p.finishRoute().Steps
	for _, kind := range p.Course().Stages() {
		step := stepOf(kind, p.Process)
		if len(smooth) > 0 && p.Tier != route.Raw && smooth[0].Kind == kind {
			step, smooth = smooth[0], smooth[1:]
		}
		out = append(out, stage(b, p, step))
	}
	return out
}

// stepOf is the step of a kind that does not depend on the finish route.
func stepOf(kind route.StageKind, processName string) Step {
	s := Step{Kind: kind}
	switch kind {
	case route.Wash:
		s.Area, s.Wait = "wash.area", "wash.dry"
	case route.RemoveSupports:
		s.Area = "strip." + processName
	case route.Cure:
		s.Wait = "cure.wait"
	case route.Base:
		s.Area, s.Wait, s.Coat, s.Detail = "base.area", "base.wait", "paint", true
	case route.Mask:
		s.Wait = "mask.wait"
	case route.Shade:
		s.Area, s.Wait, s.Coat, s.Detail = "shade.area", "shade.wait", "shade", true
	case route.Light:
		s.Wait = "light.wait"
	case route.Detail:
		s.Wait = "detail.wait"
	case route.Weather:
		s.Area, s.Wait = "weather.area", "weather.wait"
	case route.Clear:
		s.Area, s.Wait, s.Coat = "clear.area", "clear.wait", "clear"
	}
	return s
}

// sum adds up minutes of a piece and keeps what went into them.
type sum struct {
	book    rates.Book
	minutes float64
	formula string
	inputs  []rates.Figure
}

func (s *sum) add(formula string, minutes float64, inputs ...rates.Figure) {
	s.minutes += minutes
	if s.formula != "" {
		s.formula += " + "
	}
	s.formula += formula
	s.inputs = append(s.inputs, inputs...)
}

// rate adds a figure as it stands, if the book has it.
func (s *sum) rate(key, formula string) {
	if s.book.Has(key) {
		s.add(formula, s.book.V(key), s.book.Get(key))
	}
}

func stage(b rates.Book, p Part, step Step) Work {
	kind, k := step.Kind, string(step.Kind)
	if kind == route.Print {
		return plateWork(b, p)
	}
	each := sum{book: b} // for each copy
	each.rate(k+".piece", "a piece")
	if kind == route.RemoveSupports && p.Resin() && p.Tips > 0 {
		tips := rates.Of("tips that hold it", p.Tips, "tips", rates.Mesh)
		each.add("tips × time", p.Tips*b.V("strip.tip"), tips, b.Get("strip.tip"))
		step.Area = ""
	}
	if step.Area != "" {
		area := rates.Of("surface", p.AreaMM2/1e4, "dm²", rates.Mesh)
		if kind == route.RemoveSupports {
			area = rates.Of("area that supports held", p.OverhangMM2/1e4, "dm²", rates.Mesh)
		}
		minutes, formula, in := area.Value*b.V(step.Area), "area × speed", []rates.Figure{area, b.Get(step.Area)}
		if step.Detail {
			f, w := p.Detail(b)
			minutes, formula, in = minutes*f, formula+" × detail", append(in, w.Result)
		}
		if t := step.times(); t != 1 {
			minutes, formula, in = minutes*t, formula+" × share", append(in, rates.Of("share that a second round touches", 100*t, "%", rates.Memory))
		}
		each.add(formula, minutes, in...)
	}
	f := p.Features
	count := func(n int, key string) {
		if n > 0 {
			c := rates.Of(b.Get(key).Label+": how many", float64(n), "on each", rates.Ours)
			each.add("count × time", float64(n)*b.V(key), c, b.Get(key))
		}
	}
	switch kind {
	case route.Light:
		edge := rates.Of("raised edges", p.RaisedMM/100, "dm", rates.Mesh)
		each.add("edges × speed", edge.Value*b.V("light.edge"), edge, b.Get("light.edge"))
	case route.Mask:
		edge := rates.Of("edge to mask", f.MaskMM/100, "dm", rates.Ours)
		each.add("edge × speed", edge.Value*b.V("mask.edge"), edge, b.Get("mask.edge"))
	case route.Detail:
		count(f.Eyes, "detail.eye")
		count(f.Faces, "detail.face")
		count(f.Letters, "detail.letter")
		count(f.Small, "detail.small")
	case route.Fit:
		each.add("hours asked for", f.FitHours*60, rates.Of("fitting out", f.FitHours, "h", rates.Ours))
	case route.Pack:
		each.rate("photo.piece", "photographs")
	}
	return finished(b, p, step, each)
}

// finished spreads what is done once over the pieces of a batch, and lets hands learn.
func finished(b rates.Book, p Part, step Step, each sum) Work {
	n := float64(max(1, p.Copies))
	w := Work{Kind: step.Kind}
	learned := Wright(n, b.V("learning")/100)
	minutes, formula, in := each.minutes*learned, "("+each.formula+")", each.inputs
	if learned != 1 {
		formula += " × what copies teach"
		in = append(in, rates.Of("copies", n, "×", rates.Derived), b.Get("learning"), rates.Of("what copies teach", learned, "×", rates.Derived))
	}
	if key := string(step.Kind) + ".batch"; b.Has(key) {
		batches := math.Ceil(n / max(1, b.V("batch.pieces")))
		minutes += batches * b.V(key) / n
		formula += " + batches × set-up ÷ copies"
		in = append(in, rates.Of("batches", batches, "×", rates.Derived), b.Get(key))
	}
	if known, named := p.Practice[step.Kind]; named || p.Practice != nil {
		if f := FirstTime(b, known, n); f > 1.005 {
			minutes *= f
			formula = "(" + formula + ") × not practised"
			in = append(in, rates.Of("stamped before by this hand", float64(known), "×", rates.Logged), b.Get("first.factor"), rates.Of("not practised", f, "×", rates.Derived))
		}
	}
	w.BookMin = minutes
	w.Effort = EffortOf(b, step.Kind, p.Logged[step.Kind])
	w.Minutes = minutes * w.Effort.Mean
	w.Working = rates.Working{Formula: "(" + formula + ") × expected of likely", Inputs: append(in, w.Effort.Inputs...),
		Result: rates.Of(step.Kind.Manner().Name, w.Minutes, "min", rates.Derived)}
	w.WaitS = waitS(b, step)
	return w
}

func plateWork(b rates.Book, p Part) Work {
	share := float64(max(1, p.PiecesOnPlate))
	w := Work{Kind: route.Print, BookMin: (b.V("plate.setup")+b.V("plate.empty"))/share + b.V("plate.piece"), Effort: EffortOf(b, route.Print, p.Logged[route.Print])}
	w.Minutes = w.BookMin * w.Effort.Mean
	w.Working = rates.Working{
		Formula: "((set-up + emptying) ÷ pieces on the plate + taking one off) × expected of likely",
		Inputs: append([]rates.Figure{b.Get("plate.setup"), b.Get("plate.empty"),
			rates.Of("pieces on the plate", share, "pieces", rates.Derived), b.Get("plate.piece")}, w.Effort.Inputs...),
		Result: rates.Of(route.Print.Manner().Name, w.Minutes, "min", rates.Derived),
	}
	return w
}

// waitS is the clock time after a stage in the studio's room: the coats between, then the
// last until it may be handled.
func waitS(b rates.Book, step Step) int64 {
	if step.Wait == "" {
		return 0
	}
	unit := map[string]float64{"min": 60, "h": 3600}
	s := b.V(step.Wait) * unit[b.Get(step.Wait).Unit]
	key := map[string]string{"primer": "prime.recoat", "filler": "filler.recoat", "paint": "base.recoat", "clear": "clear.recoat"}[step.Coat]
	if key != "" {
		s += (b.V(step.Coat+".coats") - 1) * b.V(key) * unit[b.Get(key).Unit]
	}
	if step.Kind == route.Cure { // light hardens it, not warmth
		return int64(s)
	}
	return int64(s * Slower(b.V("room")))
}

// BookC is the temperature that the waits of the book are for.
const BookC = 22

// Slower is how many times as long a coat takes in a room of this temperature: twice for
// every 10 °C less, between 10 and 30 °C. Source: from memory.
func Slower(roomC float64) float64 {
	return math.Exp2((BookC - max(10, min(30, roomC))) / 10)
}

// Wright is the mean time of n copies over that of the first, when the mean falls to a
// share each time the number doubles: n^(log2 share) [published: T. P. Wright, Factors
// Affecting the Cost of Airplanes, Journal of the Aeronautical Sciences 3, 1936].
func Wright(n, share float64) float64 {
	if n <= 1 || share <= 0 {
		return 1
	}
	return math.Pow(n, math.Log2(min(1, share)))
}

// FirstTime is how many times as long n pieces take a hand, on average, that has done this
// so many times before: the book's factor, fading as they get on with it. Source: from memory.
func FirstTime(b rates.Book, before int, n float64) float64 {
	over, fades := b.V("first.factor")-1, b.V("first.fades")
	if n < 1 {
		n = 1
	}
	fade := math.Exp(-1 / fades)
	return 1 + over*math.Exp(-float64(before)/fades)*(1-math.Pow(fade, n))/(n*(1-fade))
}

// Skill is the rate of the book that pays a kind of stage.
func Skill(kind route.StageKind) string {
	switch kind {
	case route.Base, route.Mask, route.Shade, route.Light, route.Detail, route.Weather, route.Clear:
		return "wage.paint"
	case route.Clay:
		return "wage.sculpt"
	}
	return "wage"
}

// Resin reports whether the part is printed in resin.
func (p Part) Resin() bool { return p.Process == process.Resin }
