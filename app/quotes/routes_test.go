package quotes_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/app/setup"
	"sakuji/core/finish"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
)

// A studio's own finish route is kept in its rate book, is refused where it would leave putty
// unsanded, and is what a part that names it is priced and stamped by; taken away, the part goes by
// the usual one.
func TestOurOwnFinishRoute(t *testing.T) {
	s := apptest.New(t)
	quick := rates.FinishRoute{Name: "Quick vase", Steps: []string{"sand resin P220 P320", " ", "primer", "look"}}
	apptest.Refusal(t, s.Setup.SaveRoute(s.Ctx, s.Owner, rates.FinishRoute{Name: " "}), "needs a name")
	apptest.Refusal(t, s.Setup.SaveRoute(s.Ctx, s.Owner, rates.FinishRoute{Name: "bad", Steps: []string{"spot putty", "primer", "look"}}), "what was filled before it is not sanded. Nothing was changed.")
	require.NoError(t, s.Setup.SaveRoute(s.Ctx, s.Owner, quick))
	key := finish.OwnRoute + "Quick vase"

	no, form, itemID := apptest.Kit(t, s, 1)
	minutes := func() float64 {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		return sheet.Items[0].Estimate.HandsMinutes
	}
	before := minutes()
	for id, p := range form.Parts {
		if p.Copies == 1 { // the body
			p.FinishRoute = key
			form.Parts[id] = p
		}
	}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	assert.Less(t, minutes(), before, "one look and no putty")
	s.Accept(no)
	kinds := func(code string) (out []route.StageKind) {
		by, _ := apptest.PiecesOf(t, s, no)
		for _, st := range by[code].Stages {
			out = append(out, st.Kind)
		}
		return out
	}
	assert.Equal(t, []route.StageKind{route.Print, route.Wash, route.RemoveSupports, route.Cure, route.Sand, route.Sand, route.Prime, route.Look}, kinds(no+"-1a"))
	assert.Contains(t, kinds(no+"-1b"), route.Fill, "its foot goes by the usual one")
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	exported, err := rates.Read(setup.Export(h).Export())
	require.NoError(t, err)
	own, ok := finish.RouteOf(exported, key)
	require.True(t, ok, "it is in the rate book that leaves the house")
	assert.Equal(t, []string{"sand resin P220 P320", "primer", "look"}, own.FinishRoute.Steps)

	// Changed, it is one still; taken away, what it was for goes by the usual.
	quick.Steps = append(quick.Steps, "sand primer P320", "primer", "look")
	require.NoError(t, s.Setup.SaveRoute(s.Ctx, s.Owner, quick))
	h, err = s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, h.Studio.Defaults.Routes, 1)
	require.NoError(t, s.Setup.SaveDefaults(s.Ctx, s.Owner, studio.Defaults{FinishRoutes: map[string]string{"resin primed": key}}, "GUILD 10"))
	h, err = s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, h.Studio.Defaults.Routes, 1, "other choices leave it alone")
	require.NoError(t, s.Setup.DropRoute(s.Ctx, s.Owner, key))
	apptest.Refusal(t, s.Setup.DropRoute(s.Ctx, s.Owner, key), "gone already")
	s.Accept(no)
	assert.Contains(t, kinds(no+"-1a"), route.Fill)
	apptest.Refusal(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, orders.ItemForm{Title: "Vase", Tier: route.Primed, Copies: 1, Scale: 1, Parts: map[int64]orders.PartForm{firstOf(form.Parts): {Process: "resin", Copies: 1, FinishRoute: "polish"}}}), "there is no finish route polish")
}

func firstOf(parts map[int64]orders.PartForm) (id int64) {
	for k := range parts {
		if id == 0 || k < id {
			id = k
		}
	}
	return id
}

// Where makers disagree the house's choice moves the strip: the clear coat under hand-painted lines,
// the fitting out before it, masks pulled when dry.
func TestSchoolsOfPainting(t *testing.T) {
	s := apptest.New(t)
	no, form, itemID := apptest.Kit(t, s, 1)
	form.Tier = route.Painted
	form.Making = &studio.ItemOptions{Scheme: finish.SchemeMirror, Features: finish.Features{Eyes: 2, FitHours: 1, MaskMM: 200}}
	require.NoError(t, s.Orders.ChangeItem(s.Ctx, s.Owner, no, itemID, form))
	s.Accept(no)
	strip := func() (kinds []route.StageKind, wait map[route.StageKind]int64, how map[route.StageKind]string) {
		by, _ := apptest.PiecesOf(t, s, no)
		wait, how = map[route.StageKind]int64{}, map[route.StageKind]string{}
		for _, st := range by[no+"-1"].Stages {
			wait[st.Kind], how[st.Kind] = st.WaitS, st.How
			if st.Kind.Traits().Whole {
				kinds = append(kinds, st.Kind)
			}
		}
		for _, st := range by[no+"-1a"].Stages {
			if st.Kind == route.Prime {
				how[st.Kind] = st.How
			}
		}
		return kinds, wait, how
	}
	kinds, wait, how := strip()
	assert.Equal(t, []route.StageKind{route.Base, route.Mask, route.Spray, route.Pull, route.Shade, route.Light, route.Detail, route.Clear, route.Fit, route.Pack}, kinds)
	assert.Zero(t, wait[route.Mask], "it is sprayed once it is taped")
	assert.InDelta(t, 2*3600, wait[route.Spray], 900, "pulled after two hours")
	assert.Contains(t, how[route.Base], "light and bright colours before dark lines")
	assert.Contains(t, how[route.Prime], "flat black primer")
	require.NoError(t, s.Setup.SaveSchools(s.Ctx, s.Owner, finish.Schools{DarkFirst: true, ClearUnderLines: true, FitBeforeClear: true, PullDry: true, GlossBlack: true}))
	s.Accept(no)
	kinds, wait, how = strip()
	assert.Equal(t, []route.StageKind{route.Base, route.Mask, route.Spray, route.Pull, route.Shade, route.Light, route.Clear, route.Detail, route.Fit, route.Pack}, kinds)
	assert.InDelta(t, 24*3600, wait[route.Spray], 3*3600, "pulled when dry")
	assert.Contains(t, how[route.Base], "dark, then metal")
	assert.Contains(t, how[route.Prime], "gloss black primer")
	for _, school := range finish.AllSchools() {
		assert.True(t, finish.SchoolsOf(func(key string) bool { return key == school.Key }).Has(school.Key), school.Key)
	}
}

// What looks have sent back is expected of the next order, the more looks the more, and by process.
func TestLooksTeachTheNextQuote(t *testing.T) {
	s := apptest.New(t)
	first, next := s.Order(1, route.Primed), s.Order(1, route.Primed)
	sentBack := func() (minor int64) {
		sheet, err := s.Quotes.OrderSheet(s.Ctx, next)
		require.NoError(t, err)
		for _, l := range sheet.Items[0].Estimate.Lines {
			if l.What == "what looks send back" {
				minor += l.Minor
			}
		}
		return minor
	}
	assert.Zero(t, sentBack())
	s.Accept(first)
	apptest.PrintAll(t, s)
	_, codes := apptest.PiecesOf(t, s, first)
	for {
		p, err := s.Pieces.Piece(s.Ctx, codes[0])
		require.NoError(t, err)
		if p.Wait {
			s.Clock.At = p.Until
		}
		if p.Kind() == route.Look {
			require.NoError(t, s.Pieces.SendBack(s.Ctx, s.Owner, codes[0], route.Fill, "pits", ""))
			break
		}
		_, err = s.Pieces.Stamp(s.Ctx, s.Bench, codes[0], studio.Stamp{Minutes: 5})
		require.NoError(t, err)
	}
	rounds := func(process string) float64 {
		h, err := s.Setup.Shop(s.Ctx)
		require.NoError(t, err)
		return h.SentBack(process).Value
	}
	assert.Positive(t, sentBack())
	assert.InDelta(t, 1.0/(1+rates.Starting().V("look.trust")), rounds("resin"), 1e-9)
	assert.Zero(t, rounds("filament"))
	s.Finish(codes[0])
	assert.InDelta(t, 1.0/(3+rates.Starting().V("look.trust")), rounds("resin"), 1e-9, "looks that pass speak against it")
}
