package studio

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/core/schedule"
)

// PieceState is where a piece is on its way.
type PieceState string

// States of a piece.
const (
	Waiting   PieceState = "waiting"  // for a plate
	OnPlate   PieceState = "on plate" // laid out, printing, or printed and not yet taken off
	InParts   PieceState = "in parts" // what it is made of is not all done: an assembly, a mould, a casting
	AtBench   PieceState = "bench"
	PieceDone PieceState = "done"
	Scrapped  PieceState = "scrapped" // not to be printed again; the order is short of it until that is settled
	LeftOut   PieceState = "left out" // the client does without
	PieceOff  PieceState = "cancelled"
)

// PieceCounts is how many pieces are in each state.
type PieceCounts map[PieceState]int

// Printed counts those that came off a plate well.
func (c PieceCounts) Printed() int { return c[AtBench] + c[PieceDone] }

// Waiting counts those that wait for a plate.
func (c PieceCounts) Waiting() int { return c[Waiting] }

// OnPlate counts those that lie on one.
func (c PieceCounts) OnPlate() int { return c[OnPlate] }

// InWork are the states of pieces that somebody or something still has to work on.
func InWork() []PieceState { return []PieceState{Waiting, OnPlate, InParts, AtBench} }

// LivePieces are the states of pieces that count for their order.
func LivePieces() []PieceState { return append(InWork(), PieceDone) }

// PieceKind is what a piece is.
type PieceKind string

// Kinds of pieces.
const (
	KindPrint    PieceKind = "print"
	KindAssembly PieceKind = "assembly" // made of other pieces
	KindMaster   PieceKind = "master"   // the print that moulds are made of
	KindMould    PieceKind = "mould"
	KindCast     PieceKind = "cast"

	KindFile        PieceKind = "file" // made ready, and not printed
	KindSculpt      PieceKind = "sculpt"
	KindTrial       PieceKind = "trial"
	KindSpare       PieceKind = "spare" // a print in case another fails
	KindRestoration PieceKind = "restoration"
	KindBase        PieceKind = "base"
	KindBought      PieceKind = "bought" // bought in: one lot
	KindSoft        PieceKind = "soft"   // soft goods
	KindWork        PieceKind = "work"   // hours that leave no thing of their own
)

// Piece is one physical thing that is tracked: a copy of a part, or what is joined of several.
type Piece struct {
	ID            int64
	Code          string
	Kind          PieceKind
	ParentID      int64 // the assembly that it becomes part of; 0: none
	FromID        int64 // of a mould the print it is made around, of a casting its mould
	Beside        bool  // it goes into or with the other pieces of its item, and is not counted
	OrderID       int64
	ItemID        int64
	PartID        int64 // of an assembly: its principal part
	ModelID       int64 // what it is or was printed of
	OrientationID int64
	Name          string
	Process       string
	MaterialID    int64
	Scale         float64
	WallMM        float64
	Profile       PrintProfile
	Tier          string
	Attempt       int
	State         PieceState
	ReplacesID    int64
	PlaceID       int64 // where it lies; 0: nobody has said
	Stages        StageList
}

// Stage is a field of a piece's strip with its stamp.
type Stage struct {
	PieceID  int64
	Position int
	route.Stage
	PersonID int64
	Initials string
	Done     time.Time
	Minutes  float64
	Note     string
	BathID   int64        // of a wash
	Medium   route.Medium // that was laid, by its recipe; empty: as its item has it
	Film     float64      // how many times as thick as the rate book has it; 0: as it has it
}

// Live reports whether the piece counts for its order.
func (p Piece) Live() bool { return OneOf(p.State, LivePieces()...) }

// Replaced reports whether a piece was made in the place of another.
func Replaced(pieces []Piece, id int64) bool {
	return slices.ContainsFunc(pieces, func(p Piece) bool { return p.ReplacesID == id })
}

// Counts reports whether the piece is one that its order waits for: a spare is not.
func (p Piece) Counts() bool { return p.Live() && p.Kind != KindSpare }

// Short reports whether the order is short of the piece until that is settled.
func (p Piece) Short(all []Piece) bool {
	return p.State == Scrapped && p.Kind != KindSpare && !Replaced(all, p.ID)
}

// Strip is the piece's stages as a route.
func (p Piece) Strip() route.Stages {
	out := make(route.Stages, len(p.Stages))
	for i, s := range p.Stages {
		out[i] = s.Stage
	}
	return out
}

// Now is the stage that is next, nil when all are done.
func (p Piece) Now() *Stage {
	if i := p.Strip().Now(); i < len(p.Stages) {
		return &p.Stages[i]
	}
	return nil
}

// Last is the stage stamped last, nil when none is.
func (p Piece) Last() *Stage {
	for i := p.Strip().Now() - 1; i >= 0; i-- {
		if p.Stages[i].Mark != route.Todo {
			return &p.Stages[i]
		}
	}
	return nil
}

// Ahead is what the piece still has before it, as steps of a schedule: its print, if that
// is still to come, hands and waits; runMin is what the rest of its run takes.
func (p Piece) Ahead(now time.Time, runMin float64) (steps []schedule.Step) {
	strip := p.Strip()
	if until := strip.Until(); until.After(now) {
		steps = append(steps, schedule.Step{Name: "wait", WaitMin: until.Sub(now).Minutes()})
	}
	for _, s := range strip[min(strip.Now(), len(strip)):] {
		if s.Mark != route.Todo {
			continue
		}
		if s.Kind == route.Print {
			steps = append(steps, schedule.Step{Name: "run", WaitMin: runMin})
		}
		steps = append(steps, schedule.Step{Name: string(s.Kind), HandsMin: s.PlannedMin, WaitMin: float64(s.WaitS) / 60})
	}
	return steps
}

// StagesFor plans the strip of a new piece of an order with these items.
func (h Shop) StagesFor(p Part, it Item, items []Item) []Stage {
	return stripOf(it.own(p, finish.Plan(h.Book, h.printed(p, it, h.sessionsOf(items)))))
}

// own is what of a part's work is done on its own pieces: where it is joined, the assembly takes
// over, but for the colours of what is joined after paint.
func (i Item) own(p Part, work []finish.Work) []finish.Work {
	if !i.Joined() {
		return work
	}
	after := i.after(p)
	return slices.DeleteFunc(work, func(w finish.Work) bool {
		return w.Kind.Traits().Whole && !(after && route.Colours(w.Kind))
	})
}

// sharing is what of a part counts for hands, with the set-ups that it shares.
func (h Shop) sharing(p Part, it Item, together sessions) finish.Part {
	fp := h.finishPart(p.Model, p, it)
	fp.Sessions = together.of(fp, it, p)
	return fp
}

// printed is so too, with its share of a plate.
func (h Shop) printed(p Part, it Item, together sessions) finish.Part {
	fp := h.sharing(p, it, together)
	if machine, _, ok := h.machineFor(p, it.Scale); ok {
		material, _ := h.Material(p.MaterialID, p.Process)
		fp.PlateShare = h.share(p.Model, it.Scale, machine, h.PrintOf(p.CopyAt(it.Scale), machine, material).Minutes)
	}
	return fp
}

// finishPart is what of a part counts for hands.
func (h Shop) finishPart(m Model, p Part, it Item) finish.Part {
	m = h.held(m, p.Profile, p.Process)
	s, faces := m.Scaled(it.Scale), m.Shape.Faces.Scaled(it.Scale)
	raised, hollow := m.Shape.Detail.At(it.Scale)
	finishRoute := p.FinishRoute
	if finishRoute == "" {
		finishRoute = it.FinishRoute
	}
	if finishRoute == "" {
		finishRoute = h.Studio.Defaults.FinishRoute(p.Process, it.Tier)
	}
	out := finish.Part{Process: p.Process, Tier: it.Tier, Route: finishRoute,
		Scheme: it.Scheme, Schools: h.Studio.Defaults.Schools, Paints: it.Paints, AreaMM2: s.AreaMM2, SeenMM2: faces.OuterMM2, InsideMM2: faces.InnerMM2, RimMM: faces.RimMM,
		Inside: p.Inside, Hidden: p.Unseen(), Joined: it.Joined(), Worn: it.Rule.Worn(), Standard: it.Standard, Care: it.Care,
		OverhangMM2: s.Overhang.AreaMM2, Tips: float64(m.Tips) * it.Scale * it.Scale, // tips stand so far apart whatever the size
		Measured: m.Shape.Detail.Measured(), RaisedMM: raised, HollowMM: hollow, DetailFactor: it.DetailFactor,
		Copies: p.Copies * it.Copies, Features: it.countedOn(p), Logged: h.History.Logged[p.Process]}
	if strings.HasPrefix(finishRoute, finish.OwnRoute) {
		if r, ok := finish.RouteOf(h.Book, finishRoute); ok {
			out.Smoothing = &r
		}
	}
	if it.PersonID != 0 {
		if out.Practice = h.History.Practice[it.PersonID]; out.Practice == nil {
			out.Practice = finish.Practice{}
		}
	}
	return out
}

// sessions counts the pieces of an order that share the set-up of a stage: what is printed of
// one material, washed and cured in one process, sanded and filled by one route, primed and
// packed together; colours are shared within an item.
type sessions map[string]int

// sessionsOf counts them; no items share nothing.
func (h Shop) sessionsOf(items []Item) sessions {
	s := sessions{}
	for _, it := range items {
		for _, p := range it.prints() {
			fp := h.finishPart(p.Model, p, it)
			seen := map[route.StageKind]bool{}
			for _, kind := range fp.Course().Stages() {
				if !seen[kind] {
					s[session(fp, it, p, kind)] += fp.Copies
				}
				seen[kind] = true
			}
		}
		if it.Joined() {
			s[ofAll(route.Pack)] += it.Copies
		}
	}
	return s
}

// of is how many pieces share each set-up with those of a part.
func (s sessions) of(fp finish.Part, it Item, p Part) finish.Sessions {
	out := finish.Sessions{}
	for _, kind := range fp.Course().Stages() {
		out[kind] = s[session(fp, it, p, kind)]
	}
	return out
}

// ofAll names what everything of an order shares a set-up by.
func ofAll(kind route.StageKind) string { return session(finish.Part{}, Item{}, Part{}, kind) }

// session names what a part's pieces share a set-up by.
func session(fp finish.Part, it Item, p Part, kind route.StageKind) string {
	by := ""
	switch kind.Traits().Shared {
	case route.ByPlate:
		by = fmt.Sprint(p.Process, p.MaterialID, p.MachineID)
	case route.ByProcess:
		by = p.Process
	case route.ByItem:
		by = fmt.Sprint(it.ID, it.Title)
	case route.ByRoute:
		by = fp.Route
	}
	return string(kind) + " " + by
}

// Retier replaces the stages still to come by those of another tier: what is
// stamped stays. A stage already passed is not asked for again, unless it comes
// after one that is new: what is painted after all is packed once more.
func Retier(stages, planned []Stage) []Stage {
	var out, mends []Stage
	passed := map[route.StageKind]int{}
	for _, s := range stages {
		switch {
		case s.Mark != route.Todo:
			out = append(out, s)
			if s.Mark == route.Done && !s.Rework {
				passed[s.Kind]++
			}
		case s.Rework: // a flaw stays one, however it is finished
			mends = append(mends, s)
		}
	}
	fresh := false
	for _, s := range planned {
		if fresh = fresh || passed[s.Kind] == 0; fresh {
			out = append(out, s)
		} else if again(planned, s) { // a second round is passed by a second stamp
			passed[s.Kind]--
		}
	}
	if len(mends) > 0 {
		out = slices.Insert(out, Piece{Stages: out}.Strip().AfterPrint(), mends...)
	}
	for i := range out {
		out[i].Position = i
	}
	return out
}

// again reports whether a kind stands more than once in a plan.
func again(planned []Stage, s Stage) bool {
	n := 0
	for _, p := range planned {
		if p.Kind == s.Kind {
			n++
		}
	}
	return n > 1
}

// StageList is a piece's stages in order.
type StageList []Stage

// numbered gives each stage its place.
func (l StageList) numbered() StageList {
	for i := range l {
		l[i].Position = i
	}
	return l
}
