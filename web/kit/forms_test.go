package kit_test

import (
	"database/sql"
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// A form that was drawn before another change saves only what was changed in it; a field
// changed on both sides is asked about, with both values.
func TestNothingIsOverwrittenUnseen(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(3, "primed")
	rate := func(key rates.Key) float64 {
		h, err := s.Setup.Shop(s.Ctx)
		require.NoError(t, err)
		return h.Book.V(key)
	}
	older, newer := s.Drawn("/rates", "/rates"), s.Drawn("/rates", "/rates")
	newer.Set("r-wage", "41,5")
	require.Equal(t, http.StatusSeeOther, s.Send("/rates", newer).StatusCode)
	older.Set("r-margin", "31")
	require.Equal(t, http.StatusSeeOther, s.Send("/rates", older).StatusCode)
	assert.Equal(t, 41.5, rate("wage"), "the newer tab's wage stays")
	assert.Equal(t, 31.0, rate("margin"))
	older.Set("r-wage", "12")
	a := s.Send("/rates", older)
	require.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, "“41.5” was saved meanwhile; here stands “12”")
	assert.Equal(t, 41.5, rate("wage"))
	again := kit.DrawnForms([]byte(a.Text))
	require.NotEmpty(t, again)
	require.Equal(t, http.StatusSeeOther, s.Send("/rates", again[len(again)-1].Values).StatusCode, "said with both in sight")
	assert.Equal(t, 12.0, rate("wage"))

	form := "/orders/" + no + "/items/1"
	older, newer = s.Drawn("/orders/"+no, form), s.Drawn("/orders/"+no, form)
	newer.Set("copies", "7")
	require.Less(t, s.Send(form, newer).StatusCode, 400)
	older.Set("title", "Heron")
	a = s.Send(form, older)
	require.Less(t, a.StatusCode, 400)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 7, sheet.Items[0].Copies, "a new name leaves the copies as they were saved")
	assert.Equal(t, "Heron", sheet.Items[0].Title)
}

// A field that was changed, answered and changed again in one tab is nobody else's.
func TestOneTabNeverClashesWithItself(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(3, "primed")
	form := "/orders/" + no + "/items/1"
	values := s.Drawn("/orders/"+no, form)
	for _, copies := range []string{"4", "5", "6"} {
		values.Set("copies", copies)
		req, err := http.NewRequest(http.MethodPost, s.HTTP.URL+form, strings.NewReader(values.Encode()))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		req.Header.Set("HX-Request", "true")
		req.Header.Set("HX-Current-URL", s.HTTP.URL+"/orders/"+no)
		a := s.Do(req)
		require.Equal(t, http.StatusOK, a.StatusCode, a.Text)
		for _, f := range kit.DrawnForms([]byte(a.Text)) {
			if f.Action == form { // the browser takes the answer's form
				values = f.Values
			}
		}
		assert.Equal(t, copies, values.Get("copies"))
	}
}

// The mark of such forms in a text that somebody typed is a text.
func TestAMarkInATextIsAText(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "raw")
	title := `data-kept </form> <form data-kept`
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, "question", title))
	s.Sent("/orders/"+no+"/details", "client", "1", "title", title, "use", "shelf")
	body := s.Page("/orders/" + no)
	assert.Contains(t, body, "data-kept &lt;/form&gt; &lt;form data-kept")
	form := "/orders/" + no + "/items/1"
	values := s.Drawn("/orders/"+no, form)
	require.NotEmpty(t, values.Get("kept"))
	values.Set("copies", "4")
	require.Less(t, s.Send(form, values).StatusCode, 400)
}

// Two changes sent before the form is drawn again: the first is the tab's own, and what
// another tab saved meanwhile stays.
func TestTwoChangesInQuickSuccession(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(3, "primed")
	form := "/orders/" + no + "/items/1"
	mine, theirs := s.Drawn("/orders/"+no, form), s.Drawn("/orders/"+no, form)
	theirs.Set("title", "Heron")
	require.Less(t, s.Send(form, theirs).StatusCode, 400)
	for _, copies := range []string{"2", "5"} {
		mine.Set("copies", copies)
		a := s.Send(form, mine)
		require.Less(t, a.StatusCode, 400, a.Text)
	}
	mine.Set("copies", "many")
	require.Equal(t, http.StatusUnprocessableEntity, s.Send(form, mine).StatusCode)
	mine.Set("copies", "6")
	require.Less(t, s.Send(form, mine).StatusCode, 400, "what was refused was not saved")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 6, sheet.Items[0].Copies)
	assert.Equal(t, "Heron", sheet.Items[0].Title)
}

// Numbers are typed as people type them, and each field that is wrong says so, once.
func TestNumbersAsPeopleTypeThem(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(1, "primed")
	form := "/orders/" + no + "/items/1"
	for typed, mm := range map[string]float64{"2,5": 2.5, "12,50": 12.5, "3.25": 3.25, " 4 ": 4} {
		values := s.Drawn("/orders/"+no, form)
		for name := range values {
			if strings.HasSuffix(name, ".wall") {
				values.Set(name, typed)
			}
		}
		require.Less(t, s.Send(form, values).StatusCode, 400, typed)
		sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
		require.NoError(t, err)
		assert.Equal(t, mm, sheet.Items[0].Parts[0].WallMM, typed)
	}
	values := s.Drawn("/orders/"+no, form)
	values.Set("copies", "many")
	values.Set("scale", "big")
	a := s.Send(form, values)
	require.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Equal(t, 1, strings.Count(a.Text, "“many”")+strings.Count(a.Text, "&#34;many&#34;"))
	assert.Contains(t, a.Text, "Scale")
	assert.NotContains(t, s.Page("/orders/"+no), `type="number"`)
}

// A form that is sent twice, one after the other or at once, does a thing once, and both
// are led to the same sheet.
func TestDoubleTap(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(2, "primed")
	s.Accept(no)
	s.Print()
	twice := func(action string, form url.Values) {
		t.Helper()
		require.NotEmpty(t, form.Get("act"))
		first := make(chan webtest.Answer)
		go func() { first <- s.Send(action, form) }()
		b, a := s.Send(action, form), <-first
		require.Equal(t, http.StatusSeeOther, a.StatusCode, a.Text)
		require.Equal(t, http.StatusSeeOther, b.StatusCode, b.Text)
		assert.Equal(t, a.Header.Get("Location"), b.Header.Get("Location"))
		assert.Equal(t, a.Header.Get("Location"), s.Send(action, form).Header.Get("Location"), "and later")
	}
	piece := "/bench/" + no + "-1"
	before, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	stamp := s.Drawn(piece, piece+"/stamp")
	stamp.Set("minutes", "3")
	stamp.Set("early", "in a hurry")
	twice(piece+"/stamp", stamp)
	after, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, webtest.Done(before.Piece)+1, webtest.Done(after.Piece), "one stage is stamped")

	form := s.Drawn("/orders/new", "/orders")
	form.Set("title", "Snail couriers")
	form.Set("new_client", "Moth Post Guild")
	form.Set("use", "display")
	twice("/orders", form)
	list, err := s.Orders.Orders(s.Ctx)
	require.NoError(t, err)
	assert.Len(t, list, 2, "one order is made")

	money := s.Drawn("/orders/"+no, "/orders/"+no+"/payments")
	twice("/orders/"+no+"/payments", money)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Len(t, sheet.Payments, 1, "one payment is noted")
}

// A sheet that is looked at writes nothing, whoever looks: data_version moves when
// anything is committed by another connection.
func TestLookingWritesNothing(t *testing.T) {
	s, sheets := webtest.Busy(t)
	db, err := sql.Open("sqlite", filepath.Join(s.Dir, "sakuji.db"))
	require.NoError(t, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	version := func() (v int) {
		require.NoError(t, db.QueryRow("PRAGMA data_version").Scan(&v))
		return v
	}
	for _, path := range sheets { // what a first visit asks for is drawn beside it, not written
		s.Get(path)
	}
	for _, path := range append(sheets, "/?seen=1", "/orders/0002?seen=1", "/orders/0002/quote?days=9", "/bench?hand=2") {
		before := version()
		require.Less(t, s.Get(path).StatusCode, 400, path)
		assert.Equal(t, before, version(), path)
	}
	before := version()
	require.Less(t, s.Post("/orders/0002/points", "kind", "question", "text", "Which blue?").StatusCode, 400)
	assert.NotEqual(t, before, version(), "a change is seen")
}

// Forms as they stand on the sheets, with one or two fields spoilt, are taken or refused.
func TestSpoiltFormsOfTheSheets(t *testing.T) {
	s, sheets := webtest.Busy(t)
	r := rand.New(rand.NewPCG(3, 4))
	taken, forms := map[int]int{}, 0
	for _, path := range sheets {
		a := s.Get(path)
		for _, f := range kit.DrawnForms([]byte(a.Text)) {
			if f.Method != "post" || len(f.Values) == 0 || strings.Contains(f.Action, "sign-out") {
				continue
			}
			forms++
			names := slices.Sorted(maps.Keys(f.Values))
			for range 1 + r.IntN(2) {
				f.Values.Set(names[r.IntN(len(names))], webtest.Hostile[r.IntN(len(webtest.Hostile))])
			}
			f.Values.Set("kept", []string{f.Values.Get("kept"), "", "a 1 %2F%2Fevil x=1", "a 0 %2Forders x=%zz"}[r.IntN(4)])
			b := s.Send(f.Action, f.Values)
			taken[b.StatusCode]++
			assert.Less(t, b.StatusCode, 500, "%s on %s\n%s\n%s", f.Action, path, f.Values.Encode()[:min(600, len(f.Values.Encode()))], s.LastError())
		}
	}
	assert.Greater(t, forms, 100, "%v", taken)
	assert.Greater(t, taken[http.StatusSeeOther]+taken[http.StatusOK], 20, "%v", taken)
	faults, err := s.Store.Check(s.Ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
}

// Many tabs that were drawn at the same time and are sent at the same moment, each with
// another field changed: all of it is saved.
func TestTabsThatAreSentAtOnce(t *testing.T) {
	s := webtest.Owned(t)
	s.Order(1, route.Raw)
	keys := []string{"wage", "wage.paint", "wage.sculpt", "margin", "deposit", "alcohol.pack", "adhesive.pack", "adhesive.price"}
	forms := make([]url.Values, len(keys))
	for i, key := range keys {
		forms[i] = s.Drawn("/rates", "/rates")
		require.Contains(t, forms[i], "r-"+key)
		forms[i].Set("r-"+key, fmt.Sprint(11+i))
	}
	var sent sync.WaitGroup
	codes := make([]int, len(keys))
	for i := range keys {
		sent.Go(func() { codes[i] = s.Send("/rates", forms[i]).StatusCode })
	}
	sent.Wait()
	h, err := s.Setup.Shop(s.Ctx)
	require.NoError(t, err)
	for i, key := range keys {
		assert.Equal(t, http.StatusSeeOther, codes[i], key)
		assert.Equal(t, float64(11+i), h.Book.V(rates.Key(key)), key)
	}
}

// What the rules of the trade say of a figure stands at its field, whichever sheet the form
// is on.
func TestRangesStandAtTheirFields(t *testing.T) {
	s := webtest.Owned(t)
	no := s.Order(2, route.Raw)
	item := s.Drawn("/orders/"+no+"/quote", "/orders/"+no+"/quote/items/1")
	for field, wrong := range map[string][2]string{
		"copies":          {"5000", "Copies: between 1 and 1000"},
		"scale":           {"0", "Scale"},
		"title":           {" ", "The item needs a name"},
		"parts[1].wall":   {"99", "Wall of Vase: between 0 (solid) and 50 mm"},
		"parts[1].copies": {"0", "Copies of Vase: between 1 and 1000"},
		"detail":          {"50", "Detail: between 0.2 and 10 times"},
	} {
		form := maps.Clone(item)
		form.Set(field, wrong[0])
		a := s.Fragment("/orders/"+no+"/quote/items/1", form)
		assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode, field)
		assert.Contains(t, a.Text, `<p data-field="`+field+`">`+wrong[1], field)
	}
	terms := s.Drawn("/orders/"+no+"/quote", "/orders/"+no+"/quote/terms")
	terms.Set("discount", "10")
	a := s.Fragment("/orders/"+no+"/quote/terms", terms)
	assert.Contains(t, a.Text, `<p data-field="why">A discount wants a reason or a code`)
	size := s.Drawn("/orders/"+no+"/items/1/size", "/orders/"+no+"/items/1/size")
	size.Set("by", studio.ByScale)
	size.Set("one_to", "12")
	size.Set("real", "0")
	a = s.Fragment("/orders/"+no+"/items/1/size", size)
	assert.Contains(t, a.Text, `<p data-field="real">Say how tall the real thing is`)
	assert.NotContains(t, a.Text, `data-field="one_to"`)
}

func TestRefusalsStayBesideTheForm(t *testing.T) {
	s := webtest.Owned(t)
	a := s.HTMX("/orders", "title", "", "new_client", "X")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.Text, `role="alert"`)
	assert.NotContains(t, a.Text, "<html")
	a = s.HTMX("/orders", "title", "Vase", "new_client", "X")
	assert.Equal(t, http.StatusOK, a.StatusCode)
	assert.Equal(t, "/orders/0001", a.Header.Get("HX-Redirect"))
	whole := s.Post("/orders", "title", "")
	assert.Contains(t, whole.Text, "what you typed is still on the sheet")
}
