package bench_test

import (
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"sakuji/app/apptest"
	"sakuji/studio"
	"sakuji/web"
	"sakuji/web/kit"
	"sakuji/web/webtest"
)

// BenchmarkStamp times over HTTP, in a studio with 60,000 pieces behind it and a million lines in its logbook, what a
// tablet waits for: a stamp on disk, the same with the sheet that follows on the screen, the bench’s list after it, and a
// search. Told are medians, and the 99th of a hundred, in milliseconds.
func BenchmarkStamp(b *testing.B) {
	s, no := apptest.House(b)
	srv := web.New(s.App, slog.New(slog.NewTextHandler(io.Discard, nil)), kit.Options{Demo: &webtest.StoppedTime{}})
	defer srv.Close()
	server := httptest.NewServer(srv.Handler())
	defer server.Close()
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	get := func(path string) {
		r, err := client.Get(server.URL + path)
		require.NoError(b, err)
		_, err = io.Copy(io.Discard, r.Body)
		require.NoError(b, err)
		r.Body.Close()
		require.Equal(b, http.StatusOK, r.StatusCode, path)
	}
	get("/bench/" + no + "-1") // what is summed up once, after a start
	n := 0
	for _, part := range []struct {
		name  string
		after func(sheet string)
	}{
		{"disk", func(string) {}},
		{"screen", func(sheet string) { get(sheet) }},
		{"list", func(string) { get("/bench") }},
		{"find", func(string) { get("/find?q=collar") }},
	} {
		b.Run(part.name, func(b *testing.B) {
			var ms []float64
			for b.Loop() {
				code, shown := ready(b, s, no, &n)
				start := time.Now()
				r, err := client.Post(server.URL+"/bench/"+code+"/stamp", "application/x-www-form-urlencoded", strings.NewReader(url.Values{"shown": {shown}, "minutes": {"3"}}.Encode()))
				require.NoError(b, err)
				r.Body.Close()
				require.Equal(b, http.StatusSeeOther, r.StatusCode)
				part.after(r.Header.Get("Location"))
				ms = append(ms, float64(time.Since(start).Microseconds())/1000)
			}
			slices.Sort(ms)
			b.ReportMetric(ms[len(ms)/2], "median-ms")
			b.ReportMetric(ms[len(ms)*99/100], "p99-ms")
			b.ReportMetric(0, "ns/op")
		})
	}
}

// ready is the next piece that can be stamped, and what its sheet shows; where none can, time passes.
func ready(b *testing.B, s *apptest.Studio, no string, n *int) (code, shown string) {
	for range 400 {
		*n++
		code = fmt.Sprintf("%s-%d", no, *n%40+1)
		p, err := s.Pieces.Piece(s.Ctx, code)
		require.NoError(b, err)
		if p.State == studio.AtBench && p.MayStamp == nil {
			return code, p.Shown()
		}
		s.Clock.Pass(10 * time.Minute)
	}
	b.Fatal("nothing is ready")
	return "", ""
}
