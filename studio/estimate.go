package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"sakuji/core/finish"
	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/core/schedule"
	"sakuji/core/solid"
)

// House is what every estimate draws on: the rate book, and what stands in the
// studio.
type House struct {
	Studio    Studio
	Book      rates.Book
	Machines  []Machine
	Materials []Material
	Taught    Taught
}

// Taught is what the studio's own past says; nothing of it is there in a new studio.
type Taught struct {
	Logged   map[string]map[route.Kind]finish.Logged // by process
	Practice map[int64]finish.Practice               // by person
	Wages    map[int64]rates.Figure                  // by person, where one has a wage of their own
	Printed  map[int64]bool                          // models of which a print came out well
	Failed   map[[2]int64]FailedRuns                 // by machine and material
}

// FailedRuns is what runs of one machine with one material came to.
type FailedRuns struct {
	Hours float64
	Fails float64 // runs that failed; one of which half the pieces failed is half a failure
}

// FailurePerHour is how often a machine's runs with a material fail, per hour: the book's
// rate, as if it had been seen for failure.trust hours, and the machine's own hours on top
// (the mean of a gamma-distributed rate after Poisson counts); the machine's with all its
// materials stands between the two.
func (h House) FailurePerHour(m Machine, material Material) rates.Figure {
	book := h.Book.Get("failure." + m.Process)
	trust := h.Book.V("failure.trust")
	var all FailedRuns
	for key, f := range h.Taught.Failed {
		if key[0] == m.ID {
			all.Hours, all.Fails = all.Hours+f.Hours, all.Fails+f.Fails
		}
	}
	if all.Hours == 0 || trust <= 0 {
		return book
	}
	rate := (all.Fails + trust*book.Value) / (all.Hours + trust)
	own := h.Taught.Failed[[2]int64{m.ID, material.ID}]
	rate = (own.Fails + trust*rate) / (own.Hours + trust)
	return rates.Of(fmt.Sprintf("runs of %s that fail, per hour: %s of %s h; the book says %s", m.Name, rates.Number(all.Fails), rates.Number(math.Round(all.Hours)), rates.Number(book.Value)), rate, "1/h", rates.Logged)
}

// Material returns the material of an id; id 0, or one no longer there, gives the
// first of the process.
func (h House) Material(id int64, processName string) (Material, bool) {
	for _, m := range h.Materials {
		if m.ID == id && m.Process == processName {
			return m, true
		}
	}
	for _, m := range h.Materials {
		if m.Process == processName && m.Active {
			return m, true
		}
	}
	return Material{}, false
}

// Machine returns the machine of an id.
func (h House) Machine(id int64) (Machine, bool) {
	for _, m := range h.Machines {
		if m.ID == id {
			return m, true
		}
	}
	return Machine{}, false
}

// Bed is the room of a machine.
func (m Machine) Bed() plate.Bed {
	f := m.Figures
	return plate.Bed{WidthMM: f.V("width"), DepthMM: f.V("depth"), HeightMM: f.V("height"), MarginMM: f.V("margin")}
}

// OnBed is a scaled model as it lies on a machine, raft and stand counted.
func (m Machine) OnBed(id string, model Model, scale float64) plate.Part {
	stand := 0.0
	if m.Process == process.Resin {
		stand = m.Figures.V("raft") + m.Figures.V("stand")
	}
	return plate.Part{ID: id, Outline: model.Shape.Plan.Scaled(scale), HeightMM: model.PrintHeightMM()*scale + stand}
}

// MachineFor picks the machine a part is priced on: of those of its process that
// it fits, the one on which an hour costs least. Without one that fits, the last
// reason is told and the largest machine stands in.
func (h House) MachineFor(model Model, scale float64, processName string) (m Machine, why string, ok bool) {
	var fits, all []Machine
	for _, m := range h.Machines {
		if m.Process != processName || !m.Active {
			continue
		}
		all = append(all, m)
		if reason := plate.Fits(m.Bed(), m.OnBed("", model, scale)); reason != "" {
			why = m.Name + ": " + reason
		} else {
			fits = append(fits, m)
		}
	}
	hourCost := func(a, b Machine) int {
		ca, _ := a.HourCost(h.Book)
		cb, _ := b.HourCost(h.Book)
		return cmp.Compare(ca, cb)
	}
	room := func(a, b Machine) int {
		return cmp.Compare(a.Bed().WidthMM*a.Bed().DepthMM*a.Bed().HeightMM, b.Bed().WidthMM*b.Bed().DepthMM*b.Bed().HeightMM)
	}
	switch {
	case len(fits) > 0:
		return slices.MinFunc(fits, hourCost), "", true
	case len(all) > 0:
		return slices.MaxFunc(all, room), "fits no machine as it stands. " + why, true
	}
	return Machine{}, "no " + processName + " machine in the studio", false
}

// Print is what one copy takes on a machine.
type Print struct {
	Grams    float64 // part and supports
	Minutes  float64 // of a run with this piece alone
	Inputs   []rates.Figure
	Laid     process.Laid // filament only
	HeightMM float64
}

// PrintOf works out one copy of a part on a machine.
func (h House) PrintOf(model Model, scale, wallMM float64, machine Machine, material Material) Print {
	s := model.Scaled(scale)
	density := material.Figures.V("density")
	volume := rates.Of("volume of the part", s.VolumeMM3/1000, "cm³", rates.Mesh)
	if machine.Process == process.Resin {
		rm := process.ResinOf(machine.Figures)
		part := process.ResinSolidMM3(s, wallMM)
		supports := process.ResinSupportMM3(s, rm, h.Book.V("support.resin")/100)
		in := []rates.Figure{volume}
		if wallMM > 0 {
			in = append(in, rates.Of("hollowed to a wall of", wallMM, "mm", rates.Ours),
				rates.Of("left of it", part/1000, "cm³", rates.Derived))
		}
		in = append(in, rates.Of("supports and raft", supports/1000, "cm³", rates.Derived), material.Figures["density"])
		return Print{Grams: process.Grams(part+supports, density), Minutes: rm.Minutes(s.HeightMM) * machine.Learned.Factor(), Inputs: in, HeightMM: s.HeightMM}
	}
	fm := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
	laid := fm.Lay(s)
	return Print{
		Grams: process.Grams(laid.MM3(), density), Minutes: fm.Minutes(laid) * machine.Learned.Factor(), Laid: laid, HeightMM: s.HeightMM,
		Inputs: []rates.Figure{volume, rates.Of("walls laid", laid.WallMM3/1000, "cm³", rates.Derived),
			rates.Of("top and bottom", laid.SkinMM3/1000, "cm³", rates.Derived), rates.Of("infill", laid.InfillMM3/1000, "cm³", rates.Derived),
			rates.Of("supports", laid.SupportMM3/1000, "cm³", rates.Derived), material.Figures["density"]},
	}
}

// Estimated is the price of one item and what stands behind it.
type Estimated struct {
	quote.Item
	Troubles []string      // what keeps it from being made as asked
	Advice   []string      // what would make it cheaper or safer
	Detail   rates.Working // how finely its parts are worked, the finest of them
	Machines []string      // that it is priced on
	Job      quote.Job
	Chain    []schedule.Step // hands, machines and waits from the first plate to the parcel
}

// Estimate prices an item by itself.
func (h House) Estimate(it Item) Estimated { return h.EstimateAll([]Item{it})[0] }

// EstimateAll prices the items of an order together: they share what is opened for them.
func (h House) EstimateAll(items []Item) []Estimated {
	out := make([]Estimated, len(items))
	jobs := make([]quote.Job, len(items))
	for i, it := range items {
		out[i] = h.job(it)
		jobs[i] = out[i].Job
	}
	for i, cost := range quote.Build(h.Book, jobs, Digits(h.Studio.Currency)) {
		out[i].Item = cost
	}
	return out
}

// job works out what an item takes, before money.
func (h House) job(it Item) (out Estimated) {
	out.Job = quote.Job{Copies: it.Copies, Extras: it.Extras}
	print := schedule.Step{Name: "print"}
	var after []schedule.Step
	seams, pieces := 0.0, 0.0
	var widths []float64
	for _, p := range it.Parts {
		material, ok := h.Material(p.MaterialID, p.Process)
		if !ok {
			out.Troubles = append(out.Troubles, p.Name+": no "+p.Process+" material in the studio")
		}
		if p.Model.Measures.VolumeMM3 <= 0 {
			out.Troubles = append(out.Troubles, p.Name+" encloses no volume: it cannot be priced from its geometry")
		}
		machine, why, ok := h.machineFor(p, it.Scale)
		if why != "" {
			out.Troubles = append(out.Troubles, p.Name+": "+why)
		}
		if !ok {
			continue
		}
		part := h.costOf(p, it, machine, material)
		if it.Cast {
			part.Casting = &quote.Casting{VolumeMM3: p.Model.Measures.VolumeMM3 * it.Scale * it.Scale * it.Scale}
			part.Supplies = slices.DeleteFunc(part.Supplies, func(s finish.Supply) bool { return s.Key == "alcohol" || s.Key == "gloves" })
		}
		out.Job.Parts = append(out.Job.Parts, part)
		if f, w := h.finishPart(p.Model, p, it).Detail(h.Book); f > out.Detail.Result.Value {
			out.Detail = w
		}
		if !slices.Contains(out.Machines, machine.Name) {
			out.Machines = append(out.Machines, machine.Name)
		}
		out.Advice = append(out.Advice, h.adviseOn(p, it, machine, part)...)
		print.Pool = p.Process
		print.MachineMin += part.MachineMinutes * float64(part.Copies) / float64(h.machinesOf(p.Process))
		print.RunMin = max(print.RunMin, part.RunMinutes/float64(max(1, p.CutInto)))
		after = mergeSteps(after, part)
		each := float64(p.Copies) * float64(max(1, p.CutInto))
		pieces += each
		seams += float64(p.Copies) * float64(max(1, p.CutInto)-1)
		widths = append(widths, meanPerimeter(p.Model, it.Scale))
	}
	if pieces > 1 && len(it.Parts) > 0 && !it.Apart && it.Tier != route.Raw {
		seams = pieces - 1
	}
	if seams > 0 && !it.Apart {
		length, source := it.SeamMM, rates.Ours
		if length == 0 {
			slices.Sort(widths)
			length, source = widths[len(widths)/2]*SeamOfWidth, rates.Mesh
		}
		out.Job.Seam = &finish.Seam{Seams: seams, LengthMM: length, Source: source, Copies: it.Copies, Logged: h.Taught.Logged[it.process()]}
	}
	if len(it.Parts) > 0 {
		out.Chain = append([]schedule.Step{print}, after...)
		if out.Job.Seam != nil {
			w, _ := finish.Join(h.Book, *out.Job.Seam)
			out.Chain = append(out.Chain, schedule.Step{Name: "join", HandsMin: w.Minutes * float64(it.Copies), WaitMin: float64(w.WaitS) / 60})
		}
	}
	for _, e := range it.Extras {
		hours := e.Hours + e.FigureHours*float64(max(0, e.Figures-1)) + float64(e.Revisions)*h.Book.V("revision.hours") + e.Odds*e.WorseHours
		if e.PerCopy {
			hours *= float64(it.Copies)
		}
		if hours > 0 {
			step := schedule.Step{Name: e.What, HandsMin: 60 * hours}
			if e.Kind == quote.Sculpt { // comes first
				out.Chain = append([]schedule.Step{step}, out.Chain...)
			} else {
				out.Chain = append(out.Chain, step)
			}
		}
	}
	return out
}

// SeamOfWidth is how long a seam is of a part's mean perimeter: parts are cut or meet where
// they are thinner than usual. Source: from memory.
const SeamOfWidth = 0.8

// meanPerimeter is what a part measures around, on average over its height.
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

func (h House) machinesOf(processName string) (n int) {
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
func (h House) machineFor(p Part, scale float64) (Machine, string, bool) {
	if m, ok := h.Machine(p.MachineID); ok && m.Active && m.Process == p.Process {
		why := fitsOn(m, p.Model, scale)
		if n := piecesToFit(m, p.Model, scale); why != "" && p.CutInto > 1 && n > 0 && n <= p.CutInto {
			why = ""
		}
		if why != "" {
			why = m.Name + ": " + why
		}
		return m, why, true
	}
	m, why, ok := h.MachineFor(p.Model, scale, p.Process)
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

// adviseOn says what another way of printing a part would save.
func (h House) adviseOn(p Part, it Item, machine Machine, part quote.Part) (out []string) {
	if part.MachineMinutes <= 0 || it.Cast {
		return nil
	}
	section := meanPerimeter(p.Model, it.Scale)
	section *= section / (4 * math.Pi)
	s := h.Splitting(machine, part.RunMinutes, section, false)
	s.FailurePerHour = part.FailurePerHour.Value
	curve, best := s.Curve()
	now := max(1, p.CutInto)
	if now <= len(curve) && best+1 != now {
		saves := (curve[now-1].Cost - curve[best].Cost) * float64(part.Copies)
		if saves > 1 && saves > 0.03*curve[now-1].Cost*float64(part.Copies) {
			out = append(out, fmt.Sprintf("%s printed in %d instead of %d saves about %s: less is lost when a run fails, seams counted.", p.Name, best+1, now, h.Studio.Money(quote.Minor(saves, Digits(h.Studio.Currency)))))
		}
	}
	if part.Copies > 1 || it.Copies > 1 {
		volume := p.Model.Measures.VolumeMM3 * it.Scale * it.Scale * it.Scale
		if n := quote.BreakEven(h.Book, part, volume, part.Copies); n > 0 {
			out = append(out, fmt.Sprintf("%s: cast from one print instead of printed each, it costs less from %d copies on.", p.Name, n))
		}
	}
	return out
}

func (h House) costOf(p Part, it Item, machine Machine, material Material) quote.Part {
	print := h.PrintOf(p.Model, it.Scale, p.WallMM, machine, material)
	perHour, rateInputs := machine.HourCost(h.Book)
	minutes, share := print.Minutes, 1.0
	inputs := []rates.Figure{rates.Of("run on "+machine.Name, print.Minutes, "min", rates.Derived)}
	plates := 1.0 / UsualPlate
	if p.Process == process.Resin {
		share = h.share(p.Model, it.Scale, machine)
		minutes *= share
		inputs = append(inputs, rates.Of("share of the plate it takes", share*100, "%", rates.Derived), h.Book.Get("bed.use"))
		plates = share
	}
	wear, wearInputs := machine.Wear(plates, print.Grams)
	fp := h.finishPart(p.Model, p, it)
	out := quote.Part{
		Name: p.Name, Copies: p.Copies * it.Copies, Process: p.Process,
		MaterialGrams: print.Grams, LossGrams: machine.Figures.V("loss") * lossShare(share, p.Process), PlateLossGrams: machine.Figures.V("loss"),
		PricePerKG: labelled(material.Figures["price"], material.Name), MaterialInputs: print.Inputs,
		MachineMinutes: minutes, RunMinutes: print.Minutes, MachineInputs: inputs,
		MachinePerHour: perHour, RateInputs: rateInputs, WearEach: wear, WearInputs: wearInputs,
		FailurePerHour: h.FailurePerHour(machine, material), CutInto: p.CutInto,
		Wage: h.Taught.Wages[it.PersonID],
		Work: finish.Plan(h.Book, fp), Supplies: finish.Supplies(h.Book, fp),
	}
	if !h.Taught.Printed[p.ModelID] {
		out.FirstRuns = h.Book.V("failure.first") / float64(max(1, out.Copies))
	}
	if n := float64(max(1, p.CutInto)); n > 1 { // each piece is set up and taken off
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

// lossShare: a resin part bears its share of what a plate loses, a filament part
// that of a usual plate.
func lossShare(share float64, processName string) float64 {
	if processName == process.Resin {
		return share
	}
	return 1.0 / UsualPlate
}

func labelled(f rates.Figure, label string) rates.Figure {
	f.Label = label
	return f
}

// share is how much of a resin plate one copy takes: its outline with the spacing
// around it, of the part of the bed that is usually covered; all of it at most.
func (h House) share(model Model, scale float64, machine Machine) float64 {
	bed := machine.Bed()
	usable := (bed.WidthMM - 2*bed.MarginMM) * (bed.DepthMM - 2*bed.MarginMM) * h.Book.V("bed.use") / 100
	if usable <= 0 {
		return 1
	}
	o := model.Shape.Plan.Scaled(scale)
	var rim float64
	for _, ring := range o {
		rim += perimeter(ring)
	}
	return min(1, (o.AreaMM2()+rim*h.Book.V("spacing")/2)/usable)
}

func perimeter(ring []solid.Point) (sum float64) {
	for i, p := range ring {
		sum += dist(p, ring[(i+1)%len(ring)])
	}
	return sum
}

// PlateEstimate is what a plate takes as it is laid.
type PlateEstimate struct {
	Minutes        float64
	PhysicsMin     float64 // before what the machine taught
	Grams          float64 // pieces, supports and loss
	Metres         float64 // of filament; 0 for resin
	TallestMM      float64
	TallestID      int64   // piece; 0 for filament, where the sum counts
	WithoutMinutes float64 // of a resin plate without its tallest piece
	WithoutMM      float64
	Covered        float64 // of the bed, 0..1
	FailureChance  float64
	CostMinor      int64
	Working        rates.Working // of Minutes
	CostWorking    rates.Working
	GramsWorking   rates.Working
	CoveredWorking rates.Working
	ChanceWorking  rates.Working
	PieceGrams     map[int64]float64
}

// LaidPiece is a piece on a plate with its model.
type LaidPiece struct {
	Piece Piece
	Model Model
}

// EstimatePlate works out a run of these pieces on a machine.
func (h House) EstimatePlate(machine Machine, material Material, pieces []LaidPiece) PlateEstimate {
	e := PlateEstimate{PieceGrams: map[int64]float64{}}
	var laid []process.Laid
	var second float64
	bed := machine.Bed()
	for _, lp := range pieces {
		pr := h.PrintOf(lp.Model, lp.Piece.Scale, lp.Piece.WallMM, machine, material)
		e.PieceGrams[lp.Piece.ID] = pr.Grams
		e.Grams += pr.Grams
		laid = append(laid, pr.Laid)
		e.Covered += lp.Model.Shape.Plan.Scaled(lp.Piece.Scale).AreaMM2()
		if pr.HeightMM > e.TallestMM {
			e.TallestMM, e.TallestID, second = pr.HeightMM, lp.Piece.ID, e.TallestMM
		} else {
			second = max(second, pr.HeightMM)
		}
	}
	outlines := rates.Of("outlines of the pieces", e.Covered/100, "cm²", rates.Mesh)
	e.Covered = min(1, e.Covered/max(1, bed.WidthMM*bed.DepthMM))
	e.CoveredWorking = rates.Working{Formula: "outlines ÷ (width × depth)", Inputs: []rates.Figure{outlines, machine.Figures["width"], machine.Figures["depth"]},
		Result: rates.Of("bed covered", e.Covered*100, "%", rates.Derived)}
	if len(pieces) == 0 {
		return e
	}
	e.GramsWorking = rates.Working{Formula: "pieces with their supports + loss of a plate", Inputs: []rates.Figure{
		rates.Of("pieces", float64(len(pieces)), "pieces", rates.Derived), rates.Of("all of them", e.Grams, "g", rates.Derived), machine.Figures["loss"]}}
	e.Grams += machine.Figures.V("loss")
	e.Metres = process.FilamentMetres(e.Grams, material.Figures.V("density"), material.Figures.V("diameter"))
	e.GramsWorking.Result = rates.Of("material of the run", e.Grams, "g", rates.Derived)
	if machine.Process == process.Resin {
		rm := process.ResinOf(machine.Figures)
		e.Minutes = rm.Minutes(e.TallestMM)
		e.Working = rm.Working(e.TallestMM, machine.Figures)
		if second > 0 {
			e.WithoutMM, e.WithoutMinutes = second, rm.Minutes(second)
		}
	} else {
		fm := process.FilamentOf(machine.Figures, h.Book.V("support.filament")/100)
		e.Minutes = fm.Minutes(laid...)
		var path float64
		for _, l := range laid {
			path += l.MM3()
		}
		e.Working = rates.Working{
			Formula: "heating + each piece, layer by layer: walls, skin, infill and supports at their speed or at the melt flow",
			Inputs: []rates.Figure{machine.Figures["preparation"], rates.Of("pieces", float64(len(laid)), "pieces", rates.Derived),
				rates.Of("laid down", path/1000, "cm³", rates.Derived), machine.Figures["wall_speed"], machine.Figures["infill_speed"],
				machine.Figures["melt"], machine.Figures["layer_time"]},
			Result: rates.Of("run", e.Minutes, "min", rates.Derived),
		}
	}
	e.PhysicsMin = e.Minutes
	if f := machine.Learned.Factor(); f != 1 {
		e.Minutes, e.WithoutMinutes = e.Minutes*f, e.WithoutMinutes*f
		e.Working.Formula = "(" + e.Working.Formula + ") × what the machine taught"
		e.Working.Inputs = append(e.Working.Inputs, rates.Of(fmt.Sprintf("taught by %d runs and files", machine.Learned.Count), f, "×", rates.Derived))
		e.Working.Result.Value = e.Minutes
	}
	failure := h.FailurePerHour(machine, material)
	e.FailureChance = process.FailureChance(failure.Value, e.Minutes)
	e.ChanceWorking = rates.Working{Formula: "1 − e^(−failures per hour × hours)", Inputs: []rates.Figure{failure, rates.Of("run", e.Minutes/60, "h", rates.Derived)},
		Result: rates.Of("chance the run fails", e.FailureChance*100, "%", rates.Derived)}
	perHour, inputs := machine.HourCost(h.Book)
	wear, wearInputs := machine.Wear(1, e.Grams)
	inputs = append(inputs, wearInputs...)
	cost := e.Grams/1000*material.Figures.V("price") + e.Minutes/60*perHour + wear
	e.CostMinor = quote.Minor(cost, Digits(h.Studio.Currency))
	e.CostWorking = rates.Working{
		Formula: "material × price + hours × machine hour + wear of film or nozzle",
		Inputs: append([]rates.Figure{rates.Of("material with loss", e.Grams, "g", rates.Derived),
			labelled(material.Figures["price"], material.Name), rates.Of("run", e.Minutes/60, "h", rates.Derived),
			rates.Of("machine hour", perHour, "¤/h", rates.Derived)}, inputs...),
		Result: rates.Of("cost of the run", cost, "¤", rates.Derived),
	}
	return e
}

// Detail says in a line what an item is: process, tier, size.
func (h House) Detail(it Item) string {
	processes := []string{}
	for _, p := range it.Parts {
		if m, ok := h.Material(p.MaterialID, p.Process); ok && !slices.Contains(processes, m.Name) {
			processes = append(processes, m.Name)
		}
	}
	size := it.Size()
	s := fmt.Sprintf("%s, %.0f × %.0f × %.0f mm", joinAnd(processes), size[0], size[1], size[2])
	if len(it.Parts) > 1 {
		s = fmt.Sprintf("%d parts, %s", len(it.Parts), s)
	}
	return s
}

func joinAnd(words []string) string {
	switch len(words) {
	case 0:
		return "no material yet"
	case 1:
		return words[0]
	}
	out := words[0]
	for _, w := range words[1 : len(words)-1] {
		out += ", " + w
	}
	return out + " and " + words[len(words)-1]
}

// Size is the box of the item's largest part at its scale, in mm.
func (i Item) Size() (size [3]float64) {
	for _, p := range i.Parts {
		for k := range 3 {
			size[k] = max(size[k], p.Model.Measures.SizeMM[k]*i.Scale)
		}
	}
	return size
}

func dist(a, b solid.Point) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }
