package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/core/solid"
)

// Saving is a way to make an item for less, and what is to be changed for it.
type Saving struct {
	Text    string
	PartID  int64
	CutInto int  // print the part in so many pieces; 0: no matter
	Cast    bool // cast copies from one print
}

// Estimated is the price of one item and what stands behind it.
type Estimated struct {
	quote.Item
	Troubles []string      // what keeps it from being made as asked
	Savings  []Saving      // what would make it cheaper
	Note     string        // why each costs more than of fewer copies
	Detail   rates.Working // how finely its parts are worked, the finest of them
	Machines []string      // that it is priced on
	Job      quote.Job
	Chain    []schedule.Step // hands, machines and waits from the first plate to the parcel
}

// Estimate prices an item by itself.
func (h Shop) Estimate(it Item) Estimated { return h.EstimateAll([]Item{it})[0] }

// EstimateAll prices the items of an order together: they share what is opened for them, and
// the set-ups of what is done in one session.
func (h Shop) EstimateAll(items []Item) []Estimated {
	out := h.estimates(items)
	for i, it := range items {
		for k := range it.Parts {
			out[i].Savings = append(out[i].Savings, h.savings(it, k)...)
		}
		out[i].Note = h.sessionNote(it, out[i].CostMinor)
	}
	return out
}

// sessionNote says why each copy costs more than it would of a few fewer: those begin another
// session of washing, coats and packing.
func (h Shop) sessionNote(it Item, costMinor int64) string {
	whole := int(h.Book.V("batch.pieces"))
	over := it.Copies % max(1, whole)
	if len(it.Parts) != 1 || it.Parts[0].Copies != 1 || it.Copies <= whole || over == 0 {
		return ""
	}
	fewer := it
	fewer.Copies -= over
	each, then := costMinor/int64(it.Copies), h.costMinor(fewer)/int64(fewer.Copies)
	if each <= then {
		return ""
	}
	return fmt.Sprintf("%s each; of %d it would be %s. %s beyond %d begins another session of washing, coats and packing, which takes %d pieces.",
		h.Studio.Money(each), fewer.Copies, h.Studio.Money(then), Say(over, "piece"), fewer.Copies, whole)
}

// estimates prices items without looking for what would be cheaper.
func (h Shop) estimates(items []Item) []Estimated {
	out := make([]Estimated, len(items))
	jobs := make([]quote.Job, len(items))
	together := h.sessionsOf(items)
	for i, it := range items {
		out[i] = h.job(it, together)
		jobs[i] = out[i].Job
	}
	for i, cost := range quote.Build(h.Book, jobs, Digits(h.Studio.Currency)) {
		out[i].Item = cost
	}
	return out
}

// job works out what an item takes, before money.
func (h Shop) job(it Item, together sessions) (out Estimated) {
	out.Job = quote.Job{Copies: it.Copies, Extras: h.extrasOf(it), Logged: h.History.Logged[""]}
	for _, f := range it.Fees {
		out.Job.Extras = append(out.Job.Extras, f.Extra())
	}
	print := schedule.Step{Name: "print"}
	var after []schedule.Step
	for _, p := range it.prints() {
		machine, material, troubles, ok := h.placed(p, it.Scale)
		out.Troubles = append(out.Troubles, troubles...)
		if !ok {
			continue
		}
		part := h.costOf(p, it, machine, material, together)
		if it.Cast {
			part.Casting = &quote.Casting{VolumeMM3: p.Model.Measures.VolumeMM3 * it.Scale * it.Scale * it.Scale}
		}
		out.Job.Parts = append(out.Job.Parts, part)
		if f, w := h.finishPart(p.Model, p, it).Detail(h.Book); f > out.Detail.Result.Value {
			out.Detail = w
		}
		if !slices.Contains(out.Machines, machine.Name) {
			out.Machines = append(out.Machines, machine.Name)
		}
		print.Pool, print.MaterialID = p.Process, p.MaterialID
		tries := 1 + process.ExtraRuns(part.FailurePerHour.Value, part.RunMinutes/float64(p.Pieces())) + part.FirstRuns
		print.MachineMin += tries * part.MachineMinutes * float64(part.Copies) / float64(h.machinesOf(p.Process))
		print.RunMin = max(print.RunMin, part.RunMinutes/float64(p.Pieces()))
		after = mergeSteps(after, part)
	}
	out.Job.Seam = h.seamOf(it, together)
	if len(it.prints()) > 0 {
		out.Chain = append([]schedule.Step{print}, h.joinedIn(after, out.Job.Seam, it)...)
	}
	out.Chain = withExtras(h, out.Chain, it)
	return out
}

// joinedIn puts the joining of an item's pieces before what is done on the whole.
func (h Shop) joinedIn(steps []schedule.Step, seam *finish.Seam, it Item) []schedule.Step {
	if seam == nil {
		return steps
	}
	var join []schedule.Step
	work, _ := finish.Join(h.Book, *seam)
	for k, w := range work {
		join = append(join, schedule.Step{Name: "join: " + string(w.Kind), Round: k, HandsMin: w.Minutes * float64(it.Copies), WaitMin: float64(w.WaitS) / 60})
	}
	at := slices.IndexFunc(steps, func(s schedule.Step) bool { return route.StageKind(s.Name).Traits().Whole })
	if at < 0 {
		at = len(steps)
	}
	last := slices.IndexFunc(work, func(w finish.Work) bool { return w.Kind == route.JoinAfter || w.Kind == route.Pack })
	if last < 0 {
		last = len(work)
	}
	return append(slices.Insert(slices.Clone(steps), at, join[:last]...), join[last:]...)
}

// placed says on what a part is printed, and of what; ok is false where it cannot be.
func (h Shop) placed(p Part, scale float64) (machine Machine, material Material, troubles []string, ok bool) {
	material, known := h.Material(p.MaterialID, p.Process)
	if !known {
		troubles = append(troubles, p.Name+": no "+p.Process+" material in the studio")
	}
	if why := p.Model.NoInside(); why != "" {
		troubles = append(troubles, p.Name+" "+why)
	}
	machine, why, ok := h.machineFor(p, scale)
	if why != "" {
		troubles = append(troubles, p.Name+": "+why)
	}
	return machine, material, troubles, ok
}

// seamOf is where an item's pieces are joined and the seam filled; nil where none is.
// Parts that no machine takes have no seam yet.
func (h Shop) seamOf(it Item, together sessions) *finish.Seam {
	seams, pieces, cuts, pegs := 0.0, 0.0, 0.0, 0.0
	var widths []float64
	for _, p := range it.prints() {
		if _, _, ok := h.machineFor(p, it.Scale); !ok {
			continue
		}
		if p.Unseen() {
			pegs += float64(p.Copies)
			continue
		}
		pieces += float64(p.Copies * p.Pieces())
		cuts += float64(p.Copies * (p.Pieces() - 1))
		widths = append(widths, outline(p.Model, it.Scale))
	}
	pegs += pegsOfCut * cuts                // of what is cut already, they are parts
	if seams = cuts; it.Tier == route.Raw { // a kit comes apart, but for what was cut to be printed
		seams += it.cutSeams()
	} else if pieces > 1 {
		seams = pieces - 1
	}
	if seams+pegs == 0 || it.Apart || len(widths) == 0 || it.Tier == route.Raw && seams == 0 {
		return nil
	}
	length, source := it.SeamMM, rates.Ours
	if length == 0 {
		slices.Sort(widths)
		length, source = widths[len(widths)/2]*SeamOfWidth, rates.Mesh
	}
	after, loose, joint := it.joints(length)
	if it.Tier == route.Raw {
		after, loose = 0, 0
	}
	return &finish.Seam{Seams: seams, After: min(after, seams), Loose: min(loose, seams-min(after, seams)), Pegs: pegs, LengthMM: length, Source: source, Joint: joint, Adhesive: it.Adhesive, Copies: it.Copies, Logged: h.History.Logged[it.process()],
		Packed: it.Joined(), Inserts: it.Inserts(), Unfilled: it.Tier == route.Coloured, Sessions: finish.Sessions{route.Pack: together[ofAll(route.Pack)], route.Prime: together[ofAll(route.Prime)]}}
}

// withExtras adds the hours and waits of an item's extras to its chain; sculpting comes first.
func withExtras(h Shop, chain []schedule.Step, it Item) []schedule.Step {
	for _, e := range h.extrasOf(it) {
		n := e.Pieces(it.Copies)
		if n == 0 {
			continue
		}
		var steps []schedule.Step
		for k, w := range e.Work(h.Book, it.Copies, h.History.Logged[""]) {
			if w.Minutes > 0 || w.WaitS > 0 {
				steps = append(steps, schedule.Step{Name: fmt.Sprintf("%s: %s", e.What, w.Kind), Round: k, HandsMin: w.Minutes * float64(n), WaitMin: float64(w.WaitS) / 60})
			}
		}
		if e.Kind == quote.Sculpt {
			chain = append(steps, chain...)
		} else {
			chain = append(chain, steps...)
		}
	}
	return chain
}

// pegsOfCut is how many pegs a seam of a cut has. Source: common practice.
const pegsOfCut = 2

// SeamOfWidth is how long a seam is of a part's mean perimeter: parts are cut or meet where
// they are thinner than usual. Source: from memory.
const SeamOfWidth = 0.8

// outline is what a part measures around outside, on average over its height: a shell's inner
// contour is no part of a seam that shows.
func outline(m Model, scale float64) float64 {
	around := meanPerimeter(m, scale)
	if f := m.Shape.Faces; f.OuterMM2+f.InnerMM2 > 0 {
		around *= f.OuterMM2 / (f.OuterMM2 + f.InnerMM2)
	}
	return around
}

// meanPerimeter is what a part measures around, on average over its height, hollows counted.
func meanPerimeter(m Model, scale float64) float64 {
	var sum float64
	for _, s := range m.Shape.Profile.Slices {
		sum += s.PerimeterMM * scale
	}
	return sum / float64(max(1, len(m.Shape.Profile.Slices)))
}

// process is that of the item's first part.
func (i Item) process() string {
	if len(i.Parts) == 0 {
		return ""
	}
	return i.Parts[0].Process
}

func (h Shop) machinesOf(processName string) (n int) {
	for _, m := range h.Machines {
		if m.Active && m.Process == processName {
			n++
		}
	}
	return max(1, n)
}

// mergeSteps adds a part's stages to those of the item: pieces of a batch share a wait, and
// the hands add up.
func mergeSteps(steps []schedule.Step, part quote.Part) []schedule.Step {
	for k, w := range part.Work {
		if w.Kind == route.Print {
			continue
		}
		s := schedule.Step{Name: string(w.Kind), HandsMin: w.Minutes * float64(part.Copies), WaitMin: float64(w.WaitS) / 60}
		at := slices.IndexFunc(steps, func(o schedule.Step) bool { return o.Name == s.Name && o.Round == round(part.Work, k) })
		if at < 0 {
			s.Round = round(part.Work, k)
			steps = append(steps, s)
			continue
		}
		steps[at].HandsMin += s.HandsMin
		steps[at].WaitMin = max(steps[at].WaitMin, s.WaitMin)
	}
	slices.SortStableFunc(steps, func(a, b schedule.Step) int {
		return cmp.Compare(map[bool]int{true: 1}[a.Name == string(route.Pack)], map[bool]int{true: 1}[b.Name == string(route.Pack)])
	})
	return steps
}

// round counts how often the kind of the k-th work stood before it.
func round(work []finish.Work, k int) (n int) {
	for _, w := range work[:k] {
		if w.Kind == work[k].Kind {
			n++
		}
	}
	return n
}

// machineFor picks the machine a part is priced on; one that is printed in pieces need not
// fit whole.
func (h Shop) machineFor(p Part, scale float64) (Machine, string, bool) {
	if m, ok := h.Machine(p.MachineID); ok && m.Active && m.Process == p.Process {
		why := m.Fits(p.Model, scale)
		if n := piecesToFit(m, p.Model, scale); why != "" && p.CutInto > 1 && n > 0 && n <= p.CutInto {
			why = ""
		}
		if why == "" && !m.Prints(p.MaterialID) {
			why = "it does not take that material"
		}
		if why != "" {
			why = m.Name + ": " + why
		}
		return m, why, true
	}
	m, why, ok := h.MachineFor(p.Model, scale, p.Process, p.MaterialID)
	if why == "" || p.CutInto < 2 {
		return m, why, ok
	}
	for _, m := range h.Machines {
		if m.Active && m.Process == p.Process {
			if n := piecesToFit(m, p.Model, scale); n > 0 && n <= p.CutInto {
				return m, "", true
			}
		}
	}
	return m, why, ok
}

// savings says what another way of printing a part would save, the whole item priced both
// ways.
func (h Shop) savings(it Item, k int) (out []Saving) {
	p := it.Parts[k]
	machine, material, _, ok := h.placed(p, it.Scale)
	if !ok || it.Cast || !route.Printed(it.Tier) {
		return nil
	}
	part := h.costOf(p, it, machine, material, nil)
	if part.MachineMinutes <= 0 {
		return nil
	}
	least := 1
	if machine.Fits(p.Model, it.Scale) != "" {
		least = piecesToFit(machine, p.Model, it.Scale)
	}
	if n := h.cheaperCut(it, k, machine, part, least); n > 0 {
		now, then := h.costMinor(it), h.costMinor(it.cut(k, n))
		if saves := now - then; h.Studio.Money(saves).Units() > 1 && float64(saves) > 0.01*float64(now) {
			out = append(out, Saving{PartID: p.ID, CutInto: n,
				Text: fmt.Sprintf("%s printed in %d instead of %d saves about %s: less is lost when a run fails, set-ups and seams counted.", p.Name, n, p.Pieces(), h.Studio.Money(saves))})
		}
	}
	if part.Copies > 1 {
		if n := h.CastFrom(it, k); n > 0 {
			out = append(out, Saving{PartID: p.ID, Cast: true, Text: fmt.Sprintf("%s: cast from one print instead of printed each, it costs less from %d copies on.", p.Name, n)})
		}
	}
	return out
}

// CastFrom is from how many copies a part costs less cast from one print than printed each; 0
// where that is more than the item has.
func (h Shop) CastFrom(it Item, k int) int {
	p := it.Parts[k]
	machine, material, _, ok := h.placed(p, it.Scale)
	if !ok {
		return 0
	}
	at := func(copies int) quote.Part {
		one, few := p, it
		one.Copies, few.Copies, few.Cast = 1, copies, true
		return h.costOf(one, few, machine, material, nil)
	}
	return quote.BreakEven(h.Book, at, p.Model.Measures.VolumeMM3*it.Scale*it.Scale*it.Scale, p.Copies*it.Copies)
}

// costMinor is what an item costs by itself.
func (h Shop) costMinor(it Item) int64 { return h.estimates([]Item{it})[0].CostMinor }

// cut is the item with a part printed in so many pieces.
func (i Item) cut(k, pieces int) Item {
	i.Parts = slices.Clone(i.Parts)
	i.Parts[k].CutInto = pieces
	return i
}

// cheaperCut is into how many pieces a part might be cut to cost less, by machine, material
// and hands at the plate; 0 where it is best as it is.
func (h Shop) cheaperCut(it Item, k int, machine Machine, part quote.Part, least int) int {
	s := h.Splitting(machine, part, SeamOfWidth*outline(it.Parts[k].Model, it.Scale))
	s.Least = least
	curve, best := s.Curve()
	now := it.Parts[k].Pieces()
	if now > len(curve) || best+1 == now || curve[now-1].Cost-curve[best].Cost < 0.02*curve[now-1].Cost {
		return 0
	}
	return best + 1
}

// Cuts is what an item costs whose part is printed in 1, 2, … pieces on a machine: all of it,
// with the seams that are filled, the set-ups and what failures waste. best is the index of
// the cheapest that fits.
func (h Shop) Cuts(it Item, k int, machine Machine, least int) (curve []process.Split, best int) {
	it = it.cut(k, 1)
	it.Parts[k].MachineID = machine.ID
	material, _ := h.Material(it.Parts[k].MaterialID, machine.Process)
	part := h.costOf(it.Parts[k], it, machine, material, nil)
	s := h.Splitting(machine, part, SeamOfWidth*outline(it.Parts[k].Model, it.Scale))
	s.Least = least
	curve, _ = s.Curve()
	best = max(0, min(process.MostParts, least)-1)
	for n := range curve {
		curve[n].Cost = h.Studio.Money(h.costMinor(it.cut(k, n+1))).Units()
		if n >= best && curve[n].Cost < curve[best].Cost {
			best = n
		}
	}
	return curve, best
}

func (h Shop) costOf(p Part, it Item, machine Machine, material Material, together sessions) quote.Part {
	machine = machine.For(material, p.Profile)
	print := h.PrintOf(p.CopyAt(it.Scale), machine, material)
	perHour, rateInputs := machine.HourCost(h.Book)
	share := h.share(p.Model, it.Scale, machine, print.Minutes/float64(p.Pieces()))
	fp := h.sharing(p, it, together)
	fp.PlateShare = share
	run, minutes, inputs := h.runOf(print, machine, p, share, max(fp.Copies, fp.Sessions[route.Print]))
	inputs = append([]rates.Figure{rates.Of("run on "+machine.Name, run, "min", rates.Derived)}, inputs...)
	wear, wearInputs := machine.Wear(share, print.Grams)
	out := quote.Part{
		Name: p.Name, Copies: fp.Copies, Process: p.Process,
		MaterialGrams: print.Grams, LossGrams: machine.Figures.V("loss") * share, PlateLossGrams: machine.Figures.V("loss"),
		PricePerKG: labelled(material.Figures["price"], material.Name), MaterialInputs: print.Inputs,
		MachineMinutes: minutes, RunMinutes: run, MachineInputs: inputs,
		MachinePerHour: perHour, RateInputs: rateInputs, OccupiedPerHr: machine.Occupied(), WearEach: wear, WearInputs: wearInputs,
		FailurePerHour: h.FailurePerHour(machine, material), Noticed: machine.Noticed(), CutInto: p.CutInto, SentBack: h.SentBack(p.Process),
		Wage: h.History.Wages[it.PersonID],
		Work: finish.Plan(h.Book, fp), Supplies: finish.Supplies(h.Book, fp),
	}
	if it.Cast {
		out.MasterWork = finish.Plan(h.Book, master(fp))
	}
	if !h.History.Printed[p.ModelID] {
		out.FirstRuns = h.Book.V("failure.first") / float64(max(1, out.Copies))
	}
	if n := float64(p.Pieces()); n > 1 { // each piece is set up and taken off
		for k := range out.Work {
			if w := &out.Work[k]; w.Kind == route.Print {
				w.Minutes, w.BookMin = w.Minutes*n, w.BookMin*n
				w.Working.Formula = "(" + w.Working.Formula + ") × pieces"
				w.Working.Inputs = append(w.Working.Inputs, rates.Of("printed in pieces", n, "×", rates.Ours))
				w.Working.Result.Value = w.Minutes
			}
		}
	}
	return out
}

// runOf is the run a part is printed in, and its share of it. Where the tallest piece sets a plate's time it is shared
// by room; elsewhere hours add up, but what belongs to the plate is that of as many of the order's pieces as fit.
func (h Shop) runOf(print process.Print, machine Machine, p Part, share float64, pieces int) (run, minutes float64, inputs []rates.Figure) {
	kind := process.Of(machine.Process)
	if kind.TallestSets {
		return print.Minutes, print.Minutes * share, []rates.Figure{rates.Of("share of the plate it takes", share*100, "%", rates.Derived), h.Book.Get("bed.use")}
	}
	n := max(1, min(float64(pieces), math.Floor(1/share+1e-9)))
	if p.Pieces() > 1 {
		n = 1
	}
	minutes, by := kind.Each(machine.Figures, print, n)
	minutes *= machine.Calibration.Factor()
	return n * minutes, minutes, append([]rates.Figure{rates.Of("pieces on the plate", n, "pieces", rates.Derived)}, by...)
}

func labelled(f rates.Figure, label string) rates.Figure {
	f.Label = label
	return f
}

// share is how much of a plate one copy takes: its outline with the spacing around it, of the
// part of the bed that is usually covered; of filament also its hours, of those that are laid
// on one plate at most; all of it at most.
func (h Shop) share(model Model, scale float64, machine Machine, minutes float64) float64 {
	bed := machine.Bed()
	usable := (bed.WidthMM - 2*bed.MarginMM) * (bed.DepthMM - 2*bed.MarginMM) * h.Book.V("bed.use") / 100
	if usable <= 0 {
		return 1
	}
	o := model.Shape.Plan.Filled().Scaled(scale)
	var rim float64
	for _, ring := range o {
		rim += perimeter(ring)
	}
	share := (o.AreaMM2() + rim*h.Book.V("spacing")/2) / usable
	if most := process.Of(machine.Process).MostHours; most != "" {
		share = max(share, minutes/60/h.Book.V(most))
	}
	return min(1, share)
}

func perimeter(ring []solid.Point) (sum float64) {
	for i, p := range ring {
		sum += dist(p, ring[(i+1)%len(ring)])
	}
	return sum
}
