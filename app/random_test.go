package app_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/models"
	"sakuji/app/orders"
	"sakuji/app/pieces"
	"sakuji/app/plates"
	"sakuji/app/quotes"
	"sakuji/core/finish"
	"sakuji/core/quote"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// chance is an order that things happen to.
type chance struct {
	*testing.T
	*apptest.Studio
	rand   *rand.Rand
	number string
	said   []string // what happened, for whoever must find out why
}

func (c *chance) say(format string, a ...any) { c.said = append(c.said, fmt.Sprintf(format, a...)) }

// pick is one of several at random.
func pick[T any](c *chance, of ...T) T { return of[c.rand.IntN(len(of))] }

// odds reports whether something happens that does in so many of a hundred.
func (c *chance) odds(percent int) bool { return c.rand.IntN(100) < percent }

// form is what is asked of an item at random.
func (c *chance) form(parts []studio.Part) orders.ItemForm {
	f := orders.ItemForm{Title: "Thing", Tier: pick(c, route.Raw, route.Coloured, route.Primed, route.Painted, route.FileOnly), Copies: 1 + c.rand.IntN(3), Scale: pick(c, 1, 1, 1.2), Parts: map[int64]orders.PartForm{}}
	f.Making = &studio.ItemOptions{Cast: c.odds(20), Apart: c.odds(20), Features: c.counted()}
	for _, p := range parts {
		f.Parts[p.ID] = orders.PartForm{Process: "resin", Copies: 1 + c.rand.IntN(2), Joins: pick(c, "", studio.JoinAfter, studio.JoinLoose)}
	}
	return f
}

// counted is what is counted on a copy at random.
func (c *chance) counted() finish.Features {
	return finish.Features{Eyes: c.rand.IntN(3), MaskMM: float64(c.rand.IntN(2) * 200), FitHours: float64(c.rand.IntN(2))}
}

// extra is something an item takes beside its prints.
func (c *chance) extra() quote.Extra {
	return quote.Extra{Kind: pick(c, quote.Sculpt, quote.Trial, quote.BoughtIn, quote.Base, quote.SoftGoods, quote.Restore, quote.Other), What: fmt.Sprint("extra ", c.rand.IntN(4)), Hours: 1,
		PerCopy: c.odds(50), Inside: c.odds(50), Revisions: c.rand.IntN(2), StopAt: float64(c.rand.IntN(2) * 50)}
}

// change asks for something else, and has it accepted.
func (c *chance) change() {
	sheet, err := c.Quotes.OrderSheet(c.Ctx, c.number)
	require.NoError(c, err)
	it := sheet.Items[c.rand.IntN(len(sheet.Items))]
	switch {
	case c.odds(50):
		f := c.form(it.Parts)
		c.say("change %d × %s cast %v apart %v", f.Copies, f.Tier, f.Making.Cast, f.Making.Apart)
		require.NoError(c, c.Orders.ChangeItem(c.Ctx, c.Owner, c.number, it.ID, f))
	case c.odds(60) || len(it.Extras) == 0:
		e := c.extra()
		c.say("extra %s %s", e.Kind, e.What)
		require.NoError(c, c.Orders.AddExtra(c.Ctx, c.Owner, c.number, it.ID, e))
	default:
		c.say("without extra")
		require.NoError(c, c.Orders.DropExtra(c.Ctx, c.Owner, c.number, it.ID, c.rand.IntN(len(it.Extras))))
	}
	c.accept()
}

// accept sends the order as it stands and has it accepted, where it can be sent.
func (c *chance) accept() {
	q, err := c.Quotes.SendQuote(c.Ctx, c.Owner, c.number, "as asked")
	if err != nil { // nothing has changed, or nothing is left to price
		c.say("not sent: %s", err)
		return
	}
	require.NoError(c, c.Quotes.AnswerQuote(c.Ctx, q.Token, quotes.Answer{Accept: true, Name: "Odile", Agreed: true, From: "192.0.2.7"}))
}

// work does one thing in the studio: a plate, a stamp, a loss that is settled.
func (c *chance) work() {
	waiting, err := c.Plates.Plates(c.Ctx)
	require.NoError(c, err)
	if len(waiting.Waiting) > 0 && c.odds(40) {
		c.plate()
		return
	}
	pieces := c.pieces()
	at := c.rand.IntN(max(1, len(pieces)))
	for k := range pieces {
		p := pieces[(at+k)%len(pieces)]
		if p.Short(pieces) {
			out := c.odds(20)
			c.say("%s settled, left out %v", p.Code, out)
			require.NoError(c, c.Pieces.SettleScrapped(c.Ctx, c.Owner, p.Code, out))
			return
		}
		if p.State == studio.AtBench && c.stamp(p.Code) {
			return
		}
	}
}

// stamp stamps a piece's next stage, or sends it back; it reports whether it could.
func (c *chance) stamp(code string) bool {
	p, err := c.Pieces.Piece(c.Ctx, code)
	require.NoError(c, err)
	if p.Held != "" {
		return false
	}
	if p.Wait {
		c.Clock.At = p.Until
	}
	back := p.BackTo
	if len(back) > 0 && c.odds(4) {
		to := pick(c, back...)
		c.say("%s back to %s", code, to)
		require.NoError(c, c.Pieces.SendBack(c.Ctx, c.Owner, code, to, "it did not hold", ""))
		return true
	}
	_, err = c.Pieces.Stamp(c.Ctx, c.Bench, code, studio.Stamp{Minutes: 3, Note: "it held"})
	require.NoError(c, err)
	return true
}

// plate lays a plate, runs it and empties it, with failures, flaws and losses.
func (c *chance) plate() {
	waiting, err := c.Plates.Plates(c.Ctx)
	require.NoError(c, err)
	for _, h := range waiting.Held {
		if h.MachineID != 0 {
			c.Clock.Pass(time.Minute)
			require.NoError(c, c.Plates.PutRight(c.Ctx, c.Bench, studio.Remedy{MachineID: h.MachineID, ModelID: h.Piece.ModelID, Cause: h.Cause, Did: "more supports"}))
		}
	}
	number, _, err := c.Plates.LayPlate(c.Ctx, c.Owner, c.Tarn, c.Resin, studio.PrintProfile{})
	require.NoError(c, err)
	c.Begin(number)
	c.Clock.Pass(14 * time.Hour)
	sheet, err := c.Plates.PlateSheet(c.Ctx, number)
	require.NoError(c, err)
	out := map[int64]studio.Outcome{}
	for _, p := range sheet.Pieces {
		out[p.Piece.ID] = pick(c, studio.Outcome{What: studio.Good}, studio.Outcome{What: studio.Good}, studio.Outcome{What: studio.Good}, studio.Outcome{What: studio.Good},
			studio.Outcome{What: studio.Failed, Cause: "half printed"}, studio.Outcome{What: studio.ScrappedOff}, studio.Outcome{What: studio.HiddenFlaw, Cause: "a dent"}, studio.Outcome{What: studio.Rework, Cause: "a claw", Stage: route.Mend, Minutes: 9})
	}
	c.say("plate %d of %d", number, len(sheet.Pieces))
	require.NoError(c, c.Plates.EmptyPlate(c.Ctx, c.Owner, number, plates.Emptied{Outcomes: out, Ended: sheet.Plate.Run.Due()}))
}

// pieces are the order's, whatever became of them.
func (c *chance) pieces() (all []studio.Piece) {
	require.NoError(c, c.Store.Read(c.Ctx, func(tx *store.Tx) error {
		o, err := tx.Order(c.number)
		if err == nil {
			all, err = tx.PiecesOf(o.ID)
		}
		return err
	}))
	return all
}

// closed reports whether an assembly is glued.
func closed(p studio.Piece) bool {
	return slices.ContainsFunc(p.Stages, func(s studio.Stage) bool { return s.Kind == route.Glue && s.Mark == route.Done })
}

// whole says what is wrong with an order's trees.
func (c *chance) whole(all []studio.Piece) (wrong string) {
	by := map[int64]studio.Piece{}
	for _, p := range all {
		by[p.ID] = p
	}
	for _, p := range all {
		parent := by[p.ParentID]
		switch {
		case p.Live() && p.ParentID != 0 && !parent.Live():
			return fmt.Sprintf("%s lives on in %s, which is %s", p.Code, parent.Code, parent.State)
		case p.Kind == studio.KindAssembly && p.Live() && len(p.PartsOf(all)) == 0:
			return p.Code + " is made of nothing"
		case p.Live() && p.State != studio.PieceDone && parent.Live() && closed(parent) && !p.ColouredApart():
			return fmt.Sprintf("%s is glued without %s, which is %s", parent.Code, p.Code, p.State)
		case p.Live() && p.State != studio.PieceDone && parent.State == studio.PieceDone:
			return fmt.Sprintf("%s is done without %s, which is %s", parent.Code, p.Code, p.State)
		case p.State == studio.PieceDone && p.Now() != nil, p.State == studio.AtBench && p.Now() == nil:
			return fmt.Sprintf("%s is %s, its strip says otherwise", p.Code, p.State)
		}
	}
	return ""
}

// offers holds what sheets offer to hands beside what can be stamped: the bench offers all that can be and nothing else,
// Today, a load and what is told to be next offer none that cannot, and what is not offered is refused.
func (c *chance) offers(all []studio.Piece) {
	bench, err := c.Pieces.Bench(c.Ctx, pieces.BenchReady, "")
	require.NoError(c, err)
	ready := map[string]bool{}
	for _, r := range bench.Rows {
		ready[r.Code] = true
	}
	morning, err := c.Today.Today(c.Ctx)
	require.NoError(c, err)
	for _, task := range morning.Tasks {
		if code, is := strings.CutPrefix(task.Link, "/bench/"); is && strings.HasPrefix(task.Action, "Take") {
			assert.True(c, ready[code], "Today offers %s", code)
		}
	}
	for _, kind := range studio.Loading() {
		load, err := c.Pieces.LoadSheet(c.Ctx, kind)
		require.NoError(c, err)
		for _, l := range load.Loads {
			for _, p := range l.Pieces {
				assert.True(c, ready[p.Piece.Code], "a load of %s has %s", kind, p.Piece.Code)
			}
		}
	}
	for _, p := range all {
		if p.State != studio.AtBench {
			assert.False(c, ready[p.Code], "%s is %s", p.Code, p.State)
			continue
		}
		sheet, err := c.Pieces.Piece(c.Ctx, p.Code)
		require.NoError(c, err)
		assert.Equal(c, ready[p.Code], sheet.MayStamp == nil && sheet.Held == "", "the bench offers %s: %v, its sheet says %v %s",
			p.Code, ready[p.Code], sheet.MayStamp, sheet.Held)
		assert.True(c, sheet.Next == "" || ready[sheet.Next], "%s is told to be next", sheet.Next)
		if !ready[p.Code] {
			_, err := c.Pieces.Stamp(c.Ctx, c.Bench, p.Code, studio.Stamp{Minutes: 3})
			assert.Error(c, err, "%s is offered by none, and can be stamped", p.Code)
			assert.Error(c, c.Pieces.Begin(c.Ctx, c.Bench, map[string]string{p.Code: p.Shown()}, time.Time{}),
				"%s is offered by none, and can be begun", p.Code)
		}
	}
}

// plans holds that the plan begins no stage before its piece is ready for it, as its sheet says.
func (c *chance) plans(all []studio.Piece) {
	sheet, err := c.Plan.Plan(c.Ctx, time.Minute)
	require.NoError(c, err)
	begins := map[int64]time.Time{}
	for _, x := range sheet.Tasks {
		for _, id := range x.All {
			if at, known := begins[id]; !known || x.From.Before(at) {
				begins[id] = x.From
			}
		}
	}
	for _, p := range all {
		if from, planned := begins[p.ID]; planned && p.State == studio.AtBench {
			is, err := c.Pieces.Piece(c.Ctx, p.Code)
			require.NoError(c, err)
			assert.False(c, is.Wait && from.Before(is.Until.Truncate(time.Second)), "%s waits until %v and is planned for %v", p.Code, is.Until, from)
		}
	}
}

// Whatever is ordered, changed, lost, mended and replaced: the order ends delivered, with nothing
// open, no part without its assembly and no assembly closed over a part that is missing.
func TestRandomOrdersAreDelivered(t *testing.T) {
	for seed := range uint64(5) {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			s := apptest.New(t)
			c := &chance{T: t, Studio: s, rand: rand.New(rand.NewPCG(seed, 7))}
			o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: "Moth Post Guild", Title: "Things", Sure: true})
			require.NoError(t, err)
			c.number = o.Number
			for k := range 1 + c.rand.IntN(2) {
				files := []models.Upload{apptest.Upload(fmt.Sprintf("body-%d.stl", k), apptest.VaseOf(20+float64(k))), apptest.Upload(fmt.Sprintf("foot-%d.stl", k), apptest.VaseOf(12+float64(k)))}
				items, _, err := s.Orders.AddItem(s.Ctx, s.Owner, o.Number, files[:1+c.rand.IntN(2)], false)
				require.NoError(t, err)
				require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, o.Number, items[0].ID, c.form(items[0].Parts)))
				for range c.rand.IntN(3) {
					require.NoError(t, s.Orders.AddExtra(s.Ctx, s.Owner, o.Number, items[0].ID, c.extra()))
				}
			}
			c.accept()
			changes := 4
			for step := range 900 {
				if changes > 0 && c.odds(4) {
					changes--
					c.change()
				}
				c.work()
				all := c.pieces()
				if wrong := c.whole(all); wrong != "" {
					t.Fatalf("step %d: %s\n%v", step, wrong, c.said)
				}
				if step%9 == 4 {
					c.offers(all)
				}
				if step%36 == 22 {
					c.plans(all)
				}
				if changes == 0 && !slices.ContainsFunc(all, func(p studio.Piece) bool { return p.Live() && p.State != studio.PieceDone || p.Short(all) }) {
					break
				}
			}
			d, err := s.Delivery.Delivery(s.Ctx, c.number)
			require.NoError(t, err)
			if !assert.True(t, d.Complete(), "%v", c.said) {
				for _, p := range d.Pieces {
					if p.Live() && p.State != studio.PieceDone {
						t.Log(p.Code, p.Kind, p.Name, p.State, p.Now().Kind,
							studio.Held(p.Readiness(s.Clock.Now(), studio.Around{Pieces: d.Pieces}).Held))
					}
				}
				return
			}
			require.NoError(t, s.Delivery.Deliver(s.Ctx, s.Owner, c.number, time.Time{}, false))
		})
	}
}
