package plan_test

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/rates"
	"sakuji/core/route"
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// BenchmarkPlan times the plan of a studio of forty orders of ten pieces, each handled by itself: some four
// thousand tasks. Told are a first plan, with its search and the two hundred lives, one again after something
// has happened, a promise, a trial of a move, and the sheets at the server, as medians in milliseconds.
func BenchmarkPlan(b *testing.B) {
	s := apptest.New(b)
	require.NoError(b, s.Setup.SaveRates(s.Ctx, s.Owner, map[rates.Key]float64{"batch.pieces": 1}))
	var last string
	for k := range 40 {
		last = s.Order(10, route.Primed)
		s.Accept(last)
		require.NoError(b, s.Orders.ChangeOrder(s.Ctx, s.Owner, last, orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: s.Clock.At.AddDate(0, 0, 7+3*k).Format(time.DateOnly), Sure: true}))
	}
	asked := s.Order(10, route.Primed)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, asked)
	require.NoError(b, err)
	begin := time.Now()
	planned, err := s.Plan.Plan(s.Ctx, time.Minute)
	require.NoError(b, err)
	b.Logf("first plan: %d tasks in %v", len(planned.Tasks), time.Since(begin))
	require.NoError(b, s.Plan.Agree(s.Ctx, s.Owner, time.Minute))
	srv := web.New(s.App, slog.New(slog.NewTextHandler(io.Discard, nil)), kit.Options{Demo: &webtest.StoppedTime{}})
	defer srv.Close()
	h := srv.Handler()
	get := func(path string) {
		r := httptest.NewRequest(http.MethodGet, "http://localhost"+path, nil)
		r.RemoteAddr = "127.0.0.1:1"
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		require.Equal(b, http.StatusOK, w.Code, path)
	}
	replan := func(days int) {
		require.NoError(b, s.Orders.ChangeOrder(s.Ctx, s.Owner, last, orders.OrderForm{Title: "Vases", ClientID: 1, Use: "shelf", Wanted: s.Clock.At.AddDate(0, 0, days).Format(time.DateOnly), Sure: true}))
		_, err := s.Plan.Plan(s.Ctx, time.Minute)
		require.NoError(b, err)
	}
	day := s.Clock.At.AddDate(0, 0, 1).Format(time.DateOnly)
	for _, part := range []struct {
		name string
		do   func()
	}{
		{"replan", func() { replan(60) }},
		{"replan-late", func() { replan(2) }},
		{"promise", func() {
			_, err := s.Plan.Promise(s.Ctx, sheet.Steps())
			require.NoError(b, err)
		}},
		{"try", func() { get("/plan/try?task=" + "0001-1%3A+pack+1" + "&person=0&day=" + day + "&at=14:00") }},
		{"roll", func() { get("/plan") }},
		{"week", func() { get("/plan/week") }},
		{"month", func() { get("/plan/month") }},
	} {
		b.Run(part.name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				start := time.Now()
				part.do()
				ms = append(ms, float64(time.Since(start).Microseconds())/1000)
			}
			slices.Sort(ms)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
	b.Run("scroll", func(b *testing.B) { // the month, by 40 px a frame; 16.7 ms a frame is 60 of them a second
		server := httptest.NewServer(h)
		defer server.Close()
		page := webtest.Browse(b, server.URL)
		page.Open("/plan/month")
		for b.Loop() {
			page.Eval(`window.ms = []; let last = performance.now(); const step = (now) => { ms.push(now - last); last = now; scrollBy(0, (ms.length & 63) < 32 ? 40 : -40); if (ms.length < 240) requestAnimationFrame(step) }; requestAnimationFrame(step)`)
			page.Until("ms.length >= 240")
		}
		for _, q := range []string{"50", "95"} {
			frame, err := strconv.ParseFloat(page.Eval("return ms.sort((a, b) => a - b)[Math.floor(ms.length * %s / 100)]", q), 64)
			require.NoError(b, err)
			b.ReportMetric(frame, "p"+q+"-ms/frame")
		}
		b.ReportMetric(0, "ns/op")
		page.Do(chromedp.Navigate("about:blank")) // it watches the plan no longer
	})
}
