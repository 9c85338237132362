// Package finish turns a part's area, creases and counted features into the hands, waits
// and amounts that its finish asks for. It holds the finish routes and the
// painting after them; minutes and amounts are figures of the rate book, where each says
// its source. What it plans for one piece already holds what many in one go save, and
// what the logbook learned.
package finish

import (
	"math"
	"slices"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Part is what of a part counts for hands, at the size it is printed.
type Part struct {
	Process      string
	Tier         string
	Route        string  // empty: the usual one
	Smoothing    *Route  // the finish route of that key, where it is not one of the starting book
	AreaMM2      float64 // all of its surface: what is washed
	SeenMM2      float64 // of it, what the eye meets
	InsideMM2    float64 // of cavities and the inside of shells
	RimMM        float64 // along which the two meet
	Inside       string  // what is finished of the inside: InsideRaw, InsidePrimed, InsidePainted
	Hidden       bool    // nobody sees it once it is joined: it stops at raw
	Worn         bool    // its rim is broken, so that it does not cut
	Joined       bool    // it becomes part of an assembly, which is packed in its place
	Standard     string  // Display or Fast
	Scheme       string  // of its colours, by which the primer is chosen
	Schools      Schools
	Paints       Paints
	Care         Care
	OverhangMM2  float64 // projected area of faces that stood on supports
	Tips         float64 // that hold it, where an orientation was worked out; 0: not known
	Measured     bool    // the creases are known
	RaisedMM     float64 // length of creases of what is seen that stand out
	HollowMM     float64 // of those that go in
	DetailFactor float64 // in place of what the creases say; 0: they say it
	PlateShare   float64 // of the set-up of a run; 0: a run of its own
	Copies       int     // made together; 1 when not known
	Sessions     Sessions
	Features     Features
	Practice     Practice
	Logged       map[route.StageKind]Logged
}

// Sessions is how many pieces share the set-up of a kind of stage, this one among them; what
// is not named is shared by the copies.
type Sessions map[route.StageKind]int

// What is finished of the inside of a part.
const (
	InsideRaw     = ""
	InsidePrimed  = route.Primed
	InsidePainted = route.Painted
)

// Standards of painting: for the shelf, looked at from near; or quick, for the table and from
// afar: three tones, a wash, dry brush.
const (
	Display = ""
	Fast    = "fast"
)

// Care is what share of what is seen is a focal region, which gets the hours, and what share
// is toned down; the rest has the usual care. Source: common practice.
type Care struct {
	FocalPercent float64 `json:"focal_percent,omitempty"`
	TonedPercent float64 `json:"toned_percent,omitempty"`
}

// Factor is how many times as long painting takes with such care.
func (c Care) Factor(b rates.Book) float64 {
	focal, toned := c.FocalPercent/100, c.TonedPercent/100
	return 1 + focal*(b.V("care.focal")-1) + toned*(b.V("care.toned")-1)
}

// Features are counted on one copy, or asked for.
type Features struct {
	Eyes     int     `json:"eyes,omitempty"`
	Faces    int     `json:"faces,omitempty"`
	Letters  int     `json:"letters,omitempty"`
	Small    int     `json:"small,omitempty"` // buckles, window frames
	Colours  int     `json:"colours,omitempty"`
	MaskMM   float64 `json:"mask_mm,omitempty"`   // length of edge to be masked
	RaisedMM float64 `json:"raised_mm,omitempty"` // length of raised lines that get a colour of their own
	Raised   string  `json:"raised,omitempty"`    // the way they get it: ByBrush, ByMask, ByRoll
	Weather  bool    `json:"weather,omitempty"`
	FitHours float64 `json:"fit_hours,omitempty"` // straps, lights, magnets
}

// Fine reports whether anything is to be painted by eye and steady hand.
func (f Features) Fine() bool {
	return f.Eyes+f.Faces+f.Small > 0 || (f.Letters > 0 || f.RaisedMM > 0) && (f.RaisedMM <= 0 || f.Raised != ByMask)
}

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
	Tool    string // Brush, Airbrush or Can, where that was chosen
	How     string // what to do it with: the paper, the primer, the adhesive
	Papers  []int  // P numbers that a sanding runs through
	Fine    bool   // it is worked so finely that paper has places to keep off
	Working rates.Working
	Effort  Effort
}

// raw reports whether the part is left as it is printed.
func (p Part) raw() bool { return p.Tier == route.Raw || p.Tier == route.FileOnly || p.Hidden }

// seen is what the eye meets; all of the surface where nobody told its faces apart.
func (p Part) seen() float64 {
	if p.SeenMM2+p.InsideMM2 == 0 {
		return p.AreaMM2
	}
	return p.SeenMM2
}

// smoothed is the area that paper, putty and primer go over.
func (p Part) smoothed() float64 {
	if p.Inside != InsideRaw {
		return p.seen() + p.InsideMM2
	}
	return p.seen()
}

// Painted is the area that gets colour, in mm².
func (p Part) Painted() float64 {
	if p.Inside == InsidePainted {
		return p.seen() + p.InsideMM2
	}
	return p.seen()
}

// faces is the area a kind of stage goes over, in dm².
func (p Part) faces(kind route.StageKind) rates.Figure {
	switch kind.Traits().Surface {
	case route.AllOfIt:
		return rates.Of("surface, all of it", p.AreaMM2/1e4, "dm²", rates.Mesh)
	case route.Held:
		return rates.Of("area that supports held", p.OverhangMM2/1e4, "dm²", rates.Mesh)
	case route.ToPaint:
		return rates.Of("surface that is painted", p.Painted()/1e4, "dm²", rates.Mesh)
	}
	return rates.Of("surface that is smoothed", p.smoothed()/1e4, "dm²", rates.Mesh)
}

// Detail is how many times as long paper, brush and putty take on a part as on a plain
// one, and how that came about.
func (p Part) Detail(b rates.Book) (factor float64, w rates.Working) {
	dm2 := max(1e-6, p.seen()/1e4)
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

// FinishRoute is the part's, or the usual one.
func (p Part) FinishRoute() Route {
	if p.Smoothing != nil {
		return *p.Smoothing
	}
	key := p.Route
	if !slices.ContainsFunc(starting(), func(r Route) bool { return r.Key == key }) {
		key = Usual(p.Process, p.Tier)
	}
	return starting()[slices.IndexFunc(starting(), func(r Route) bool { return r.Key == key })]
}

// Course is what a piece of the part passes.
func (p Part) Course() route.Course {
	if p.raw() {
		return route.Course{After: p.Kind().After, Tier: route.Raw, Joined: p.Joined}
	}
	return route.Course{After: p.Kind().After, Tier: p.Tier, Joined: p.Joined, Smooth: p.FinishRoute().Smooth(),
		Mask: p.Features.taped() > 0, Detail: p.Features.Fine(), Weather: p.Features.Weather, Fit: p.Features.FitHours > 0,
		ClearFirst: p.Schools.ClearUnderLines, FitFirst: p.Schools.FitBeforeClear}
}

// Plan returns the work of every stage of a piece, in order.
func Plan(b rates.Book, p Part) []Work {
	var out []Work
	fr := p.FinishRoute()
	detail, _ := p.Detail(b)
	smooth := fr.Steps
	for _, kind := range p.Course().Stages() {
		step := stepOf(kind, p.Process)
		if len(smooth) > 0 && !p.raw() && smooth[0].Kind == kind {
			step, smooth = smooth[0], smooth[1:]
		}
		w := stage(b, p, step)
		switch {
		case kind == route.Sand:
			w.Fine = detail > fineFrom
			w.Papers, w.How = step.ladder(w.Fine)
		case kind == route.Prime && step.Coat == "filler":
			w.How = "filler primer: it shows the flaws and fills the shallow ones"
		case kind == route.Prime:
			primer, why := PrimerFor(p.Scheme, p.Schools)
			w.How = primer + " primer: " + why
		case kind == route.Mask:
			w.How = p.Features.raisedHow(true)
			if p.Schools.PullDry {
				w.WaitS = WaitS(b, Step{Kind: kind, Wait: "mask.dry"})
			}
		case kind == route.Detail:
			w.How = joined(p.Schools.how(kind), p.Features.raisedHow(false))
		default:
			w.How = joined(p.Schools.how(kind), map[bool]string{true: "by " + w.Tool}[w.Tool != ""], p.Paints.Attack(kind))
		}
		out = append(out, w)
	}
	return out
}

// fineFrom is how many times as long as on a plain part paper takes where there are places to keep
// it off. Source: from memory.
const fineFrom = 1.5

// stepOf is the step of a kind that does not depend on the finish route.
func stepOf(kind route.StageKind, processName string) Step {
	t := kind.Traits()
	s := Step{Kind: kind, Area: t.Area, Wait: t.Wait, Coat: t.Coats}
	if kind == route.RemoveSupports {
		s.Area = process.Of(processName).StripArea
	}
	return s
}

// sum adds up minutes of a piece and keeps what went into them.
type sum struct {
	book    rates.Book
	minutes float64
	session float64 // minutes of set-up that pieces share, beside the book's for the stage
	tool    string
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

// rate adds a figure as it stands, if there is one.
func (s *sum) rate(key rates.Key, formula string) {
	if key != "" {
		s.add(formula, s.book.V(key), s.book.Get(key))
	}
}

func stage(b rates.Book, p Part, step Step) Work {
	kind := step.Kind
	if kind == route.Print {
		return plateWork(b, p)
	}
	each := sum{book: b} // for each copy
	each.rate(kind.Traits().Piece, "a piece")
	if tip := p.Kind().StripTip; kind == route.RemoveSupports && tip != "" && p.Tips > 0 {
		tips := rates.Of("tips that hold it", p.Tips, "tips", rates.Mesh)
		each.add("tips × time", p.Tips*b.V(tip), tips, b.Get(tip))
		step.Area = ""
	}
	if step.Area != "" {
		each.area(p, step)
	}
	f := p.Features
	switch kind {
	case route.Sand:
		if p.Worn && step.times() == 1 && p.RimMM > 0 {
			rim := rates.Of("rim that is broken", p.RimMM/100, "dm", rates.Mesh)
			each.add("rim × speed", rim.Value*b.V("sand.rim"), rim, b.Get("sand.rim"))
		}
	case route.Base, route.Shade:
		each.colour(p, kind)
	case route.Light:
		edge := rates.Of("raised edges", p.RaisedMM/100, "dm", rates.Mesh)
		each.add("edges × speed", edge.Value*b.V("light.edge"), edge, b.Get("light.edge"))
	case route.Mask:
		edge := rates.Of("edge to mask", f.MaskMM/100, "dm", rates.Ours)
		each.add("edge × speed", edge.Value*b.V("mask.edge"), edge, b.Get("mask.edge"))
		if f.RaisedMM > 0 && f.Raised == ByMask {
			each.raised(f, ByMask)
		}
	case route.Detail:
		each.count(f.Eyes, "detail.eye")
		each.count(f.Faces, "detail.face")
		each.count(f.Small, "detail.small")
		if f.RaisedMM <= 0 {
			each.count(f.Letters, "detail.letter")
		} else if f.Raised != ByMask {
			each.raised(f, f.Raised)
		}
	case route.Fit:
		each.add("hours asked for", f.FitHours*60, rates.Of("fitting out", f.FitHours, "h", rates.Ours))
	case route.Pack:
		each.rate("photo.piece", "photographs")
	}
	each.standard(p, kind)
	return finished(b, p, step, each)
}

// area adds what a stage takes by the area it goes over.
func (s *sum) area(p Part, step Step) {
	area := p.faces(step.Kind)
	minutes, formula, in := area.Value*s.book.V(step.Area), "area × speed", []rates.Figure{area, s.book.Get(step.Area)}
	if step.Detail {
		f, w := p.Detail(s.book)
		minutes, formula, in = minutes*f, formula+" × detail", append(in, w.Result)
	}
	if t := step.times(); t != 1 {
		minutes, formula, in = minutes*t, formula+" × share", append(in, secondRound(t))
	}
	s.add(formula, minutes, in...)
}

// count adds what is done by eye and steady hand, one by one.
func (s *sum) count(n int, key rates.Key) {
	if n > 0 {
		c := rates.Of(s.book.Get(key).Label+": how many", float64(n), "on each", rates.Ours)
		s.add("count × time", float64(n)*s.book.V(key), c, s.book.Get(key))
	}
}

// standard shortens painting that is done quickly, and gives the hours to what the eye meets.
func (s *sum) standard(p Part, kind route.StageKind) {
	if !kind.Traits().ByHand {
		return
	}
	times := func(f float64, what string, inputs ...rates.Figure) {
		s.minutes *= f
		s.formula = "(" + s.formula + ") × " + what
		s.inputs = append(s.inputs, inputs...)
	}
	if p.Standard == Fast {
		times(s.book.V("paint.fast")/100, "quick painting", s.book.Get("paint.fast"))
	}
	if f := p.Care.Factor(s.book); f != 1 && kind != route.Detail {
		times(f, "care", rates.Of("focal", p.Care.FocalPercent, "%", rates.Ours), s.book.Get("care.focal"),
			rates.Of("toned down", p.Care.TonedPercent, "%", rates.Ours), s.book.Get("care.toned"), rates.Of("care", f, "×", rates.Derived))
	}
}

// finished spreads what is done once over the pieces of a session, and lets hands learn.
func finished(b rates.Book, p Part, step Step, each sum) Work {
	n := float64(max(1, p.Copies))
	w := Work{Kind: step.Kind, Tool: each.tool}
	learned := Wright(n, b.V("learning")/100)
	minutes, formula, in := each.minutes*learned, "("+each.formula+")", each.inputs
	if learned != 1 {
		formula += " × what copies teach"
		in = append(in, rates.Of("copies", n, "×", rates.Derived), b.Get("learning"), rates.Of("what copies teach", learned, "×", rates.Derived))
	}
	if key := step.Kind.Traits().SetUp; key != "" || each.session > 0 {
		together := max(n, float64(p.Sessions[step.Kind]))
		sessions := math.Ceil(together / max(1, b.V("batch.pieces")))
		setUp := each.session
		if key != "" {
			setUp += b.V(key)
			in = append(in, b.Get(key))
		}
		minutes += sessions * setUp / together
		formula += " + sessions × set-up ÷ pieces that share them"
		in = append(in, rates.Of("sessions", sessions, "×", rates.Derived), rates.Of("pieces that share them", together, "pieces", rates.Derived))
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
		Result: rates.Of(step.Kind.Traits().Name, w.Minutes, "min", rates.Derived)}
	w.WaitS = WaitS(b, step)
	return w
}

func plateWork(b rates.Book, p Part) Work {
	share := p.PlateShare
	if share <= 0 {
		share = 1
	}
	w := Work{Kind: route.Print, BookMin: (b.V("plate.setup")+b.V("plate.empty"))*share + b.V("plate.piece"), Effort: EffortOf(b, route.Print, p.Logged[route.Print])}
	w.Minutes = w.BookMin * w.Effort.Mean
	w.Working = rates.Working{
		Formula: "((set-up + emptying) × share of the plate + taking one off) × expected of likely",
		Inputs: append([]rates.Figure{b.Get("plate.setup"), b.Get("plate.empty"),
			rates.Of("share of the plate", 100*share, "%", rates.Derived), b.Get("plate.piece")}, w.Effort.Inputs...),
		Result: rates.Of(route.Print.Traits().Name, w.Minutes, "min", rates.Derived),
	}
	return w
}

// WaitS is the clock time after a step in the studio's room, in seconds: the coats between, then
// the last until it may be handled.
func WaitS(b rates.Book, step Step) int64 {
	if step.Wait == "" {
		return 0
	}
	unit := map[string]float64{"min": 60, "h": 3600}
	s := b.V(step.Wait) * unit[b.Get(step.Wait).Unit]
	key := map[string]rates.Key{"primer": "prime.recoat", "filler": "filler.recoat", "paint": "base.recoat",
		"clear": "clear.recoat"}[step.Coat]
	if key != "" {
		s += (b.V(rates.K(step.Coat, "coats")) - 1) * b.V(key) * unit[b.Get(key).Unit]
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

// Kind is the part's process.
func (p Part) Kind() process.Kind { return process.Of(p.Process) }
