package plates_test

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/app/orders"
	"sakuji/core/route"
	"sakuji/studio"
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// BenchmarkPlatePage renders the whole sheet of a plate of some 150 pieces, over HTTP and its database;
// the aim is under 50 ms.
func BenchmarkPlatePage(b *testing.B) {
	s := apptest.New(b)
	srv := web.New(s.App, slog.New(slog.NewTextHandler(io.Discard, nil)), kit.Options{Demo: &webtest.StoppedTime{}})
	defer srv.Close()
	h := srv.Handler()
	no := s.Order(190, route.Raw)
	sheet, err := s.Quotes.OrderSheet(s.Ctx, no)
	require.NoError(b, err)
	it := sheet.Items[0]
	require.NoError(b, s.Orders.ChangeItem(s.Ctx, s.Owner, no, it.ID, orders.ItemForm{Title: it.Title, Tier: it.Tier, Copies: it.Copies, Scale: 0.2}))
	s.Accept(no)
	number, _, err := s.Plates.LayPlate(s.Ctx, s.Bench, s.Tarn, s.Resin, studio.PrintProfile{})
	require.NoError(b, err)
	plate, err := s.Plates.PlateSheet(s.Ctx, number)
	require.NoError(b, err)
	var ms []float64
	bytes := 0
	for b.Loop() {
		w, r := httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "http://localhost/plates/1", nil)
		r.RemoteAddr = "127.0.0.1:1"
		start := time.Now()
		h.ServeHTTP(w, r)
		ms = append(ms, float64(time.Since(start).Microseconds())/1000)
		require.Equal(b, http.StatusOK, w.Code)
		bytes = w.Body.Len()
	}
	slices.Sort(ms)
	b.ReportMetric(ms[len(ms)/2], "median-ms")
	b.ReportMetric(float64(len(plate.Pieces)), "pieces")
	b.ReportMetric(float64(bytes), "bytes")
	b.ReportMetric(0, "ns/op")
}
