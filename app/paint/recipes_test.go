package paint_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/change"
	"sakuji/app/paint"
	"sakuji/app/pieces"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// A colour is signed off on a swatch before it goes on a piece; a no after a yes counts, and so does a change of the
// recipe after it. What is laid is noted by the stamp, and years later “what did I use on the wings?” has its answer.
func TestSignedOffOnASwatch(t *testing.T) {
	s, no, r, _ := apptest.Painted(t, 1)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	stamp := func(st studio.Stamp) error {
		st.Minutes = -1
		_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, st)
		return err
	}
	apptest.Refusal(t, stamp(studio.Stamp{}), "Nobody has signed off wing grey (R1) on a swatch.")
	o, err := s.Orders.Orders(s.Ctx)
	require.NoError(t, err)
	require.NoError(t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{OrderID: o[0].ID, Coats: 2}))
	apptest.Refusal(t, stamp(studio.Stamp{}), "Nobody has signed off")
	sheet, err := s.Paint.Recipe(s.Ctx, r.Number)
	require.NoError(t, err)
	assert.Equal(t, "grey primer", sheet.Swatches[0].Over, "as the recipe has it")
	id := sheet.Swatches[0].ID
	apptest.Refusal(t, s.Paint.JudgeSwatch(s.Ctx, s.Bench, id, studio.VerdictNo, "the client", " "), "Say what is wrong with it")
	require.NoError(t, s.Paint.JudgeSwatch(s.Ctx, s.Bench, id, studio.VerdictYes, "the client", ""))
	require.NoError(t, s.Paint.JudgeSwatch(s.Ctx, s.Bench, id, studio.VerdictNo, "the client", "too dark by daylight"))
	apptest.Refusal(t, stamp(studio.Stamp{}), "Nobody has signed off")
	changed := r
	changed.Paints[0].Parts = 3
	second, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, changed)
	require.NoError(t, err)
	assert.Equal(t, 2, second.Version, "what was tried stays as it was")
	require.NoError(t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{OrderID: o[0].ID, Coats: 3}))
	sheet, err = s.Paint.Recipe(s.Ctx, r.Number)
	require.NoError(t, err)
	require.NoError(t, s.Paint.JudgeSwatch(s.Ctx, s.Bench, sheet.Swatches[0].ID, studio.VerdictYes, "the client", ""))
	require.NoError(t, stamp(studio.Stamp{}))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Len(t, p.Laid, 1)
	assert.Equal(t, []any{"wings", 2, "wing grey", 2}, []any{p.Laid[0].Region, p.Laid[0].Coats, p.Laid[0].Recipe, p.Laid[0].Version})
	found, err := s.Today.Find(s.Ctx, "wing")
	require.NoError(t, err)
	var kinds []string
	for _, f := range found {
		kinds = append(kinds, f.Kind)
	}
	assert.Contains(t, kinds, "recipe")
	assert.Contains(t, kinds, "coat")
	list, err := s.Paint.Recipes(s.Ctx, "WINGS")
	require.NoError(t, err)
	require.Len(t, list.Was, 1)
	assert.Equal(t, code, list.Was[0].Code)
	third, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, apptest.Grey("wing grey"))
	require.NoError(t, err)
	assert.Equal(t, 2, third.Number, "a new one, though it is called alike")
}

// It can be painted all the same, with a reason; then what was laid otherwise than planned is noted as it was.
func TestLaidOtherwiseThanPlanned(t *testing.T) {
	s, no, r, item := apptest.Painted(t, 2)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Len(t, p.ToPaint, 1)
	assert.Contains(t, p.Unsigned, "wing grey")
	require.NoError(t, s.Paint.MixRecipe(s.Ctx, s.Bench, r.Number, 20))
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1, Early: true, Note: "the client sat beside me", Laid: map[int64]int{p.ToPaint[0].ID: 4}, Also: studio.AlsoLaid{Number: r.Number, Region: "tail", Coats: 1}})
	require.NoError(t, err)
	laid, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Len(t, laid.Laid, 2)
	assert.Equal(t, 4, laid.Laid[0].Coats)
	assert.Equal(t, "tail", laid.Laid[1].Region)
	assert.Equal(t, route.AcrylicPaint, laid.Last().Medium)
	sheet, err := s.Paint.Recipe(s.Ctx, r.Number)
	require.NoError(t, err)
	assert.InDelta(t, 20-2*p.ToPaint[0].ML, sheet.LeftML, 1e-6, "four coats take twice what two do")
	assert.Equal(t, 1, sheet.Wanted[0].Pieces, "the other one still wants it")
	assert.InDelta(t, p.ToPaint[0].ML, sheet.Wanted[0].ML, 1e-6)
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	sheet, err = s.Paint.Recipe(s.Ctx, r.Number)
	require.NoError(t, err)
	assert.InDelta(t, 20, sheet.LeftML, 1e-6, "taken back with the stamp")
	assert.Empty(t, sheet.Was)
	apptest.Refusal(t, s.Paint.NoteMixLeft(s.Ctx, s.Bench, sheet.Mixes[0].ID, 30), "Between 0 and 20 ml")
	require.NoError(t, s.Paint.NoteMixLeft(s.Ctx, s.Bench, sheet.Mixes[0].ID, 0))
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1, Early: true, Note: "again", Laid: map[int64]int{p.ToPaint[0].ID: 99}})
	apptest.Refusal(t, err, "between 0 and 30 coats")
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1, Early: true, Note: "none of it", Laid: map[int64]int{p.ToPaint[0].ID: 0}})
	require.NoError(t, err)
	laid, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Empty(t, laid.Laid)
	assert.NotZero(t, item.ID)
}

// What takes longest of what was laid is what the piece's clocks go by: mirror metal beside acrylic is not taped
// within the hour.
func TestClocksGoByWhatWasLaid(t *testing.T) {
	s, no, r, _ := apptest.Painted(t, 1)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	mirror := apptest.Grey("mirror")
	mirror.Medium, mirror.Coat = route.MirrorMetal, route.Mirror
	m, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, mirror)
	require.NoError(t, err)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1, Early: true, Note: "tried on an offcut", Also: studio.AlsoLaid{Number: m.Number, Region: "eye", Coats: 1}})
	require.NoError(t, err)
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.Equal(t, route.MirrorMetal, p.Clocks.Of)
	assert.InDelta(t, 24*finish.Slower(rates.Starting().V("room")), p.Clocks.Handle.Sub(p.Clocks.Laid).Hours(), 0.01)
	assert.NotZero(t, r.ID)
}

// A plan is put in order, copied to a sister, and no region lies on itself; some of a set have a colour of their own.
func TestPaintPlans(t *testing.T) {
	s, no, r, item := apptest.Painted(t, 3)
	save := func(reg studio.Region) error {
		reg.ItemID, reg.Stage, reg.RecipeNumber = item.ID, route.Base, r.Number
		if reg.SharePercent == 0 {
			reg.SharePercent = 10
		}
		return s.Paint.SaveRegion(s.Ctx, s.Bench, no, reg, "")
	}
	plan := func(number string) paint.ItemPlan {
		p, err := s.Paint.Plan(s.Ctx, number)
		require.NoError(t, err)
		return p.Items[0]
	}
	wings := plan(no).Regions[0].Region
	require.NoError(t, save(studio.Region{Name: "tips", OverID: wings.ID, Only: "1-2"}))
	tips := plan(no).Regions[1]
	assert.Equal(t, "wings", tips.Over)
	assert.InDelta(t, plan(no).Regions[0].Area.Result.Value/4, tips.Area.Result.Value, 1e-6)
	assert.Equal(t, 2, tips.Copies(3))
	wings.OverID = tips.ID
	apptest.Refusal(t, save(wings), "wings cannot lie on what lies on it")
	apptest.Refusal(t, save(studio.Region{Name: "x", Only: "2-1"}), "say the numbers on the labels")
	apptest.Refusal(t, save(studio.Region{Name: "x", SharePercent: 120}), "at most 100 %")
	apptest.Refusal(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: item.ID, Name: "x", Stage: route.Base, RecipeNumber: 99, SharePercent: 1, Coats: 1}, ""), "no such recipe")
	require.NoError(t, s.Paint.MoveRegion(s.Ctx, s.Bench, no, item.ID, tips.ID))
	assert.Equal(t, "tips", plan(no).Regions[0].Name)
	apptest.ToBase(t, s, no+"-3")
	third, err := s.Pieces.Piece(s.Ctx, no+"-3")
	require.NoError(t, err)
	require.Len(t, third.ToPaint, 1, "the third has no tips")
	other := s.Order(1, route.Painted)
	require.NoError(t, s.Paint.CopyPlan(s.Ctx, s.Bench, other, plan(other).Item.ID, item.ID))
	copied := plan(other).Regions
	require.Len(t, copied, 2)
	assert.Equal(t, "", copied[0].Only, "labels are the other order’s")
	assert.NotEqual(t, copied[0].ID, tips.ID)
	require.NoError(t, s.Paint.DropRegion(s.Ctx, s.Bench, no, item.ID, wings.ID))
	assert.Len(t, plan(no).Regions, 1)
	assert.Equal(t, "grey primer", plan(no).Regions[0].Over, "what lay under it is gone from the plan")
	assert.True(t, change.NotFound(s.Paint.DropRegion(s.Ctx, s.Bench, no, item.ID, wings.ID)))
}

// A photograph of a swatch says its colour, unless somebody picked one.
func TestColourOfASwatchFromItsPhotograph(t *testing.T) {
	s, _, r, _ := apptest.Painted(t, 1)
	img := image.NewRGBA(image.Rect(0, 0, 60, 60))
	for k := range 3600 {
		img.Set(k%60, k/60, color.RGBA{40, 80, 120, 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	sha := s.Picture(b.Bytes())
	require.NoError(t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{Coats: 1, PhotoSHA: sha}))
	require.NoError(t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{Coats: 1, Colour: "#112233", PhotoSHA: sha}))
	sheet, err := s.Paint.Recipe(s.Ctx, r.Number)
	require.NoError(t, err)
	got, err := finish.ParseColour(sheet.Swatches[1].Colour)
	require.NoError(t, err)
	assert.Less(t, got.Differs(finish.Colour{R: 40, G: 80, B: 120}), 2.0, "as it is kept, a JPEG")
	assert.Equal(t, "#112233", sheet.Swatches[0].Colour)
	apptest.Refusal(t, s.Paint.AddSwatch(s.Ctx, s.Bench, r.Number, studio.Swatch{Coats: 0}), "How many coats")
}

// A lacquer of the plan is stopped over acrylic before the can is open, until that is hard, although the item itself says
// nothing of it; over a lacquer it is not.
func TestARecipeThatAttacksIsStopped(t *testing.T) {
	s, no, _, item := apptest.Painted(t, 1)
	lacquer := apptest.Grey("lacquer red")
	lacquer.Medium, lacquer.Coat = route.CanPaint, route.Lacquer
	l, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, lacquer)
	require.NoError(t, err)
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: item.ID, Name: "lines", Stage: route.Shade, RecipeNumber: l.Number, SharePercent: 5}, ""))
	code := no + "-1"
	apptest.ToBase(t, s, code)
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1, Early: true, Note: "agreed by telephone"})
	require.NoError(t, err)
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	s.Clock.At = p.Last().Until.Add(2 * time.Hour)
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	require.Equal(t, route.Shade, p.Kind())
	assert.True(t, p.Wait)
	assert.Contains(t, p.For, "does not lift it")
	assert.Equal(t, p.Clocks.Full, p.Until)
	list, err := s.Pieces.Bench(s.Ctx, pieces.BenchWaiting, "")
	require.NoError(t, err)
	require.Len(t, list.Rows, 1, "the list says so, too")
	assert.Equal(t, p.Until, list.Rows[0].Until)
	assert.Equal(t, "Nobody has signed off lacquer red (R2) on a swatch.", list.Rows[0].Unsigned)
	err = s.Pieces.Begin(s.Ctx, s.Bench, map[string]string{code: p.Shown()}, time.Time{})
	apptest.Refusal(t, err, "cannot be begun")
	s.Clock.At = p.Until.Add(time.Minute)
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.False(t, p.Wait, "it is hard")
	require.NoError(t, s.Pieces.Begin(s.Ctx, s.Bench, map[string]string{code: p.Shown()}, time.Time{}))
}

// A search follows what happens: what is stamped with a note or painted is found by any three letters of it and by two,
// and no more when it is taken back; letters that mean something to a search mean themselves.
func TestFindFollowsWhatHappens(t *testing.T) {
	s, no, _, _ := apptest.Painted(t, 1)
	code := no + "-1"
	apptest.ToBase(t, s, code)
	kinds := func(letters string) (out []string) {
		found, err := s.Today.Find(s.Ctx, letters)
		require.NoError(t, err, letters)
		for _, f := range found {
			if f.Kind == "note" || f.Kind == "coat" || f.Kind == "piece" {
				out = append(out, f.Kind)
			}
		}
		return out
	}
	_, err := s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: 1, Early: true, Note: `kräftig "nass" OR trocken`})
	require.NoError(t, err)
	for _, letters := range []string{"raft", "KRÄF", `"nass"`, "OR tro", `" O`, "n*", "nass*"} {
		want := []string{"note"}
		if strings.Contains(letters, "*") {
			want = nil
		}
		assert.Equal(t, want, kinds(letters), letters)
	}
	assert.Equal(t, []string{"coat"}, kinds("wing"))
	assert.Contains(t, kinds("in"), "coat", "two letters are looked for, too")
	assert.Equal(t, []string{"piece"}, kinds(code))
	require.NoError(t, s.Pieces.TakeBackStamp(s.Ctx, s.Bench, code))
	assert.Empty(t, kinds("raft"))
	assert.Empty(t, kinds("wing"))
	was, err := s.Paint.Recipes(s.Ctx, "wing")
	require.NoError(t, err)
	assert.Empty(t, was.Was)
}

// Two tablets: what somebody else has changed meanwhile is not overwritten, and what was laid of a region that is gone is
// not lost in silence.
func TestTwoTabletsAtAPaintPlan(t *testing.T) {
	s, no, r, item := apptest.Painted(t, 1)
	code := no + "-1"
	region := func() studio.Region {
		plan, err := s.Paint.Plan(s.Ctx, no)
		require.NoError(t, err)
		return plan.Items[0].Regions[0].Region
	}
	first, second := region(), region()
	seen := first.Seen()
	first.Coats = 3
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, first, seen))
	second.Stop = "early"
	apptest.Refusal(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, second, seen), "Somebody has changed wings meanwhile")
	assert.Equal(t, 3, region().Coats)
	s.Clock.Pass(time.Minute)
	newer, err := s.Paint.SaveRecipe(s.Ctx, s.Bench, r)
	require.NoError(t, err)
	_, err = s.Paint.SaveRecipe(s.Ctx, s.Bench, r) // as the other tablet still shows it
	apptest.Refusal(t, err, "Somebody has changed wing grey meanwhile")
	_, err = s.Paint.SaveRecipe(s.Ctx, s.Bench, newer)
	require.NoError(t, err)

	apptest.ToBase(t, s, code)
	id := region().ID
	require.NoError(t, s.Paint.DropRegion(s.Ctx, s.Bench, no, item.ID, id))
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1, Laid: map[int64]int{id: 2}})
	apptest.Refusal(t, err, "has changed meanwhile")
	require.NoError(t, s.Pieces.NoteFlaw(s.Ctx, s.Bench, code, studio.Flaw{Kind: "dust", Cause: "not wiped, or sanding beside it", Verdict: studio.FlawMended, Minutes: 9}, ""))
	p, err := s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	planned := p.Piece.Now().PlannedMin
	_, err = s.Pieces.Stamp(s.Ctx, s.Bench, code, studio.Stamp{Minutes: -1})
	require.NoError(t, err)
	p, err = s.Pieces.Piece(s.Ctx, code)
	require.NoError(t, err)
	assert.InDelta(t, planned+9, p.Last().Minutes, 1e-6, "what was mended took hands, too")
}

// An order that is repeated is painted as it was, with what was agreed of it.
func TestARepeatedOrderIsPaintedAlike(t *testing.T) {
	s, no, r, item := apptest.Painted(t, 2)
	plan, err := s.Paint.Plan(s.Ctx, no)
	require.NoError(t, err)
	require.NoError(t, s.Paint.SaveRegion(s.Ctx, s.Bench, no, studio.Region{ItemID: item.ID, Name: "tips", Stage: route.Light, RecipeNumber: r.Number, OverID: plan.Items[0].Regions[0].ID, SharePercent: 5, Only: "1"}, ""))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Countable, "12 spots a wing"))
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Reference, "https://example.org/heron as it stands in the reeds"))
	again, err := s.Orders.RepeatOrder(s.Ctx, s.Owner, no)
	require.NoError(t, err)
	plan, err = s.Paint.Plan(s.Ctx, again.Number)
	require.NoError(t, err)
	regions := plan.Items[0].Regions
	require.Len(t, regions, 2)
	assert.Equal(t, "wings", regions[1].Over)
	assert.Empty(t, regions[1].Only)
	require.Len(t, plan.Decided, 2)
	assert.Equal(t, "https://example.org/heron", plan.Decided[1].Link())
	apptest.Refusal(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, "gossip", "x"), "A point is")
}
