package web_test

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"
	"time"

	"sakuji/demo"
	"sakuji/web"
	"sakuji/web/kit"
)

// BenchmarkPages renders every sheet of the demo at the server, over its real
// database, and prints the median milliseconds of each; the aim is under 20.
func BenchmarkPages(b *testing.B) {
	d, err := demo.Open(context.Background(), b.TempDir())
	if err != nil {
		b.Fatal(err)
	}
	defer d.Close()
	srv := web.New(d.App, slog.New(slog.NewTextHandler(io.Discard, nil)), kit.Options{Demo: d})
	defer srv.Close()
	h := srv.Handler()
	var cookies []*http.Cookie
	get := func(path string) {
		r := httptest.NewRequest(http.MethodGet, "http://localhost"+path, nil)
		r.RemoteAddr = "127.0.0.1:1"
		for _, c := range cookies {
			r.AddCookie(c)
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if w.Code != http.StatusOK {
			b.Fatalf("%s: %d", path, w.Code)
		}
		if c := w.Result().Cookies(); len(c) > 0 {
			cookies = c
		}
	}
	get("/")
	for _, p := range []struct{ name, path string }{
		{"today", "/"}, {"orders", "/orders"}, {"order", "/orders/0407"}, {"quote", "/orders/0407/quote"}, {"quotes", "/quotes"}, {"delivery", "/orders/0407/delivery"}, {"clients", "/clients"}, {"plates", "/plates"},
		{"plate", "/plates/14"}, {"bench", "/bench?show=all"}, {"piece", "/bench/0407-24"}, {"studio", "/studio"}, {"rates", "/rates"}, {"logbook", "/logbook"}, {"find", "/find?q=snail"},
		{"models", "/models"}, {"model", "/models/1"}, {"size", "/orders/0407/items/4/size?by=height&height=30"},
	} {
		b.Run(p.name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				start := time.Now()
				get(p.path)
				ms = append(ms, float64(time.Since(start).Microseconds())/1000)
			}
			slices.Sort(ms)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
}
