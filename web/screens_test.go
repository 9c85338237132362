package web

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/studio"
	"sakuji/web/kit"
	"sakuji/web/plates"
)

func testLog(s *site) *slog.Logger { return slog.New(slog.NewJSONHandler(s.log, nil)) }

// A new owner is led from nothing to a priced order without the demo.
func TestFromNothingToAPrice(t *testing.T) {
	s := serve(t, apptest.Bare(t), kit.Options{})
	s.sent("/first", "name", "Ilse Karg", "password", "long-enough-now", "again", "long-enough-now")
	a := s.post("/studio", "name", "Own Studio", "currency", "EUR", "tax", "nineteen", "zone", "Europe/Vienna")
	assert.Contains(t, a.body, "is not a number")
	s.sent("/studio", "name", "Own Studio", "address", "Here", "currency", "EUR", "tax", "19,5", "zone", "Europe/Vienna")
	assert.Contains(t, s.page("/studio"), `value="19.5"`)
	form := s.page("/studio/machines/new?from=Large+resin+printer")
	assert.Contains(t, form, `value="218"`)
	s.sent("/studio/machines/new", "name", "Mere", "from", "Large resin printer", "active", "1", "figures[width]", "200")
	s.sent("/studio/materials/new", "name", "House grey", "from", "Grey standard resin", "active", "1", "figures[price]", "29")
	body := s.page("/studio")
	assert.Contains(t, body, "200 × 123 × 250 mm")
	assert.Contains(t, body, "29 €/kg")
	s.sent("/rates", "r-wage", "31")
	assert.Contains(t, s.page("/rates"), fmt.Sprintf("1 of %d figures are ours", len(rates.Starting().Rates)))

	to := s.sent("/orders", "new_client", "First Client", "title", "A vase", "use", "shelf", "wanted", "2026-06-01", "budget", "1.200,50")
	assert.Equal(t, "/orders/0001", to)
	assert.Contains(t, s.page(to), "budget € 1,200.50")
	a = s.upload(to+"/items", "vase.stl", apptest.Vase())
	require.Equal(t, http.StatusSeeOther, a.StatusCode, a.body)
	body = s.page(to)
	assert.Contains(t, body, "watertight")
	assert.Regexp(t, `id="price">€ \d+`, body)
	assert.Contains(t, body, "House grey")
}

func TestItemFormAnswersWithTheNewPrice(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	it := sheet.Items[0]
	price := regexp.MustCompile(`id="price">(€ [\d,]+)<`)
	before := price.FindStringSubmatch(s.page("/orders/" + no))
	require.Len(t, before, 2)
	path := "/orders/" + no + "/items/1"
	fields := []string{"title", "Vase", "tier", "painted", "copies", "6", "scale", "150", "parts[1].process", "resin", "parts[1].material", "1", "parts[1].copies", "1", "parts[1].wall", "2"}
	a := s.htmx(path, fields...)
	assert.Equal(t, http.StatusOK, a.StatusCode)
	after := price.FindStringSubmatch(a.body)
	require.Len(t, after, 2, "the fragment carries the price out of band")
	assert.NotEqual(t, before[1], after[1])
	assert.NotContains(t, a.body, "<html", "a fragment, not a page")
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, 1.5, sheet.Items[0].Scale)
	assert.Equal(t, 2.0, sheet.Items[0].Parts[0].WallMM)
	assert.Equal(t, it.ID, sheet.Items[0].ID)

	bad := s.htmx(path, "title", "Vase", "tier", "painted", "copies", "1.5", "scale", "150")
	assert.Equal(t, http.StatusUnprocessableEntity, bad.StatusCode)
	assert.Contains(t, bad.body, "a whole number")
}

// htmx posts as a form does that stays on its page.
func (s *site) htmx(path string, fields ...string) answer {
	s.t.Helper()
	form := url.Values{}
	for i := 0; i+1 < len(fields); i += 2 {
		form.Add(fields[i], fields[i+1])
	}
	return s.fragment(path, form)
}

// fragment sends a form as htmx does.
func (s *site) fragment(path string, form url.Values) answer {
	s.t.Helper()
	req, err := http.NewRequest(http.MethodPost, s.server.URL+path, strings.NewReader(form.Encode()))
	require.NoError(s.t, err)
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.Header.Set("HX-Request", "true")
	return s.do(req)
}

func TestRefusalsStayBesideTheForm(t *testing.T) {
	s := owned(t)
	a := s.htmx("/orders", "title", "", "new_client", "X")
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, `role="alert"`)
	assert.NotContains(t, a.body, "<html")
	a = s.htmx("/orders", "title", "Vase", "new_client", "X")
	assert.Equal(t, http.StatusOK, a.StatusCode)
	assert.Equal(t, "/orders/0001", a.Header.Get("HX-Redirect"))
	whole := s.post("/orders", "title", "")
	assert.Contains(t, whole.body, "what you typed is still on the sheet")
}

// What a client types is shown as text, on every sheet it reaches.
func TestForeignTextIsText(t *testing.T) {
	s := owned(t)
	const evil = `<script>alert(1)</script>`
	o, err := s.Orders.NewOrder(s.Ctx, s.Owner, orders.OrderForm{NewClient: evil, Title: evil, Note: evil})
	require.NoError(t, err)
	require.Equal(t, http.StatusSeeOther, s.upload("/orders/"+o.Number+"/items", evil+".stl", apptest.Vase()).StatusCode)
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, o.Number, "")
	require.NoError(t, err)
	s.sent("/q/"+q.Token+"/question", "text", evil)
	s.sent("/q/"+q.Token+"/answer", "name", evil, "agreed", "1", "answer", "accept")
	for _, path := range []string{"/", "/orders", "/orders/" + o.Number, "/clients", "/logbook", "/bench?show=all", "/q/" + q.Token, "/find?q=script", "/quotes", "/orders/" + o.Number + "/quote"} {
		assert.NotContains(t, s.page(path), "<script>alert", path)
	}
}

func TestClientPage(t *testing.T) {
	s := serve(t, apptest.New(t), kit.Options{})
	no := s.Order(2, "painted")
	require.NoError(t, s.Orders.AddPoint(s.Ctx, s.Owner, no, studio.Question, "Gloss or matt?"))
	q, err := s.Quotes.SendQuote(s.Ctx, s.Owner, no, "")
	require.NoError(t, err)
	link := "/q/" + q.Token
	body := s.page(link)
	assert.Contains(t, body, q.Total().String())
	assert.Contains(t, body, "2 × Vase")
	assert.Contains(t, body, "Gloss or matt?")
	assert.NotContains(t, body, "Margin", "the client sees the price, not how it came about")
	pdf := s.get(link + "/quote.pdf")
	assert.Equal(t, "application/pdf", pdf.Header.Get("Content-Type"))
	assert.True(t, strings.HasPrefix(pdf.body, "%PDF-"))

	s.sent(link+"/question", "text", "Can it hold water?")
	assert.Contains(t, s.post(link+"/answer", "name", "O. Brackwater", "answer", "accept").body, "Tick")
	s.sent(link+"/answer", "name", "O. Brackwater", "agreed", "1", "answer", "accept")
	body = s.page(link)
	assert.Contains(t, body, "Thank you")
	assert.Contains(t, body, "This quote is accepted")
	assert.NotContains(t, body, `name="agreed"`)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1", sheet.Quotes[0].AnsweredFrom)
	require.NoError(t, s.Orders.SettlePoint(s.Ctx, s.Owner, no, sheet.Points[1].ID, "No: resin is not for food or water."))
	assert.Contains(t, s.page(link), "not for food or water")

	require.NoError(t, s.Quotes.CancelOrder(s.Ctx, s.Owner, no, "over"))
	assert.Equal(t, http.StatusGone, s.get(link).StatusCode)
	assert.Equal(t, http.StatusGone, s.get(link+"/quote.pdf").StatusCode)
	assert.Equal(t, http.StatusNotFound, s.get("/q/"+strings.Repeat("A", 26)).StatusCode)
}

func TestFilesComeBackAsTheyWereGiven(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	m := sheet.Items[0].Parts[0].Model
	a := s.get("/files/" + m.SHA + "/" + m.Name)
	assert.Equal(t, string(apptest.Vase()), a.body)
	assert.Contains(t, a.Header.Get("Content-Disposition"), `attachment; filename="vase.stl"`)
	for _, path := range []string{"/files/" + strings.Repeat("0", 64) + "/x", "/files/short/x", "/files/..%2f..%2fsakuji.db/x"} {
		assert.Equal(t, http.StatusNotFound, s.get(path).StatusCode, path)
	}
	var sketch bytes.Buffer
	require.NoError(t, png.Encode(&sketch, image.NewGray(image.Rect(0, 0, 6, 4))))
	require.Equal(t, http.StatusSeeOther, s.upload("/orders/"+no+"/pictures", "Skizze für Ö.png", sketch.Bytes()).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	p := s.get("/files/" + sheet.Pictures[0].SHA + "/x.png")
	assert.Equal(t, "image/jpeg", p.Header.Get("Content-Type"), "of our own making")
	assert.Empty(t, p.Header.Get("Content-Disposition"))
	require.Equal(t, http.StatusSeeOther, s.upload("/orders/"+no+"/pictures", "paper.pdf", []byte("%PDF-1.7")).StatusCode)
	sheet, err = s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(t, err)
	p = s.get("/files/" + sheet.Pictures[1].SHA + "/paper.pdf")
	assert.Contains(t, p.Header.Get("Content-Disposition"), `attachment; filename="paper.pdf"`, "what others made is saved, not opened here")
}

func TestDispositionNames(t *testing.T) {
	assert.Equal(t, `attachment; filename="M_we _x_.stl"; filename*=UTF-8''M%C3%B6we%20%22x%22.stl`, kit.Disposition("attachment", `Möwe "x".stl`))
}

func TestPlateScreens(t *testing.T) {
	s := owned(t)
	no := s.Order(3, "raw")
	s.Accept(no)
	assert.Contains(t, s.page("/plates"), "3 pieces")
	to := s.sent("/plates", "machine", "1", "material", "1")
	assert.Equal(t, "/plates/1", to)
	body := s.page(to)
	assert.Contains(t, body, "Plan and elevation of plate 1")
	assert.Contains(t, body, "Start on Tarn")
	assert.Contains(t, body, "Before you start.")
	s.sent(to+"/lift", "code", no+"-1")
	assert.Contains(t, s.page(to), "Would still fit")
	s.sent(to+"/add", "code", no+"-1")
	s.sent(to + "/fill")
	s.sent(to+"/start", "started", s.Clock.At.In(vienna(t)).Format("2006-01-02T15:04"), "room", "18.5")
	body = s.page(to)
	assert.Contains(t, body, "The room is 18.5 °C")
	assert.Contains(t, body, "ends ")
	assert.Equal(t, http.StatusUnprocessableEntity, s.post(to+"/fill").StatusCode)
	s.Clock.Pass(9 * time.Hour)
	s.sent(to+"/end", "ended", "")
	assert.Contains(t, s.page("/"), "Empty Tarn: plate 1 is finished")
	assert.Contains(t, s.post(to+"/empty", "outcome[1]", "good", "outcome[2]", "failed", "outcome[3]", "good").body, "say why it failed")
	s.sent(to+"/empty", "outcome[1]", "good", "outcome[2]", "failed", "cause[2]", "power cut", "outcome[3]", "good", "note", "storm")
	body = s.page(to)
	assert.Contains(t, body, "failed: power cut")
	s.sent(to + "/take-back")
	assert.Contains(t, s.page(to), "What came off it")
	assert.Equal(t, http.StatusNotFound, s.get("/plates/77").StatusCode)
}

func vienna(t *testing.T) *time.Location {
	loc, err := time.LoadLocation("Europe/Vienna")
	require.NoError(t, err)
	return loc
}

func TestBenchScreens(t *testing.T) {
	s := owned(t)
	no := s.Order(2, "primed")
	s.Accept(no)
	s.Print()
	body := s.page("/bench")
	assert.Contains(t, body, no+"-1")
	assert.Contains(t, body, "Wash twice")
	assert.Equal(t, "/bench/"+no+"-2", s.get("/bench?code="+no+"-2").Header.Get("Location"), "a scanned label lands on its piece")
	assert.Contains(t, s.get("/bench?code=9999-1").body, "No piece and no place has the label")

	piece := s.page("/bench/" + no + "-1")
	assert.Contains(t, piece, "no flame, heater or spark near", "the caution of the stage")
	assert.Contains(t, piece, "Stamp, then the next (1 left)")
	s.sent("/bench/hand", "hand", "2")
	assert.Equal(t, "/bench/"+no+"-2", s.sent("/bench/"+no+"-1/stamp", "minutes", "4", "note", "", "then", "next", "next", no+"-2"))
	p, err := s.Pieces.Piece(s.Ctx, no+"-1")
	require.NoError(t, err)
	assert.Equal(t, "JT", p.Stages[1].Initials, "the chosen hand, though the owner is signed in")
	assert.Contains(t, s.page("/bench/"+no+"-1"), "alcohol off at")
	assert.Contains(t, s.page("/bench?show=waits"), "alcohol off")
	assert.Contains(t, s.post("/bench/"+no+"-1/stamp", "minutes", "4").body, "must wait")
	s.sent("/bench/" + no + "-1/take-back")
	assert.Contains(t, s.page("/bench/"+no+"-1"), "Wash twice")
	s.sent("/bench/"+no+"-1/back", "to", "print", "note", "dropped")
	assert.Contains(t, s.page("/bench/"+no+"-1"), "attempt 2")
	assert.Contains(t, s.page("/bench?show=all&order="+no), "waits for a plate, attempt 2")
	assert.Equal(t, http.StatusNotFound, s.get("/bench/0000-1").StatusCode)
}

func TestDeliveryScreens(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	s.Accept(no)
	to := "/orders/" + no + "/delivery"
	assert.Contains(t, s.post("/orders/"+no+"/deliver").body, "still in work")
	s.Print()
	s.Finish(no + "-1")
	assert.Contains(t, s.page("/"), "Deliver Vases to Odile Brackwater")
	assert.Contains(t, s.page("/orders"), "1 of 1 piece done")
	assert.Contains(t, s.page(to), "Hours, planned and worked")
	for _, name := range []string{"packing-list", "delivery-note"} {
		a := s.get("/orders/" + no + "/" + name + ".pdf")
		assert.True(t, strings.HasPrefix(a.body, "%PDF-"), name)
		assert.Greater(t, len(a.body), 3000, name)
	}
	s.sent("/orders/"+no+"/deliver", "on", "2026-05-14")
	assert.Contains(t, s.post("/orders/"+no+"/close").body, "give the reason")
	s.sent("/orders/"+no+"/close", "why", "paid in biscuits")
	assert.Contains(t, s.page(to), "closed Thu 14 May 2026")
	assert.Contains(t, s.page("/orders"), "Filed")
}

func TestOrderChanges(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	path := "/orders/" + no
	s.sent(path+"/points", "kind", "colour", "text", "Blue?")
	s.sent(path+"/points/1", "answer", "the dark one")
	assert.Contains(t, s.page(path), "the dark one")
	s.sent(path+"/details", "client", "1", "title", "Vases, blue", "use", "table", "wanted", "2026-07-01", "budget", "50")
	assert.Contains(t, s.page(path), "wanted by Wed 1 Jul 2026")
	s.sent(path + "/quote")
	body := s.page(path)
	assert.Contains(t, body, "Revision 1: sent")
	assert.Contains(t, body, s.server.URL+"/q/")
	assert.Contains(t, s.get(path+"/quotes/1.pdf").Header.Get("Content-Disposition"), "quote-"+no+"-1.pdf")
	assert.Equal(t, http.StatusNotFound, s.get(path+"/quotes/9.pdf").StatusCode)
	s.sent(path+"/answer", "name", "by telephone", "answer", "accept")
	assert.Contains(t, s.page(path), "Answered 09:00 by by telephone (told to us)")
	assert.Contains(t, s.post(path+"/payments", "kind", "deposit", "amount", "a lot").body, "is not an amount")
	s.sent(path+"/payments", "kind", "deposit", "amount", "5,50")
	assert.Contains(t, s.page(path), "€ 5.50 deposit")
	asked := s.post(path+"/payments", "kind", "rest", "amount", "5000")
	assert.Equal(t, http.StatusUnprocessableEntity, asked.StatusCode, "more than is owed is asked about first")
	assert.Contains(t, asked.body, "Yes, € 5,000.00 arrived")
	s.sent(path+"/payments", "kind", "rest", "amount", "5000", "sure", "1")
	s.sent(path + "/payments/2/reverse")
	assert.Contains(t, s.page(path), "entered by mistake, reversed")
	s.sent(path + "/items/1/remove")
	assert.Contains(t, s.page(path), "Nothing is on this order yet")
	to := s.sent(path + "/repeat")
	assert.Equal(t, "/orders/0002", to)
	s.sent(path+"/cancel", "why", "changed his mind")
	assert.Contains(t, s.page(path), "cancelled")
	assert.Contains(t, s.page("/logbook"), "changed his mind")
	s.sent("/clients/1", "name", "Odile B.", "email", "odile@brackwater.example", "address", "Weir Cottage\nBrackwater")
	assert.Contains(t, s.page("/clients"), "Odile B.")
	assert.Contains(t, s.page("/clients/1"), "Weir Cottage")
	assert.Contains(t, s.post("/clients/1", "name", "").body, "needs a name")
	s.sent("/studio/people/new", "name", "Maren Osk", "role", "bench", "active", "1")
	assert.Contains(t, s.page("/studio/people/3"), "Maren Osk")
	s.sent("/studio/materials/1", "name", "Grey", "active", "1", "figures[price]", "35")
	assert.Contains(t, s.page("/studio/materials/1"), `value="35"`)
	s.sent("/studio/machines/1", "name", "Tarn", "active", "1", "figures[layer]", "0.05")
	assert.Contains(t, s.page("/studio/machines/1"), `value="0.05"`)
	for _, missing := range []string{"/orders/7777", "/clients/77", "/studio/machines/77", "/studio/materials/77", "/studio/people/77"} {
		assert.Equal(t, http.StatusNotFound, s.get(missing).StatusCode, missing)
	}
}

func TestUploadErrorsNameTheFile(t *testing.T) {
	s := owned(t)
	no := s.Order(1, "raw")
	a := s.upload("/orders/"+no+"/items", "broken.stl", apptest.Vase()[:500])
	assert.Equal(t, http.StatusUnprocessableEntity, a.StatusCode)
	assert.Contains(t, a.body, "broken.stl could not be read as a model")
	req, err := http.NewRequest(http.MethodPost, s.server.URL+"/orders/"+no+"/items", io.LimitReader(bytes.NewReader([]byte("--x\r\nContent-Dispo")), 18))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "multipart/form-data; boundary=x")
	assert.Contains(t, s.do(req).body, "broke off")
	assert.Contains(t, s.upload("/orders/"+no+"/items").body, "Choose one or several")
}

func TestFindFragment(t *testing.T) {
	s := owned(t)
	s.Order(1, "raw")
	assert.Contains(t, s.page("/find?q=vas"), "Vases")
	assert.Contains(t, s.page("/find?q=zzz"), "Nothing has “zzz”")
	req, err := http.NewRequest(http.MethodGet, s.server.URL+"/find?q=odil", nil)
	require.NoError(t, err)
	req.Header.Set("HX-Request", "true")
	a := s.do(req)
	assert.Contains(t, a.body, "Odile Brackwater")
	assert.NotContains(t, a.body, "<html")
}

// Everything drawn on the plate lies within the bed's lines, and the elevation is
// at the same scale as the plan.
func TestPlateDrawing(t *testing.T) {
	s := owned(t)
	s.Accept(s.Order(4, "raw"))
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(t, err)
	sheet, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(t, err)
	d := plates.DrawPlate(plates.PlateView{PlateSheet: sheet})
	require.Len(t, d.Pieces, 4)
	k := d.BedW / 143
	assert.InDelta(t, 40*k, d.GroundY-d.TopY, 1e-3)
	tallest := 0
	for _, p := range d.Pieces {
		assert.Greater(t, p.X, d.InX)
		assert.Less(t, p.X, d.InX+d.InW)
		assert.Greater(t, p.Y, d.InY)
		assert.Less(t, p.Y, d.InY+d.InH)
		assert.Equal(t, "40", p.Label)
		if p.Tallest {
			tallest++
		}
	}
	assert.Equal(t, 1, tallest, "one piece is marked as setting the time")
}

func TestOutlineSVG(t *testing.T) {
	o := solid.Outline{{{X: 0, Y: 0}, {X: 20, Y: 0}, {X: 20, Y: 10}, {X: 0, Y: 10}}}
	svg := string(kit.OutlineSVG(o, 42, 42))
	assert.Contains(t, svg, `d="M1.0 41.0L41.0 41.0L41.0 21.0L1.0 21.0Z"`, "it stands on its base, as large as it fits")
	assert.Empty(t, kit.OutlineSVG(nil, 40, 40))
}
