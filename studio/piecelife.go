package studio

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// What can happen to a piece, from its plate to the parcel. Each of these gives the piece
// as it is then with the line for the logbook, or says why not.

// Stamp is a stage done.
type Stamp struct {
	Minutes float64 // of hands; less than zero: as planned
	Note    string
	Early   bool          // stamped although the wait was not over; the note says why
	At      time.Time     // when it was done; zero: now
	Bath    int64         // that it was washed in; 0: nobody said
	Shown   string        // the stage that the sheet showed (Piece.Shown); empty: whichever is next
	Laid    map[int64]int // coats laid of each region of its paint plan, by id; nil: as planned
	Also    AlsoLaid      // what was laid beside the plan
	Checked int           // of what was to be looked at
	Drying  *Drying       // the air of the day, and the piece's paints; nil: its strip alone says what waits
}

// Shown names the stage that is next and its round, so that a stamp given on a sheet that
// another tablet has overtaken is not booked on the stage after it.
func (p Piece) Shown() string {
	now := p.Strip().Now()
	if now >= len(p.Stages) {
		return "done"
	}
	round := 0
	for _, s := range p.Stages[:now] {
		if s.Kind == p.Stages[now].Kind {
			round++
		}
	}
	return fmt.Sprintf("%s-%d-%d", p.Stages[now].Kind, now, round)
}

// shows says what has happened since a sheet was drawn, if it has.
func (p Piece) shows(shown string, zone *time.Location) error {
	if shown == "" || shown == p.Shown() {
		return nil
	}
	if last := p.Last(); last != nil {
		by := last.Initials
		if by != "" {
			by = " by " + by
		}
		return fmt.Errorf("%s has moved on meanwhile: %s was marked%s at %s. Nothing was stamped; look again", p.Code,
			last.Kind.Traits().Name, by, last.Done.In(zone).Format("15:04"))
	}
	return fmt.Errorf("%s has moved on meanwhile. Nothing was stamped; look again", p.Code)
}

// MayStamp says whether the stage that is next can be stamped at a time.
func (p Piece) MayStamp(at time.Time) error {
	if p.State != AtBench {
		return fmt.Errorf("%s is %s", p.Code, p.State)
	}
	return p.Strip().MayStamp(at)
}

// MayBegin says whether hands can begin what is next; shown is the stage that the sheet showed.
func (p Piece) MayBegin(at time.Time, shown string, by Around) error {
	if err := p.shows(shown, at.Location()); err != nil {
		return err
	}
	if err := p.Readiness(at, by).Begin(); err != nil {
		return fmt.Errorf("%s cannot be begun: %w", p.Code, err)
	}
	return nil
}

// Stamp stamps the stage that is next.
func (p Piece) Stamp(a Act, st Stamp, zone *time.Location) (Piece, Entry, error) {
	st.Note = strings.TrimSpace(st.Note)
	if err := p.shows(st.Shown, zone); err != nil {
		return p, Entry{}, err
	}
	at := a.At
	if !st.At.IsZero() {
		if at = st.At; at.After(a.At) {
			return p, Entry{}, rates.Amiss("at", "it cannot have been done later than now")
		}
		if last := p.Last(); last != nil && at.Before(last.Done) {
			return p, Entry{}, rates.Amiss("at", "the stage before it was stamped %s; this one cannot have been done earlier", last.Done.In(zone).Format("Mon 2 Jan, 15:04"))
		}
	}
	switch r := p.Readiness(at, Around{Drying: st.Drying}); {
	case r.Refused != nil:
		return p, Entry{}, r.Refused
	case r.Wait != nil:
		until := route.WaitError{For: r.Wait.For, Until: r.Wait.Until.In(zone), At: at}
		if !st.Early && st.At.IsZero() {
			return p, Entry{}, fmt.Errorf("%s must wait: %s", p.Code, until.Error())
		}
		if st.Note == "" {
			return p, Entry{}, rates.Amiss("note", "%s should still wait (%s). If it is ready, say in the note why", p.Code, until.Error())
		}
	}
	p.Stages = slices.Clone(p.Stages)
	stage := p.Now()
	if stage.Kind == route.Judge && st.Note == "" {
		return p, Entry{}, rates.Amiss("note", "%s: say in the note what came out; the next job with that pair looks for it", p.Code)
	}
	if st.Minutes < 0 {
		st.Minutes = stage.PlannedMin
	}
	if !(st.Minutes <= 24*60) {
		return p, Entry{}, rates.Amiss("minutes", "%.0f minutes are more than a day; enter the minutes of hands", st.Minutes)
	}
	stage.mark(route.Done, a, at, st.Minutes, st.Note)
	if st.Drying != nil {
		stage.Until = st.Drying.Until(*stage, at)
	}
	if stage.Kind == route.Wash {
		stage.BathID = st.Bath
	}
	name := stage.Kind.Traits().Name
	if p.Now() == nil {
		p.State = PieceDone
	}
	return p, a.entry("stamped", "%s: %s, %.0f min%s%s", p.Code, name, st.Minutes, checked(st.Checked), Dash(st.Note)).of(p.OrderID, p.ID, 0), nil
}

// checked says how much was looked at.
func checked(n int) string {
	if n == 0 {
		return ""
	}
	return ", " + Say(n, "check")
}

func (s *Stage) mark(m route.Mark, a Act, at time.Time, minutes float64, note string) {
	s.Mark, s.PersonID, s.Done, s.Minutes, s.Note = m, a.PersonID, at, minutes, note
	s.Until = at.Add(time.Duration(s.WaitS) * time.Second)
}

// open is the stage as it was before it was marked: its plan stays.
func (s Stage) open() Stage {
	return Stage{PieceID: s.PieceID, Position: s.Position, Stage: s.Stage.Open()}
}

// SendBack strikes the stage that is next through and repeats the stages from an earlier
// one on: a look to filling, say, or a broken piece to the print.
func (p Piece) SendBack(a Act, to route.StageKind, note, shown string, zone *time.Location) (Piece, Entry, error) {
	if err := p.shows(shown, zone); err != nil {
		return p, Entry{}, err
	}
	if p.State != AtBench {
		return p, Entry{}, fmt.Errorf("%s is %s", p.Code, p.State)
	}
	repeat, err := p.Strip().Back(to)
	if err != nil {
		return p, Entry{}, err
	}
	at := p.Strip().Now()
	p.Stages = slices.Clone(p.Stages)
	s := &p.Stages[at]
	s.mark(route.SentBack, a, a.At, 0, strings.TrimSpace(note))
	s.Until, s.Again = time.Time{}, len(repeat)
	p.Stages = slices.Insert(p.Stages, at+1, stagesOf(repeat)...).numbered()
	if to == route.Print {
		p.State = Waiting
		p.Attempt++
	}
	return p, a.entry("sent back", "%s to %s%s", p.Code, to.Traits().Name, Dash(note)).of(p.OrderID, p.ID, 0), nil
}

// stagesOf makes stages of a plan.
func stagesOf(plan []route.Stage) (out StageList) {
	for _, r := range plan {
		out = append(out, Stage{Stage: r})
	}
	return out
}

// MayOpen says whether the piece's last mark can be taken back.
func (p Piece) MayOpen(now time.Time) error {
	last := p.Last()
	switch {
	case last == nil:
		return errors.New("nothing is stamped yet")
	case last.Kind == route.Print && last.Mark == route.Done:
		return errors.New("the print is taken back on its plate")
	case !OneOf(p.State, AtBench, PieceDone) && !(p.State == Waiting && last.Mark == route.SentBack):
		return fmt.Errorf("%s is %s", p.Code, p.State)
	}
	return MayTakeBack(last.Done, now)
}

// TakeBack undoes the last stamp, or being sent back. The logbook keeps both.
func (p Piece) TakeBack(a Act) (Piece, Entry, error) {
	if err := p.MayOpen(a.At); err != nil {
		return p, Entry{}, err
	}
	p.Stages = slices.Clone(p.Stages)
	last := p.Last()
	if last.Mark == route.SentBack {
		at := slices.IndexFunc(p.Stages, func(s Stage) bool { return s.Position == last.Position })
		n := last.Again
		if p.State == Waiting {
			p.Attempt--
		}
		*last = last.open()
		p.Stages = slices.Delete(p.Stages, at+1, min(len(p.Stages), at+1+n))
	} else {
		*last = last.open()
	}
	p.Stages = p.Stages.numbered()
	p.State = AtBench
	return p, a.entry("taken back", "%s: %s is open again", p.Code, p.Now().Kind.Traits().Name).of(p.OrderID, p.ID, 0), nil
}

// ComeOff moves a piece on after its run. Its print is stamped as of the end of the run,
// with its share of the hands that emptied the plate.
func (p Piece) ComeOff(a Act, pl Plate, out Outcome, handsMin float64) (Piece, Entry, error) {
	if p.State == PieceOff { // called off while it was printing: it is not a piece of the order any more
		return p, a.entry("print left over", "%s came off plate %d; its order does not want it any more", p.Code, pl.Number).of(p.OrderID, p.ID, pl.ID), nil
	}
	if p.State != OnPlate {
		return p, Entry{}, fmt.Errorf("%s is %s, not on plate %d", p.Code, p.State, pl.Number)
	}
	var e Entry
	switch out.What {
	case Good, Rework, HiddenFlaw:
		p.State = AtBench
		if now := p.Now(); now != nil && now.Kind == route.Print {
			p.Stages = slices.Clone(p.Stages)
			p.Now().mark(route.Done, a, pl.Run.Ended, handsMin, fmt.Sprintf("plate %d", pl.Number))
		}
		if out.What == Rework {
			p.Stages = slices.Insert(slices.Clone(p.Stages), p.Strip().AfterPrint(), Stage{Stage: route.Stage{Kind: out.Stage, Mark: route.Todo, PlannedMin: out.Minutes, Rework: true, How: out.Cause}}).numbered()
		}
		e = a.entry("printed", "%s came off plate %d", p.Code, pl.Number)
		if out.What != Good {
			e = a.entry("printed", "%s came off plate %d, %s: %s", p.Code, pl.Number, OutcomeName(out.What), out.Cause)
		}
	case Failed:
		if p.Kind == KindSpare { // nobody waits for it
			p.State = PieceOff
			return p, a.entry("print failed", "%s on plate %d: %s. A spare is not printed again", p.Code, pl.Number, out.Cause).of(p.OrderID, p.ID, pl.ID), nil
		}
		p.State = Waiting
		p.Attempt++
		e = a.entry("print failed", "%s on plate %d: %s. It waits for attempt %d", p.Code, pl.Number, out.Cause, p.Attempt)
	case ScrappedOff:
		p.State = Scrapped
		e = a.entry("print scrapped", "%s on plate %d%s", p.Code, pl.Number, Dash(out.Cause))
	default:
		return p, Entry{}, fmt.Errorf("%s: %q is no outcome", p.Code, out.What)
	}
	return p, e.of(p.OrderID, p.ID, pl.ID), nil
}

// asItCameOff reports whether nothing was done to the piece since it came off its plate.
func (p Piece) asItCameOff(outcome string) bool {
	if p.State == PieceOff {
		return true
	}
	switch outcome {
	case Good, Rework, HiddenFlaw:
		last := p.Last()
		return p.State == AtBench && last != nil && last.Kind == route.Print && last.Mark == route.Done
	case Failed:
		return p.State == Waiting
	case ScrappedOff:
		return p.State == Scrapped
	}
	return false
}

// GoBackOn undoes coming off: the piece is on its plate again.
func (p Piece) GoBackOn(outcome string) Piece {
	if p.State == PieceOff {
		return p
	}
	switch outcome {
	case Good, Rework, HiddenFlaw:
		p.Stages = slices.DeleteFunc(slices.Clone(p.Stages), func(s Stage) bool { return s.Rework && s.Mark == route.Todo }).numbered()
		last := p.Last()
		*last = last.open()
	case Failed:
		p.Attempt--
	}
	p.State = OnPlate
	return p
}

// CallOff takes a piece off its order; what is laid on a plate that has not started is
// lifted off first. It stays in the book.
func (p Piece) CallOff(a Act, why string) (Piece, Entry, error) {
	if !p.Live() {
		return p, Entry{}, fmt.Errorf("%s is %s", p.Code, p.State)
	}
	p.State = PieceOff
	return p, a.entry("piece called off", "%s: %s", p.Code, why).of(p.OrderID, p.ID, 0), nil
}

// Replace makes a new piece in the place of a scrapped one: it passes every round again.
func (p Piece) Replace(a Act, all []Piece, code string) (Piece, Entry, error) {
	if err := p.maySettle(all); err != nil {
		return p, Entry{}, err
	}
	fresh := p
	fresh.ID, fresh.Code, fresh.ReplacesID, fresh.State, fresh.Attempt = 0, code, p.ID, Waiting, p.Attempt+1
	fresh.Stages = stagesOf(p.Strip().Planned()).numbered()
	return fresh, a.entry("piece made", "%s in place of %s", code, p.Code).of(p.OrderID, 0, 0), nil
}

// LeaveOut settles that the client does without a scrapped piece.
func (p Piece) LeaveOut(a Act, all []Piece) (Piece, Entry, error) {
	if err := p.maySettle(all); err != nil {
		return p, Entry{}, err
	}
	p.State = LeftOut
	return p, a.entry("left out", "%s: the client does without", p.Code).of(p.OrderID, p.ID, 0), nil
}

func (p Piece) maySettle(all []Piece) error {
	switch {
	case p.State != Scrapped:
		return fmt.Errorf("%s is %s, not scrapped", p.Code, p.State)
	case Replaced(all, p.ID):
		return fmt.Errorf("%s has its replacement already", p.Code)
	}
	return nil
}

// SameSpec reports whether the piece is what the part and item ask for now, so
// that a print of it can be kept.
func (p Piece) SameSpec(part Part, it Item) bool {
	return p.Process == part.Process && p.MaterialID == part.MaterialID && p.Scale == it.Scale && p.WallMM == part.WallMM && p.Profile == part.Profile
}

// AsAsked reports whether nothing of the piece differs from what the part and item ask for.
func (p Piece) AsAsked(part Part, it Item) bool {
	return p.SameSpec(part, it) && p.Beside == it.Restored() && p.Tier == it.Tier && p.Name == it.nameOf(p.Kind, part)
}

// Refit makes the piece what is asked of it now: what is stamped stays, what is still to
// come is planned again.
func (p Piece) Refit(a Act, it Item, part Part, plan []Stage) (Piece, Entry) {
	p.Name, p.Process, p.MaterialID, p.Scale, p.WallMM, p.Profile, p.Tier = it.nameOf(p.Kind, part), part.Process, part.MaterialID, it.Scale, part.WallMM, part.Profile, it.Tier
	p.Beside = it.Restored()
	p.Stages = Retier(p.Stages, plan)
	p.resume()
	return p, a.entry("piece changed", "%s: %s at %v", p.Code, route.TierName(p.Tier), p.Scale).of(p.OrderID, p.ID, 0)
}

// Replan gives what is still to come of a piece the plan of today; a piece that a look has sent
// back finishes that first. It reports whether anything changed.
func (p Piece) Replan(plan []Stage) (Piece, bool) {
	if slices.ContainsFunc(p.Stages, func(s Stage) bool { return s.Repeat }) {
		return p, false
	}
	was := p.Stages
	p.Stages = Retier(was, plan)
	same := slices.EqualFunc(was, p.Stages, func(a, b Stage) bool {
		return a.Kind == b.Kind && a.Mark == b.Mark && math.Abs(a.PlannedMin-b.PlannedMin) < 1e-6 && a.WaitS == b.WaitS && a.How == b.How
	})
	p.resume()
	return p, !same
}

// resume brings a piece's state in line with a strip that was planned again.
func (p *Piece) resume() {
	switch {
	case p.State == PieceDone && p.Now() != nil:
		p.State = AtBench
	case p.State == AtBench && p.Now() == nil:
		p.State = PieceDone
	}
}

// Spent is what a piece took beside hands: material that was booked on it, and its share of runs.
type Spent struct {
	PieceID    int64
	Grams      float64
	MachineMin float64
	MachineID  int64 // the one of its runs, the newest in the list where there were several
}

// Invested says what has gone into a piece: how far it is, the hands that were stamped, its share of
// the machine, the material that was booked on it, and what they cost by the book.
func (h Shop) Invested(p Piece, spent Spent) string {
	minutes, cost := 0.0, 0.0
	for _, s := range p.Stages {
		minutes += s.Minutes
		cost += s.Minutes / 60 * h.Book.V(s.Kind.Traits().Wage)
	}
	last := "on a plate"
	if s := p.Last(); s != nil {
		last = "as far as " + s.Kind.Traits().Name
	}
	text := fmt.Sprintf("%s, %s: %s, %s of hands", p.Code, p.Name, last, HandsText(minutes))
	if m, ok := h.Machine(spent.MachineID); ok && spent.MachineMin > 0 {
		perHour, _ := m.HourCost(h.Book)
		text += ", " + HandsText(spent.MachineMin) + " of machine"
		cost += spent.MachineMin / 60 * perHour
	}
	if m, ok := h.Material(p.MaterialID, p.Process); ok && spent.Grams > 0 {
		text += fmt.Sprintf(", %s g", rates.Number(spent.Grams))
		cost += spent.Grams / 1000 * m.Figures.V("price")
	}
	return text + ", about " + h.Studio.Money(quote.Minor(cost, Digits(h.Studio.Currency))).String()
}

// Follow makes a piece that waits print what its part prints now; it reports whether
// anything changed. What is on a plate or printed stays as it is.
func (p Piece) Follow(part Part) (Piece, bool) {
	if p.State != Waiting || p.ModelID == part.ModelID && p.OrientationID == part.OrientationID {
		return p, false
	}
	p.ModelID, p.OrientationID = part.ModelID, part.OrientationID
	return p, true
}

// PieceName is what a piece of a part is called: the item, and the part where there are
// several.
func (i Item) PieceName(part Part) string {
	if len(i.Parts) < 2 {
		return i.Title
	}
	name := part.Name // a part named after its item need not say so twice
	if n := len(i.Title); len(name) > n && strings.EqualFold(name[:n], i.Title) {
		name = strings.TrimLeft(name[n:], " ,")
	}
	return i.Title + ", " + name
}

// nameOf is what a piece of a kind is called.
func (i Item) nameOf(kind PieceKind, part Part) string {
	switch kind {
	case KindAssembly:
		return i.Title
	case KindMaster:
		return i.PieceName(part) + ", the print to cast"
	case KindMould:
		return i.PieceName(part) + ", mould"
	}
	return i.PieceName(part)
}

// Fitting is how the pieces of a part are brought in line with what is asked now.
type Fitting struct {
	Refit   []Piece
	Keep    []Piece // as they are
	CallOff []CalledOff
	Missing int
}

// CalledOff is a piece that is not wanted any more, and why.
type CalledOff struct {
	Piece Piece
	Why   string
}

// Fit brings the pieces of a part in line with what an item asks of it. What is printed as
// asked stays; what is not printed yet is changed; too few are made again, too many are
// called off, those that are the least far first. One that the client does without, or
// whose loss is still to be settled, is not made again by itself.
func Fit(pieces []Piece, part Part, it Item) (f Fitting) {
	want := part.Copies * it.Copies
	rank := map[PieceState]int{PieceDone: 0, AtBench: 1, OnPlate: 2, Waiting: 3}
	var own []Piece
	for _, p := range pieces {
		switch {
		case p.PartID != part.ID || p.Kind != KindPrint:
		case p.Live():
			own = append(own, p)
		case p.State == LeftOut || p.Short(pieces):
			want--
		}
	}
	slices.SortStableFunc(own, func(a, b Piece) int { return rank[a.State] - rank[b.State] })
	kept := 0
	for _, p := range own {
		fits := p.SameSpec(part, it)
		switch {
		case kept >= want:
			f.CallOff = append(f.CallOff, CalledOff{p, "the order wants fewer"})
		case !fits && p.State != Waiting:
			f.CallOff = append(f.CallOff, CalledOff{p, "it was printed as it was ordered before"})
		default:
			kept++
			if !p.AsAsked(part, it) {
				f.Refit = append(f.Refit, p)
			} else {
				f.Keep = append(f.Keep, p)
			}
		}
	}
	f.Missing = max(0, want-kept)
	return f
}

// NewPiece is a piece of a part before anything is done of it: what is printed waits for a
// plate, what is made of others for those.
func NewPiece(kind PieceKind, code string, o Order, it Item, part Part, plan []Stage) Piece {
	p := Piece{Code: code, Kind: kind, OrderID: o.ID, ItemID: it.ID, PartID: part.ID, ModelID: part.ModelID, OrientationID: part.OrientationID, Name: it.nameOf(kind, part),
		Process: part.Process, MaterialID: part.MaterialID, Scale: it.Scale, WallMM: part.WallMM, Profile: part.Profile, Tier: it.Tier, Attempt: 1, State: Waiting, Beside: it.Restored(), Stages: plan}
	if OneOf(kind, KindAssembly, KindMould, KindCast) {
		p.State = InParts
	}
	return p
}
